"""The shapes of picks, plans and runs."""

from dataclasses import dataclass
from datetime import datetime
from typing import Literal

from rest_framework import serializers

from keepsort.core.model import Path
from keepsort.core.plan import Budget, Effect, Offer
from keepsort.server.api.shapes.base import Shape, minutes_field, path_field
from keepsort.server.api.shapes.comparing import RulesShape
from keepsort.server.api.shapes.records import BriefRecordAnswer, RecordAnswer, RunBriefAnswer
from keepsort.server.restores.models import Run, RunStep
from keepsort.server.sorting.showing import ShownAttribute


class AttributePickShape(Shape):
    """One attribute picked, whole or in part: `parts` are elements, hunks or values by name."""

    name = serializers.CharField()
    parts = serializers.ListField(child=serializers.CharField(max_length=60), default=list)


class LeftOutShape(Shape):
    """What is left out of a picked branch; only the object itself where `alone`."""

    path = path_field()
    alone = serializers.BooleanField(default=False)


class PickShape(Shape):
    """One thing picked; from the backup that is looked at where `backup` is null."""

    path = path_field()
    scope = serializers.ChoiceField(choices=("object", "branch", "attributes", "remove"))
    attributes = AttributePickShape(many=True, default=list)
    without = LeftOutShape(many=True, default=list)
    backup = serializers.IntegerField(allow_null=True, default=None)
    policy = serializers.ChoiceField(
        choices=("overwrite", "keep", "fill"), allow_null=True, default=None,
        help_text="What becomes of it where it exists live; as for all where null.",
    )  # fmt: skip


class TermsShape(Shape):
    """What two records are compared by; rules as saved for the system where null."""

    rules = RulesShape(allow_null=True, default=None)
    alike = serializers.FloatField(allow_null=True, default=None)
    accepted = serializers.ListField(
        child=serializers.ListField(child=path_field(), min_length=2, max_length=2), default=list
    )
    hangs = path_field(allow_null=True, default=None)


class PicksShape(Shape):
    """What is picked, on which two records."""

    backup = serializers.IntegerField()
    look = serializers.IntegerField()
    picks = PickShape(many=True)
    policy = serializers.ChoiceField(choices=("overwrite", "keep", "fill"), default="overwrite")
    terms = TermsShape(default=dict)
    chosen = serializers.DictField(
        child=serializers.CharField(max_length=40),
        default=dict,
        help_text="Options of the connector for this restore.",
    )


class ElsewhereShape(Shape):
    """What of a backup is to go to another place, of this system or of another one."""

    backup = serializers.IntegerField()
    paths = serializers.ListField(child=path_field())
    system = serializers.IntegerField()
    at = path_field()
    clash = serializers.ChoiceField(choices=("rename", "skip", "replace"), default="rename")


@dataclass(kw_only=True)
class PlaceAnswer:
    """An object that holds others."""

    path: Path
    written: str


@dataclass(kw_only=True)
class StepAnswer:
    """One step of a plan.

    trial: what can be done to see that it works; empty where nothing.
    """

    number: int
    action: Literal["create", "update", "move", "delete"]
    path: Path
    to: Path | None
    name: str
    written: str
    to_written: str | None
    kind_label: str
    trial: str
    reason: str
    needs: list[int]
    changed: list[str]
    attributes: list[ShownAttribute]
    rendered: str


@dataclass(kw_only=True)
class FindingAnswer:
    """What a plan must tell.

    choices: where what is left out could go instead.
    effect: what happens to the system beside what is written. budget: what the run takes of it.
    """

    name: str
    level: Literal["stop", "ask", "confirm", "note"]
    code: str
    text: str
    path: Path
    written: str
    attribute: str
    kind: str
    choices: list[str]
    effect: Effect | None
    budget: Budget | None


class FormerNameShape(Shape):
    """What an attribute of a kind was called formerly."""

    kind = serializers.CharField(max_length=200)
    former = serializers.CharField(max_length=200)
    now = serializers.CharField(max_length=200)


class FormerNamesShape(Shape):
    """What attributes of a system were called formerly."""

    names = FormerNameShape(many=True)


class AgainShape(Shape):
    """How the same is to be previewed again.

    remember: whether what attributes were called formerly holds for the system from now on.
    """

    renamed = FormerNameShape(many=True, default=list)
    remember = serializers.BooleanField(default=False)


@dataclass(kw_only=True)
class TrayAnswer:
    """What the tray shows: steps in brief, what comes along, what to mind."""

    steps: list[StepAnswer]
    findings: list[FindingAnswer]
    offers: list[Offer]


@dataclass(kw_only=True)
class SummaryAnswer:
    """The numbers of a preview."""

    created: int
    changed: int
    removed: int
    steps: int
    left: dict[str, int]


@dataclass(kw_only=True)
class RightsAnswer:
    """What the system has said of whether the account may carry steps out.

    may: how many it may. not_told: numbers of those that the system says nothing of before.
    """

    may: int
    not_told: list[int]


@dataclass(kw_only=True)
class PlanAnswer:
    """A preview.

    takes_back: which steps of the run it undoes; null where it undoes none, or all.
    rights: null where the system was not asked.
    """

    id: int
    system: int
    system_name: str
    backup: int | None
    sources: list[BriefRecordAnswer]
    look: RecordAnswer
    undoes: int | None
    takes_back: list[int] | None
    run: int | None
    policy: str
    compare_and_set: bool
    summary: SummaryAnswer
    steps: list[StepAnswer]
    findings: list[FindingAnswer]
    rights: RightsAnswer | None


class AskTrialShape(Shape):
    """Which step of a run to try out."""

    step = serializers.IntegerField()


@dataclass(kw_only=True)
class TriedAnswer:
    """What came of a trial."""

    said: str


class AskUndoShape(Shape):
    """A request for the way back: from chosen steps, or from all where null."""

    steps = serializers.ListField(
        child=serializers.IntegerField(), max_length=100_000, allow_null=True, default=None
    )


class AskRunShape(Shape):
    """A request to carry out a plan."""

    confirmed = serializers.ListField(child=serializers.CharField(), default=list)
    answers = serializers.DictField(child=serializers.CharField(), default=dict)
    on_failure = serializers.ChoiceField(choices=Run.OnFailure.choices, default="stop")
    wait_minutes = minutes_field(default=10)


class ChangeRunShape(Shape):
    """What can be changed of a run that is under way."""

    wait_minutes = minutes_field()


@dataclass(kw_only=True)
class RunStepAnswer:
    """A line of the journal."""

    number: int
    state: RunStep.State
    already: bool
    wrote: bool
    report: str
    message: str
    finished_at: datetime | None


@dataclass(kw_only=True)
class JournalAnswer(RunBriefAnswer):
    """A run with its journal: all of it that changes while it is carried out.

    lines: all, or those that changed after the entry of the journal that was asked for.
    entries: how many entries the journal had.
    looked: whether live was looked at after it; left_now is what that look has found.
    """

    lines: list[RunStepAnswer]
    entries: int
    left_now: dict[str, int]
    looked: bool
    report: list[str]


@dataclass(kw_only=True)
class RunAnswer(JournalAnswer):
    """A run with its journal and the plan it carries out."""

    content: PlanAnswer
