"""Writes steps as requests to a directory, and as the LDIF that says the same."""

from collections.abc import Sequence

import ldap
from ldap.controls import RequestControl
from ldap.controls.libldap import AssertionControl
from ldap.filter import escape_filter_chars, filter_format

from keepsort.connectors.base import (
    Ready,
    SecretKeeper,
    Seen,
)
from keepsort.connectors.directory import ldif
from keepsort.connectors.directory.changes import modifications
from keepsort.connectors.directory.naming import keeps_old_name, naming
from keepsort.connectors.directory.server import Server
from keepsort.connectors.directory.session import plain_errors
from keepsort.connectors.errors import (
    Changed,
    Conflict,
    Refused,
)
from keepsort.core.model import Attributes, ConfigObject, Path, Value
from keepsort.core.plan import Step

#: One part of a modify request, as the library takes it.
Modify = tuple[int, str, list[bytes] | None]
_OPERATIONS = {"add": ldap.MOD_ADD, "delete": ldap.MOD_DELETE, "replace": ldap.MOD_REPLACE}


class Requests:
    """What is asked of one directory so that a step is done."""

    def __init__(self, server: Server, secrets: SecretKeeper) -> None:
        self._server = server
        self._secrets = secrets

    def modifications_for(self, step: Step, found: Attributes) -> list[Modify]:
        """Return what to ask of an entry that has some attributes so that the step is done."""
        changes = modifications(
            self._server.schema.model, step.kind, found, step.after or {}, self._to_bytes,
            held=self._held_by_name(step.path),
        )  # fmt: skip
        return [(_OPERATIONS[c.operation], c.attribute, c.values or None) for c in changes]

    def render(self, step: Step) -> str:
        """Write a step as an LDIF change record."""
        dn = self._server.schema.model.notation.write(step.path)
        masked = self._server.schema.is_secret
        if step.action == "create":
            return ldif.add_record(dn, self._entry(step, shown=True), masked)
        if step.action == "delete":
            return ldif.delete_record(dn)
        if step.action == "move":
            assert step.to is not None
            return ldif.rename_record(
                dn, step.to[-1], self._server.schema.model.notation.write(step.to[:-1]),
                keeps_old=keeps_old_name(self._server.schema.model, step),
            )  # fmt: skip
        changes = modifications(
            self._server.schema.model, step.kind, step.before or {}, step.after or {}, self._shown,
            held=self._held_by_name(step.path),
        )  # fmt: skip
        return ldif.modify_record(dn, changes, masked)

    def write(self, ready: Sequence[Ready]) -> list[str]:
        """Carry out one step; the server refuses where the entry is another by now (RFC 4528)."""
        for step, seen in ready:
            self._write(step, seen)
        return [""] * len(ready)

    def _write(self, step: Step, seen: Seen) -> None:
        dn = self._server.schema.model.notation.write(step.path)
        guard = [] if step.action == "create" else self._assertion(seen)
        with plain_errors(self._server.endpoint):
            try:
                self._send(step, seen.found, [*self._server.controls, *guard])
            except ldap.ASSERTION_FAILED:
                raise Changed(f"{dn} was changed by somebody at this very moment.") from None
            except ldap.ALREADY_EXISTS:
                there = self._server.schema.model.notation.write(step.final_path)
                raise Changed(f"{there} came into being at this very moment.") from None
            except ldap.NO_SUCH_OBJECT:
                if step.action == "create":
                    raise Refused(f"The entry that should hold {dn} does not exist.") from None
                raise Conflict(
                    f"{dn}, or the place it should go to, does not exist any more."
                ) from None

    def _send(self, step: Step, found: ConfigObject | None, controls: list[RequestControl]) -> None:
        """Send the request that carries a step out. Raises `ldap.LDAPError`."""
        schema = self._server.schema.model
        dn = schema.notation.write(step.path)
        if step.action == "create":
            self._server.session.add_ext_s(dn, self._entry(step), serverctrls=controls)
        elif step.action == "delete":
            self._server.session.delete_ext_s(dn, serverctrls=controls)
        elif step.action == "move":
            assert step.to is not None
            superior = schema.notation.write(step.to[:-1])
            keeps_old = keeps_old_name(schema, step)
            self._server.session.rename_s(
                dn, step.to[-1], superior, delold=int(not keeps_old), serverctrls=controls
            )
        elif found is not None:
            request = self.modifications_for(step, found.attributes)
            if request:
                self._server.session.modify_ext_s(dn, request, serverctrls=controls)

    def _assertion(self, seen: Seen) -> list[AssertionControl]:
        found, stamp = seen
        if not self._server.asserts or found is None:
            return []
        if stamp is not None:
            return [AssertionControl(True, filter_format("(entryCSN=%s)", [stamp]))]
        parts = []
        for name, values in sorted(found.attributes.items()):
            for value in values if isinstance(values, list) else [values]:
                if isinstance(value, str) and not self._server.schema.is_secret(name):
                    parts.append(f"({name}={escape_filter_chars(value)})")
        return [AssertionControl(True, f"(&{''.join(parts)})")] if parts else []

    def _entry(self, step: Step, shown: bool = False) -> list[tuple[str, list[bytes]]]:
        """Return the attributes of a new entry, its naming values among them."""
        convert = self._shown if shown else self._to_bytes
        entry: dict[str, list[bytes]] = {}
        for name, values in sorted(
            (step.after or {}).items(), key=lambda a: (a[0] != "objectClass", a)
        ):
            entry[name] = [
                convert(name, v) for v in (values if isinstance(values, list) else [values])
            ]
        for kind, value in naming(step.path):
            name = next((n for n in entry if n.lower() in self._server.schema.aliases(kind)), kind)
            raw = value if isinstance(value, bytes) else value.encode()
            entry.setdefault(name, []).insert(0, raw)
        return list(entry.items())

    def _held_by_name(self, path: Path) -> set[str]:
        """Return the attributes, lower case, that have a value in the entry's own name."""
        return {alias for kind, _ in naming(path) for alias in self._server.schema.aliases(kind)}

    def _to_bytes(self, name: str, value: Value) -> bytes:
        if self._server.schema.is_secret(name):
            kept = self._secrets.reveal(value)
            if kept is None:
                raise Refused(f"The value of {name} was never kept.", "Set it by hand afterwards.")
            return kept
        return value if isinstance(value, bytes) else str(value).encode()

    def _shown(self, name: str, value: Value) -> bytes:
        if self._server.schema.is_secret(name):
            return b"secret"
        return value if isinstance(value, bytes) else str(value).encode()
