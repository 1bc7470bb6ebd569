"""The shapes of what the API takes and gives; the browser's types are made from them."""

from typing import Any

from rest_framework import serializers

from keepsort.core.compare import LIKENESS
from keepsort.core.compare.comparison import STATES
from keepsort.files.catalogue import FORMATS
from keepsort.server.restores.models import Run, RunStep
from keepsort.server.snapshots.models import Record, Work

ROW_STATES = ("same", "outside", *STATES)
STRETCH_STATES = ("same", "changed", "missing", "extra")
ATTRIBUTE_STATES = (*STRETCH_STATES, "follows")
MOMENT_STATES = ("new", "changed", "moved", "recreated", "gone")
SPACES = ("ends", "runs", "all")


def _path(**options: Any) -> serializers.ListField:
    return serializers.ListField(child=serializers.CharField(allow_blank=True), **options)


def _tally() -> serializers.DictField:
    return serializers.DictField(child=serializers.IntegerField())


class Shape(serializers.Serializer[object]):
    """Base of all shapes."""


class RecordShape(Shape):
    """A backup or a look."""

    id = serializers.IntegerField()
    system = serializers.IntegerField()
    kind = serializers.ChoiceField(choices=Record.Kind.choices)
    taken_at = serializers.DateTimeField()
    by = serializers.CharField()
    note = serializers.CharField()
    pinned = serializers.BooleanField()
    at = _path()
    at_written = serializers.CharField()
    software = serializers.CharField()
    objects = serializers.IntegerField()
    stored_bytes = serializers.IntegerField()
    seconds = serializers.FloatField()
    changes = _tally()
    problem_count = serializers.IntegerField()
    problems = serializers.ListField(child=serializers.CharField())
    imported = serializers.BooleanField()
    file = serializers.CharField(help_text="The name of the file it was opened from; else empty.")


class AsideShape(Shape):
    """An object of a file that has no place in the system, with what is beneath it."""

    written = serializers.CharField()
    count = serializers.IntegerField()
    why = serializers.CharField()


class FileShape(Shape):
    """A file that was opened. passed_over: what in it was not understood."""

    id = serializers.IntegerField(help_text="The number of its record.")
    name = serializers.CharField()
    form = serializers.CharField()
    bytes = serializers.IntegerField()
    sha256 = serializers.CharField()
    system = serializers.CharField()
    connector = serializers.CharField()
    software = serializers.CharField()
    taken_at = serializers.CharField()
    made_by = serializers.CharField()
    note = serializers.CharField()
    objects = serializers.IntegerField()
    whole = serializers.BooleanField()
    signed = serializers.ChoiceField(choices=("no", "here", "elsewhere"))
    signed_by = serializers.CharField()
    secrets = serializers.IntegerField()
    passed_over = serializers.ListField(child=serializers.CharField())
    opened_at = serializers.DateTimeField()
    by = serializers.CharField()
    keep_until = serializers.DateTimeField()
    fits = serializers.ListField(
        child=serializers.IntegerField(), help_text="Systems that it can be compared with."
    )


class FileValueShape(Shape):
    """One attribute of an object of a file; each value in words."""

    name = serializers.CharField()
    values = serializers.ListField(child=serializers.CharField(allow_blank=True))
    more = serializers.IntegerField()


class FileChildShape(Shape):
    """An object beneath another one; how many there are at and beneath it."""

    path = _path()
    name = serializers.CharField()
    kind_label = serializers.CharField()
    objects = serializers.IntegerField()


class FileObjectShape(Shape):
    """An object of a file, its values as they may be seen, and some of those beneath it."""

    path = _path()
    written = serializers.CharField()
    kind_label = serializers.CharField()
    mentioned = serializers.BooleanField()
    unreadable = serializers.CharField()
    attributes = FileValueShape(many=True)
    children = FileChildShape(many=True)
    total = serializers.IntegerField()


class FoundInFileShape(Shape):
    """Objects of a file in which a text was found; whether all of it was searched."""

    found = FileChildShape(many=True)
    searched_all = serializers.BooleanField()


