"""Server-sent events (WHATWG HTML, section 9.2) fed from LISTEN."""

from collections.abc import AsyncIterator
from typing import Any

import psycopg
from asgiref.sync import sync_to_async
from django.db import connection
from django.http import HttpRequest, HttpResponse, StreamingHttpResponse

from keepsort.server.accounts.models import Role, User
from keepsort.server.events.notify import CHANNEL

_ALIVE_SECONDS = 15.0


async def events(request: HttpRequest) -> HttpResponse | StreamingHttpResponse:
    """Stream what changes, as long as the browser listens."""
    user = await request.auser()
    if not (isinstance(user, User) and user.may(Role.VIEWER)):
        return HttpResponse(status=403)
    parameters = await sync_to_async(connection.get_connection_params)()
    await sync_to_async(_give_back)()
    wanted = ("dbname", "user", "password", "host", "port")
    address = {key: parameters[key] for key in wanted if parameters.get(key)}
    response = StreamingHttpResponse(_lines(address), content_type="text/event-stream")
    response["Cache-Control"] = "no-store"
    response["X-Accel-Buffering"] = "no"
    return response


def _give_back() -> None:
    # Django gives it back when a response ends, but a stream lasts as long as its tab is open
    if not connection.in_atomic_block:
        connection.close()


async def _lines(address: dict[str, Any]) -> AsyncIterator[str]:
    yield "retry: 2000\n\n"
    async with await psycopg.AsyncConnection.connect(**address, autocommit=True) as listening:
        await listening.execute(f"listen {CHANNEL}")
        while True:
            async for notice in listening.notifies(timeout=_ALIVE_SECONDS):
                yield f"data: {notice.payload}\n\n"
            yield ": still here\n\n"
