"""The views of Setup: connectors, and how systems are reached. Only administrators may write."""

from dataclasses import asdict
from typing import Any

import msgspec
from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.permissions import BasePermission
from rest_framework.request import Request
from rest_framework.response import Response

from keepsort.connectors.base import Endpoint
from keepsort.connectors.registry import connector_types
from keepsort.server.accounts.roles import MayAdminister
from keepsort.server.api.asking import View
from keepsort.server.api.shapes.base import Shape
from keepsort.server.pooling import give_back
from keepsort.server.problems import Problem
from keepsort.server.restores.records import remove_system
from keepsort.server.systems.models import System
from keepsort.server.systems.probing import probe
from keepsort.server.systems.services import (
    add_system,
    change_system,
    checked,
    endpoint_of,
    secret_options,
)
from keepsort.server.systems.slots import slot

#: Tries share slots, whatever they reach: no system has this number.
_TRIES = 0


class OptionShape(Shape):
    """One setting of a connector, enough to make a field of a form from."""

    name = serializers.CharField()
    label = serializers.CharField()  # type: ignore[assignment]
    help = serializers.CharField(allow_blank=True)
    required = serializers.BooleanField()  # type: ignore[assignment]
    secret = serializers.BooleanField()
    choices = serializers.ListField(child=serializers.CharField())
    default = serializers.CharField(allow_blank=True)
    lines = serializers.BooleanField()


class ConnectorShape(Shape):
    """A connector as it is offered."""

    name = serializers.CharField()
    label = serializers.CharField()  # type: ignore[assignment]
    address_help = serializers.CharField()
    options = OptionShape(many=True)


class ReachedShape(Shape):
    """How a system is reached."""

    name = serializers.CharField(max_length=80)
    connector = serializers.CharField(max_length=40)
    address = serializers.CharField(max_length=400)
    options = serializers.DictField(child=serializers.CharField(allow_blank=True), default=dict)
    user = serializers.CharField(max_length=400, allow_blank=True, default="")


class SettingsShape(ReachedShape):
    """How a system is reached; its password is never sent out."""

    id = serializers.IntegerField()
    has_password = serializers.BooleanField()
    has_secrets = serializers.ListField(
        child=serializers.CharField(), help_text="Secret options that are kept."
    )


class AskSettingsShape(ReachedShape):
    """How a system is to be reached; a password of null keeps the one there is.

    A try needs no name yet.
    """

    name = serializers.CharField(max_length=80, allow_blank=True)
    password = serializers.CharField(
        max_length=4000, allow_blank=True, allow_null=True, default=None, trim_whitespace=False
    )
    system = serializers.IntegerField(allow_null=True, default=None)


class ProbeShape(Shape):
    """What a try has found."""

    software = serializers.CharField()
    promises = serializers.ListField(child=serializers.CharField())
    rights = serializers.ListField(child=serializers.CharField())
    counts = serializers.DictField(child=serializers.IntegerField())
    complete = serializers.BooleanField()
    unreadable = serializers.ListField(child=serializers.CharField())
    left_out = serializers.ListField(child=serializers.CharField())
    by_digest = serializers.IntegerField()
    bytes_by_digest = serializers.IntegerField()
    learned = serializers.DictField(child=serializers.CharField())


class RemovedShape(Shape):
    """What a removal took along."""

    backups = serializers.IntegerField()


class SetupView(View):
    """A view for administrators alone."""

    def get_permissions(self) -> list[BasePermission]:
        """Ask for an administrator, for looking too: settings tell where systems are."""
        return [MayAdminister()]


def _settings(system: System) -> dict[str, Any]:
    return {
        "id": system.pk,
        "name": system.name,
        "connector": system.connector,
        "address": system.address,
        "options": system.options,
        "user": system.user,
        "has_password": bool(endpoint_of(system).password),
        "has_secrets": sorted(secret_options(system)),
    }


def _asked(request: Request) -> dict[str, Any]:
    data = AskSettingsShape(data=request.data)
    data.is_valid(raise_exception=True)
    asked: dict[str, Any] = data.validated_data
    asked["options"] = {name: value for name, value in asked["options"].items() if value}
    return asked


class Connectors(SetupView):
    """The connectors there are."""

    @extend_schema(operation_id="connectors", responses=ConnectorShape(many=True))
    def get(self, request: Request) -> Response:
        """List the connectors with what each asks for."""
        return Response(
            [
                {
                    "name": kind.name,
                    "label": kind.label,
                    "address_help": kind.address_help,
                    "options": [msgspec.structs.asdict(option) for option in kind.options],
                }
                for kind in connector_types().values()
            ]
        )


class Tries(SetupView):
    """Tries of connections."""

    @extend_schema(operation_id="try_connection", request=AskSettingsShape, responses=ProbeShape)
    def post(self, request: Request) -> Response:
        """Try a connection without keeping anything."""
        asked = _asked(request)
        kind = checked(asked["name"] or "a try", asked["connector"], asked["options"])
        password, options = asked["password"], asked["options"]
        if asked["system"] is not None:
            known = get_object_or_404(System, pk=asked["system"])
            options = {**secret_options(known), **options}
            if password is None:
                password = endpoint_of(known).password
        endpoint = Endpoint(
            address=asked["address"], options=options, user=asked["user"],
            password=password or "",
        )  # fmt: skip
        give_back()
        with slot(_TRIES, asked["address"]):
            return Response(asdict(probe(kind, endpoint)))


class AllSettings(SetupView):
    """How all systems are reached."""

    @extend_schema(operation_id="all_settings", responses=SettingsShape(many=True))
    def get(self, request: Request) -> Response:
        """List the systems."""
        return Response([_settings(system) for system in System.objects.all()])

    @extend_schema(
        operation_id="add_system", request=AskSettingsShape, responses={201: SettingsShape}
    )
    def post(self, request: Request) -> Response:
        """Add a system; it is not contacted."""
        asked = _asked(request)
        system = add_system(
            asked["name"], asked["connector"], asked["address"], asked["options"], asked["user"],
            asked["password"] or "",
        )  # fmt: skip
        return Response(_settings(system), status=201)


class OneSettings(SetupView):
    """How one system is reached."""

    @extend_schema(operation_id="change_system", request=AskSettingsShape, responses=SettingsShape)
    def put(self, request: Request, number: int) -> Response:
        """Change how a system is reached."""
        system = get_object_or_404(System, pk=number)
        asked = _asked(request)
        if asked["connector"] != system.connector:
            raise Problem(
                "A system keeps its connector: its backups are of that kind.",
                "Add another system instead.",
            )
        change_system(
            system, asked["name"], asked["address"], asked["options"], asked["user"],
            asked["password"],
        )  # fmt: skip
        return Response(_settings(system))

    @extend_schema(operation_id="remove_system", request=None, responses=RemovedShape)
    def delete(self, request: Request, number: int) -> Response:
        """Remove a system with all its backups and runs; the live system stays as it is."""
        return Response({"backups": remove_system(get_object_or_404(System, pk=number))})
