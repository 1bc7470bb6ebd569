"""One directory server, as it says of itself."""

from contextlib import suppress
from functools import cached_property

import ldap
from ldap.controls import RequestControl
from ldap.controls.simple import ManageDSAITControl
from ldap.ldapobject import SimpleLDAPObject

from keepsort.connectors import options
from keepsort.connectors.base import (
    Endpoint,
)
from keepsort.connectors.directory.schema import DirectorySchema
from keepsort.connectors.directory.session import connect, plain_errors
from keepsort.connectors.errors import (
    Misconfigured,
)

_ASSERTION = "1.3.6.1.1.12"  # RFC 4528
_MANAGE_DSA_IT = "2.16.840.1.113730.3.4.2"  # RFC 3296
_ALL = ["*", "+"]


class Server:
    """A session with a server, signed in, and what the server says it knows."""

    def __init__(self, endpoint: Endpoint, base: str) -> None:
        self.endpoint = endpoint
        self.session: SimpleLDAPObject = connect(endpoint)
        self._base = base

    def close(self) -> None:
        """Let go of the connection."""
        with suppress(ldap.LDAPError):  # it may be gone already
            self.session.unbind_s()

    @cached_property
    def root_dse(self) -> dict[str, list[str]]:
        """What the server says of itself (RFC 4512, section 5.1)."""
        with plain_errors(self.endpoint):
            found = self.session.search_s("", ldap.SCOPE_BASE, attrlist=_ALL)
        entry = found[0][1] if found else {}
        return {k: [v.decode("utf-8", "replace") for v in vs] for k, vs in entry.items()}

    @cached_property
    def schema(self) -> DirectorySchema:
        """The schema that the directory publishes."""
        with plain_errors(self.endpoint):
            where = self.session.search_subschemasubentry_s(self._base)
            where = where or self.session.search_subschemasubentry_s("")
            entry = self.session.read_subschemasubentry_s(where) if where else None
        if not entry:
            raise Misconfigured(
                f"{self.endpoint.address} shows no schema to this account.",
                "Allow the account to read the subschema entry.",
            )
        secrets = options.listed(self.endpoint, "secrets", "userPassword")
        return DirectorySchema(entry, self._base, secrets)

    @cached_property
    def controls(self) -> list[RequestControl]:
        """What goes with every request: referrals are entries to look at, not to follow."""
        known = _MANAGE_DSA_IT in self.root_dse.get("supportedControl", ())
        return [ManageDSAITControl(criticality=False)] if known else []

    @cached_property
    def asserts(self) -> bool:
        """Tell whether the server guards a write by an assertion (RFC 4528)."""
        return _ASSERTION in self.root_dse.get("supportedControl", ())

    @property
    def is_openldap(self) -> bool:
        """Tell whether it is a server whose order of checks is known (`Checking`)."""
        return "openldaprootdse" in {c.lower() for c in self.root_dse.get("objectClass", ())}

    @property
    def software(self) -> str:
        """What it is, asked from itself."""
        named = [*self.root_dse.get("vendorName", ()), *self.root_dse.get("vendorVersion", ())]
        if not named:
            named = ["OpenLDAP"] if self.is_openldap else ["LDAP v3 directory"]
        return " ".join(named)
