"""The views of files: those that are given out, and those that are opened."""

import tempfile
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from threading import BoundedSemaphore
from typing import IO, Any
from urllib.parse import unquote

from django.http import FileResponse, HttpResponseBase
from django.shortcuts import get_object_or_404
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.parsers import BaseParser
from rest_framework.request import Request
from rest_framework.response import Response

from keepsort.core.model import Path
from keepsort.files.catalogue import FORMATS
from keepsort.files.names import READ
from keepsort.server import reading
from keepsort.server.accounts.roles import MayAdminister, MayLook
from keepsort.server.api import writing
from keepsort.server.api.asking import PATH, View, number_of, path_of, person
from keepsort.server.api.shapes.derived import answer, shape_of
from keepsort.server.api.shapes.files import (
    ExportAnswer,
    FileAnswer,
    ImportShape,
    WantedShape,
)
from keepsort.server.api.shapes.records import RecordAnswer
from keepsort.server.events.notify import tell
from keepsort.server.files.exporting import Exported, Wanted, export
from keepsort.server.files.importing import import_file
from keepsort.server.files.looking import FileObject, FoundInFile, look_at, search
from keepsort.server.files.made import MadeFiles
from keepsort.server.files.models import OpenedFile
from keepsort.server.files.opening import drop_file, find_file, open_file
from keepsort.server.problems import Problem
from keepsort.server.snapshots.services import find_record
from keepsort.server.systems.models import System

_ASKED = [
    OpenApiParameter("form", OpenApiTypes.STR, enum=list(FORMATS), required=True),
    OpenApiParameter("path", OpenApiTypes.STR, description="A branch as a JSON list of names."),
    OpenApiParameter("alone", OpenApiTypes.BOOL, description="Only the object, not its branch."),
]
_LEFT_OUT_SHOWN = 50
_AT_ONCE = BoundedSemaphore(2)
_WAIT_SECONDS = 20.0
_LONGEST_NAME = 200
_made = MadeFiles()


@contextmanager
def _turn() -> Iterator[None]:
    if not _AT_ONCE.acquire(timeout=_WAIT_SECONDS):
        raise Problem("Others are at large files already.", "Try again in a minute.", 503)
    try:
        yield
    finally:
        _AT_ONCE.release()


def _asked(asked: Mapping[str, Any]) -> tuple[str, Wanted]:
    form = str(asked.get("form", ""))
    if form not in FORMATS:
        raise Problem(f"{form!r} is no format of export.", f"Use one of: {', '.join(FORMATS)}.")
    path = asked.get("path")
    paths: list[Path] = [reading.path(path)] if path else []
    alone = asked.get("alone") in ("true", "1", True)
    return form, Wanted(single=paths) if alone else Wanted(paths)


class ExportAhead(View):
    """What an export would hold."""

    writers = MayLook

    @extend_schema(operation_id="export_ahead", parameters=_ASKED, responses=shape_of(ExportAnswer))
    def get(self, request: Request, number: int) -> Response:
        """Tell size, objects and what is left out, without giving the file out."""
        form, wanted = _asked(request.query_params)
        return _ahead(number, wanted, form)

    @extend_schema(
        operation_id="export_some_ahead",
        request=WantedShape,
        responses=shape_of(ExportAnswer),
    )
    def post(self, request: Request, number: int) -> Response:
        """Tell the same of several places."""
        form, wanted, _ = _wanted(request)
        return _ahead(number, wanted, form)


def _ahead(number: int, wanted: Wanted, form: str) -> Response:
    with _turn():
        file, found, size = _made.made(find_record(number), wanted, form)
    file.close()
    return answer(_told(found, size))


def _wanted(request: Request) -> tuple[str, Wanted, str | None]:
    data = WantedShape(data=request.data)
    data.is_valid(raise_exception=True)
    asked = data.validated_data
    branches, single = ([tuple(path) for path in asked[name]] for name in ("branches", "single"))
    return asked["form"], Wanted(branches, single), asked["passphrase"]


def _told(found: Exported, size: int) -> ExportAnswer:
    return ExportAnswer(
        name=found.name,
        bytes=size,
        objects=found.objects,
        secrets=found.secrets,
        sealed=found.sealed,
        left_out=found.left_out[:_LEFT_OUT_SHOWN],
        left_out_count=len(found.left_out),
    )


class Export(View):
    """A backup as a file."""

    writers = MayLook

    @extend_schema(
        operation_id="export", parameters=_ASKED,
        responses={(200, "application/octet-stream"): OpenApiTypes.BINARY},
    )  # fmt: skip
    def get(self, request: Request, number: int) -> HttpResponseBase:
        """Give a backup or a branch of it out, without its secrets."""
        form, wanted = _asked(request.query_params)
        return _given(number, wanted, form, None)

    @extend_schema(
        operation_id="export_some", request=WantedShape,
        responses={(200, "application/octet-stream"): OpenApiTypes.BINARY},
    )  # fmt: skip
    def post(self, request: Request, number: int) -> HttpResponseBase:
        """Give several places of a backup out, or its secrets, sealed with a passphrase.

        Who knows the passphrase can read the secrets, so only administrators may seal.
        """
        form, wanted, passphrase = _wanted(request)
        if passphrase is not None and not MayAdminister().has_permission(request, self):
            raise Problem("Your role does not allow to take secrets out.", "Leave them out.", 403)
        return _given(number, wanted, form, passphrase)


