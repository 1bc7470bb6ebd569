"""Whether what carries out what people ask for is there."""

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from keepsort.server.api.asking import View
from keepsort.server.api.shapes.base import Shape
from keepsort.server.heartbeats import has_worker


class HealthShape(Shape):
    """worker: whether any worker process was heard of lately."""

    worker = serializers.BooleanField()


class Health(View):
    """The parts of Keep Sort itself."""

    @extend_schema(operation_id="health", responses=HealthShape)
    def get(self, request: Request) -> Response:
        """Tell whether a worker is there."""
        return Response({"worker": has_worker()})
