"""The views of what is kept: what backups take, which stay and go, and whether they are whole."""

from dataclasses import asdict
from typing import Any

import msgspec
from django.shortcuts import get_object_or_404
from django.utils import timezone
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.permissions import BasePermission
from rest_framework.request import Request
from rest_framework.response import Response

from keepsort.core.retention import Policy
from keepsort.core.snapshot import Choice
from keepsort.server import reading, tasks
from keepsort.server.accounts.roles import MayAdminister, MayLook
from keepsort.server.api.asking import View, person
from keepsort.server.api.shapes.base import Shape, tally_field
from keepsort.server.api.shapes.derived import shape_of
from keepsort.server.api.shapes.records import ChoiceShape, WorkAnswer
from keepsort.server.api.writing import work
from keepsort.server.events.notify import tell
from keepsort.server.retention import services as policies
from keepsort.server.retention.freeing import frees
from keepsort.server.snapshots import working
from keepsort.server.snapshots.expecting import expected
from keepsort.server.snapshots.kinds import kinds_of
from keepsort.server.snapshots.models import Record, Work
from keepsort.server.snapshots.services import find_record, newest, open_snapshot, usual_choice
from keepsort.server.sorting.tallying import tallied
from keepsort.server.systems.models import System

_TOLD = 200


class PolicyShape(Shape):
    """How long backups are kept; null where a rule is not set."""

    good = serializers.IntegerField(allow_null=True, default=None, min_value=0)
    problems = serializers.IntegerField(allow_null=True, default=None, min_value=0)
    daily = serializers.IntegerField(allow_null=True, default=None, min_value=0)
    weekly = serializers.IntegerField(allow_null=True, default=None, min_value=0)
    monthly = serializers.IntegerField(allow_null=True, default=None, min_value=0)
    yearly = serializers.IntegerField(allow_null=True, default=None, min_value=0)
    zone = serializers.CharField(max_length=60, default="UTC")


class GoesShape(Shape):
    """A backup that goes; frees: null where that cannot be told."""

    backup = serializers.IntegerField()
    taken_at = serializers.DateTimeField()
    note = serializers.CharField(allow_blank=True)
    frees = serializers.IntegerField(allow_null=True)


class KeepsShape(Shape):
    """A backup that stays, and why."""

    backup = serializers.IntegerField()
    why = serializers.ListField(child=serializers.CharField())


class RetentionShape(Shape):
    """What a policy does. next_at, next: when and which go next, if all scheduled is made."""

    policy = PolicyShape()
    goes = GoesShape(many=True)
    keeps = KeepsShape(many=True)
    frees = serializers.IntegerField(allow_null=True)
    next_at = serializers.DateTimeField(allow_null=True)
    next = serializers.ListField(child=serializers.IntegerField())


class KindShape(Shape):
    """How much of a backup a kind of object is; bytes: before they are packed."""

    name = serializers.CharField()
    label = serializers.CharField()  # type: ignore[assignment]
    objects = serializers.IntegerField()
    bytes = serializers.IntegerField()


class PlaceTextShape(Shape):
    """Something about an object of a backup."""

    path = serializers.CharField()
    text = serializers.CharField()


class StandingShape(Shape):
    """How a backup stands: how much of it each kind is, and what is wrong with it."""

    kinds = KindShape(many=True)
    problems = PlaceTextShape(many=True)
    problem_count = serializers.IntegerField()
    damage = PlaceTextShape(many=True)
    damage_count = serializers.IntegerField()


class DeletionShape(Shape):
    """What deleting a backup would do: why it may not be, what is lost, and what that frees."""

    needed = serializers.ListField(child=serializers.CharField())
    lost = serializers.ListField(child=serializers.CharField())
    frees = serializers.IntegerField(allow_null=True)


class DeletedShape(Shape):
    """A backup that was deleted; freed: null where that cannot be told."""

    deleted = serializers.IntegerField()
    freed = serializers.IntegerField(allow_null=True)


class KeepingShape(Shape):
    """What backups of a system take, when it is reminded of, and how often they are read again."""

    choice = ChoiceShape()
    remind_days = serializers.IntegerField(min_value=1, max_value=3650)
    verify_days = serializers.IntegerField(min_value=0, max_value=3650)