class WantedShape(Shape):
    """What of a backup is to be given out; all of it where no place is named.

    single: objects without what is beneath them. passphrase: what secrets are sealed with; they are
    left out where it is null.
    """

    form = serializers.ChoiceField(choices=list(FORMATS))
    branches = serializers.ListField(child=_path(), default=list)
    single = serializers.ListField(child=_path(), default=list)
    passphrase = serializers.CharField(
        allow_null=True, default=None, trim_whitespace=False, max_length=1000
    )


class ImportShape(Shape):
    """What a file is to be a backup of."""

    system = serializers.IntegerField()
    note = serializers.CharField(max_length=300, allow_blank=True, default="")


class ExportShape(Shape):
    """What an export would hold; `left_out` lists the first of what it would not."""

    name = serializers.CharField()
    bytes = serializers.IntegerField()
    objects = serializers.IntegerField()
    secrets = serializers.IntegerField()
    sealed = serializers.IntegerField()
    left_out = serializers.ListField(child=serializers.CharField())
    left_out_count = serializers.IntegerField()


class WorkShape(Shape):
    """A backup or a look on its way."""

    id = serializers.IntegerField()
    system = serializers.IntegerField()
    kind = serializers.ChoiceField(choices=Record.Kind.choices)
    state = serializers.ChoiceField(choices=Work.State.choices)
    objects_seen = serializers.IntegerField()
    message = serializers.CharField()
    result = serializers.IntegerField(allow_null=True)


class AskWorkShape(Shape):
    """A request for a backup or a look."""

    kind = serializers.ChoiceField(choices=Work.Kind.choices)
    at = _path(default=list)
    note = serializers.CharField(max_length=400, allow_blank=True, default="")


class RunBriefShape(Shape):
    """A run in a list."""

    id = serializers.IntegerField()
    system = serializers.IntegerField()
    system_name = serializers.CharField()
    plan = serializers.IntegerField()
    state = serializers.ChoiceField(choices=Run.State.choices)
    outcome = serializers.CharField()
    interrupted = serializers.BooleanField()
    undoes = serializers.IntegerField(allow_null=True)
    undone_by = serializers.IntegerField(allow_null=True)
    by = serializers.CharField()
    started_at = serializers.DateTimeField()
    finished_at = serializers.DateTimeField(allow_null=True)
    steps = serializers.IntegerField()
    done = serializers.IntegerField()
    written = serializers.IntegerField()
    message = serializers.CharField()
    waits = serializers.CharField(allow_blank=True)
    waits_until = serializers.DateTimeField(allow_null=True)
    wait_minutes = serializers.IntegerField()
    cancel_asked = serializers.BooleanField()


class SampleShape(Shape):
    """One of the objects that differ."""

    path = _path()
    name = serializers.CharField()
    state = serializers.ChoiceField(choices=STATES)


class SystemShape(Shape):
    """A system with what Watch shows of it."""

    id = serializers.IntegerField()
    name = serializers.CharField()
    connector = serializers.CharField()
    connector_label = serializers.CharField()
    address = serializers.CharField()
    objects = serializers.IntegerField()
    backups = RecordShape(many=True)
    look = RecordShape(allow_null=True)
    rules_saved = serializers.BooleanField()
    sample = SampleShape(many=True)
    work = WorkShape(many=True)
    failed = WorkShape(allow_null=True)
    runs = RunBriefShape(many=True)
    trouble = serializers.CharField(allow_blank=True)


class BriefRecordShape(Shape):
    """A backup or a look, named in passing."""

    id = serializers.IntegerField()
    kind = serializers.ChoiceField(choices=Record.Kind.choices)
    taken_at = serializers.DateTimeField()
    note = serializers.CharField(allow_blank=True)
    file = serializers.CharField(help_text="The name of the file it was opened from; else empty.")


def _texts(**options: Any) -> serializers.ListField:
    return serializers.ListField(child=serializers.CharField(max_length=400), **options)


class RulesShape(Shape):
    """Ignore rules: what does not count."""

    letter_case = serializers.BooleanField(default=False)
    space = serializers.ChoiceField(choices=SPACES, allow_blank=True, default="")
    blank_lines = serializers.BooleanField(default=False)
    comments = _texts(default=list, max_length=100)
    order = serializers.BooleanField(default=False)
    attributes = _texts(default=list, max_length=200)
    paths = _texts(default=list, max_length=200)


