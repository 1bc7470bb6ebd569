"""The connection to a directory, and its errors in plain words."""

import socket
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from urllib.parse import urlsplit

import ldap
from ldap.ldapobject import SimpleLDAPObject

from keepsort.connectors.base import Endpoint
from keepsort.connectors.errors import (
    ConnectorError,
    LimitReached,
    Misconfigured,
    NoSuchBranch,
    NotAllowed,
    NotTrusted,
    OddAnswer,
    Refused,
    SignInRefused,
    Unreachable,
)

_CONNECT_SECONDS = 10
_ANSWER_SECONDS = 120
_LDAPS_PORT = 636


def connect(endpoint: Endpoint) -> SimpleLDAPObject:
    """Connect, start TLS where asked for, and sign in by simple bind (RFC 4513, section 5.1)."""
    address = endpoint.address
    if not address.startswith(("ldap://", "ldaps://")):
        raise Misconfigured(
            f"{address!r} is not the address of a directory.", "Write ldap://host:port or ldaps://…"
        )
    with plain_errors(endpoint):
        session = ldap.initialize(address, bytes_strictness="silent")
        session.protocol_version = ldap.VERSION3
        session.set_option(ldap.OPT_REFERRALS, 0)
        session.set_option(ldap.OPT_NETWORK_TIMEOUT, _CONNECT_SECONDS)
        session.set_option(ldap.OPT_TIMEOUT, _ANSWER_SECONDS)
        if address.startswith("ldaps://") or _starttls(endpoint):
            _set_up_tls(session, endpoint.options.get("ca_file", ""))
        if _starttls(endpoint):
            session.start_tls_s()
        session.simple_bind_s(endpoint.user, endpoint.password)
    return session


def _starttls(endpoint: Endpoint) -> bool:
    return endpoint.options.get("starttls", "no") == "yes"


def _set_up_tls(session: SimpleLDAPObject, ca_file: str) -> None:
    session.set_option(ldap.OPT_X_TLS_REQUIRE_CERT, ldap.OPT_X_TLS_DEMAND)
    if ca_file:
        try:
            usable = "BEGIN CERTIFICATE" in Path(ca_file).read_text(errors="replace")
        except OSError:
            usable = False
        if not usable:
            raise Misconfigured(
                f"The CA certificate file {ca_file} cannot be used.",
                "Check that this machine can read it and that it is a PEM file.",
            )
        session.set_option(ldap.OPT_X_TLS_CACERTFILE, ca_file)
    session.set_option(ldap.OPT_X_TLS_NEWCTX, 0)


def _takes_connections(address: str) -> bool:
    """Tell a server that is away from one with which TLS fails; libldap calls both "down"."""
    parts = urlsplit(address)
    try:
        with socket.create_connection(
            (parts.hostname or "", parts.port or _LDAPS_PORT), _CONNECT_SECONDS
        ):
            return True
    except OSError:
        return False


def _words(error: ldap.LDAPError) -> str:
    detail = error.args[0] if error.args and isinstance(error.args[0], dict) else {}
    parts = [str(detail.get(key, "")) for key in ("desc", "info")]
    return ": ".join(dict.fromkeys(p for p in parts if p)) or type(error).__name__


def _translated(error: ldap.LDAPError, endpoint: Endpoint) -> ConnectorError:
    said = _words(error)
    place = endpoint.address
    match error:
        case ldap.INVALID_CREDENTIALS() | ldap.INAPPROPRIATE_AUTH():
            return SignInRefused(f"{place} does not take {endpoint.user or 'an anonymous user'}.")
        case ldap.CONNECT_ERROR() if _starttls(endpoint):
            return NotTrusted(f"The certificate of {place} does not verify ({said}).")
        case ldap.SERVER_DOWN() if place.startswith("ldaps://") and _takes_connections(place):
            return NotTrusted(f"The certificate of {place} does not verify ({said}).")
        case ldap.SERVER_DOWN() | ldap.CONNECT_ERROR() | ldap.TIMEOUT() | ldap.UNAVAILABLE():
            return Unreachable(f"{place} does not answer ({said}).")
        case ldap.SIZELIMIT_EXCEEDED() | ldap.TIMELIMIT_EXCEEDED() | ldap.ADMINLIMIT_EXCEEDED():
            return LimitReached(f"{place} stopped giving entries: {said}.")
        case ldap.NO_SUCH_OBJECT():
            return NoSuchBranch(f"{place} has no such entry.")
        case ldap.INVALID_DN_SYNTAX():
            return Misconfigured(f"That is no distinguished name ({said}).")
        case ldap.INSUFFICIENT_ACCESS() | ldap.STRONG_AUTH_REQUIRED():
            return NotAllowed(
                f"{place} does not allow this to {endpoint.user or 'anyone'}: {said}."
            )
        case _:
            return Refused(f"{place} refused: {said}.")


@contextmanager
def plain_errors(endpoint: Endpoint) -> Iterator[None]:
    """Turn the library's errors into ours."""
    try:
        yield
    except ldap.LDAPError as error:
        raise _translated(error, endpoint) from error
    except (UnicodeError, ValueError, LookupError, AttributeError):
        raise OddAnswer(endpoint.address, "a directory") from None
