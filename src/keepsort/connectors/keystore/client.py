"""Calls of the etcd v3 protocol over its HTTP/JSON gateway.

The gateway writes bytes as base64 and 64-bit numbers as strings (the JSON mapping of Protocol
Buffers, version 3); what is read and written here are plain bytes and numbers.
"""

from typing import Annotated, Any, TypeVar

import httpx
import msgspec

from keepsort.connectors import options
from keepsort.connectors.answers import asked
from keepsort.connectors.base import Endpoint
from keepsort.connectors.certificates import untrusted
from keepsort.connectors.errors import (
    LimitReached,
    Misconfigured,
    NotAllowed,
    OddAnswer,
    Refused,
    SignInRefused,
    StartAgain,
    Unreachable,
)
from keepsort.connectors.keystore.requests import Operation, wire

_SECONDS = 30.0
_KIND = "an etcd v3 gateway"
_DENIED, _EXHAUSTED, _OUT_OF_RANGE, _UNAVAILABLE, _UNAUTHENTICATED = 7, 8, 11, 14, 16

Shape = TypeVar("Shape")


#: A 64-bit number, as the JSON mapping writes it.
Int64 = Annotated[str, msgspec.Meta(pattern=r"^-?[0-9]{1,19}\Z")]


class KeyValue(msgspec.Struct):
    """A key as the server stores it (`mvccpb.KeyValue`)."""

    key: bytes
    value: bytes = b""
    mod_revision: Int64 = "0"
    lease: Int64 = "0"


class Header(msgspec.Struct, frozen=True):
    """What every answer begins with."""

    revision: Int64 = "0"
    cluster_id: str = ""


class Range(msgspec.Struct):
    """The answer to a range request (`RangeResponse`)."""

    header: Header = Header()
    kvs: list[KeyValue] = []
    more: bool = False
    count: Int64 = "0"


class Answer(msgspec.Struct):
    """The answer to one operation of a transaction (`ResponseOp`); to a range, if it was one."""

    response_range: Range = msgspec.field(default_factory=Range)


class Transaction(msgspec.Struct):
    """The answer to a transaction (`TxnResponse`)."""

    succeeded: bool = False
    responses: list[Answer] = []


class _Token(msgspec.Struct):
    token: str = ""


class _Status(msgspec.Struct):
    version: str = ""


class Permission(msgspec.Struct):
    """A right of a role over a range of keys (`authpb.Permission`)."""

    key: bytes = b""
    range_end: bytes = b""
    perm_type: str = msgspec.field(name="permType", default="READ")


class _Role(msgspec.Struct):
    perm: list[Permission] = []


class _User(msgspec.Struct):
    roles: list[str] = []


class _Error(msgspec.Struct):
    code: int = 0
    message: str = ""
    error: str = ""


class Client:
    """One server, signed in to."""

    def __init__(self, endpoint: Endpoint) -> None:
        self._endpoint = endpoint
        if not endpoint.address.startswith(("http://", "https://")):
            raise Misconfigured(
                f"{endpoint.address!r} is no address of a key store.",
                "Write it as http://host:port or https://host:port.",
            )
        verify = options.tls(endpoint) if endpoint.address.startswith("https://") else True
        self._http = httpx.Client(
            base_url=endpoint.address.rstrip("/"), verify=verify, timeout=_SECONDS
        )
        self.version = self.call("maintenance/status", {}, _Status).version
        if endpoint.user:
            self._sign_in()

    def close(self) -> None:
        """Let go of the connection."""
        self._http.close()

    def _sign_in(self) -> None:
        asked = {"name": self._endpoint.user, "password": self._endpoint.password}
        try:
            token = self.call("auth/authenticate", asked, _Token, again=False).token
        except (Refused, NotAllowed) as error:
            raise SignInRefused(
                f"{self._endpoint.address} does not take the user {self._endpoint.user}: "
                f"{error.args[0]}"
            ) from None
        self._http.headers["Authorization"] = token

    def call(self, method: str, body: Any, shape: type[Shape], again: bool = True) -> Shape:
        """Call one method. Raises a `ConnectorError`."""
        content = msgspec.json.encode(body)
        where = self._endpoint.address
        try:
            answer = asked(self._http, where, "POST", f"/v3/{method}", content=content)
        except httpx.HTTPError as error:
            raise _unreachable(self._endpoint, error) from None
        if answer.status == httpx.codes.OK:
            return answer.decoded(shape, _KIND)
        found = answer.decoded(_Error, _KIND)
        if found.code == _UNAUTHENTICATED and again and self._endpoint.user:
            self._sign_in()
            return self.call(method, body, shape, again=False)
        raise self._error(found)

    def _error(self, found: _Error) -> Exception:
        text = (found.message or found.error).removeprefix("etcdserver: ")
        where = self._endpoint.address
        if found.code == _DENIED or "permission denied" in text:
            who = self._endpoint.user or "an unnamed user"
            return NotAllowed(f"{where} does not allow {who} this: {text}.")
        if found.code == _UNAUTHENTICATED or "user name is empty" in text:
            return SignInRefused(f"{where} wants to know who asks: {text}.")
        if found.code == _OUT_OF_RANGE and "compacted" in text:
            return StartAgain(f"{where} has compacted its history while it was read.")
        if found.code == _EXHAUSTED or "too many operations" in text:
            return LimitReached(f"{where}: {text}.")
        if found.code == _UNAVAILABLE:
            return Unreachable(f"{where} cannot answer now: {text}.")
        return Refused(f"{where} refuses it: {text}.")

    def range(self, key: bytes, end: bytes = b"", **options: Any) -> Range:
        """Read a key, or the keys from `key` up to but not with `end`."""
        body = {"key": wire(key), **options}
        if end:
            body["range_end"] = wire(end)
        return self.call("kv/range", body, Range)

    def transaction(self, compare: list[Operation], success: list[Operation]) -> Transaction:
        """Carry out all operations if all comparisons hold, else none."""
        done = self.call("kv/txn", {"compare": compare, "success": success}, Transaction)
        expected = len(success) if done.succeeded else 0
        if len(done.responses) != expected or not (compare or done.succeeded):
            detail = f"{len(done.responses)} answers to {expected} operations"
            raise OddAnswer(self._endpoint.address, _KIND, detail)
        return done

    def permissions(self) -> list[Permission] | None:
        """Return what the user may read and write; None where nothing is forbidden."""
        user = self._endpoint.user
        if not user:
            return None
        try:
            roles = self.call("auth/user/get", {"name": user}, _User).roles
            if "root" in roles:
                return None
            found = [self.call("auth/role/get", {"role": role}, _Role).perm for role in roles]
        except (NotAllowed, Refused):
            return None
        return [permission for role in found for permission in role]


def _unreachable(endpoint: Endpoint, error: httpx.HTTPError) -> Exception:
    distrust = untrusted(error, endpoint.address)
    if distrust is not None:
        return distrust
    if isinstance(error, httpx.ReadError | httpx.RemoteProtocolError) and "alert" in str(error):
        return SignInRefused(
            f"{endpoint.address} wants a client certificate: {error}.",
            "Give its file and the file of its key.",
        )
    return Unreachable(f"Nothing answers at {endpoint.address}: {error}.")
