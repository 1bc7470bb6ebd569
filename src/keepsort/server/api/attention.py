"""The views of what wants attention."""

from dataclasses import asdict

import msgspec
from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from keepsort.core.compare.comparison import STATES
from keepsort.server.api.asking import View, person
from keepsort.server.api.shapes.base import Shape, path_field
from keepsort.server.attention.aside import put_aside, take_up
from keepsort.server.attention.items import LEVELS, items
from keepsort.server.attention.ranking import ranked
from keepsort.server.systems.models import System


class PutAsideShape(Shape):
    """Who has put something aside, why, and until when; null where until it changes."""

    number = serializers.IntegerField()
    by = serializers.CharField()
    why = serializers.CharField(allow_blank=True)
    accepted = serializers.BooleanField()
    at = serializers.DateTimeField()
    until = serializers.DateTimeField(allow_null=True)


class AttentionShape(Shape):
    """One thing that wants attention; system: none where it is about Keep Sort itself."""

    level = serializers.ChoiceField(choices=LEVELS)
    code = serializers.CharField()
    title = serializers.CharField()
    text = serializers.CharField()
    place = serializers.CharField()
    stands = serializers.CharField(allow_blank=True)
    paths = serializers.ListField(child=serializers.CharField())
    system = serializers.IntegerField(allow_null=True)
    system_name = serializers.CharField()
    aside = PutAsideShape(allow_null=True)


class ThingShape(Shape):
    """Something that differs, as one would say it; count: in how many objects."""

    path = path_field()
    written = serializers.CharField()
    name = serializers.CharField()
    kind = serializers.CharField()
    kind_label = serializers.CharField()
    state = serializers.ChoiceField(choices=STATES)
    attribute = serializers.CharField(allow_blank=True)
    label = serializers.CharField(allow_blank=True)  # type: ignore[assignment]
    was = serializers.CharField(allow_null=True)
    now = serializers.CharField(allow_null=True)
    parts = serializers.IntegerField(help_text="How many attributes differ.")
    count = serializers.IntegerField()
    holds = serializers.IntegerField(help_text="Objects beneath it that are gone or new with it.")
    urgency = serializers.IntegerField()


class RankedShape(Shape):
    """One of all that wants attention, and what of a system it is about where that differs.

    since: when a look first saw it so. backup, look: what was compared.
    """

    item = AttentionShape()
    thing = ThingShape(allow_null=True)
    since = serializers.DateTimeField(allow_null=True)
    seen = serializers.DateTimeField(allow_null=True)
    backup = serializers.IntegerField(allow_null=True)
    look = serializers.IntegerField(allow_null=True)


class AskAsideShape(Shape):
    """What to put aside, as it stands: for some hours, or until it changes where null."""

    system = serializers.IntegerField(allow_null=True)
    code = serializers.CharField(max_length=80)
    stands = serializers.CharField(max_length=64, allow_blank=True)
    why = serializers.CharField(max_length=400, allow_blank=True, default="")
    accepted = serializers.BooleanField(default=False)
    hours = serializers.IntegerField(allow_null=True, default=None, min_value=1, max_value=24 * 366)


class Attention(View):
    """What wants somebody's attention."""

    @extend_schema(operation_id="attention", responses=AttentionShape(many=True))
    def get(self, request: Request) -> Response:
        """List it, the most urgent first, and what was put aside after it."""
        return Response([asdict(item) for item in items()])


class RankedAttention(View):
    """What wants somebody's attention, thing by thing."""

    @extend_schema(operation_id="ranked", responses=RankedShape(many=True))
    def get(self, request: Request) -> Response:
        """List it, the most urgent first: each object that differs, with what it was and is."""
        return Response(
            [
                {
                    "item": asdict(one.item),
                    "thing": msgspec.structs.asdict(one.thing) if one.thing else None,
                    "since": one.since, "seen": one.seen,
                    "backup": one.backup, "look": one.look,
                }
                for one in ranked()
            ]
        )  # fmt: skip


class Asides(View):
    """Putting things aside."""

    @extend_schema(
        operation_id="put_aside", request=AskAsideShape, responses={201: AttentionShape(many=True)}
    )
    def post(self, request: Request) -> Response:
        """Put something aside; it is back when its time is over, or when it stands otherwise."""
        data = AskAsideShape(data=request.data)
        data.is_valid(raise_exception=True)
        asked = data.validated_data
        number = asked["system"]
        system = get_object_or_404(System, pk=number) if number is not None else None
        put_aside(
            system, asked["code"], asked["stands"], asked["why"], asked["hours"], person(request),
            accepted=asked["accepted"],
        )  # fmt: skip
        return Response([asdict(item) for item in items()], status=201)


class OneAside(View):
    """One thing that was put aside."""

    @extend_schema(operation_id="take_up", responses={204: None})
    def delete(self, request: Request, number: int) -> Response:
        """Let it want attention again."""
        take_up(number)
        return Response(status=204)
