"""Whether what carries out what people ask for is there."""

from dataclasses import asdict

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from keepsort.server import attention, tasks
from keepsort.server.api.asking import View
from keepsort.server.api.shapes import Shape


class HealthShape(Shape):
    """worker: whether any worker process was heard of lately."""

    worker = serializers.BooleanField()


class AttentionShape(Shape):
    """One thing that wants attention; system: none where it is about Keep Sort itself."""

    level = serializers.ChoiceField(choices=attention.LEVELS)
    code = serializers.CharField()
    title = serializers.CharField()
    text = serializers.CharField()
    place = serializers.CharField()
    system = serializers.IntegerField(allow_null=True)
    system_name = serializers.CharField()


class Attention(View):
    """What wants somebody's attention."""

    @extend_schema(operation_id="attention", responses=AttentionShape(many=True))
    def get(self, request: Request) -> Response:
        """List it, the most urgent first."""
        return Response([asdict(item) for item in attention.items()])


class Health(View):
    """The parts of Keep Sort itself."""

    @extend_schema(operation_id="health", responses=HealthShape)
    def get(self, request: Request) -> Response:
        """Tell whether a worker is there."""
        return Response({"worker": tasks.has_worker()})
