"""What a request may cost before anybody has looked at who asks."""

import json
from collections.abc import Awaitable, Callable, MutableMapping
from http.cookies import SimpleCookie
from typing import Any

_Scope = MutableMapping[str, Any]
_Receive = Callable[[], Awaitable[MutableMapping[str, Any]]]
_Send = Callable[[MutableMapping[str, Any]], Awaitable[None]]
_Application = Callable[[_Scope, _Receive, _Send], Awaitable[None]]

#: The largest body there is a use for: a pasted list.
MOST_BYTES = 4 << 20
#: The largest file that can be opened; it goes to disk as it comes.
MOST_BYTES_FILE = 2 << 30
_FILES = "/api/v1/files"
#: Of somebody who has not signed in only a name and a password are of interest.
MOST_BYTES_UNKNOWN = 16 << 10
_LONGEST_ADDRESS = 64 << 10
_MOST_PASSED_OVER = 16 << 20


class TooLarge(Exception):
    """A body has become larger than it may."""


def limited(
    application: _Application, session_cookie: str, is_session: Callable[[str], Awaitable[bool]]
) -> _Application:
    """Return an ASGI application whose requests are refused where they are too large.

    is_session: tells whether somebody is signed in with a session of that key; only they may send
    whole files.

    A body is refused by what its head says, and where that says nothing, as soon as it is too
    large; none of it is kept.
    """

    async def asked(scope: _Scope, receive: _Receive, send: _Send) -> None:
        if scope["type"] != "http":
            await application(scope, receive, send)
            return
        headers = {name.lower(): value for name, value in scope["headers"]}
        most = MOST_BYTES if _may_be_signed_in(headers, session_cookie) else MOST_BYTES_UNKNOWN
        sends_file = scope.get("path") == _FILES and scope["method"] == "POST"
        if sends_file and await is_session(_cookie(headers, session_cookie)):
            most = MOST_BYTES_FILE
        told = headers.get(b"content-length", b"0")
        length = int(told) if told.isdigit() and len(told) < 19 else most + 1
        if (
            len(scope.get("query_string", b"")) + len(scope.get("raw_path") or b"")
            > _LONGEST_ADDRESS
        ):
            await _refuse(send, 414, "The address is too long.", "Start from Watch again.")
            return
        if length > most:
            if most != MOST_BYTES_UNKNOWN and length <= _MOST_PASSED_OVER:
                await _pass_over(receive)  # so that the sender gets to read the answer
            await _refuse(send, 413, *_too_large(most))
            return
        size = 0

        async def counted() -> MutableMapping[str, Any]:
            nonlocal size
            message = await receive()
            size += len(message.get("body", b""))
            if size > most:
                raise TooLarge
            return message

        begun = False

        async def noted(message: MutableMapping[str, Any]) -> None:
            nonlocal begun
            begun = True
            await send(message)

        try:
            await application(scope, counted, noted)
        except TooLarge:
            if not begun:
                await _refuse(send, 413, *_too_large(most))

    return asked


async def _pass_over(receive: _Receive) -> None:
    while (message := await receive()).get("more_body"):
        if message["type"] != "http.request":
            return


def _may_be_signed_in(headers: dict[bytes, bytes], session_cookie: str) -> bool:
    return bool(_cookie(headers, session_cookie))


def _cookie(headers: dict[bytes, bytes], name: str) -> str:
    try:
        found = SimpleCookie(headers.get(b"cookie", b"").decode("latin-1"))
        return found[name].value if name in found else ""
    except Exception:  # a cookie that is none is no sign-in
        return ""


def _too_large(most: int) -> tuple[str, str]:
    text = f"What was sent is larger than {most >> 10} KB."
    return text, "Sign in first." if most == MOST_BYTES_UNKNOWN else "Send less at once."


async def _refuse(send: _Send, status: int, error: str, way_out: str) -> None:
    body = json.dumps({"error": error, "way_out": way_out}).encode()
    headers = [
        (b"content-type", b"application/json"), (b"content-length", str(len(body)).encode()),
        (b"connection", b"close"), (b"cache-control", b"no-store"),
    ]  # fmt: skip
    await send({"type": "http.response.start", "status": status, "headers": headers})
    await send({"type": "http.response.body", "body": body})