class FacetShape(Shape):
    """A kind of object or an attribute, and in how many differences it stands."""

    name = serializers.CharField()
    label = serializers.CharField()  # type: ignore[assignment]
    count = serializers.IntegerField()


class CompareHeadShape(Shape):
    """Two records compared, in sum.

    tally: what all filters but that by kind of difference let through. shown: what all do.
    covers: the branch that is compared; empty where all of the system is.
    missing: the first lines of a pasted list that name nothing that differs.
    """

    left = RecordShape()
    right = RecordShape()
    tally = _tally()
    shown = serializers.IntegerField()
    same = serializers.IntegerField()
    hidden = serializers.IntegerField()
    at = _path()
    top = serializers.CharField()
    covers = _path()
    kinds = FacetShape(many=True)
    attributes = FacetShape(many=True)
    rules = RulesShape()
    missing = serializers.ListField(child=serializers.CharField())
    missing_count = serializers.IntegerField()
    mentions = serializers.IntegerField(
        allow_null=True, help_text="Of how many objects a file tells; null where it tells of all."
    )
    aside = AsideShape(many=True)
    aside_count = serializers.IntegerField()


class RowShape(Shape):
    """A row of the merged tree."""

    path = _path()
    name = serializers.CharField(allow_blank=True)
    depth = serializers.IntegerField()
    kind = serializers.CharField()
    kind_label = serializers.CharField()
    icon = serializers.CharField()
    state = serializers.ChoiceField(choices=ROW_STATES)
    attributes = serializers.ListField(child=serializers.CharField())
    live_path = _path(allow_null=True)
    tally = _tally()
    children = serializers.IntegerField()
    similarity = serializers.FloatField(allow_null=True)
    opened = serializers.BooleanField()


class LevelShape(Shape):
    """Rows of one level, or of several opened at once."""

    total = serializers.IntegerField()
    start = serializers.IntegerField()
    rows = RowShape(many=True)


class ShownShape(Shape):
    """A value ready to be shown."""

    form = serializers.ChoiceField(choices=("text", "data", "hex", "secret", "reference"))
    text = serializers.CharField(allow_blank=True)
    size = serializers.IntegerField()
    path = _path(allow_null=True)
    exists = serializers.BooleanField(allow_null=True)
    part = serializers.CharField(allow_blank=True)


def _lines_in_pieces() -> serializers.ListField:
    piece = serializers.CharField(allow_blank=True)
    return serializers.ListField(child=serializers.ListField(child=piece))


class StretchShape(Shape):
    """A stretch of a text or a sequence; each line in pieces, equal and differing in turn."""

    state = serializers.ChoiceField(choices=STRETCH_STATES)
    number = serializers.IntegerField()
    left = _lines_in_pieces()
    right = _lines_in_pieces()
    left_start = serializers.IntegerField()
    right_start = serializers.IntegerField()
    left_size = serializers.IntegerField()
    right_size = serializers.IntegerField()
    part = serializers.CharField(allow_blank=True)
    folded = serializers.IntegerField()
    hidden = serializers.BooleanField()


class KeyShape(Shape):
    """A value in a map, named by the keys that lead to it."""

    keys = _path()
    state = serializers.ChoiceField(choices=STRETCH_STATES)
    number = serializers.IntegerField()
    part = serializers.CharField()
    left = ShownShape(allow_null=True)
    right = ShownShape(allow_null=True)


class ElementMoveShape(Shape):
    """An element of a sequence that only stands elsewhere."""

    left = serializers.IntegerField()
    right = serializers.IntegerField()


class LinesShape(Shape):
    """Lines of a text."""

    lines = serializers.ListField(child=serializers.CharField(allow_blank=True))


class AttributeShape(Shape):
    """An attribute on both sides."""

    name = serializers.CharField()
    label = serializers.CharField()  # type: ignore[assignment]
    shape = serializers.CharField()
    unit = serializers.CharField(allow_blank=True)
    state = serializers.ChoiceField(choices=ATTRIBUTE_STATES)
    secret = serializers.BooleanField()
    read_only = serializers.BooleanField()  # type: ignore[assignment]
    consequence_of = _path(allow_null=True)
    left = ShownShape(many=True)
    right = ShownShape(many=True)
    both = ShownShape(many=True)
    stretches = StretchShape(many=True)
    more_stretches = serializers.IntegerField()
    parts = serializers.ListField(child=serializers.CharField())
    moves = ElementMoveShape(many=True)
    keys = KeyShape(many=True)


