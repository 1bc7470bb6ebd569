"""The shapes of a comparison: its head, its rows, and one object on the bench."""

from rest_framework import serializers

from keepsort.core.compare.comparison import STATES
from keepsort.server.api.shapes.base import Shape, path_field, tally_field, texts_field
from keepsort.server.api.shapes.records import AsideShape, RecordShape

ROW_STATES = ("same", "outside", *STATES)
STRETCH_STATES = ("same", "changed", "missing", "extra")
SPACES = ("ends", "runs", "all")
ATTRIBUTE_STATES = (*STRETCH_STATES, "follows")


class RulesShape(Shape):
    """Ignore rules: what does not count."""

    letter_case = serializers.BooleanField(default=False)
    space = serializers.ChoiceField(choices=SPACES, allow_blank=True, default="")
    blank_lines = serializers.BooleanField(default=False)
    comments = texts_field(default=list, max_length=100)
    order = serializers.BooleanField(default=False)
    attributes = texts_field(default=list, max_length=200)
    paths = texts_field(default=list, max_length=200)


class HiddenShape(Shape):
    """Of how many objects each of some rules would hide something, by itself."""

    hides = serializers.ListField(child=serializers.IntegerField())


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
    tally = tally_field()
    shown = serializers.IntegerField()
    same = serializers.IntegerField()
    hidden = serializers.IntegerField()
    at = path_field()
    top = serializers.CharField()
    covers = path_field()
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
    not_kept = serializers.IntegerField(
        help_text="Objects of one side that the other left out by choice."
    )


class RowShape(Shape):
    """A row of the merged tree."""

    path = path_field()
    name = serializers.CharField(allow_blank=True)
    depth = serializers.IntegerField()
    kind = serializers.CharField()
    kind_label = serializers.CharField()
    icon = serializers.CharField()
    state = serializers.ChoiceField(choices=ROW_STATES)
    attributes = serializers.ListField(child=serializers.CharField())
    live_path = path_field(allow_null=True)
    tally = tally_field()
    children = serializers.IntegerField()
    similarity = serializers.FloatField(allow_null=True)
    brief = texts_field(allow_null=True)
    opened = serializers.BooleanField()


class LevelShape(Shape):
    """Rows of one level, or of several opened at once."""

    total = serializers.IntegerField()
    start = serializers.IntegerField()
    rows = RowShape(many=True)
    page = serializers.IntegerField(help_text="So many rows are told at once; pages begin there.")


class ShownShape(Shape):
    """A value ready to be shown."""

    form = serializers.ChoiceField(choices=("text", "data", "hex", "secret", "reference"))
    text = serializers.CharField(allow_blank=True)
    size = serializers.IntegerField()
    path = path_field(allow_null=True)
    exists = serializers.BooleanField(allow_null=True)
    part = serializers.CharField(allow_blank=True)
    pieces = serializers.ListField(child=serializers.CharField(allow_blank=True))


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

    keys = path_field()
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
    consequence_of = path_field(allow_null=True)
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

    path = path_field()
    attribute = serializers.CharField()


class SuggestionShape(Shape):
    """A guess that a missing object is an extra one."""

    path = path_field()
    written = serializers.CharField()
    live_path = path_field()
    live_written = serializers.CharField()
    similarity = serializers.FloatField()


class BenchShape(Shape):
    """An object on both sides."""

    path = path_field()
    written = serializers.CharField()
    name = serializers.CharField()
    kind = serializers.CharField()
    kind_label = serializers.CharField()
    state = serializers.ChoiceField(choices=ROW_STATES)
    live_path = path_field(allow_null=True)
    similarity = serializers.FloatField(allow_null=True)
    suggestion = SuggestionShape(allow_null=True)
    interrupts = serializers.CharField(allow_blank=True)
    pattern = serializers.CharField(allow_blank=True)
    attributes = AttributeShape(many=True)
    facts = AttributeShape(many=True)
    hidden = serializers.ListField(child=serializers.CharField())
    left_exists = serializers.BooleanField()
    right_exists = serializers.BooleanField()
    unreadable = serializers.CharField(allow_blank=True)
    consequences = ConsequenceShape(many=True)
    consequence_count = serializers.IntegerField()
    referrers = serializers.IntegerField(allow_null=True)


class BranchRowShape(Shape):
    """An object that differs, in the table of a branch."""

    path = path_field()
    written = serializers.CharField()
    name = serializers.CharField()
    kind_label = serializers.CharField()
    state = serializers.ChoiceField(choices=ROW_STATES)
    live_path = path_field(allow_null=True)
    attributes = AttributeShape(many=True)
    more = serializers.IntegerField()
    differing = serializers.ListField(child=serializers.CharField())
    holds = serializers.IntegerField()


class BranchTableShape(Shape):
    """All that differs beneath a place; grouped: objects of which all is told in groups."""

    total = serializers.IntegerField()
    start = serializers.IntegerField()
    grouped = serializers.IntegerField()
    rows = BranchRowShape(many=True)


class CommonShape(Shape):
    """A change that several objects have in common; the attribute is that of the first."""

    number = serializers.IntegerField()
    kind = serializers.CharField()
    kind_label = serializers.CharField()
    count = serializers.IntegerField()
    attribute = AttributeShape()
    named = serializers.ListField(child=serializers.CharField())


class CommonFoundShape(Shape):
    """Changes in common, those of the most objects first; unseen: how many were not looked at."""

    total = serializers.IntegerField()
    unseen = serializers.IntegerField()
    groups = CommonShape(many=True)


class CommonPathsShape(Shape):
    """Where the objects are that have a change in common."""

    total = serializers.IntegerField()
    paths = serializers.ListField(child=path_field())


class ShownRowShape(Shape):
    """One of the differences that are shown."""

    path = path_field()
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

    paths = serializers.ListField(child=path_field())
