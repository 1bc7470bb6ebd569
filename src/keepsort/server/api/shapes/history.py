"""The shapes of what became of an object, and of what a search finds."""

from dataclasses import dataclass

from keepsort.core.model import Path
from keepsort.server.api.shapes.records import BriefRecordAnswer
from keepsort.server.history.reading import MomentState


@dataclass(kw_only=True)
class MomentAnswer:
    """A version of an object: from one backup to another, or until now."""

    record: BriefRecordAnswer
    until: BriefRecordAnswer | None
    state: MomentState
    attributes: list[str]
    path: Path


@dataclass(kw_only=True)
class SinceAnswer:
    """Since which backup an attribute is as it is; `after` where no backup has it yet."""

    attribute: str
    record: BriefRecordAnswer | None
    after: BriefRecordAnswer | None


@dataclass(kw_only=True)
class HistoryAnswer:
    """The history of an object; `behind` while newer backups are not yet in it."""

    behind: bool
    moments: list[MomentAnswer]
    since: list[SinceAnswer]


@dataclass(kw_only=True)
class HitAnswer:
    """An object that a search found, and the backups that have it."""

    system: int
    system_name: str
    path: Path
    written: str
    name: str
    kind_label: str
    record: BriefRecordAnswer | None
    first: BriefRecordAnswer | None
    backups: int
    now: bool
    told_by: BriefRecordAnswer
    differing: int
    where: str


@dataclass(kw_only=True)
class FoundAnswer:
    """What a search found.

    behind: systems with backups that are not searched yet. unsure: systems whose newest look cannot
    be searched.
    """

    hits: list[HitAnswer]
    more: bool
    behind: list[str]
    unsure: list[str]
