"""References between what one schedule keeps and what others do: these are kept at other times."""

from dataclasses import dataclass

from keepsort.core.model import Path
from keepsort.core.plan.references import references
from keepsort.core.snapshot import Choice, Snapshot, Taking, kinds_of_places
from keepsort.server import cycle_collector

_TOLD = 12


@dataclass(frozen=True)
class Crossing:
    """A reference that leads out of what is kept together, or into it."""

    source: str
    attribute: str
    target: str


def crossing(tree: Snapshot, branch: Path, choice: Choice) -> tuple[list[Crossing], int]:
    """Return the first references that would cross, and how many there are.

    tree: the newest that is known of the whole system. branch, choice: what is kept together.
    """
    schema, keys = tree.schema, tree.schema.names.keys
    taking = Taking(choice, schema.names, tree.at)
    top = keys(branch)

    kind_at = kinds_of_places(tree)

    def inside(path: Path) -> bool:
        return keys(path)[: len(top)] == top and (not choice or taking.takes(path, kind_at))

    found: list[Crossing] = []
    count = 0
    with cycle_collector.paused():
        for node in tree.walk():
            if node.entry.unreadable is not None:
                continue
            held = tree.references_of(node.entry)
            for name, target in references(schema, node.entry.kind, held):
                if inside(node.path) == inside(target) or tree.find(target) is None:
                    continue
                count += 1
                if len(found) < _TOLD:
                    write = schema.notation.write
                    found.append(Crossing(write(node.path), name, write(target)))
    return found, count
