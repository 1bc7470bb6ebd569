"""Server-sent events (WHATWG HTML, section 9.2), as long as a browser listens and may."""

import asyncio
from collections.abc import AsyncIterator

from asgiref.sync import sync_to_async
from django.http import HttpRequest, HttpResponse, StreamingHttpResponse

from keepsort.server.accounts.models import Role, User
from keepsort.server.events.hub import Hub, Listener
from keepsort.server.pooling import give_back
from keepsort.server.responses import refused

_ALIVE_SECONDS = 15.0
_hub = Hub()


async def events(request: HttpRequest) -> HttpResponse | StreamingHttpResponse:
    """Stream what changes, until the browser goes away or its person signs out."""
    user = await request.auser()
    session = request.session.session_key
    if not (isinstance(user, User) and user.may(Role.VIEWER) and session):
        return refused("Nobody is signed in here.", "Sign in first.", 403)
    # Django gives it back when a response ends, but a stream lasts as long as its tab is open
    await sync_to_async(give_back)()
    response = StreamingHttpResponse(
        _lines(Listener(user.pk, session)), content_type="text/event-stream"
    )
    response["Cache-Control"] = "no-store"
    response["X-Accel-Buffering"] = "no"
    return response


async def _lines(listener: Listener) -> AsyncIterator[str]:
    _hub.join(listener)
    try:
        yield "retry: 2000\n\n"
        while True:
            try:
                told = await asyncio.wait_for(listener.waiting.get(), _ALIVE_SECONDS)
            except TimeoutError:
                yield ": still here\n\n"
                continue
            if told is None:
                return
            yield f"data: {told}\n\n"
    finally:
        _hub.leave(listener)
