"""The views of how long backups are kept: the policy, what it lets go, and deleting by hand."""

from dataclasses import dataclass
from datetime import datetime

import msgspec
from django.shortcuts import get_object_or_404
from django.utils import timezone
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from keepsort.core.retention import Policy
from keepsort.server import tasks
from keepsort.server.accounts.roles import MayLook
from keepsort.server.api.asking import KeptView, View
from keepsort.server.api.shapes.base import Shape
from keepsort.server.api.shapes.derived import answer, full, shape_of
from keepsort.server.retention import services as policies
from keepsort.server.retention.freeing import frees
from keepsort.server.snapshots.models import Record
from keepsort.server.snapshots.services import find_record
from keepsort.server.systems.models import System


class PolicyShape(Shape):
    """How long backups are kept; null where a rule is not set."""

    good = serializers.IntegerField(allow_null=True, default=None, min_value=0)
    problems = serializers.IntegerField(allow_null=True, default=None, min_value=0)
    daily = serializers.IntegerField(allow_null=True, default=None, min_value=0)
    weekly = serializers.IntegerField(allow_null=True, default=None, min_value=0)
    monthly = serializers.IntegerField(allow_null=True, default=None, min_value=0)
    yearly = serializers.IntegerField(allow_null=True, default=None, min_value=0)
    zone = serializers.CharField(max_length=60, default="UTC")


class FullPolicy(Policy, frozen=True, omit_defaults=False):
    """How long backups are kept, with nothing left out."""


@dataclass(kw_only=True)
class GoesAnswer:
    """A backup that goes; frees: null where that cannot be told."""

    backup: int
    taken_at: datetime
    note: str
    frees: int | None


@dataclass(kw_only=True)
class KeepsAnswer:
    """A backup that stays, and why."""

    backup: int
    why: tuple[str, ...]


@dataclass(kw_only=True)
class RetentionAnswer:
    """What a policy does. next_at, next: when and which go next, if all scheduled is made."""

    policy: FullPolicy
    goes: list[GoesAnswer]
    keeps: list[KeepsAnswer]
    frees: int | None
    next_at: datetime | None
    next: list[int]


@dataclass(kw_only=True)
class DeletionAnswer:
    """What deleting a backup would do: why it may not be, what is lost, and what that frees."""

    needed: list[str]
    lost: list[str]
    frees: int | None


@dataclass(kw_only=True)
class DeletedAnswer:
    """A backup that was deleted; freed: null where that cannot be told."""

    deleted: int
    freed: int | None


def _policy(data: object) -> Policy:
    shape = PolicyShape(data=data)
    shape.is_valid(raise_exception=True)
    return policies.checked(msgspec.convert(shape.validated_data, Policy))


def _retention(system: System, policy: Policy | None) -> RetentionAnswer:
    now = timezone.now()
    found = policies.plan(system, policy, now)
    coming = policies.ahead(system, now) if policy is None else None
    return RetentionAnswer(
        policy=full(FullPolicy, found.policy),
        goes=[
            GoesAnswer(backup=r.pk, taken_at=r.taken_at, note=r.note, frees=size)
            for r, size in found.goes
        ],
        keeps=[KeepsAnswer(backup=r.pk, why=why) for r, why in found.keeps],
        frees=found.freed,
        next_at=coming[0] if coming else None,
        next=coming[1] if coming else [],
    )  # fmt: skip


class Retention(KeptView):
    """How long backups of a system are kept."""

    @extend_schema(operation_id="retention", responses=shape_of(RetentionAnswer))
    def get(self, request: Request, number: int) -> Response:
        """Return the policy, and what it does."""
        return answer(_retention(get_object_or_404(System, pk=number), None))

    @extend_schema(
        operation_id="save_retention", request=PolicyShape, responses=shape_of(RetentionAnswer)
    )
    def put(self, request: Request, number: int) -> Response:
        """Go by another policy; what it drops goes right after."""
        system = get_object_or_404(System, pk=number)
        policies.save_policy(system, _policy(request.data))
        tasks.retain.defer(system_id=system.pk)
        return answer(_retention(system, None))


class RetentionAhead(View):
    """What a policy would do."""

    writers = MayLook

    @extend_schema(
        operation_id="try_retention", request=PolicyShape, responses=shape_of(RetentionAnswer)
    )
    def post(self, request: Request, number: int) -> Response:
        """Tell what would go and what would stay; nothing is changed."""
        return answer(_retention(get_object_or_404(System, pk=number), _policy(request.data)))


class Deletion(KeptView):
    """Deleting a backup by hand."""

    @extend_schema(operation_id="deletion", responses=shape_of(DeletionAnswer))
    def get(self, request: Request, number: int) -> Response:
        """Tell what deleting it would do; the first time that reads all that it stands on."""
        found = find_record(number, Record.Kind.BACKUP)
        sizes = frees([found])
        return answer(
            DeletionAnswer(
                needed=policies.why_needed(found),
                lost=policies.what_is_lost(found),
                frees=sizes[found.pk] if sizes is not None else None,
            )
        )

    @extend_schema(operation_id="delete_backup", request=None, responses=shape_of(DeletedAnswer))
    def post(self, request: Request, number: int) -> Response:
        """Delete a backup, unless something needs it."""
        found = find_record(number, Record.Kind.BACKUP)
        deleted = found.pk
        freed = policies.delete(found)
        tasks.collect_soon.defer()
        return answer(DeletedAnswer(deleted=deleted, freed=freed))