class ExpectedShape(Shape):
    """What a backup is going to take; free: null where that is not known."""

    known = serializers.BooleanField()
    objects = serializers.IntegerField()
    bytes = serializers.IntegerField()
    seconds = serializers.FloatField()
    free = serializers.IntegerField(allow_null=True)


class KeptView(View):
    """A view that only administrators write to."""

    writers: type[BasePermission] = MayAdminister


def _policy(data: object) -> Policy:
    shape = PolicyShape(data=data)
    shape.is_valid(raise_exception=True)
    return policies.checked(msgspec.convert(shape.validated_data, Policy))


def _retention(system: System, policy: Policy | None) -> dict[str, Any]:
    now = timezone.now()
    found = policies.plan(system, policy, now)
    coming = policies.ahead(system, now) if policy is None else None
    return {
        "policy": {
            name: getattr(found.policy, name) for name in Policy.__struct_fields__
        },
        "goes": [
            {"backup": r.pk, "taken_at": r.taken_at, "note": r.note, "frees": size}
            for r, size in found.goes
        ],
        "keeps": [{"backup": r.pk, "why": why} for r, why in found.keeps],
        "frees": found.freed,
        "next_at": coming[0] if coming else None,
        "next": coming[1] if coming else [],
    }  # fmt: skip


class Retention(KeptView):
    """How long backups of a system are kept."""

    @extend_schema(operation_id="retention", responses=RetentionShape)
    def get(self, request: Request, number: int) -> Response:
        """Return the policy, and what it does."""
        return Response(_retention(get_object_or_404(System, pk=number), None))

    @extend_schema(operation_id="save_retention", request=PolicyShape, responses=RetentionShape)
    def put(self, request: Request, number: int) -> Response:
        """Go by another policy; what it drops goes right after."""
        system = get_object_or_404(System, pk=number)
        policies.save_policy(system, _policy(request.data))
        tasks.retain.defer(system_id=system.pk)
        return Response(_retention(system, None))


class RetentionAhead(View):
    """What a policy would do."""

    writers = MayLook

    @extend_schema(operation_id="try_retention", request=PolicyShape, responses=RetentionShape)
    def post(self, request: Request, number: int) -> Response:
        """Tell what would go and what would stay; nothing is changed."""
        return Response(_retention(get_object_or_404(System, pk=number), _policy(request.data)))


class ApartShape(Shape):
    """How live differs from a backup: what was looked at when; null where nobody has."""

    differs = tally_field(allow_null=True)
    looked_at = serializers.DateTimeField(allow_null=True)


class Apart(View):
    """How far a backup is from live."""

    @extend_schema(operation_id="apart", responses=ApartShape)
    def get(self, request: Request, number: int) -> Response:
        """Count what differs between a backup and the newest look at the whole of its system."""
        found = find_record(number, Record.Kind.BACKUP)
        look = newest(found.system, Record.Kind.LOOK)
        if look is None:
            return Response({"differs": None, "looked_at": None})
        return Response({"differs": tallied(found, look).counts, "looked_at": look.taken_at})


class Standing(View):
    """How one backup stands."""

    @extend_schema(operation_id="standing", responses=StandingShape)
    def get(self, request: Request, number: int) -> Response:
        """Tell what is in it, and what is wrong with it."""
        found = find_record(number, Record.Kind.BACKUP)
        schema = open_snapshot(found).schema
        problems = [
            {"path": schema.notation.write(tuple(p["path"])), "text": p["text"]}
            for p in found.problems[:_TOLD]
        ]
        return Response(
            {
                "kinds": _kinds(found),
                "problems": problems,
                "problem_count": found.problem_count,
                "damage": found.damage[:_TOLD],
                "damage_count": found.damage_count,
            }
        )


def _kinds(record: Record) -> list[dict[str, Any]]:
    schema = open_snapshot(record).schema
    found = kinds_of(record) if not record.damage_count else {}
    return [
        {"name": kind, "label": schema.label(kind), "objects": count, "bytes": size}
        for kind, (count, size) in sorted(found.items(), key=lambda one: -one[1][1])
    ]


