"""The views that give files out."""

import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from threading import BoundedSemaphore
from typing import IO

from django.http import FileResponse, HttpResponseBase
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.request import Request
from rest_framework.response import Response

from keepsort.core.model import Path
from keepsort.files.catalogue import FORMATS
from keepsort.server import reading
from keepsort.server.api import shapes
from keepsort.server.api.asking import View
from keepsort.server.files.exporting import Wanted, export
from keepsort.server.problems import Problem
from keepsort.server.snapshots.services import find_record

_ASKED = [
    OpenApiParameter("form", OpenApiTypes.STR, enum=list(FORMATS), required=True),
    OpenApiParameter("path", OpenApiTypes.STR, description="A branch as a JSON list of names."),
]
_LEFT_OUT_SHOWN = 50
_AT_ONCE = BoundedSemaphore(2)
_WAIT_SECONDS = 20.0


@contextmanager
def _turn() -> Iterator[None]:
    if not _AT_ONCE.acquire(timeout=_WAIT_SECONDS):
        raise Problem("Others are exporting already.", "Try again in a minute.", 503)
    try:
        yield
    finally:
        _AT_ONCE.release()


def _asked(request: Request) -> tuple[str, list[Path]]:
    form = request.query_params.get("form", "")
    if form not in FORMATS:
        raise Problem(f"{form!r} is no format of export.", f"Use one of: {', '.join(FORMATS)}.")
    path = request.query_params.get("path")
    return form, [reading.path(path)] if path else []


class ExportAhead(View):
    """What an export would hold."""

    @extend_schema(operation_id="export_ahead", parameters=_ASKED, responses=shapes.ExportShape)
    def get(self, request: Request, number: int) -> Response:
        """Tell size, objects and what is left out, without giving the file out."""
        form, branches = _asked(request)
        with _turn(), _file() as out:
            found = export(find_record(number), Wanted(branches), form, out)
            size = out.tell()
        return Response(
            {
                "name": found.name,
                "bytes": size,
                "objects": found.objects,
                "secrets": found.secrets,
                "left_out": found.left_out[:_LEFT_OUT_SHOWN],
                "left_out_count": len(found.left_out),
            }
        )


class Export(View):
    """A backup as a file."""

    @extend_schema(
        operation_id="export", parameters=_ASKED,
        responses={(200, "application/octet-stream"): OpenApiTypes.BINARY},
    )  # fmt: skip
    def get(self, request: Request, number: int) -> HttpResponseBase:
        """Give a backup or a branch of it out, without its secrets."""
        form, branches = _asked(request)
        out = _file()
        with _turn():
            found = export(find_record(number), Wanted(branches), form, out)
        out.seek(0)
        return FileResponse(
            out, as_attachment=True, filename=found.name, content_type=FORMATS[form].media_type
        )


def _file() -> IO[bytes]:
    """Return a file of its own on disk, which goes when it is closed."""
    return tempfile.TemporaryFile(prefix="keepsort-export-")
