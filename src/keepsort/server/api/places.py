"""The views of places for copies: only administrators see them."""

from dataclasses import dataclass
from datetime import datetime

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from keepsort.server.api.asking import person
from keepsort.server.api.setup import SetupView
from keepsort.server.api.shapes.base import Shape
from keepsort.server.api.shapes.derived import answer, shape_of
from keepsort.server.events.notify import tell
from keepsort.server.files.copying import (
    PATTERN,
    add_place,
    copy_due,
    due,
    failed_copy,
    held_copies,
    stored_in,
    take_in,
    way_of,
)
from keepsort.server.systems.models import CopyPlace, System


@dataclass(kw_only=True)
class PlaceForCopiesAnswer:
    """A place that each good backup of a system is copied to.

    waiting: backups that are not there yet. failed: why the last try failed; empty where none did.
    """

    id: int
    address: str
    user: str
    sealed: bool
    lost: bool
    pattern: str
    keep: int
    copies: int
    waiting: int
    newest: str
    newest_at: datetime | None
    failed: str


class AskPlaceShape(Shape):
    """A new place for copies; secrets are left out of them where the passphrase is empty."""

    address = serializers.CharField(max_length=400)
    options = serializers.DictField(
        child=serializers.CharField(allow_blank=True, max_length=400), default=dict
    )
    user = serializers.CharField(max_length=400, allow_blank=True, default="")
    password = serializers.CharField(
        max_length=1000, allow_blank=True, default="", trim_whitespace=False
    )
    passphrase = serializers.CharField(
        max_length=1000, allow_blank=True, default="", trim_whitespace=False
    )
    pattern = serializers.CharField(max_length=120, default=PATTERN)
    keep = serializers.IntegerField(min_value=0, max_value=100_000, default=0)


@dataclass(kw_only=True)
class StoredAnswer:
    """An archive in a place; bytes it is long."""

    name: str
    bytes: int


class TakeShape(Shape):
    """An archive to be taken in, and what its secrets are sealed with."""

    name = serializers.CharField(max_length=220)
    passphrase = serializers.CharField(
        max_length=1000, allow_blank=True, default="", trim_whitespace=False
    )


@dataclass(kw_only=True)
class TakenAnswer:
    """What an archive became: a backup, or where its system is not here a file."""

    backup: int | None
    file: int | None


def _told(place: CopyPlace) -> PlaceForCopiesAnswer:
    there = held_copies(place)
    newest = there.first()
    failed = failed_copy(place)
    return PlaceForCopiesAnswer(
        id=place.pk,
        address=place.address,
        user=place.user,
        sealed=place.sealed,
        lost=place.lost,
        pattern=place.pattern,
        keep=place.keep,
        copies=there.count(),
        waiting=len(due(place)),
        newest=newest.name if newest else "",
        newest_at=newest.at if newest else None,
        failed=failed.message if failed else "",
    )


class Places(SetupView):
    """The places of one system."""

    @extend_schema(operation_id="copy_places", responses=shape_of(PlaceForCopiesAnswer)(many=True))
    def get(self, request: Request, number: int) -> Response:
        """List the places that a system is copied to."""
        system = get_object_or_404(System, pk=number)
        return answer([_told(place) for place in system.copy_places.all()])

    @extend_schema(
        operation_id="add_place",
        request=AskPlaceShape,
        responses={201: shape_of(PlaceForCopiesAnswer)},
    )
    def post(self, request: Request, number: int) -> Response:
        """Add a place, once it has answered."""
        data = AskPlaceShape(data=request.data)
        data.is_valid(raise_exception=True)
        asked = data.validated_data
        place = add_place(
            get_object_or_404(System, pk=number), asked["address"],
            {k: v for k, v in asked["options"].items() if v}, asked["user"], asked["password"],
            passphrase=asked["passphrase"], pattern=asked["pattern"], keep=asked["keep"],
        )  # fmt: skip
        return answer(_told(place), status=201)


class OnePlace(SetupView):
    """One place."""

    @extend_schema(operation_id="copy_now", request=None, responses=shape_of(PlaceForCopiesAnswer))
    def post(self, request: Request, number: int) -> Response:
        """Copy what is not there yet, at once."""
        place = get_object_or_404(CopyPlace, pk=number)
        copy_due(place.system, at_once=True)
        return answer(_told(place))

    @extend_schema(operation_id="remove_place", responses={204: None})
    def delete(self, request: Request, number: int) -> Response:
        """Copy there no more; what lies there stays."""
        place = get_object_or_404(CopyPlace, pk=number)
        place.delete()
        tell("record", 0, place.system_id)
        return Response(status=204)


class PlaceStored(SetupView):
    """What lies in a place."""

    @extend_schema(operation_id="stored_in_place", responses=shape_of(StoredAnswer)(many=True))
    def get(self, request: Request, number: int) -> Response:
        """List the archives there, newest name first."""
        found = stored_in(way_of(get_object_or_404(CopyPlace, pk=number)))
        return answer([StoredAnswer(name=one.name, bytes=one.size) for one in reversed(found)])

    @extend_schema(
        operation_id="take_in", request=TakeShape, responses={201: shape_of(TakenAnswer)}
    )
    def post(self, request: Request, number: int) -> Response:
        """Make a backup of one of them again."""
        data = TakeShape(data=request.data)
        data.is_valid(raise_exception=True)
        asked = data.validated_data
        way = way_of(get_object_or_404(CopyPlace, pk=number))
        file, record = take_in(way, asked["name"], asked["passphrase"], person(request))
        tell("record", record.pk if record else 0, record.system_id if record else 0)
        told = TakenAnswer(
            backup=record.pk if record else None, file=file.record_id if file else None
        )
        return answer(told, status=201)
