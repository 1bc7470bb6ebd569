"""What goes with every request: an id for the log, and what no cache may keep."""

import re
import secrets
from typing import Any

from asgiref.sync import iscoroutinefunction
from django.http import HttpRequest, HttpResponse
from django.http.response import HttpResponseBase
from django.utils.decorators import sync_and_async_middleware
from structlog.contextvars import bound_contextvars

from keepsort.server.responses import refused

_ID = re.compile(r"[A-Za-z0-9-]{8,64}", re.ASCII)


@sync_and_async_middleware
def guarded(get_response: Any) -> Any:
    """Refuse what is no text; number what is answered, and let no cache keep it.

    The id is the proxy's own, or a new one. Log lines and the answer have it.
    """

    async def awaited(request: HttpRequest) -> HttpResponseBase:
        number = _number(request)
        with bound_contextvars(request=number):
            return _marked(request, _odd(request) or await get_response(request), number)

    def asked(request: HttpRequest) -> HttpResponseBase:
        number = _number(request)
        with bound_contextvars(request=number):
            return _marked(request, _odd(request) or get_response(request), number)

    return awaited if iscoroutinefunction(get_response) else asked


def _number(request: HttpRequest) -> str:
    given = request.headers.get("X-Request-ID", "")
    return given if _ID.fullmatch(given) else secrets.token_hex(8)


def _odd(request: HttpRequest) -> HttpResponse | None:
    if request.path.startswith("/api/") and (
        "\0" in request.path or "%00" in request.META.get("QUERY_STRING", "")
    ):
        return refused("A zero byte is in no address.", "Start from Watch again.", 400)
    return None


def _marked(request: HttpRequest, response: HttpResponseBase, number: str) -> HttpResponseBase:
    response["X-Request-ID"] = number
    if request.path.startswith("/api/"):
        response.headers.setdefault("Cache-Control", "no-store")
    return response


def no_such_address(request: HttpRequest) -> HttpResponse:
    """Answer for an address of the API that there is not."""
    return refused("The API has no such address.", "See /api/v1/schema for those it has.", 404)


def csrf_failed(request: HttpRequest, reason: str = "") -> HttpResponse:
    """Answer where a request does not show that it comes from the application's own page."""
    text = "The request does not show that it comes from this application's own page."
    return refused(text, "Load the page again, and sign in where it asks for that.", 403)
