"""What a plan is made for: the objects that are to be put back, and those to be taken away."""

from dataclasses import dataclass, field

import msgspec

from keepsort.core.model import Path, Value
from keepsort.core.plan.composing import Absent
from keepsort.core.plan.picks import AttributePick, Policy
from keepsort.core.snapshot import Node


class Target(msgspec.Struct):
    """An object of the backup that is to be put back, as a whole or in part.

    path, node: where it stands in the backup. live: where the same object stands now.
    moved: it is to be brought back to its place. parts: the attributes picked; None for all.
    reason: why it comes along; empty where it was picked.
    """

    path: Path
    node: Node
    live: Node | None
    moved: bool
    parts: dict[str, AttributePick] | None
    policy: Policy
    reason: str

    @property
    def name(self) -> str:
        """What it is called in a reason."""
        return self.path[-1] if self.path else "the topmost object"


@dataclass
class Targets:
    """All that picks came to, by paths as they compare.

    removals: extra objects that go, by where they stand live.
    edits: what is picked of the parts of an object, by where that object is in the backup.
    """

    restored: dict[Path, Target] = field(default_factory=dict)
    removals: dict[Path, Node] = field(default_factory=dict)
    edits: dict[Path, dict[Path, Value | Absent]] = field(default_factory=dict)
