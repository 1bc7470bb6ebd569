"""The views of what wants attention."""

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from keepsort.server.api.asking import View, person
from keepsort.server.api.shapes.base import Shape
from keepsort.server.api.shapes.derived import answer, shape_of
from keepsort.server.attention.aside import put_aside, take_up
from keepsort.server.attention.items import Item, items
from keepsort.server.attention.ranking import Ranked, ranked
from keepsort.server.systems.models import System


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

    @extend_schema(operation_id="attention", responses=shape_of(Item)(many=True))
    def get(self, request: Request) -> Response:
        """List it, the most urgent first, and what was put aside after it."""
        return answer(items())


class RankedAttention(View):
    """What wants somebody's attention, thing by thing."""

    @extend_schema(operation_id="ranked", responses=shape_of(Ranked)(many=True))
    def get(self, request: Request) -> Response:
        """List it, the most urgent first: each object that differs, with what it was and is."""
        return answer(ranked())


class Asides(View):
    """Putting things aside."""

    @extend_schema(
        operation_id="put_aside", request=AskAsideShape, responses={201: shape_of(Item)(many=True)}
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
        return answer(items(), status=201)


class OneAside(View):
    """One thing that was put aside."""

    @extend_schema(operation_id="take_up", responses={204: None})
    def delete(self, request: Request, number: int) -> Response:
        """Let it want attention again."""
        take_up(number)
        return Response(status=204)
