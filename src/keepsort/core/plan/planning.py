"""Makes a plan: picks become targets, targets bring what they need, steps fall into order.

The steps are made by carrying them out on a draft of the live tree one by one, so each step's
before and after are what the run will really meet, and a plan is a rehearsal from the start.
"""

import msgspec

from keepsort.core.compare import Comparison, Difference
from keepsort.core.compare.maps import with_keys
from keepsort.core.compare.sequences import with_hunks
from keepsort.core.compare.values import differing_names, element_key, equal_values
from keepsort.core.model import Attributes, ConfigObject, Path, Schema, Value, is_beneath
from keepsort.core.plan.composing import ABSENT, PLAIN, Absent, Composer, Edit, Unfit
from keepsort.core.plan.findings import Finding, Level
from keepsort.core.plan.ordering import arrivals, merged, placed
from keepsort.core.plan.picks import AttributePick, Pick, Policy
from keepsort.core.plan.references import Places, redirected, references, referrers
from keepsort.core.plan.rehearsal import carry_out
from keepsort.core.plan.steps import Action, Plan, Step
from keepsort.core.snapshot import Draft, Node


class Offer(msgspec.Struct, frozen=True):
    """Something not picked that belongs with what is: a group that listed the object, say.

    element: the element of a set that names it; None where the attribute as a whole is meant.
    """

    path: Path
    attribute: str
    element: Value
    target: Path


class _Target(msgspec.Struct):
    """An object of the backup that is to be put back, as a whole or in part."""

    path: Path
    node: Node
    live: Node | None
    moved: bool
    parts: dict[str, AttributePick] | None
    policy: Policy
    reason: str
    deferred: bool = False
    blocked: bool = False
    done_by: int = 0


def plan_restore(
    comparison: Comparison,
    picks: list[Pick],
    *,
    policy: Policy = "overwrite",
    composer: Composer = PLAIN,
) -> Plan:
    """Plan what the picks ask for. The same input gives the same plan.

    comparison: the backup against a look at live; its live side is what every step expects.
    composer: knows how objects of this system hold parts.
    """
    planner = _Planner(comparison, policy, composer)
    planner.take(picks)
    planner.close_needs()
    planner.emit()
    return Plan(tuple(planner.steps), planner.findings)


def offers(comparison: Comparison, plan: Plan) -> list[Offer]:
    """List references to what the plan brings back that the backup has and live has not."""
    names = comparison.names
    schema = comparison.left.schema
    brought = {names.keys(s.final_path) for s in plan.steps if s.action in ("create", "move")}
    updated = {names.keys(s.final_path): s.after for s in plan.steps if s.after is not None}
    found = []
    for difference in comparison.differences:
        if difference.state != "changed" or difference.left is None or not brought:
            continue
        attributes = comparison.left.attributes(difference.left.entry)
        after = updated.get(names.keys(difference.path), {})
        for name, path in references(schema, difference.kind, attributes):
            if name in difference.attributes and names.keys(path) in brought:
                element = schema.notation.write(path)
                spec = schema.spec(difference.kind, name)
                if spec.shape != "set":
                    found.append(Offer(difference.path, name, None, path))
                    continue
                present = {element_key(spec, v) for v in after.get(name, []) or []}
                if element_key(spec, element) not in present:
                    found.append(Offer(difference.path, name, element, path))
    return found