def _given(number: int, wanted: Wanted, form: str, passphrase: str | None) -> HttpResponseBase:
    record = find_record(number)
    with _turn():
        if passphrase is None:
            out, found, _ = _made.made(record, wanted, form)
        else:  # one that is sealed is never the same, and is not held
            out = _file()
            found = export(record, wanted, form, out, passphrase)
            out.seek(0)
    kind = FORMATS[form].media_type
    return FileResponse(out, as_attachment=True, filename=found.name, content_type=kind)


def _file() -> IO[bytes]:
    """Return a file of its own on disk, which goes when it is closed."""
    return tempfile.TemporaryFile(prefix="keepsort-export-")


class AsFile(BaseParser):
    """Takes a body as it is, onto disk: `limits` has seen to its size."""

    media_type = "application/octet-stream"

    def parse(
        self,
        stream: IO[bytes],
        media_type: str | None = None,
        parser_context: Mapping[str, Any] | None = None,
    ) -> dict[str, IO[bytes]]:
        """Return the body as a file."""
        out = _file()
        while piece := stream.read(1 << 20):
            out.write(piece)
        out.seek(0)
        return {"file": out}


class Files(View):
    """The files that were opened."""

    parser_classes = [AsFile]

    @extend_schema(operation_id="files", responses=shape_of(FileAnswer)(many=True))
    def get(self, request: Request) -> Response:
        """List the opened files, newest first."""
        found = OpenedFile.objects.select_related("record", "record__system", "by")
        return answer([writing.file(file) for file in found])

    @extend_schema(
        operation_id="open_file",
        parameters=[
            OpenApiParameter("name", OpenApiTypes.STR, required=True),
            OpenApiParameter("form", OpenApiTypes.STR, enum=list(READ)),
            OpenApiParameter(
                "X-Passphrase", OpenApiTypes.STR, OpenApiParameter.HEADER,
                description="What its secrets were sealed with, percent-encoded.",
            ),
        ],
        request={"application/octet-stream": OpenApiTypes.BINARY},
        responses={201: shape_of(FileAnswer)},
    )  # fmt: skip
    def post(self, request: Request) -> Response:
        """Open a file and keep what it holds; nothing is kept of one that is refused."""
        name = request.query_params.get("name", "").strip()[:_LONGEST_NAME] or "a file"
        form = request.query_params.get("form", "")
        if form and form not in READ:
            raise Problem(f"{form!r} is no format that is read.", f"One of: {', '.join(READ)}.")
        data = request.data
        if not isinstance(data, dict) or "file" not in data:
            raise Problem("No file was sent.", "Send its bytes as application/octet-stream.")
        passphrase = unquote(request.headers.get("X-Passphrase", ""))
        with _turn(), data["file"] as source:
            file = open_file(source, name, form, by=person(request), passphrase=passphrase)
        tell("record", file.record_id, 0)
        return answer(writing.file(file), status=201)


class OneFile(View):
    """One opened file."""

    @extend_schema(operation_id="file", responses=shape_of(FileAnswer))
    def get(self, request: Request, number: int) -> Response:
        """Return what is known of an opened file."""
        return answer(writing.file(find_file(number)))

    @extend_schema(operation_id="drop_file", responses={204: None})
    def delete(self, request: Request, number: int) -> Response:
        """Let go of an opened file; what was restored from it stays."""
        drop_file(find_file(number))
        return Response(status=204)


class FileObjectView(View):
    """One object of an opened file."""

    @extend_schema(
        operation_id="file_object",
        parameters=[PATH, OpenApiParameter("start", OpenApiTypes.INT)],
        responses=shape_of(FileObject),
    )
    def get(self, request: Request, number: int) -> Response:
        """Return an object with its values, and a page of what is beneath it."""
        file = find_file(number)
        return answer(look_at(file, path_of(request), number_of(request, "start", 0)))


class FileSearch(View):
    """Finding objects in an opened file."""

    @extend_schema(
        operation_id="search_file",
        parameters=[OpenApiParameter("text", OpenApiTypes.STR, required=True)],
        responses=shape_of(FoundInFile),
    )
    def get(self, request: Request, number: int) -> Response:
        """Find objects by name and by value."""
        return answer(search(find_file(number), request.query_params.get("text", "")))


class FileImport(View):
    """An opened file as a backup."""

    @extend_schema(
        operation_id="import_file",
        request=ImportShape,
        responses={201: shape_of(RecordAnswer)},
    )
    def post(self, request: Request, number: int) -> Response:
        """Keep what a file holds as a backup of a system."""
        data = ImportShape(data=request.data)
        data.is_valid(raise_exception=True)
        system = get_object_or_404(System, pk=data.validated_data["system"])
        note = data.validated_data["note"]
        record = import_file(find_file(number), system, note=note, by=person(request))
        tell("record", record.pk, system.pk)
        return answer(writing.record(record), status=201)
