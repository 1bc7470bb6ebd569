"""Errors as responses of the API."""

import sys
from typing import Any

from django.core.exceptions import PermissionDenied
from django.db import OperationalError
from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from rest_framework.exceptions import APIException
from rest_framework.views import exception_handler

from keepsort.connectors.errors import ConnectorError, SignInRefused, Unreachable
from keepsort.core.snapshot import ChunkMissing
from keepsort.server.problems import Problem


def as_response(error: Exception, context: dict[str, Any]) -> HttpResponse | None:
    """Turn an error into a response of one shape: ``{"error", "way_out"}``."""
    match error:
        case Problem():
            return refused(error.args[0], error.way_out, error.status)
        case ConnectorError():
            status = 502 if isinstance(error, Unreachable | SignInRefused) else 409
            return refused(error.args[0], error.way_out, status)
        case ChunkMissing():
            text = f"A part of this backup is not in the store ({error.args[0]})."
            return refused(text, "Verify the backup; open another one.", 500)
        case Http404():
            return refused("There is no such thing.", "It may have been removed.", 404)
        case PermissionDenied():
            return refused("Your role does not allow this.", "Ask an administrator.", 403)
    response = exception_handler(error, context)
    if response is not None and isinstance(error, APIException):
        response.data = {"error": _flat(error.detail), "way_out": ""}
    return response


def unforeseen(request: HttpRequest) -> JsonResponse:
    """Answer where no view did, because something broke that it did not reckon with."""
    if isinstance(sys.exc_info()[1], OperationalError):
        text = "The database that Keep Sort keeps its records in does not answer."
        return refused(text, "Start PostgreSQL, or wait until it is up, then try again.", 503)
    text = "Something went wrong inside Keep Sort."
    return refused(text, "Its log tells what. What was shown before still holds.", 500)


def refused(message: str, way_out: str, status: int) -> JsonResponse:
    """Return the response that says what cannot be, and the way out."""
    return JsonResponse({"error": message, "way_out": way_out}, status=status)


def _flat(detail: Any) -> str:
    if isinstance(detail, dict):
        return " ".join(f"{key}: {_flat(value)}" for key, value in detail.items())
    if isinstance(detail, list):
        return " ".join(_flat(value) for value in detail)
    return str(detail)