class ConsequenceShape(Shape):
    """A reference that follows a move."""

    path = _path()
    attribute = serializers.CharField()


class SuggestionShape(Shape):
    """A guess that a missing object is an extra one."""

    path = _path()
    written = serializers.CharField()
    live_path = _path()
    live_written = serializers.CharField()
    similarity = serializers.FloatField()


class BenchShape(Shape):
    """An object on both sides."""

    path = _path()
    written = serializers.CharField()
    name = serializers.CharField()
    kind = serializers.CharField()
    kind_label = serializers.CharField()
    state = serializers.ChoiceField(choices=ROW_STATES)
    live_path = _path(allow_null=True)
    similarity = serializers.FloatField(allow_null=True)
    suggestion = SuggestionShape(allow_null=True)
    interrupts = serializers.CharField(allow_blank=True)
    attributes = AttributeShape(many=True)
    facts = AttributeShape(many=True)
    hidden = serializers.ListField(child=serializers.CharField())
    left_exists = serializers.BooleanField()
    right_exists = serializers.BooleanField()
    unreadable = serializers.CharField(allow_blank=True)
    consequences = ConsequenceShape(many=True)
    consequence_count = serializers.IntegerField()
    referrers = serializers.IntegerField(allow_null=True)


class MomentShape(Shape):
    """A version of an object: from one backup to another, or until now."""

    record = BriefRecordShape()
    until = BriefRecordShape(allow_null=True)
    state = serializers.ChoiceField(choices=MOMENT_STATES)
    attributes = serializers.ListField(child=serializers.CharField())
    path = _path()


class SinceShape(Shape):
    """Since which backup an attribute is as it is; `after` where no backup has it yet."""

    attribute = serializers.CharField()
    record = BriefRecordShape(allow_null=True)
    after = BriefRecordShape(allow_null=True)


class HistoryShape(Shape):
    """The history of an object; `behind` while newer backups are not yet in it."""

    behind = serializers.BooleanField()
    moments = MomentShape(many=True)
    since = SinceShape(many=True)


class HitShape(Shape):
    """An object that a search found, and the backups that have it."""

    system = serializers.IntegerField()
    system_name = serializers.CharField()
    path = _path()
    written = serializers.CharField()
    name = serializers.CharField(allow_blank=True)
    kind_label = serializers.CharField()
    record = BriefRecordShape(allow_null=True)
    first = BriefRecordShape(allow_null=True)
    backups = serializers.IntegerField()
    now = serializers.BooleanField()
    told_by = BriefRecordShape()
    differing = serializers.IntegerField()
    where = serializers.CharField(allow_blank=True)


class FoundShape(Shape):
    """What a search found.

    behind: systems with backups that are not searched yet. unsure: systems whose newest look cannot
    be searched.
    """

    hits = HitShape(many=True)
    more = serializers.BooleanField()
    behind = serializers.ListField(child=serializers.CharField())
    unsure = serializers.ListField(child=serializers.CharField())


class ShownRowShape(Shape):
    """One of the differences that are shown."""

    path = _path()
    state = serializers.ChoiceField(choices=STATES)


class ShownListShape(Shape):
    """All differences that are shown, as far as they can be picked at once."""

    total = serializers.IntegerField()
    rows = ShownRowShape(many=True)


class PastedShape(Shape):
    """A pasted list."""

    text = serializers.CharField(max_length=2_000_000)


class ListShape(Shape):
    """A list that is kept."""

    id = serializers.IntegerField()
    lines = serializers.IntegerField()


class NeighboursShape(Shape):
    """Where the next differences are."""

    paths = serializers.ListField(child=_path())


class AttributePickShape(Shape):
    """One attribute picked, whole or in part: `parts` are elements, hunks or values by name."""

    name = serializers.CharField()
    parts = serializers.ListField(child=serializers.CharField(max_length=60), default=list)


class LeftOutShape(Shape):
    """What is left out of a picked branch; only the object itself where `alone`."""

    path = _path()
    alone = serializers.BooleanField(default=False)


