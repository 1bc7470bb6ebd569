"""Says what a directory's schema and rights will not allow."""

from collections.abc import Iterator, Sequence

import ldap

from keepsort.connectors.base import (
    SecretKeeper,
)
from keepsort.connectors.directory.requests import Requests
from keepsort.connectors.directory.server import Server
from keepsort.connectors.errors import (
    ConnectorError,
)
from keepsort.connectors.wanting import never_kept
from keepsort.core.plan import Finding, Right, Step
from keepsort.core.snapshot import Snapshot

_MOST_TRIED = 1000


class Checking:
    """What only the directory can know about a plan."""

    def __init__(self, server: Server, secrets: SecretKeeper, requests: Requests) -> None:
        self._server = server
        self._secrets = secrets
        self._requests = requests

    def check(self, steps: Sequence[Step], origin: Snapshot) -> list[Finding]:
        """Look for what this directory's schema and rights will not allow."""
        found: list[Finding] = []
        for step in steps:
            if step.after is not None:
                found += self._check_schema(step)
                found += self._check_secrets(step)
        return found

    def may_write(self, steps: Sequence[Step]) -> Iterator[Right]:
        """Ask OpenLDAP what the account may not change, with requests that cannot succeed.

        Each begins by adding, or taking away, one value twice in a row: the second time fails,
        whatever follows. A modify request happens whole or not at all (RFC 4511, section 4.6), and
        OpenLDAP looks at the rights to all of it before anything else.
        What is only to come to its place cannot be asked about before it is there.
        """
        keys = self._server.schema.model.names.keys
        if not self._server.is_openldap:
            return
        coming = {keys(step.final_path) for step in steps if step.action in ("create", "move")}
        updates = [step for step in steps if step.action == "update"]
        for step in updates[:_MOST_TRIED]:
            place = keys(step.path)
            if any(place[:depth] in coming for depth in range(len(place) + 1)):
                continue
            request = self._requests.modifications_for(step, step.before or {})
            twice = next((m for m in request if m[0] != ldap.MOD_REPLACE and m[2]), None)
            if twice is None:
                continue
            dn = self._server.schema.model.notation.write(step.path)
            try:
                self._server.session.modify_ext_s(
                    dn, [twice, twice, *request], serverctrls=self._server.controls
                )
            except ldap.INSUFFICIENT_ACCESS:
                yield Right(step.number, False, "The account may not write this.")
            except (ldap.TYPE_OR_VALUE_EXISTS, ldap.NO_SUCH_ATTRIBUTE):
                yield Right(step.number, True)  # as it must fail
            except (ldap.LDAPError, ConnectorError):
                continue  # of something else, so nothing is known

    def _check_schema(self, step: Step) -> Iterator[Finding]:
        assert step.after is not None
        classes = step.after.get("objectClass", [])
        before = (step.before or {}).get("objectClass", [])
        if step.action == "update" and before:
            old, new = (
                self._server.schema.structural(before),
                self._server.schema.structural(classes),
            )
            if old != new:
                text = (
                    f"It is a {old} and would become a {new}: a directory never changes that of an "
                    "entry. Delete the entry by hand and look again, and it comes back whole."
                )
                yield Finding("stop", "structural-class", text, step.final_path, "objectClass")
        unknown = [c for c in classes if not self._server.schema.knows_class(c)]
        for name in unknown:
            text = f"The server's schema has no object class {name}; it will refuse the entry."
            yield Finding("stop", "unknown-class", text, step.final_path, "objectClass")
        allowed = None if unknown else self._server.schema.allowed(classes)
        if allowed is not None:
            for name in sorted(step.after):
                if name.partition(";")[0].lower() not in allowed:
                    text = f"The entry's object classes do not allow {name}; the server refuses it."
                    yield Finding("stop", "not-allowed-by-schema", text, step.final_path, name)

    def _check_secrets(self, step: Step) -> Iterator[Finding]:
        assert step.after is not None
        for name in sorted(step.after):
            before = (step.before or {}).get(name)
            if self._server.schema.is_secret(name) and step.after[name] != before:
                values = step.after[name]
                digests = values if isinstance(values, list) else [values]
                yield from never_kept(self._secrets, step, name, digests)
