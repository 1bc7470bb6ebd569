"""The directory connector: LDAP v3 entries as objects, and back."""

from collections.abc import Iterator, Sequence

import ldap

from keepsort.connectors import options
from keepsort.connectors.base import (
    Description,
    Endpoint,
    Problem,
    Promises,
    Ready,
    SecretKeeper,
    Seen,
)
from keepsort.connectors.directory.checking import Checking
from keepsort.connectors.directory.reading import Reading
from keepsort.connectors.directory.requests import Requests
from keepsort.connectors.directory.server import Server
from keepsort.connectors.errors import (
    Misconfigured,
)
from keepsort.core.model import ConfigObject, Path
from keepsort.core.model.notation import split_dn
from keepsort.core.plan import Finding, Right, Step
from keepsort.core.snapshot import Snapshot


def open_directory(endpoint: Endpoint, secrets: SecretKeeper) -> "Directory":
    """Connect to a directory and sign in. Raises a `ConnectorError`."""
    return Directory(endpoint, secrets)


class Directory:
    """One directory, from its base downwards."""

    def __init__(self, endpoint: Endpoint, secrets: SecretKeeper) -> None:
        base = endpoint.options.get("base", "")
        if not base or split_dn(base) is None:
            raise Misconfigured(
                f"The base {base!r} is no distinguished name.",
                "Give the topmost entry, like base=dc=kelpmoor,dc=example.",
            )
        page_size = options.number(endpoint, "page_size", 1000, 1)
        self._server = Server(endpoint, base)
        self._reading = Reading(self._server, secrets, page_size)
        self._requests = Requests(self._server, secrets)
        self._checking = Checking(self._server, secrets, self._requests)

    def close(self) -> None:
        """Let go of the connection."""
        self._server.close()

    def describe(self) -> Description:
        """Return what the directory is, asked from itself."""
        return Description(
            software=self._server.software,
            schema=self._server.schema.model,
            promises=Promises(
                compare_and_set="server" if self._server.asserts else "check",
                rename=True,
                stable_identity=True,
            ),
        )

    def rights(self) -> list[str]:
        """Return who is signed in, as the server sees it (RFC 4532)."""
        try:
            who = self._server.session.whoami_s()
        except ldap.LDAPError:
            return []
        return [f"Signed in as {who.removeprefix('dn:')}." if who else "Nobody is signed in."]

    def observe(self, branch: Path = ()) -> Iterator[tuple[Path, ConfigObject]]:
        """Yield the entries of a branch, parents first."""
        return self._reading.observe(branch)

    def look(self, paths: Sequence[Path]) -> list[Seen]:
        """Return entries, each with the stamp that changes with every change to it."""
        return self._reading.look(paths)

    def check(self, steps: Sequence[Step], origin: Snapshot) -> list[Finding]:
        """Look for what this directory's schema and rights will not allow."""
        return self._checking.check(steps, origin)

    def may_write(self, steps: Sequence[Step]) -> list[Right]:
        """Return what OpenLDAP says of changes to entries; other directories say nothing."""
        return list(self._checking.may_write(steps))

    def render(self, step: Step) -> str:
        """Write a step as an LDIF change record (RFC 2849)."""
        return self._requests.render(step)

    def write(self, ready: Sequence[Ready]) -> list[str]:
        """Carry out one step; the server refuses where the entry is another by now."""
        return self._requests.write(ready)

    def validate(self, tree: Snapshot) -> list[Problem]:
        """Say nothing: what is unsound in a directory, its tree tells (`core.soundness`)."""
        return []
