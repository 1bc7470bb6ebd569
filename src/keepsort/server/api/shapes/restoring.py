"""The shapes of picks, plans and runs."""

from rest_framework import serializers

from keepsort.core.compare import LIKENESS
from keepsort.server.api.shapes.base import Shape, minutes_field, path_field, tally_field
from keepsort.server.api.shapes.comparing import AttributeShape, RulesShape
from keepsort.server.api.shapes.records import BriefRecordShape, RecordShape, RunBriefShape
from keepsort.server.restores.models import Run, RunStep


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
    alike = serializers.FloatField(default=LIKENESS)
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


class PlaceShape(Shape):
    """An object that holds others."""

    path = path_field()
    written = serializers.CharField()


class StepShape(Shape):
    """One step of a plan."""

    number = serializers.IntegerField()
    action = serializers.ChoiceField(choices=("create", "update", "move", "delete"))
    path = path_field()
    to = path_field(allow_null=True)
    name = serializers.CharField(allow_blank=True)
    written = serializers.CharField()
    to_written = serializers.CharField(allow_null=True)
    kind_label = serializers.CharField()
    trial = serializers.CharField(
        allow_blank=True, help_text="What can be done to see that it works; empty where nothing."
    )
    reason = serializers.CharField(allow_blank=True)
    needs = serializers.ListField(child=serializers.IntegerField())
    changed = serializers.ListField(child=serializers.CharField())
    attributes = AttributeShape(many=True)
    rendered = serializers.CharField(allow_blank=True)


class FindingShape(Shape):
    """What a plan must tell."""

    name = serializers.CharField()
    level = serializers.ChoiceField(choices=("stop", "ask", "confirm", "note"))
    code = serializers.CharField()
    text = serializers.CharField()
    path = path_field()
    written = serializers.CharField()
    attribute = serializers.CharField(allow_blank=True)
    kind = serializers.CharField(allow_blank=True)
    choices = serializers.ListField(
        child=serializers.CharField(), help_text="Where what is left out could go instead."
    )


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


class OfferShape(Shape):
    """Something that belongs with what is picked."""

    path = path_field()
    attribute = serializers.CharField()
    part = serializers.CharField(allow_blank=True)
    target = path_field()


class TrayShape(Shape):
    """What the tray shows: steps in brief, what comes along, what to mind."""

    steps = StepShape(many=True)
    findings = FindingShape(many=True)
    offers = OfferShape(many=True)


class SummaryShape(Shape):
    """The numbers of a preview."""

    created = serializers.IntegerField()
    changed = serializers.IntegerField()
    removed = serializers.IntegerField()
    steps = serializers.IntegerField()
    left = tally_field()


class PlanShape(Shape):
    """A preview."""

    id = serializers.IntegerField()
    system = serializers.IntegerField()
    system_name = serializers.CharField()
    backup = serializers.IntegerField(allow_null=True)
    sources = BriefRecordShape(many=True)
    look = RecordShape()
    undoes = serializers.IntegerField(allow_null=True)
    takes_back = serializers.ListField(
        child=serializers.IntegerField(),
        allow_null=True,
        help_text="Which steps of the run it undoes; null where it undoes none, or all.",
    )
    run = serializers.IntegerField(allow_null=True)
    policy = serializers.CharField()
    compare_and_set = serializers.BooleanField()
    summary = SummaryShape()
    steps = StepShape(many=True)
    findings = FindingShape(many=True)


class AskTrialShape(Shape):
    """Which step of a run to try out."""

    step = serializers.IntegerField()


class TriedShape(Shape):
    """What came of a trial."""

    said = serializers.CharField()


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


class RunStepShape(Shape):
    """A line of the journal."""

    number = serializers.IntegerField()
    state = serializers.ChoiceField(choices=RunStep.State.choices)
    already = serializers.BooleanField()
    wrote = serializers.BooleanField()
    report = serializers.CharField()
    message = serializers.CharField(allow_blank=True)
    finished_at = serializers.DateTimeField(allow_null=True)


class JournalShape(RunBriefShape):
    """A run with its journal: all of it that changes while it is carried out.

    lines: all, or those that changed after the entry of the journal that was asked for.
    entries: how many entries the journal had.
    looked: whether live was looked at after it; left_now is what that look has found.
    """

    lines = RunStepShape(many=True)
    entries = serializers.IntegerField()
    left_now = tally_field()
    looked = serializers.BooleanField()
    report = serializers.ListField(child=serializers.CharField())


class RunShape(JournalShape):
    """A run with its journal and the plan it carries out."""

    content = PlanShape()
