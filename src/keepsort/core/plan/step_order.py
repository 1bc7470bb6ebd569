"""Puts the steps of a plan in order: places first, then contents, then removals."""

from collections.abc import Generator, Iterator

from keepsort.core.compare import Comparison
from keepsort.core.compare.values import differing_names
from keepsort.core.model import Attributes, ConfigObject, Path
from keepsort.core.plan import contents
from keepsort.core.plan.composing import Composer, Edit, Unfit
from keepsort.core.plan.effects import Effect
from keepsort.core.plan.findings import Findings
from keepsort.core.plan.following import follow, followers
from keepsort.core.plan.left_behind import LeftBehind
from keepsort.core.plan.ordering import arrivals, merged, placed
from keepsort.core.plan.references import redirected, references
from keepsort.core.plan.removing import Remover
from keepsort.core.plan.steps import Action, Step, numbers
from keepsort.core.plan.targets import Target, Targets
from keepsort.core.plan.writing import Writer


class Emitter:
    """Makes the steps for what is to be put back and taken away."""

    def __init__(
        self,
        comparison: Comparison,
        targets: Targets,
        composer: Composer,
        findings: Findings,
        behind: LeftBehind,
    ) -> None:
        self.writer = Writer(comparison.right, composer)
        self._comparison = comparison
        self._backup, self._live = comparison.left, comparison.right
        self._schema = comparison.left.schema
        self._keys = self._schema.names.keys
        self._targets = targets.restored
        self._edits = targets.edits
        self._composer = composer
        self._findings = findings
        self._behind = behind
        self._remover = Remover(targets.removals, comparison.right, self.writer, findings)
        #: targets by how far they are
        self._placed: set[Path] = set()
        self._in_progress: set[Path] = set()
        self._blocked: set[Path] = set()
        self._created: set[Path] = set()
        #: created without references that go round in a circle, or with such as may have to follow
        self._deferred: set[Path] = set()
        self._moving = {
            self._keys(t.live.path)
            for t in self._targets.values()
            if t.moved and t.live is not None
        }

    def emit(self) -> None:
        """Write all steps."""
        for key in sorted(self._targets):
            self._place(key)
        referring = followers(self._comparison, self._moved())
        for key in sorted(self._targets):
            if self._stands(key) and (key not in self._created or key in self._deferred):
                self._update(self._targets[key])
        picked = {self._keys(t.live.path) for t in self._targets.values() if t.live is not None}
        others = [
            referring[key]
            for key in sorted(referring.keys() - picked - self._remover.removals.keys())
        ]
        follow(self._comparison, self.writer, others)
        self._remover.remove_rest()
        if self._schema.is_ordered:
            self._give_places()
        self._behind.tell(self._findings)
        self._tell_what_came_to_nothing()
        self._warn_interruptions()

    def _moved(self) -> list[Path]:
        """List where the targets that are brought to their place stood in the beginning."""
        return [
            target.live.path
            for key, target in sorted(self._targets.items())
            if target.moved and target.live is not None and key in self._placed
        ]

    def _stands(self, key: Path) -> bool:
        where = self._place_of(self._targets[key])
        return key not in self._blocked and self.writer.draft.has(where)

    def _place_of(self, target: Target) -> Path:
        """Return where the target's object stands now."""
        if target.live is None:
            return target.path
        return self.writer.places.now(target.live.path)

    # Places

    def _place(self, key: Path) -> None:
        """Bring an object to its place, after all that it needs there, however long that chain."""
        work = [self._placing(key)]
        while work:
            needed = next(work[-1], None)
            if needed is None:
                work.pop()
            else:
                work.append(self._placing(needed))

    def _placing(self, key: Path) -> Iterator[Path]:
        """Create an object, or move it to its place; yield what must come to its own before."""
        target = self._targets[key]
        if key in self._placed or key in self._in_progress:
            return
        if target.live is not None and not target.moved:
            self._placed.add(key)
            return
        self._in_progress.add(key)
        for depth in range(len(self._backup.at), len(key)):
            if key[:depth] in self._targets:
                yield key[:depth]
        after: Attributes = {}
        if target.live is None:
            after = yield from self._for_creation(target)
        self._in_progress.discard(key)
        if key in self._placed:
            return
        self._placed.add(key)
        if not (self._make_room(target) and self._has_parent(target)):
            self._blocked.add(key)
            return
        if target.live is None:
            self._created.add(key)
            if not self._schema.is_implied(target.node.entry.kind):
                there = self._redirect(target, after)
                if there is not after:
                    self._deferred.add(key)  # what it names stands elsewhere, and may still move
                self._write("create", target, target.path, None, there)
            return
        place = self.writer.places.now(target.live.path)
        if self._keys(place) != self._keys(target.path):
            found = self.writer.draft.get(place)
            assert found is not None
            after = self._after_move(target, found, place)
            self._write("move", target, place, found.attributes, after, to=target.path)

    def _after_move(self, target: Target, found: ConfigObject, place: Path) -> Attributes:
        """Return what an object holds once it has its name: a system may keep names in values."""
        wanted = found.attributes
        if target.parts is None and target.policy == "overwrite":
            wanted = self._brought(target)
        return self._composer.renamed(self._schema, found, place, target.path, wanted)

    def _for_creation(self, target: Target) -> Generator[Path, None, Attributes]:
        """Return what a new object gets; references in a circle are left for an update."""
        kind = target.node.entry.kind
        backup = self._brought(target)
        wanted = contents.writable(self._schema, target, backup, self._findings)
        order = self._schema.order_of(kind)
        if order in wanted:
            wanted[order] = []  # what it holds comes after it
        own = self._keys(target.path)
        for name, path in references(self._schema, kind, wanted):
            key = self._keys(path)
            if key not in self._targets or key in self._placed:
                continue
            if not any(key[:depth] in self._in_progress for depth in range(len(key) + 1)):
                yield key
            elif key != own and not self._schema.is_required(kind, name):
                wanted = {n: v for n, v in wanted.items() if n != name}
                self._deferred.add(own)
        return wanted

    def _brought(self, target: Target) -> Attributes:
        """Return what the backup has of an object, as far as live has room for it."""
        return self._behind.wanted(target, self._backup.whole_attributes(target.node.entry))

    def _has_parent(self, target: Target) -> bool:
        outermost = len(target.path) <= len(self._live.at)
        if outermost or self.writer.draft.has(target.path[:-1]) or self._schema.implied:
            return True
        text = "The object that should hold it does not exist live and is not picked."
        self._findings.add("stop", "no-parent", target.path, text)
        return False

    def _make_room(self, target: Target) -> bool:
        """See that nothing else stands where the target should; tell whether that is so."""
        path = target.path
        there = self.writer.draft.get(path)
        if there is None:
            return True
        if target.live is not None and self._keys(self._place_of(target)) == self._keys(path):
            return True
        if self._remover.goes_whole(path):
            self._remover.remove_now(path)
            return True
        if self._remover.is_removed(path) or self._moves_away(path):
            self._step_aside(path, there)
            return True
        text = (
            f"{self._schema.notation.write(path)} is taken live by another object that is "
            "not picked. Pick its removal, or its move back, as well."
        )
        self._findings.add("stop", "occupied", path, text)
        return False

    def _moves_away(self, path: Path) -> bool:
        """Tell whether what stands at a place now is to be brought to its own."""
        return self._keys(self.writer.places.before(path)) in self._moving

    def _step_aside(self, path: Path, there: ConfigObject) -> None:
        number = 1
        while self.writer.draft.get((*path[:-1], f"{path[-1]}-aside-{number}")) is not None:
            number += 1
        to = (*path[:-1], f"{path[-1]}-aside-{number}")
        after = self._composer.renamed(self._schema, there, path, to, there.attributes)
        self.writer.append(
            "move", path, there.kind, there.attributes, after, to,
            reason="makes room for another object", identity=there.identity,
        )  # fmt: skip

    # Contents

    def _update(self, target: Target) -> None:
        path = self._place_of(target)
        found = self.writer.draft.get(path)
        assert found is not None
        live = found.attributes
        if target.live is not None:
            live = redirected(self._schema, found.kind, live, self.writer.places.now)
        backup = self._brought(target)
        after = contents.updated(self._schema, target, backup, live)
        after = self._behind.with_new(target, after, live, self._findings)
        after = contents.writable(self._schema, target, after, self._findings, live)
        after = self._redirect(target, self._with_parts(target, after, backup))
        whole = target.parts is None and target.policy == "overwrite"
        kind_picked = whole or "kind" in (target.parts or ())
        changes_kind = kind_picked and found.kind != target.node.entry.kind
        # what the values mean is for the kind to say that it will have
        kind = target.node.entry.kind if changes_kind else found.kind
        order = self._schema.order_of(kind)
        if order and isinstance(after.get(order), list):
            # of a kind that lists nothing until now, what it holds has no order yet
            present = found.attributes.get(order)
            names = present if isinstance(present, list) else self.writer.draft.names(path)
            after = {**after, order: merged(after[order], names)}
        try:
            after = self._composer.settled(kind, found.attributes, after, backup)
        except Unfit as unfit:
            self._findings.add("stop", "unfit", target.path, str(unfit))
            return
        if changes_kind or differing_names(self._schema, found.kind, found.attributes, after):
            self._write("update", target, path, found.attributes, after, changes_kind=changes_kind)

    def _with_parts(self, target: Target, wanted: Attributes, backup: Attributes) -> Attributes:
        """Return what is wanted with what is picked of the parts that the object holds."""
        edits = self._edits.get(self._keys(target.path))
        if not edits or (target.parts is None and target.policy == "overwrite"):
            return wanted
        chosen = [Edit(path, value) for path, value in edits.items()]
        try:
            return self._composer.edited(target.node.entry.kind, wanted, backup, chosen)
        except Unfit as unfit:
            self._findings.add("stop", "unfit", target.path, str(unfit))
            return wanted

    def _redirect(self, target: Target, attributes: Attributes) -> Attributes:
        """Let references name their targets where those will stand."""

        def place(path: Path) -> Path:
            if self._keys(path) in self._targets or self.writer.draft.has(path):
                return path
            elsewhere = self._comparison.live_path(path)
            if elsewhere is path:
                return path
            now = self.writer.places.now(elsewhere)
            return path if self._keys(now) == self._keys(path) else now

        kind = target.node.entry.kind
        result = redirected(self._schema, kind, attributes, place)
        if result is not attributes:
            for name in differing_names(self._schema, kind, attributes, result):
                text = f"{name} names an object that stands elsewhere live; it is named there."
                self._findings.add("note", "redirected", target.path, text, name)
        return result

    def _tell_what_came_to_nothing(self) -> None:
        """Say of what was picked that there is nothing to write for it."""
        for target in self._targets.values():
            path = self._place_of(target)
            if target.reason or target.path in self._findings.stopped:
                continue
            if self.writer.has_written(path):
                continue
            text = "It is live already as it was picked, so nothing is written for it."
            if target.live is None and self._schema.is_implied(target.node.entry.kind):
                label = self._schema.label(target.node.entry.kind)
                text = (
                    f"A {label} exists only by what it holds, and nothing that it holds is picked, "
                    "so nothing is written for it. Pick what it holds as well."
                )
            self._findings.add("note", "nothing-to-do", target.path, text)

    def _give_places(self) -> None:
        """Give what came its place among the children of what holds it, as the backup has it."""
        for path, children in arrivals(self.writer.draft, self.writer.steps).items():
            holder = self.writer.draft.get(path)
            stays = self._keys(path) not in self._targets and self._live.find(path) is not None
            origin = self._backup.find(self._comparison.backup_path(path) if stays else path)
            name = self._schema.order_of(holder.kind) if holder is not None else ""
            if holder is None or origin is None or not name:
                continue
            wanted = self._backup.whole_attributes(origin.entry).get(name)
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
                self.writer.update(path, holder, after, "keeps the order of what it holds")

    # Writing

    def _write(
        self,
        action: Action,
        target: Target,
        path: Path,
        before: Attributes | None,
        after: Attributes,
        to: Path | None = None,
        changes_kind: bool = False,
    ) -> None:
        identity = (target.live or target.node).entry.identity
        kind, was_kind = target.node.entry.kind, None
        if target.live is not None:
            live_kind = target.live.entry.kind
            kind, was_kind = (kind, live_kind) if changes_kind else (live_kind, None)
        own = target.node.entry.identity
        stands_for = own if target.parts is None and own != identity else None
        self.writer.append(
            action, path, kind, before, after, to,
            reason=target.reason, identity=identity, was_kind=was_kind, stands_for=stands_for,
        )  # fmt: skip

    def _warn_interruptions(self) -> None:
        """Say what is interrupted; what is told alike of many is told once."""
        alike: dict[str, list[Step]] = {}
        for step in self.writer.steps:
            kind = self._schema.kinds.get(step.kind)
            if kind is not None and kind.interrupts:
                alike.setdefault(kind.interrupts, []).append(step)
        for text, steps in alike.items():
            label = self._schema.label(steps[0].kind)
            effect = Effect("interrupts", label, steps=numbers(steps))
            self._findings.add("confirm", "interrupts", steps[0].path, text, effect=effect)