class Deletion(KeptView):
    """Deleting a backup by hand."""

    @extend_schema(operation_id="deletion", responses=DeletionShape)
    def get(self, request: Request, number: int) -> Response:
        """Tell what deleting it would do; the first time that reads all that it stands on."""
        found = find_record(number, Record.Kind.BACKUP)
        sizes = frees([found])
        return Response(
            {
                "needed": policies.why_needed(found),
                "lost": policies.what_is_lost(found),
                "frees": sizes[found.pk] if sizes is not None else None,
            }
        )

    @extend_schema(operation_id="delete_backup", request=None, responses=DeletedShape)
    def post(self, request: Request, number: int) -> Response:
        """Delete a backup, unless something needs it."""
        found = find_record(number, Record.Kind.BACKUP)
        deleted = found.pk
        freed = policies.delete(found)
        tasks.collect_soon.defer()
        return Response({"deleted": deleted, "freed": freed})


def _verify(system: System, of: Record | None, request: Request) -> Response:
    made = tasks.begin_work(system=system, kind=Work.Kind.VERIFY, of=of, by=person(request))
    return Response(work(made), status=202)


class VerifyRecord(View):
    """Reading one backup again."""

    @extend_schema(
        operation_id="verify_backup", request=None, responses={202: shape_of(WorkAnswer)}
    )
    def post(self, request: Request, number: int) -> Response:
        """Ask for all that it stands on to be read and hashed."""
        found = find_record(number, Record.Kind.BACKUP)
        return _verify(found.system, found, request)


class VerifySystem(View):
    """Reading all backups of a system again."""

    @extend_schema(
        operation_id="verify_system", request=None, responses={202: shape_of(WorkAnswer)}
    )
    def post(self, request: Request, number: int) -> Response:
        """Ask for all that they stand on to be read and hashed."""
        return _verify(get_object_or_404(System, pk=number), None, request)


class WorkCancel(View):
    """Ending work."""

    @extend_schema(operation_id="cancel_work", request=None, responses=shape_of(WorkAnswer))
    def post(self, request: Request, number: int) -> Response:
        """End a backup, a look or a reading; nothing of it is kept."""
        found = get_object_or_404(Work, pk=number)
        working.cancel(found)
        found.refresh_from_db()
        return Response(work(found))


class Keeping(KeptView):
    """What backups of a system take, and how often they are read again."""

    @extend_schema(operation_id="keeping", responses=KeepingShape)
    def get(self, request: Request, number: int) -> Response:
        """Return it."""
        return Response(_keeping(get_object_or_404(System, pk=number)))

    @extend_schema(operation_id="save_keeping", request=KeepingShape, responses=KeepingShape)
    def put(self, request: Request, number: int) -> Response:
        """Change it for the backups from now on."""
        system = get_object_or_404(System, pk=number)
        data = KeepingShape(data=request.data)
        data.is_valid(raise_exception=True)
        asked = data.validated_data
        system.choice = msgspec.to_builtins(msgspec.convert(asked["choice"], Choice))
        system.remind_days, system.verify_days = asked["remind_days"], asked["verify_days"]
        system.save(update_fields=["choice", "remind_days", "verify_days"])
        tell("record", 0, system.pk)
        return Response(_keeping(system))


class SystemKinds(View):
    """The kinds of object of a system."""

    @extend_schema(operation_id="system_kinds", responses=KindShape(many=True))
    def get(self, request: Request, number: int) -> Response:
        """Tell how much each kind took the last time that all was looked at."""
        system = get_object_or_404(System, pk=number)
        record = system.records.filter(at=[], choice={}, damage_count=0).first()
        return Response(_kinds(record) if record is not None else [])


def _keeping(system: System) -> dict[str, Any]:
    choice = usual_choice(system)
    return {
        "choice": {name: list(getattr(choice, name)) for name in Choice.__struct_fields__},
        "remind_days": system.remind_days,
        "verify_days": system.verify_days,
    }  # fmt: skip


class Expected(View):
    """What a backup is going to take."""

    @extend_schema(
        operation_id="expected",
        parameters=[OpenApiParameter("at", OpenApiTypes.STR, description="A branch, as JSON.")],
        responses=ExpectedShape,
    )
    def get(self, request: Request, number: int) -> Response:
        """Tell it from those before, with the room there is."""
        system = get_object_or_404(System, pk=number)
        at = reading.path(request.query_params.get("at", ""))
        return Response(asdict(expected(system, at, usual_choice(system))))