class _Planner:
    def __init__(self, comparison: Comparison, policy: Policy, composer: Composer) -> None:
        self.comparison = comparison
        self.composer = composer
        self.backup = comparison.left
        self.live = comparison.right
        self.schema: Schema = comparison.left.schema
        self.keys = self.schema.names.keys
        self.policy = policy
        self.composed = any(kind.parts_in for kind in self.schema.kinds.values())
        #: what is picked of the parts of an object, by where that object is in the backup
        self.edits: dict[Path, dict[Path, Value | Absent]] = {}
        self.targets: dict[Path, _Target] = {}
        self.removals: dict[Path, Node] = {}
        self.gone: set[Path] = set()
        self._found: dict[str, Finding] = {}
        self.steps: list[Step] = []
        self.draft = Draft(self.live)
        self.places = Places(self.schema)
        self.emitted: set[Path] = set()
        self.in_progress: list[Path] = []
        self.step_at: dict[Path, int] = {}

    # Taking picks

    def take(self, picks: list[Pick]) -> None:
        """Turn picks into targets and removals."""
        for pick in picks:
            if pick.scope == "remove":
                self._take_removal(pick)
            elif pick.scope == "branch":
                for difference in self._beneath(pick.path):
                    if difference.state != "extra":
                        self._take_difference(difference, pick)
            else:
                self._take_object(pick)

    def _beneath(self, path: Path) -> list[Difference]:
        found = self.comparison.beneath(path)
        if not found and self.backup.find(path) is None and self.live.find(path) is None:
            self._find("stop", "no-such-object", path, "There is no such object in the backup.")
        return found

    def _take_removal(self, pick: Pick) -> None:
        count = 0
        for difference in self.comparison.beneath(pick.path):
            if difference.state == "extra" and difference.right is not None:
                count += 1
                holder = self._holder(difference.path)
                if holder is None:
                    self.removals[self.keys(difference.path)] = difference.right
                elif self.keys(holder) not in self.removals:
                    self._edit(holder, difference, ABSENT)
        if not count:
            self._find("note", "nothing-extra", pick.path, "Nothing here is extra; nothing goes.")

    def _take_object(self, pick: Pick) -> None:
        differences = [
            d for d in self.comparison.at(pick.path) if d.left or d.state == "unreadable"
        ]
        if differences:
            self._take_difference(differences[0], pick)
            return
        if self.comparison.at(pick.path):
            text = "It is not in the backup. To take it away, pick its removal."
            self._find("stop", "not-in-backup", pick.path, text)
        elif self.backup.find(pick.path) is None:
            self._find(
                "stop", "no-such-object", pick.path, "There is no such object in the backup."
            )
        else:
            self._find("note", "same", pick.path, "It is the same live; nothing to put back.")

    def _take_difference(self, difference: Difference, pick: Pick, reason: str = "") -> None:
        if difference.state == "unreadable" or difference.left is None:
            text = "It could not be read on both sides, so it cannot be put back."
            self._find("stop", "unreadable", difference.path, text)
            return
        policy = pick.policy or self.policy
        exists = difference.right is not None
        if exists and policy == "keep":
            text = "It exists live and stays as it is: the policy keeps what exists."
            self._find("note", "kept", difference.path, text)
            return
        holder = self._holder(difference.path)
        if holder is not None:
            self._take_part(holder, difference, pick, policy)
            return
        parts = None
        if pick.scope == "attributes":
            parts = {a.name: a for a in pick.attributes}
            for name in parts.keys() - set(difference.attributes):
                self._check_part(difference, name)
            if not exists:
                text = "It does not exist live, so the whole object comes with the attribute."
                self._find("note", "whole-object", difference.path, text)
                parts = None
        elif difference.state == "recreated" and difference.attributes:
            text = "Live has another object here; it gets these values and keeps its own id."
            self._find("confirm", "recreated", difference.path, text)
        key = self.keys(difference.path)
        known = self.targets.get(key)
        if known is not None:
            if known.parts is not None:
                known.parts = None if parts is None else known.parts | parts
            return
        moved = difference.state == "moved" and parts is None
        if parts is not None and "place" in parts:
            moved = difference.state == "moved"
            del parts["place"]
        self.targets[key] = _Target(
            difference.path, difference.left, difference.right, moved, parts, policy, reason
        )

    # Parts of objects

    def _holder(self, path: Path) -> Path | None:
        """Return the object that holds what stands at `path` as a part of it, where one does."""
        if not self.composed:
            return None
        for depth in range(len(path) - 1, len(self.backup.at) - 1, -1):
            above = path[:depth]
            node = self.backup.find(above) or self.live.find(above)
            if node is not None and self.schema.parts_in(node.entry.kind):
                return self.comparison.backup_path(above)
        return None

    def _take_part(self, holder: Path, difference: Difference, pick: Pick, policy: Policy) -> None:
        """Turn the pick of a part into an edit of the object that holds it."""
        assert difference.left is not None
        wanted = self.backup.object(difference.left).attributes
        if difference.right is not None:
            if policy == "fill":
                return
            if pick.scope == "attributes":
                kind = difference.left.entry.kind
                backup, wanted = wanted, self.live.object(difference.right).attributes
                for part in pick.attributes:
                    self._put_part(kind, wanted, backup, part)
        self._edit(holder, difference, wanted.get("value"))

    def _edit(self, holder: Path, difference: Difference, value: Value | Absent) -> None:
        key = self.keys(holder)
        for found in self.comparison.at(holder):
            if found.left is not None and found.right is None:
                whole = f"holds {difference.path[-1]}, and does not exist live"
                self._take_difference(found, _AS_PICKED, whole)
                return
        path = difference.path if difference.left else self.comparison.backup_path(difference.path)
        self.edits.setdefault(key, {})[path[len(holder) :]] = value
        if key not in self.targets:
            live = self.live.find(self.comparison.live_path(holder))
            node = self.backup.find(holder) or live
            assert node is not None
            self.targets[key] = _Target(holder, node, live, False, {}, self.policy, "")

    def _with_parts(self, target: _Target, wanted: Attributes) -> Attributes:
        edits = self.edits.get(self.keys(target.path))
        if not edits or (target.parts is None and target.policy == "overwrite"):
            return wanted
        try:
            return self.composer.edited(
                target.node.entry.kind, wanted, self._backup_attributes(target),
                [Edit(path, value) for path, value in edits.items()],
            )  # fmt: skip
        except Unfit as unfit:
            self._find("stop", "unfit", target.path, str(unfit))
            return wanted

    def _check_part(self, difference: Difference, name: str) -> None:
        if name == "place":
            return
        assert difference.left is not None
        known = self.backup.attributes(difference.left.entry)
        live = self.live.attributes(difference.right.entry) if difference.right else {}
        if name not in known and name not in live:
            text = f"Neither side has an attribute {name}."
            self._find("stop", "no-such-attribute", difference.path, text, name)

    # What targets need

    def close_needs(self) -> None:
        """Add parents and referenced objects that do not exist live, until nothing is wanting."""
        work = sorted(self.targets)
        while work:
            target = self.targets[work.pop(0)]
            before = set(self.targets)
            if target.live is None or target.moved:
                self._need_parent(target)
            self._need_references(target)
            work = sorted((*work, *(self.targets.keys() - before)))

    def _need_parent(self, target: _Target) -> None:
        for depth in range(len(target.path) - 1, len(self.backup.at) - 1, -1):
            above = target.path[:depth]
            if self.keys(above) in self.targets:
                self._upgrade(self.keys(above))
                continue
            for difference in self.comparison.at(above):
                if difference.state in ("missing", "moved"):
                    self._take_difference(difference, _AS_PICKED, f"holds {_name(target)}")

    def _upgrade(self, key: Path) -> None:
        """A parent picked only in part must still come to its place."""
        target = self.targets[key]
        for difference in self.comparison.at(target.path):
            if difference.state == "moved":
                target.moved = True

    def _need_references(self, target: _Target) -> None:
        for name, path in references(self.schema, target.node.entry.kind, self._written(target)):
            key = self.keys(path)
            if key in self.targets:
                continue
            for difference in self.comparison.at(path):
                if difference.state == "missing":
                    reason = f"{_name(target)} refers to it ({name})"
                    self._take_difference(difference, _AS_PICKED, reason)
            if self.backup.find(path) is None and self.live.find(path) is None:
                text = f"{name} names {self.schema.notation.write(path)}, which exists nowhere."
                self._find("note", "dangling", target.path, text, name)

    def _written(self, target: _Target) -> Attributes:
        """Return the backup's values that the target writes, as far as live lacks them."""
        wanted = self._backup_attributes(target)
        if target.live is None:
            return wanted
        live = self.live.attributes(target.live.entry)
        written: Attributes = {}
        for name in differing_names(self.schema, target.node.entry.kind, wanted, live):
            if name not in wanted or (target.parts is not None and name not in target.parts):
                continue
            if target.policy == "fill" and name in live:
                continue
            value = wanted[name]
            if isinstance(value, list) and isinstance(live.get(name), list):
                part = target.parts[name] if target.parts is not None else None
                value = [
                    v
                    for v in (value if part is None or part.whole else part.add)
                    if v not in live[name]
                ]
            written[name] = value
        return written

    def _backup_attributes(self, target: _Target) -> Attributes:
        found = self.backup.attributes(target.node.entry)
        return {name: self.backup.resolve(value) for name, value in found.items()}

    # Putting steps in order

    def emit(self) -> None:
        """Make the steps: places first, then contents, then removals."""
        for key in sorted(self.targets):
            self._place(self.targets[key])
        followers = self._followers()
        for key in sorted(self.targets):
            target = self.targets[key]
            if self._stands(target) and (target.done_by == 0 or target.live or target.deferred):
                self._update(target)
        self._follow(followers)
        self._remove_all()
        if self.schema.is_ordered:
            self._give_places()
        self._warn_interruptions()

    def _stands(self, target: _Target) -> bool:
        return not target.blocked and self.draft.get(self._place_of(target)) is not None

    def _place_of(self, target: _Target) -> Path:
        """Return where the target's object stands in the draft."""
        if target.live is None:
            return target.path
        return self.places.now(target.live.path)

    def _place(self, target: _Target) -> None:
        """Bring an object to its place: create it, or move it there."""
        key = self.keys(target.path)
        if key in self.emitted or key in self.in_progress:
            return
        if target.live is not None and not target.moved:
            self.emitted.add(key)
            return
        self.in_progress.append(key)
        for depth in range(len(self.backup.at), len(key)):
            if key[:depth] in self.targets:
                self._place(self.targets[key[:depth]])
        after: Attributes = {}
        if target.live is None:
            after = self._for_creation(target)
        self.in_progress.pop()
        if key in self.emitted:
            return
        self.emitted.add(key)
        if not self._make_room(target):
            target.blocked = True
            return
        parent = target.path[:-1]
        if self.draft.get(parent) is None and len(target.path) > len(self.live.at):
            if not self._has(target.path, "occupied"):
                text = "The object that should hold it does not exist live and is not picked."
                self._find("stop", "no-parent", target.path, text)
            target.blocked = True
            return
        if target.live is None:
            after = self._redirect(target, after)
            self._step("create", target, target.path, None, after)
        else:
            place = self.places.now(target.live.path)
            if self.keys(place) == self.keys(target.path):
                return
            found = self.draft.get(place)
            assert found is not None
            self._step("move", target, place, found.attributes, found.attributes, to=target.path)

    def _for_creation(self, target: _Target) -> Attributes:
        """Return what a new object gets; references in a circle are left for an update."""
        kind = target.node.entry.kind
        wanted = self._writable(target, self._backup_attributes(target), created=True)
        order = self.schema.order_of(kind)
        if order in wanted:
            wanted[order] = []  # what it holds comes after it
        for name, path in references(self.schema, kind, wanted):
            key = self.keys(path)
            if key not in self.targets or key in self.emitted:
                continue
            circle = any(key[:depth] in self.in_progress for depth in range(len(key) + 1))
            if not circle:
                self._place(self.targets[key])
            elif key != self.keys(target.path) and not self.schema.is_required(kind, name):
                wanted = {n: v for n, v in wanted.items() if n != name}
                target.deferred = True
        return wanted

    def _make_room(self, target: _Target) -> bool:
        """See that nothing else stands where the target should; tell whether that is so."""
        there = self.draft.get(target.path)
        if there is None:
            return True
        if target.live is not None:
            now = self.places.now(target.live.path)
            if self.keys(now) == self.keys(target.path):
                return True
        original = self._original_of(target.path)
        if original is None:
            return False
        key = self.keys(original)
        if key in self.removals and self._all_removed(target.path):
            place = self.keys(target.path)
            for inner, node in self.removals.items():
                if is_beneath(self.keys(self.places.now(node.path)), place):
                    self.gone.add(inner)
            self._remove(target.path)
            return True
        moves_away = any(
            t.live is not None and t.moved and self.keys(t.live.path) == key
            for t in self.targets.values()
        )
        if key in self.removals or moves_away:
            self._step_aside(target.path, there)
            return True
        text = (
            f"{self.schema.notation.write(target.path)} is taken live by another object that is "
            "not picked. Pick its removal, or its move back, as well."
        )
        self._find("stop", "occupied", target.path, text)
        return False

    def _original_of(self, path: Path) -> Path | None:
        """Return where what now stands at `path` stood in the beginning."""
        for candidate in (
            *(node for key, node in self.removals.items() if key not in self.gone),
            *(t.live for t in self.targets.values() if t.live is not None),
            self.live.find(path),
        ):
            if candidate is None:
                continue
            if self.keys(self.places.now(candidate.path)) == self.keys(path):
                return candidate.path
        return None

    def _all_removed(self, path: Path) -> bool:
        inner = [(*path, name) for name in self._held(path)]
        original = self._original_of(path)
        return (
            original is not None
            and self.keys(original) in self.removals
            and all(self._all_removed(p) for p in inner)
        )

    def _step_aside(self, path: Path, there: ConfigObject) -> None:
        number = 1
        while self.draft.get((*path[:-1], f"{path[-1]}-aside-{number}")) is not None:
            number += 1
        to = (*path[:-1], f"{path[-1]}-aside-{number}")
        self._append(
            "move", path, there.kind, there.attributes, there.attributes, to,
            reason="makes room for another object", identity=there.identity,
        )  # fmt: skip

    def _update(self, target: _Target) -> None:
        path = self._place_of(target)
        found = self.draft.get(path)
        assert found is not None
        live = found.attributes
        if target.live is not None:
            live = redirected(self.schema, found.kind, live, self.places.now)
        after = self._with_parts(target, self._wanted(target, live))
        after = self._redirect(target, after)
        order = self.schema.order_of(found.kind)
        if order and isinstance(after.get(order), list):
            after = {**after, order: merged(after[order], found.attributes.get(order) or [])}
        after = self.composer.settled(
            found.kind, found.attributes, after, self._backup_attributes(target)
        )
        whole = target.parts is None and target.policy == "overwrite"
        kind_changes = (
            whole or "kind" in (target.parts or ())
        ) and found.kind != target.node.entry.kind
        if kind_changes or differing_names(self.schema, found.kind, found.attributes, after):
            self._step("update", target, path, found.attributes, after, kind_changes=kind_changes)

    def _wanted(self, target: _Target, live: Attributes) -> Attributes:
        """Return all attributes as they should be after an update."""
        backup = self._backup_attributes(target)
        if target.parts is None:
            if target.policy == "fill":
                backup = {**backup, **live}
            wanted = backup
        else:
            wanted = dict(live)
            for name, part in target.parts.items():
                if name != "kind":
                    self._put_part(target.node.entry.kind, wanted, backup, part)
        return self._writable(target, wanted, live=live)

    def _put_part(
        self, kind: str, wanted: Attributes, backup: Attributes, part: AttributePick
    ) -> None:
        spec = self.schema.spec(kind, part.name)
        if part.hunks:
            left, right = backup.get(part.name, ""), wanted.get(part.name, "")
            if isinstance(left, dict):
                wanted[part.name] = with_keys(
                    left, right or {}, set(part.hunks), lambda a, b: equal_values(spec, a, b)
                )
            elif isinstance(left, list):
                wanted[part.name] = with_hunks(left, right or [], set(part.hunks))
            else:
                lines = with_hunks(
                    left.splitlines(keepends=True), right.splitlines(keepends=True), set(part.hunks)
                )
                wanted[part.name] = "".join(lines)
        elif part.whole:
            if part.name in backup:
                wanted[part.name] = backup[part.name]
            else:
                wanted.pop(part.name, None)
        else:
            gone = {element_key(spec, v) for v in part.remove}
            kept = [v for v in wanted.get(part.name, []) if element_key(spec, v) not in gone]
            there = {element_key(spec, v) for v in kept}
            kept += [v for v in part.add if element_key(spec, v) not in there]
            if kept:
                wanted[part.name] = kept
            else:
                wanted.pop(part.name, None)

    def _writable(
        self,
        target: _Target,
        wanted: Attributes,
        live: Attributes | None = None,
        created: bool = False,
    ) -> Attributes:
        """Leave read-only attributes as they are live, and say so where they differ."""
        kind = target.node.entry.kind
        live = live or {}
        result: Attributes = {}
        for name in sorted(wanted.keys() | live.keys()):
            if self.schema.spec(kind, name).read_only:
                if name in live:
                    result[name] = live[name]
                same = name in live and equal_values(
                    self.schema.spec(kind, name), wanted.get(name), live[name]
                )
                if not same and not created:
                    text = f"{name} is set by the system itself and stays as it is."
                    self._find("note", "read-only", target.path, text, name)
            elif name in wanted:
                result[name] = wanted[name]
        return result

    def _redirect(self, target: _Target, attributes: Attributes) -> Attributes:
        """Let references name their targets where those will stand."""

        def place(path: Path) -> Path:
            if self.keys(path) in self.targets or self.draft.get(path) is not None:
                return path
            elsewhere = self.comparison.live_path(path)
            if elsewhere is path:
                return path
            now = self.places.now(elsewhere)
            return path if self.keys(now) == self.keys(path) else now

        result = redirected(self.schema, target.node.entry.kind, attributes, place)
        if result is not attributes:
            for name in differing_names(self.schema, target.node.entry.kind, attributes, result):
                text = f"{name} names an object that stands elsewhere live; it is named there."
                self._find("note", "redirected", target.path, text, name)
        return result

    def _followers(self) -> dict[Path, Node]:
        """Find the live objects that refer to something that was moved."""
        moved = [
            self.targets[key].live.path  # type: ignore[union-attr]
            for key in sorted(self.targets)
            if self.targets[key].moved
            and self.targets[key].live is not None
            and key in self.emitted
        ]
        if not moved:
            return {}
        return {self.keys(node.path): node for node, _, _ in referrers(self.live, moved)}

    def _follow(self, followers: dict[Path, Node]) -> None:
        """Let references of objects that nobody picked follow the moves."""
        picked = {self.keys(t.live.path) for t in self.targets.values() if t.live is not None}
        for key in sorted(followers):
            node = followers[key]
            if key in self.removals or key in picked:
                continue
            path = self.places.now(node.path)
            found = self.draft.get(path)
            if found is None:
                continue
            after = redirected(self.schema, found.kind, found.attributes, self.places.now)
            after |= self._as_backup(node, found)
            if differing_names(self.schema, found.kind, found.attributes, after):
                self._append(
                    "update", path, found.kind, found.attributes, after, None,
                    reason="refers to an object that moves", identity=found.identity,
                )  # fmt: skip

    def _as_backup(self, node: Node, found: ConfigObject) -> Attributes:
        """Return those values that are as in the backup already: what they name may have changed
        places with something else, and they are to name what they name in the backup."""
        origin = self.backup.find(self.comparison.backup_path(node.path))
        if origin is None:
            return {}
        then = self.backup.object(origin).attributes
        differ = set(differing_names(self.schema, found.kind, then, found.attributes))
        return {name: value for name, value in found.attributes.items() if name not in differ}

    def _give_places(self) -> None:
        """Give what came its place among the children of what holds it, as the backup has it."""
        for path, children in arrivals(self.draft, self.steps).items():
            holder = self.draft.get(path)
            stays = self.keys(path) not in self.targets and self.live.find(path) is not None
            origin = self.backup.find(self.comparison.backup_path(path) if stays else path)
            name = self.schema.order_of(holder.kind) if holder is not None else ""
            if holder is None or origin is None or not name:
                continue
            wanted = self.backup.object(origin).attributes.get(name)
            present = holder.attributes.get(name)
            if not isinstance(wanted, list) or not isinstance(present, list):
                continue
            order = list(present)
            for child in sorted(
                (c[-1] for c in children), key=lambda n: wanted.index(n) if n in wanted else -1
            ):
                order = placed(child, wanted, order)
            if order != present:
                after = {**holder.attributes, name: order}
                self._append(
                    "update", path, holder.kind, holder.attributes, after, None,
                    reason="keeps the order of what it holds", identity=holder.identity,
                )  # fmt: skip

    def _remove_all(self) -> None:
        pending = [
            self.places.now(node.path)
            for key, node in sorted(self.removals.items())
            if key not in self.gone
        ]
        named = self._named_by_others()
        for path in sorted(pending, key=lambda p: (-len(p), self.keys(p))):
            if self.draft.get(path) is None:
                continue
            if self._held(path):
                text = "It holds objects that are to stay, so it cannot be removed."
                self._find("stop", "holds-others", path, text)
                continue
            self._remove(path)
        for path, name, target in named:
            text = f"{name} still names {self.schema.notation.write(target)}, which is removed."
            self._find("confirm", "still-named", path, text, name)

    def _named_by_others(self) -> list[tuple[Path, str, Path]]:
        """List objects that would still refer to what is removed."""
        if not self.removals:
            return []
        found = []
        gone = [node.path for node in self.removals.values()]
        for node, name, target in referrers(self.live, gone):
            if self.keys(node.path) in self.removals:
                continue
            path = self.places.now(node.path)
            now = self.draft.get(path)
            if now is not None and any(
                n == name and self.keys(p) == self.keys(target)
                for n, p in references(self.schema, now.kind, now.attributes)
            ):
                found.append((path, name, target))
        return found

    def _remove(self, path: Path) -> None:
        for name in sorted(self._held(path), key=self.schema.names.key):
            self._remove((*path, name))
        found = self.draft.get(path)
        assert found is not None
        self._append(
            "delete", path, found.kind, found.attributes, None, None, identity=found.identity
        )

    def _held(self, path: Path) -> list[str]:
        """List the names of the objects beneath `path`, leaving out parts of the object itself."""
        found = self.draft.get(path)
        if found is None or self.schema.parts_in(found.kind):
            return []
        return self.draft.names(path)

    # Writing steps down

    def _step(
        self,
        action: Action,
        target: _Target,
        path: Path,
        before: Attributes | None,
        after: Attributes,
        to: Path | None = None,
        kind_changes: bool = False,
    ) -> None:
        identity = (target.live or target.node).entry.identity
        kind, was_kind = target.node.entry.kind, None
        if target.live is not None:
            live_kind = target.live.entry.kind
            kind, was_kind = (kind, live_kind) if kind_changes else (live_kind, None)
        own = target.node.entry.identity
        stands_for = own if target.parts is None and own != identity else None
        self._append(
            action, path, kind, before, after, to,
            reason=target.reason, identity=identity, was_kind=was_kind, stands_for=stands_for,
        )  # fmt: skip
        target.done_by = len(self.steps)

    def _append(
        self,
        action: Action,
        path: Path,
        kind: str,
        before: Attributes | None,
        after: Attributes | None,
        to: Path | None,
        *,
        reason: str = "",
        identity: str | None = None,
        was_kind: str | None = None,
        stands_for: str | None = None,
    ) -> None:
        followed = None
        if before is not None:
            alternative = redirected(self.schema, kind, before, self.places.now)
            followed = None if alternative is before else alternative
        step = Step(
            number=len(self.steps) + 1,
            action=action,
            path=path,
            kind=kind,
            was_kind=was_kind,
            to=to,
            before=before,
            after=after,
            followed=followed,
            needs=self._needed_steps(path, to, kind, after),
            reason=reason,
            identity=identity,
            stands_for=stands_for,
        )
        self.steps.append(step)
        carry_out(self.draft, step, self.composer)
        self.step_at[self.keys(path)] = step.number
        if to is not None:
            self.places.move(path, to)
            self.step_at[self.keys(to)] = step.number

    def _needed_steps(
        self, path: Path, to: Path | None, kind: str, after: Attributes | None
    ) -> tuple[int, ...]:
        """Find earlier steps at the same places, above them, beneath them if removed, or named."""
        wanted: set[Path] = set()
        for place in (path, to) if to is not None else (path,):
            keys = self.keys(place)
            wanted |= {keys[:depth] for depth in range(len(keys) + 1)}
        if after is not None:
            wanted |= {self.keys(p) for _, p in references(self.schema, kind, after)}
        found = {self.step_at[place] for place in wanted if place in self.step_at}
        if after is None:
            keys = self.keys(path)
            found |= {n for p, n in self.step_at.items() if p[: len(keys)] == keys}
        return tuple(sorted(found))

    def _warn_interruptions(self) -> None:
        told = set()
        for step in self.steps:
            kind = self.schema.kinds.get(step.kind)
            if kind is not None and kind.interrupts and kind.interrupts not in told:
                told.add(kind.interrupts)
                self._find("confirm", "interrupts", step.path, kind.interrupts)

    def _find(self, level: Level, code: str, path: Path, text: str, attribute: str = "") -> None:
        finding = Finding(level, code, text, path, attribute)
        self._found.setdefault(finding.name, finding)

    @property
    def findings(self) -> tuple[Finding, ...]:
        """What was found, in the order it was."""
        return tuple(self._found.values())

    def _has(self, path: Path, code: str) -> bool:
        return any(f.code == code and f.path == path for f in self.findings)


def _name(target: _Target) -> str:
    return target.path[-1] if target.path else "the topmost object"


_AS_PICKED = Pick(())
