"""What only the server and people of the trade know about a plan, and about a configuration."""

from collections.abc import Iterator, Sequence

from keepsort.connectors.base import Problem, SecretKeeper
from keepsort.connectors.ovsdb import switch
from keepsort.connectors.ovsdb.columns import Column, Table
from keepsort.connectors.ovsdb.objects import TOP, Translation
from keepsort.connectors.ovsdb.requests import columns_for
from keepsort.connectors.ovsdb.rows import Rows
from keepsort.connectors.wanting import never_kept
from keepsort.core.model import Path, Value, identical
from keepsort.core.model.masks import MARK
from keepsort.core.plan import Effect, Finding, Step, numbers
from keepsort.core.snapshot import Snapshot

#: So many of what is cut off alike are named.
_NAMED = 6


class Checking:
    """Looks at plans for one database."""

    def __init__(
        self, translation: Translation, rows: Rows, keeper: SecretKeeper, keeps_ids: bool
    ) -> None:
        self._translation = translation
        self._tables = translation.tables
        self._rows = rows
        self._keeper = keeper
        self._keeps_ids = keeps_ids

    def plan(self, steps: Sequence[Step]) -> Iterator[Finding]:
        """Yield what is to be known before a plan is run."""
        if len(steps) > 1:
            text = "All of it is one transaction: it happens whole, or nothing of it does."
            yield Finding("note", "one-transaction", text)
        created = {step.path: step for step in steps if step.action == "create"}
        held = {(path[:-1], step.kind) for path, step in created.items()}
        for step in steps:
            if step.kind not in self._tables:
                text = f"The server's database has no table {step.kind}."
                yield Finding("stop", "no-table", text, step.final_path)
                continue
            table = self._tables[step.kind]
            yield from self._columns(step, table)
            yield from self._place(step, table, created, held)
        yield from self._interrupts(steps)

    def _columns(self, step: Step, table: Table) -> Iterator[Finding]:
        before = step.before or {}
        for name, value in (step.after or {}).items():
            column = table.columns.get(name)
            if column is None:
                text = f"The server's table {table.name} has no column {name}."
                yield Finding("stop", "no-column", text, step.final_path, name)
                continue
            if identical(before.get(name), value):
                continue
            if step.action != "create" and not column.mutable:
                text = f"{name} is given once and never changed. Delete the object, or leave it."
                yield Finding("stop", "not-mutable", text, step.final_path, name)
            for one, allowed in outside(column, value):
                text = f"{name} would be {one}; the server takes {allowed}."
                yield Finding("stop", "not-in-limits", text, step.final_path, name)
            yield from never_kept(self._keeper, step, name, _marks(value))

    def _place(
        self,
        step: Step,
        table: Table,
        created: dict[Path, Step],
        held: set[tuple[Path, str]],
    ) -> Iterator[Finding]:
        if step.to is not None and table.named_by and step.to[-1] != step.path[-1]:
            text = f"The server never changes the name of a {table.name}."
            yield Finding("stop", "not-renamed", text, step.path)
        if step.action != "create":
            return
        above = created.get(step.path[:-1])
        id = self._rows.ids.at(step.path[:-1]) or ""
        kind = above.kind if above is not None else self._rows.table_of.get(id, "")
        if not table.root and not columns_for(self._tables, kind, step.kind):
            text = "What it stands beneath holds nothing of its kind."
            yield Finding("stop", "no-place", text, step.path)
        if not self._keeps_ids and step.path[-1].startswith(f"{table.name} ") and table.root:
            text = "This server gives it a new id, and the id is all it is called by."
            yield Finding("stop", "new-id", text, step.path)
        for wanted in self._translation.schema.kinds[step.kind].holds:
            if (step.path, wanted) not in held:
                text = f"It cannot be without {self._translation.schema.label(wanted)}."
                yield Finding("stop", "holds-nothing", text, step.path)

    def _interrupts(self, steps: Sequence[Step]) -> Iterator[Finding]:
        """Tell what is cut off or goes elsewhere; what is alike of many is told once."""
        going: dict[str, list[Step]] = {}
        felt: dict[tuple[str, ...], list[tuple[Step, str]]] = {}
        for step in steps:
            if step.action in ("delete", "move") and step.kind in switch.GOES:
                going.setdefault(step.kind, []).append(step)
            elif step.action == "update" and (changes := _felt(step)):
                alike = (step.kind, *changes)
                felt.setdefault(alike, []).append((step, "; ".join(changes.values())))
        for kind, some in going.items():
            verb = "goes" if len(some) == 1 else "go"
            text = f"{self._named(some)} {verb}: {switch.GOES[kind]}."
            yield self._interruption(text, some)
        for pairs in felt.values():
            some = [step for step, _ in pairs]
            changes_told = _several([change for _, change in pairs])
            text = (
                f"Frames through {self._named(some)} go elsewhere as soon as this is written: "
                f"{changes_told}."
            )
            yield self._interruption(text, some)

    def _interruption(self, text: str, some: list[Step]) -> Finding:
        effect = Effect("interrupts", self._named(some), steps=numbers(some))
        return Finding("confirm", "interrupts", text, some[0].path, effect=effect)

    def _named(self, steps: list[Step]) -> str:
        label = self._translation.schema.label(steps[0].kind)
        names = [step.path[-1] if step.path else "itself" for step in steps]
        return f"{label} {_several(names)}" if len(names) == 1 else f"{label}s {_several(names)}"