class PickShape(Shape):
    """One thing picked; from the backup that is looked at where `backup` is null."""

    path = _path()
    scope = serializers.ChoiceField(choices=("object", "branch", "attributes", "remove"))
    attributes = AttributePickShape(many=True, default=list)
    without = LeftOutShape(many=True, default=list)
    backup = serializers.IntegerField(allow_null=True, default=None)


class TermsShape(Shape):
    """What two records are compared by; rules as saved for the system where null."""

    rules = RulesShape(allow_null=True, default=None)
    alike = serializers.FloatField(default=LIKENESS)
    accepted = serializers.ListField(
        child=serializers.ListField(child=_path(), min_length=2, max_length=2), default=list
    )
    hangs = _path(allow_null=True, default=None)


class PicksShape(Shape):
    """What is picked, on which two records."""

    backup = serializers.IntegerField()
    look = serializers.IntegerField()
    picks = PickShape(many=True)
    policy = serializers.ChoiceField(choices=("overwrite", "keep", "fill"), default="overwrite")
    terms = TermsShape(default=dict)


class ElsewhereShape(Shape):
    """What of a backup is to go to another place, of this system or of another one."""

    backup = serializers.IntegerField()
    paths = serializers.ListField(child=_path())
    system = serializers.IntegerField()
    at = _path()
    clash = serializers.ChoiceField(choices=("rename", "skip", "replace"), default="rename")


class PlaceShape(Shape):
    """An object that holds others."""

    path = _path()
    written = serializers.CharField()


class StepShape(Shape):
    """One step of a plan."""

    number = serializers.IntegerField()
    action = serializers.ChoiceField(choices=("create", "update", "move", "delete"))
    path = _path()
    to = _path(allow_null=True)
    name = serializers.CharField(allow_blank=True)
    written = serializers.CharField()
    to_written = serializers.CharField(allow_null=True)
    kind_label = serializers.CharField()
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
    path = _path()
    written = serializers.CharField()
    attribute = serializers.CharField(allow_blank=True)


class OfferShape(Shape):
    """Something that belongs with what is picked."""

    path = _path()
    attribute = serializers.CharField()
    part = serializers.CharField(allow_blank=True)
    target = _path()


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
    left = _tally()


class PlanShape(Shape):
    """A preview."""

    id = serializers.IntegerField()
    system = serializers.IntegerField()
    system_name = serializers.CharField()
    backup = serializers.IntegerField(allow_null=True)
    sources = BriefRecordShape(many=True)
    look = RecordShape()
    undoes = serializers.IntegerField(allow_null=True)
    run = serializers.IntegerField(allow_null=True)
    policy = serializers.CharField()
    compare_and_set = serializers.BooleanField()
    summary = SummaryShape()
    steps = StepShape(many=True)
    findings = FindingShape(many=True)


def _minutes(**options: Any) -> serializers.IntegerField:
    return serializers.IntegerField(min_value=0, max_value=7 * 24 * 60, **options)


class AskRunShape(Shape):
    """A request to carry out a plan."""

    confirmed = serializers.ListField(child=serializers.CharField(), default=list)
    answers = serializers.DictField(child=serializers.CharField(), default=dict)
    on_failure = serializers.ChoiceField(choices=Run.OnFailure.choices, default="stop")
    wait_minutes = _minutes(default=10)


class ChangeRunShape(Shape):
    """What can be changed of a run that is under way."""

    wait_minutes = _minutes()


class RunStepShape(Shape):
    """A line of the journal."""

    number = serializers.IntegerField()
    state = serializers.ChoiceField(choices=RunStep.State.choices)
    already = serializers.BooleanField()
    report = serializers.CharField()
    message = serializers.CharField(allow_blank=True)
    finished_at = serializers.DateTimeField(allow_null=True)


class RunShape(RunBriefShape):
    """A run with its journal and the plan it carries out.

    looked: whether live was looked at after it; left_now is what that look has found.
    """

    lines = RunStepShape(many=True)
    content = PlanShape()
    left_now = _tally()
    looked = serializers.BooleanField()
    report = serializers.ListField(child=serializers.CharField())


class RecordChangeShape(Shape):
    """What can be changed of a backup."""

    note = serializers.CharField(max_length=400, allow_blank=True, required=False)
    pinned = serializers.BooleanField(required=False)
