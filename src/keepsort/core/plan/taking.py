"""Turns picks into what is to be put back and what is to be taken away."""

from collections.abc import Sequence

from keepsort.core.compare import Comparison, Difference
from keepsort.core.model import Path, Value, is_beneath
from keepsort.core.plan.anchoring import Gone, anchored
from keepsort.core.plan.composing import ABSENT, Absent
from keepsort.core.plan.contents import put_part
from keepsort.core.plan.findings import Findings
from keepsort.core.plan.left_behind import LeftBehind
from keepsort.core.plan.picks import AttributePick, Pick, Policy, merged
from keepsort.core.plan.targets import Target, Targets

_AS_PICKED = Pick(())


class Taker:
    """Takes picks one by one; `targets` is what they came to."""

    def __init__(self, comparison: Comparison, policy: Policy, findings: Findings) -> None:
        self.comparison = comparison
        self.findings = findings
        self.targets = Targets()
        #: keys of targets that came since somebody last looked
        self.arrived: list[Path] = []
        self._backup, self._live = comparison.left, comparison.right
        self._schema = comparison.left.schema
        self._keys = self._schema.names.keys
        self._policy = policy
        self.behind = LeftBehind(self._schema, self._live.schema)
        self._composed = any(kind.parts_in for kind in self._schema.kinds.values())

    def take(self, picks: Sequence[Pick]) -> None:
        """Take what a person picked."""
        for pick in merged(picks):
            if pick.scope == "remove":
                self._take_removal(pick)
            elif pick.scope == "branch":
                self._take_branch(pick)
            else:
                self._take_object(pick)

    def bring(self, difference: Difference, reason: str) -> None:
        """Take an object that nobody picked, because what was picked needs it."""
        self._take_difference(difference, _AS_PICKED, reason)

    def _take_branch(self, pick: Pick) -> None:
        path = pick.path
        found = self.comparison.beneath(path)
        if not found and self._backup.find(path) is None and self._live.find(path) is None:
            self._no_such_object(path)
        out = [(self._keys(left.path), left.alone) for left in pick.without]
        for difference in found:
            key = self._keys(difference.path)
            if difference.state == "extra" or any(
                key == place if alone else is_beneath(key, place) for place, alone in out
            ):
                continue
            if any(is_beneath(place, key) for place, _ in out):
                self._take_without_parts(difference, pick)
            else:
                self._take_difference(difference, pick)

    def _take_without_parts(self, difference: Difference, pick: Pick) -> None:
        """Take an object that something left out lies beneath.

        Where it holds that as a part of itself, what holds the parts is not taken as a whole; those
        that are picked come one by one.
        """
        parts_in = self._schema.parts_in(difference.kind)
        if not parts_in:
            self._take_difference(difference, pick)
        elif difference.right is None:
            text = "It does not exist live, so it comes whole, with what was left out in it."
            self.findings.add("confirm", "whole-object", difference.path, text)
            self._take_difference(difference, pick)
        else:
            names = [*difference.attributes, *(["place"] if difference.state == "moved" else [])]
            others = tuple(AttributePick(name) for name in names if name != parts_in)
            if others:
                part = Pick(difference.path, "attributes", others, pick.policy)
                self._take_difference(difference, part)

    def _no_such_object(self, path: Path) -> None:
        text = "There is no such object in the backup."
        self.findings.add("stop", "no-such-object", path, text)

    def _take_removal(self, pick: Pick) -> None:
        count = 0
        for difference in self.comparison.beneath(pick.path):
            if difference.state == "extra" and difference.right is not None:
                count += 1
                holder = self._holder(difference.path)
                if holder is None:
                    self.targets.removals[self._keys(difference.path)] = difference.right
                elif self._keys(holder) not in self.targets.removals:
                    self._edit(holder, difference, ABSENT)
        if not count:
            text = "Nothing here is extra; nothing goes."
            self.findings.add("note", "nothing-extra", pick.path, text)

    def _take_object(self, pick: Pick) -> None:
        here = self.comparison.at(pick.path)
        differences = [d for d in here if d.left or d.state == "unreadable"]
        if differences:
            self._take_difference(differences[0], pick)
        elif here:
            text = "It is not in the backup. To take it away, pick its removal."
            self.findings.add("stop", "not-in-backup", pick.path, text)
        elif self._backup.find(pick.path) is None:
            self._no_such_object(pick.path)
        else:
            text = "It is the same live; nothing to put back."
            self.findings.add("note", "same", pick.path, text)

    def _take_difference(self, difference: Difference, pick: Pick, reason: str = "") -> None:
        if difference.state == "unreadable" or difference.left is None:
            text = "It could not be read on both sides, so it cannot be put back."
            self.findings.add("stop", "unreadable", difference.path, text)
            return
        policy = pick.policy or self._policy
        if difference.right is not None and policy == "keep":
            text = "It exists live and stays as it is: the policy keeps what exists."
            self.findings.add("note", "kept", difference.path, text)
            return
        holder = self._holder(difference.path)
        if holder is not None:
            self._take_part(holder, difference, pick, policy)
            return
        if difference.state == "missing":
            self._tell_suggestion(difference.path)
        if difference.similarity is not None and difference.live_path is not None:
            self._rests_on_a_guess(difference, difference.live_path, difference.similarity)
        parts = self._parts(difference, pick)
        moved = difference.state == "moved" and (parts is None or "place" in parts)
        if parts is not None:
            parts.pop("place", None)
        known = self.targets.restored.get(self._keys(difference.path))
        if known is None:
            self._add(
                Target(
                    difference.path, difference.left, difference.right, moved, parts, policy, reason
                )
            )
            return
        # what is picked twice is picked in all that either pick says
        known.moved = known.moved or moved
        if known.parts is not None:
            known.parts = None if parts is None else known.parts | parts

    def _add(self, target: Target) -> None:
        key = self._keys(target.path)
        self.targets.restored[key] = target
        self.arrived.append(key)

    def _tell_suggestion(self, path: Path) -> None:
        """Ask about a missing object that may be an extra one, where nobody has said that it is."""
        guess = self.comparison.suggestion(path)
        if guess is not None:
            text = (
                f"Live has {self._schema.notation.write(guess.live_path)}, which is "
                f"{int(guess.similarity * 100)} % alike and in no backup. Nobody has said that it "
                "is the same, so this comes anew, and that stays. Confirm it, or accept the move "
                "first."
            )
            self.findings.add("confirm", "suggested-move", path, text)

    def _rests_on_a_guess(self, difference: Difference, live: Path, similarity: float) -> None:
        place = self._schema.notation.write(live)
        text = (
            f"It is taken to be {place}, which is {int(similarity * 100)} % alike, because "
            "somebody said so: that object goes from there and becomes this one."
        )
        self.findings.add("confirm", "accepted-move", difference.path, text)

    def _parts(self, difference: Difference, pick: Pick) -> dict[str, AttributePick] | None:
        """Return which attributes of an object are picked; None for all of them."""
        if difference.state == "recreated" and difference.attributes:
            text = "Live has another object here; it gets these values and keeps its own id."
            self.findings.add("confirm", "recreated", difference.path, text)
        if pick.scope != "attributes":
            return None
        parts = {a.name: a for a in pick.attributes}
        for name in parts.keys() - set(difference.attributes):
            self._check_part(difference, name)
        if difference.right is None:
            text = "It does not exist live, so the whole object comes with the attribute."
            self.findings.add("note", "whole-object", difference.path, text)
            return None
        if self._changes_kind(difference, parts):
            text = (
                "It is of another kind live, and what is picked of it makes sense in one of the "
                "two kinds only, so all of it comes."
            )
            self.findings.add("confirm", "kind-changes", difference.path, text)
            return None
        return self._anchored(difference, parts)

    def _changes_kind(self, difference: Difference, parts: dict[str, AttributePick]) -> bool:
        assert difference.left is not None
        assert difference.right is not None
        one, two = difference.left.entry, difference.right.entry
        if one.kind == two.kind:
            return False
        common = self._backup.attributes(one).keys() & self._live.attributes(two).keys()
        return any(name != "place" and name not in common for name in parts)

    def _anchored(
        self, difference: Difference, parts: dict[str, AttributePick]
    ) -> dict[str, AttributePick]:
        """Find what is picked of attributes in what the two sides have; refuse what is gone."""
        if all(part.whole for part in parts.values()):
            return parts
        assert difference.left is not None
        assert difference.right is not None
        left = self._backup.whole_attributes(difference.left.entry)
        right = self._live.whole_attributes(difference.right.entry)
        found = {}
        for name, part in parts.items():
            try:
                found[name] = anchored(
                    self._schema, difference.kind, part, left, right, difference.path
                )
            except Gone as gone:
                self.findings.add("stop", "part-gone", difference.path, str(gone), name)
        return found

    def _check_part(self, difference: Difference, name: str) -> None:
        assert difference.left is not None
        known = self._backup.attributes(difference.left.entry)
        live = self._live.attributes(difference.right.entry) if difference.right else {}
        if name != "place" and name not in known and name not in live:
            text = f"Neither side has an attribute {name}."
            self.findings.add("stop", "no-such-attribute", difference.path, text, name)

    # Parts of objects that hold others in one of their attributes

    def _holder(self, path: Path) -> Path | None:
        """Return the object that holds what stands at `path` as a part of it, where one does."""
        if not self._composed:
            return None
        for depth in range(len(path) - 1, len(self._backup.at) - 1, -1):
            above = path[:depth]
            node = self._backup.find(above) or self._live.find(above)
            if node is not None and self._schema.parts_in(node.entry.kind):
                return self.comparison.backup_path(above)
        return None

    def _take_part(self, holder: Path, difference: Difference, pick: Pick, policy: Policy) -> None:
        """Turn the pick of a part into an edit of the object that holds it."""
        assert difference.left is not None
        wanted = self._backup.whole_attributes(difference.left.entry)
        if difference.right is not None:
            if policy == "fill":
                return
            if pick.scope == "attributes":
                kind = difference.left.entry.kind
                backup, wanted = wanted, self._live.whole_attributes(difference.right.entry)
                picked = {a.name: a for a in pick.attributes}
                for part in self._anchored(difference, picked).values():
                    put_part(self._schema.spec(kind, part.name), wanted, backup, part)
        self._edit(holder, difference, wanted.get("value"))

    def _edit(self, holder: Path, difference: Difference, value: Value | Absent) -> None:
        for found in self.comparison.at(holder):
            if found.left is not None and found.right is None:
                self.bring(found, f"holds {difference.path[-1]}, and does not exist live")
                return
        key = self._keys(holder)
        path = difference.path if difference.left else self.comparison.backup_path(difference.path)
        self.targets.edits.setdefault(key, {})[path[len(holder) :]] = value
        if key not in self.targets.restored:
            live = self._live.find(self.comparison.live_path(holder))
            node = self._backup.find(holder) or live
            assert node is not None
            self._add(Target(holder, node, live, False, {}, self._policy, ""))
