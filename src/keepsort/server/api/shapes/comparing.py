"""The shapes of a comparison: its head, its rows, and one object on the bench."""

from dataclasses import dataclass

from rest_framework import serializers

from keepsort.core.compare import Rules, State
from keepsort.core.model import Path
from keepsort.server.api.shapes.base import Shape, texts_field
from keepsort.server.api.shapes.records import AsideAnswer, RecordAnswer

SPACES = ("ends", "runs", "all")


class RulesShape(Shape):
    """Ignore rules: what does not count."""

    letter_case = serializers.BooleanField(default=False)
    space = serializers.ChoiceField(choices=SPACES, allow_blank=True, default="")
    blank_lines = serializers.BooleanField(default=False)
    comments = texts_field(default=list, max_length=100)
    order = serializers.BooleanField(default=False)
    attributes = texts_field(default=list, max_length=200)
    paths = texts_field(default=list, max_length=200)


class FullRules(Rules, frozen=True, omit_defaults=False):
    """Ignore rules with nothing left out, as the API gives them."""


@dataclass(kw_only=True)
class HiddenAnswer:
    """Of how many objects each of some rules would hide something, by itself."""

    hides: list[int]


@dataclass(kw_only=True)
class FacetAnswer:
    """A kind of object or an attribute, and in how many differences it stands."""

    name: str
    label: str
    count: int


@dataclass(kw_only=True)
class CompareHeadAnswer:
    """Two records compared, in sum.

    tally: what all filters but that by kind of difference let through. shown: what all do.
    covers: the branch that is compared; empty where all of the system is.
    missing: the first lines of a pasted list that name nothing that differs.
    mentions: of how many objects a file tells; null where it tells of all.
    not_kept: objects of one side that the other left out by choice.
    alike: how alike a missing and an extra object must be to be suggested as the same, 0 to 1.
    """

    left: RecordAnswer
    right: RecordAnswer
    tally: dict[str, int]
    shown: int
    same: int
    hidden: int
    at: Path
    top: str
    covers: Path
    kinds: list[FacetAnswer]
    attributes: list[FacetAnswer]
    rules: FullRules
    alike: float
    missing: list[str]
    missing_count: int
    mentions: int | None
    aside: list[AsideAnswer]
    aside_count: int
    not_kept: int


@dataclass(kw_only=True)
class LinesAnswer:
    """Lines of a text."""

    lines: list[str]


@dataclass(kw_only=True)
class CommonPathsAnswer:
    """Where the objects are that have a change in common."""

    total: int
    paths: list[Path]


@dataclass(kw_only=True)
class ShownRowAnswer:
    """One of the differences that are shown."""

    path: Path
    state: State


@dataclass(kw_only=True)
class ShownListAnswer:
    """All differences that are shown, as far as they can be picked at once."""

    total: int
    rows: list[ShownRowAnswer]


class PastedShape(Shape):
    """A pasted list."""

    text = serializers.CharField(max_length=2_000_000)


@dataclass(kw_only=True)
class ListAnswer:
    """A list that is kept."""

    id: int
    lines: int


@dataclass(kw_only=True)
class NeighboursAnswer:
    """Where the next differences are."""

    paths: list[Path]
