"""The views of Setup: connectors, and how systems are reached. Only administrators may write."""

from dataclasses import dataclass
from typing import Any

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.permissions import BasePermission
from rest_framework.request import Request
from rest_framework.response import Response

from keepsort.connectors.base import Endpoint, OptionField
from keepsort.connectors.registry import connector_types
from keepsort.server.accounts.roles import MayAdminister
from keepsort.server.api.asking import View
from keepsort.server.api.shapes.base import Shape
from keepsort.server.api.shapes.derived import answer, shape_of
from keepsort.server.pooling import give_back
from keepsort.server.problems import Problem
from keepsort.server.restores.records import remove_system
from keepsort.server.systems.models import System
from keepsort.server.systems.probing import Probe, probe
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


class ReachedShape(Shape):
    """How a system is reached."""

    name = serializers.CharField(max_length=80)
    connector = serializers.CharField(max_length=40)
    address = serializers.CharField(max_length=400)
    options = serializers.DictField(child=serializers.CharField(allow_blank=True), default=dict)
    user = serializers.CharField(max_length=400, allow_blank=True, default="")


class AskSettingsShape(ReachedShape):
    """How a system is to be reached; a password of null keeps the one there is.

    A try needs no name yet.
    """

    name = serializers.CharField(max_length=80, allow_blank=True)
    password = serializers.CharField(
        max_length=4000, allow_blank=True, allow_null=True, default=None, trim_whitespace=False
    )
    system = serializers.IntegerField(allow_null=True, default=None)


@dataclass(kw_only=True)
class ConnectorAnswer:
    """A connector as it is offered."""

    name: str
    label: str
    address_help: str
    options: list[OptionField]


@dataclass(kw_only=True)
class SettingsAnswer:
    """How a system is reached; its password is never sent out.

    has_secrets: secret options that are kept.
    """

    id: int
    name: str
    connector: str
    address: str
    options: dict[str, str]
    user: str
    has_password: bool
    has_secrets: list[str]


@dataclass(kw_only=True)
class RemovedAnswer:
    """What a removal took along."""

    backups: int


class SetupView(View):
    """A view for administrators alone."""

    def get_permissions(self) -> list[BasePermission]:
        """Ask for an administrator, for looking too: settings tell where systems are."""
        return [MayAdminister()]


def _settings(system: System) -> SettingsAnswer:
    return SettingsAnswer(
        id=system.pk,
        name=system.name,
        connector=system.connector,
        address=system.address,
        options=system.options,
        user=system.user,
        has_password=bool(endpoint_of(system).password),
        has_secrets=sorted(secret_options(system)),
    )


def _asked(request: Request) -> dict[str, Any]:
    data = AskSettingsShape(data=request.data)
    data.is_valid(raise_exception=True)
    asked: dict[str, Any] = data.validated_data
    asked["options"] = {name: value for name, value in asked["options"].items() if value}
    return asked


class Connectors(SetupView):
    """The connectors there are."""

    @extend_schema(operation_id="connectors", responses=shape_of(ConnectorAnswer)(many=True))
    def get(self, request: Request) -> Response:
        """List the connectors with what each asks for."""
        return answer(
            [
                ConnectorAnswer(
                    name=kind.name,
                    label=kind.label,
                    address_help=kind.address_help,
                    options=list(kind.options),
                )
                for kind in connector_types().values()
            ]
        )


class Tries(SetupView):
    """Tries of connections."""

    @extend_schema(
        operation_id="try_connection", request=AskSettingsShape, responses=shape_of(Probe)
    )
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
            return answer(probe(kind, endpoint))


class AllSettings(SetupView):
    """How all systems are reached."""

    @extend_schema(operation_id="all_settings", responses=shape_of(SettingsAnswer)(many=True))
    def get(self, request: Request) -> Response:
        """List the systems."""
        return answer([_settings(system) for system in System.objects.all()])

    @extend_schema(
        operation_id="add_system",
        request=AskSettingsShape,
        responses={201: shape_of(SettingsAnswer)},
    )
    def post(self, request: Request) -> Response:
        """Add a system; it is not contacted."""
        asked = _asked(request)
        system = add_system(
            asked["name"], asked["connector"], asked["address"], asked["options"], asked["user"],
            asked["password"] or "",
        )  # fmt: skip
        return answer(_settings(system), status=201)


class OneSettings(SetupView):
    """How one system is reached."""

    @extend_schema(
        operation_id="change_system", request=AskSettingsShape, responses=shape_of(SettingsAnswer)
    )
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
        return answer(_settings(system))

    @extend_schema(operation_id="remove_system", request=None, responses=shape_of(RemovedAnswer))
    def delete(self, request: Request, number: int) -> Response:
        """Remove a system with all its backups and runs; the live system stays as it is."""
        return answer(RemovedAnswer(backups=remove_system(get_object_or_404(System, pk=number))))
