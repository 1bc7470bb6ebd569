"""Takes extra objects away: all at the end, or earlier where they stand in the way."""

from keepsort.core.model import Path
from keepsort.core.plan.findings import Findings
from keepsort.core.plan.references import references, referrers
from keepsort.core.plan.writing import Writer
from keepsort.core.snapshot import Node, Snapshot


class Remover:
    """The removals of a plan, and which of them have been written.

    removals: what goes, by where it stands live, as paths compare.
    """

    def __init__(
        self, removals: dict[Path, Node], live: Snapshot, writer: Writer, findings: Findings
    ) -> None:
        self.removals = removals
        self._gone: set[Path] = set()
        self._live = live
        self._schema = live.schema
        self._keys = live.schema.names.keys
        self._writer = writer
        self._findings = findings

    def is_removed(self, path: Path) -> bool:
        """Tell whether what stands at a place now is still to be taken away."""
        began = self._keys(self._writer.places.before(path))
        return began in self.removals and began not in self._gone

    def goes_whole(self, path: Path) -> bool:
        """Tell whether that holds for everything beneath it too."""
        return self.is_removed(path) and all(
            self.goes_whole((*path, name)) for name in self._writer.held(path)
        )

    def remove_now(self, path: Path) -> None:
        """Remove what stands at a place, and what it holds, ahead of the rest."""
        waiting = [path]
        while waiting:
            place = waiting.pop()
            self._gone.add(self._keys(self._writer.places.before(place)))
            waiting += [(*place, name) for name in self._writer.held(place)]
        self._writer.delete(path)

    def remove_rest(self) -> None:
        """Remove what is left, the deepest first; say who still names what has gone."""
        now = self._writer.places.now
        places = [now(node.path) for node in self._pending()]
        named = self._named_by_others()
        for path in sorted(places, key=lambda p: (-len(p), self._keys(p))):
            if not self._writer.draft.has(path):
                continue
            if self._writer.held(path):
                text = "It holds objects that are to stay, so it cannot be removed."
                self._findings.add("stop", "holds-others", path, text)
                continue
            self._writer.delete(path)
        for path, name, target in named:
            text = f"{name} still names {self._schema.notation.write(target)}, which is taken away."
            self._findings.add("confirm", "still-named", path, text, name)

    def _pending(self) -> list[Node]:
        return [node for key, node in self.removals.items() if key not in self._gone]

    def _named_by_others(self) -> list[tuple[Path, str, Path]]:
        """List objects that would still refer to what is removed."""
        if not self.removals:
            return []
        found = []
        gone = [node.path for node in self.removals.values()]
        for node, name, target in referrers(self._live, gone):
            if self._keys(node.path) in self.removals:
                continue
            path = self._writer.places.now(node.path)
            now = self._writer.draft.get(path)
            if now is not None and any(
                n == name and self._keys(p) == self._keys(target)
                for n, p in references(self._schema, now.kind, now.attributes)
            ):
                found.append((path, name, target))
        return found
