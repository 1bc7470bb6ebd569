"""Answers of HTTP servers, bounded in size and time before anything looks into them."""

from dataclasses import dataclass
from time import monotonic
from typing import Any, TypeVar

import httpx
import msgspec

from keepsort.connectors.errors import LimitReached, OddAnswer, Unreachable

Shape = TypeVar("Shape")
_MOST_BYTES = 256 << 20
_MOST_SECONDS = 300.0


@dataclass(frozen=True)
class Answer:
    """What a server sent: its status, its headers, and the bytes of the body."""

    status: int
    headers: httpx.Headers
    content: bytes
    where: str

    def decoded(self, shape: type[Shape], kind: str) -> Shape:
        """Return the body, read as JSON of one shape. Raises `OddAnswer` where it is none.

        kind: what the server should be, for the message.
        """
        try:
            return msgspec.json.decode(self.content, type=shape)
        except (msgspec.MsgspecError, UnicodeError, RecursionError):
            raise self.odd(kind) from None

    def odd(self, kind: str) -> OddAnswer:
        """Return the error of an answer that such a server does not give."""
        return OddAnswer(self.where, kind, f"status {self.status}")


def asked(
    http: httpx.Client,
    where: str,
    method: str,
    path: str,
    *,
    most: int = _MOST_BYTES,
    **request: Any,
) -> Answer:
    """Ask a server, and read its answer as far as it is of a size and speed one can believe in.

    most: bytes that it may have.
    Raises `httpx.HTTPError`, or a `ConnectorError` where the answer is larger or slower than that.
    """
    until = monotonic() + _MOST_SECONDS
    with http.stream(method, path, **request) as response:
        parts: list[bytes] = []
        size = 0
        for part in response.iter_bytes():
            size += len(part)
            if size > most:
                text = f"{where} sends more than {most >> 20} MB at once."
                raise LimitReached(text, "See what answers there.")
            if monotonic() > until:
                raise Unreachable(f"{where} has not come to an end for {_MOST_SECONDS:.0f} s.")
            parts.append(part)
    return Answer(response.status_code, response.headers, b"".join(parts), where)
