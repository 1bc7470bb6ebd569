"""The shapes of backups, looks, systems and work."""

from rest_framework import serializers

from keepsort.core.compare.comparison import STATES
from keepsort.server.api.shapes.base import Shape, path_field, tally_field, texts_field
from keepsort.server.restores.models import Run
from keepsort.server.snapshots.models import Record, Work


class RecordShape(Shape):
    """A backup or a look."""

    id = serializers.IntegerField()
    system = serializers.IntegerField()
    kind = serializers.ChoiceField(choices=Record.Kind.choices)
    taken_at = serializers.DateTimeField()
    by = serializers.CharField()
    note = serializers.CharField()
    pinned = serializers.BooleanField()
    at = path_field()
    at_written = serializers.CharField()
    software = serializers.CharField()
    objects = serializers.IntegerField()
    stored_bytes = serializers.IntegerField()
    seconds = serializers.FloatField()
    changes = tally_field()
    problem_count = serializers.IntegerField()
    problems = serializers.ListField(child=serializers.CharField())
    imported = serializers.BooleanField()
    baseline = serializers.BooleanField()
    scheduled = serializers.CharField(help_text="When its schedule is due; else empty.")
    narrowed = serializers.BooleanField()
    left_out = serializers.ListField(
        child=serializers.CharField(), help_text="What it left out by choice, in words."
    )
    damage_count = serializers.IntegerField()
    verified_at = serializers.DateTimeField(allow_null=True)
    file = serializers.CharField(help_text="The name of the file it was opened from; else empty.")


class AsideShape(Shape):
    """An object of a file that has no place in the system, with what is beneath it."""

    written = serializers.CharField()
    count = serializers.IntegerField()
    why = serializers.CharField()


class ChoiceShape(Shape):
    """What backups take: kinds that are out, and places that are in or out, as patterns."""

    kinds_out = serializers.ListField(
        child=serializers.CharField(max_length=200), default=list, max_length=500
    )
    places = serializers.ListField(
        child=serializers.CharField(max_length=1000), default=list, max_length=200
    )
    places_out = serializers.ListField(
        child=serializers.CharField(max_length=1000), default=list, max_length=200
    )


class WorkShape(Shape):
    """A backup or a look on its way."""

    id = serializers.IntegerField()
    system = serializers.IntegerField()
    kind = serializers.ChoiceField(choices=Work.Kind.choices)
    at = path_field()
    at_written = serializers.CharField()
    state = serializers.ChoiceField(choices=Work.State.choices)
    objects_seen = serializers.IntegerField()
    expected = serializers.IntegerField(help_text="As many as the one before saw; 0 if unknown.")
    started_at = serializers.DateTimeField(allow_null=True)
    waits = serializers.CharField(allow_blank=True)
    cancel_asked = serializers.BooleanField()
    message = serializers.CharField()
    result = serializers.IntegerField(allow_null=True)


class AskWorkShape(Shape):
    """A request for a backup or a look."""

    kind = serializers.ChoiceField(choices=["backup", "look"])
    at = path_field(default=list)
    note = serializers.CharField(max_length=400, allow_blank=True, default="")
    pinned = serializers.BooleanField(default=False)


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
    undone_by = serializers.IntegerField(allow_null=True, help_text="Where all is taken back.")
    taken_back = serializers.ListField(
        child=serializers.IntegerField(), help_text="Numbers of the steps that are taken back."
    )
    by = serializers.CharField()
    started_at = serializers.DateTimeField()
    finished_at = serializers.DateTimeField(allow_null=True)
    steps = serializers.IntegerField()
    done = serializers.IntegerField()
    written = serializers.IntegerField()
    planned = tally_field(help_text="How many objects it was to change, create and remove.")
    names = serializers.ListField(child=serializers.CharField(), help_text="The first of them.")
    message = serializers.CharField()
    waits = serializers.CharField(allow_blank=True)
    waits_until = serializers.DateTimeField(allow_null=True)
    wait_minutes = serializers.IntegerField()
    cancel_asked = serializers.BooleanField()


class SampleShape(Shape):
    """One of the objects that differ."""

    path = path_field()
    name = serializers.CharField()
    state = serializers.ChoiceField(choices=STATES)


class NextTimeShape(Shape):
    """A schedule in passing."""

    id = serializers.IntegerField()
    words = serializers.CharField()
    at_written = serializers.CharField()
    next_at = serializers.DateTimeField(allow_null=True)


class ChoosableShape(Shape):
    """What can be chosen for one restore; default: what holds where nothing is."""

    name = serializers.CharField()
    label = serializers.CharField()  # type: ignore[assignment]
    choices = serializers.ListField(child=serializers.CharField())
    default = serializers.CharField()


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
    choices = ChoosableShape(many=True)
    tags = texts_field()
    urgent = texts_field(help_text="Patterns of what is urgent when it differs.")
    minor = texts_field(help_text="Patterns of what is minor.")
    sample = SampleShape(many=True)
    work = WorkShape(many=True)
    failed = WorkShape(allow_null=True)
    runs = RunBriefShape(many=True)
    baseline = RecordShape(allow_null=True)
    off_baseline = tally_field()
    kept = RecordShape(allow_null=True, help_text="The newest backup of a branch, kept by hand.")
    schedules = NextTimeShape(many=True)
    trouble = serializers.CharField(allow_blank=True)


class WatchedShape(Shape):
    """How a system is watched: words to group it by, what is urgent of it, and what is minor.

    A pattern that begins with a slash is of a place and all beneath it; another one of an
    attribute, `attribute` or `kind:attribute`.
    """

    tags = serializers.ListField(child=serializers.CharField(max_length=40), max_length=20)
    urgent = texts_field(max_length=200)
    minor = texts_field(max_length=200)


class BriefRecordShape(Shape):
    """A backup or a look, named in passing."""

    id = serializers.IntegerField()
    kind = serializers.ChoiceField(choices=Record.Kind.choices)
    taken_at = serializers.DateTimeField()
    note = serializers.CharField(allow_blank=True)
    file = serializers.CharField(help_text="The name of the file it was opened from; else empty.")


class RecordChangeShape(Shape):
    """What can be changed of a backup."""

    note = serializers.CharField(max_length=400, allow_blank=True, required=False)
    pinned = serializers.BooleanField(required=False)
    baseline = serializers.BooleanField(required=False)