def unsound(tables: dict[str, Table], tree: Snapshot) -> Iterator[Problem]:
    """Yield what is unsound in a configuration."""
    queues, named = {}, set()
    called: dict[tuple[str, str], Path] = {}
    for node in tree.walk():
        kind = node.entry.kind
        if node.entry.unreadable is not None or kind == TOP:
            continue
        found = tree.object(node).attributes
        table = tables.get(kind)
        if table is not None and table.named_by and node.path:
            first = called.setdefault((kind, node.path[-1]), node.path)
            if first != node.path:
                where = tree.schema.notation.write(first)
                text = f"{where} has this name too, and the server takes it once."
                yield Problem(node.path, text)
        for name, value in found.items():
            column = table.columns.get(name) if table is not None else None
            if column is not None:
                for one, allowed in outside(column, value):
                    text = f"{name} is {one}; the server takes {allowed}."
                    yield Problem(node.path, text)
        if kind == "Mirror" and not {"output_port", "output_vlan"} & found.keys():
            yield Problem(node.path, "The mirror has no output, so it shows nothing.")
        if kind == "Queue":
            queues[tree.schema.notation.write(node.path)] = node.path
        if kind == "QoS":
            named |= set((found.get("queues") or {}).values())
    for text, path in queues.items():
        if text not in named:
            yield Problem(path, "The queue belongs to no QoS, so nothing goes through it.")


def _felt(step: Step) -> dict[str, str]:
    """Return what an update changes of which frames go where, by column."""
    before, after = step.before or {}, step.after or {}
    return {
        column: f"{called} {_told(before.get(column))} → {_told(after.get(column))}"
        for column, called in switch.carrying(step.kind).items()
        if not identical(before.get(column), after.get(column))
    }


def _several(texts: list[str]) -> str:
    """Name the first of some texts, and say how many more there are."""
    different = list(dict.fromkeys(texts))
    more = len(different) - _NAMED
    return ", ".join(different[:_NAMED]) + (f" and {more} more" if more > 0 else "")


def outside(column: Column, value: Value) -> Iterator[tuple[Value, str]]:
    """Yield values that a column does not take, with what it takes."""
    values = list(value.values()) if isinstance(value, dict) else value
    base = column.value or column.key
    for one in values if isinstance(values, list) else [values]:
        if not base.fits(one):
            yield one, base.told


def _marks(value: Value) -> list[str]:
    values = value.values() if isinstance(value, dict) else ()
    return [m[1] for v in values if isinstance(v, str) and (m := MARK.fullmatch(v))]


def _told(value: Value) -> str:
    if value is None:
        return "none"
    if isinstance(value, list):
        return ", ".join(str(one) for one in value)
    if isinstance(value, dict):
        return ", ".join(f"{k}={'…' if MARK.search(str(v)) else v}" for k, v in value.items())
    return str(value)
