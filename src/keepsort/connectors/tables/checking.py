"""What only the database knows about a plan."""

from collections.abc import Iterator, Mapping, Sequence
from contextlib import suppress

from keepsort.connectors.base import SecretKeeper
from keepsort.connectors.tables import names
from keepsort.connectors.tables.arrangement import AS_A_SET
from keepsort.connectors.tables.catalogue import ForeignKey
from keepsort.connectors.tables.names import Key
from keepsort.connectors.tables.rows import Rows
from keepsort.connectors.tables.session import Session
from keepsort.connectors.tables.statements import contents, key_at
from keepsort.connectors.tables.values import NULL
from keepsort.connectors.tables.writing import Writing, foreign_rows
from keepsort.connectors.wanting import never_kept
from keepsort.core.model import Attributes, Path, Schema, identical
from keepsort.core.plan import Effect, Finding, Right, Step, is_implied

_NAMED = 6
_ACTIONS = {"create": "insert", "update": "update", "move": "update", "delete": "delete"}


class Checking:
    """Looks at plans for one database.

    beside: rows of tables that are left out of the tree, but may name rows that are in it.
    without_triggers: whether triggers rest while a plan is carried out. tries: whether a plan is
        carried out once and taken back at once, to see what the database says.
    """

    def __init__(
        self,
        session: Session,
        rows: Mapping[str, Rows],
        schema: Schema,
        keeper: SecretKeeper,
        writing: Writing,
        *,
        beside: Mapping[str, Rows],
        without_triggers: bool,
        tries: bool,
    ) -> None:
        self._session = session
        self._rows = rows
        self._schema = schema
        self._keeper = keeper
        self._writing = writing
        self._beside = beside
        self._without_triggers = without_triggers
        self._tries = tries

    def plan(self, planned: Sequence[Step]) -> list[Finding]:
        """Return what is to be known before a plan is run; nothing is written that stays."""
        steps = [step for step in planned if not is_implied(self._schema, step)]
        found = [finding for step in steps for finding in self._step(step)]
        if not any(finding.level == "stop" for finding in found):
            found += self._left_behind(steps)
        found += self._triggers(steps)
        if len(steps) > 1:
            text = (
                "All of it is one transaction: it happens whole, or nothing of it does. Others who "
                "change the same rows wait until it has ended."
            )
            effect = Effect("locks", "the rows that are written", "during")
            found.append(Finding("note", "one-transaction", text, effect=effect))
        stopped = any(finding.level == "stop" for finding in found)
        if steps and self._tries and not stopped and all(r.may for r in self.rights(steps)):
            failed = self._writing.tried(steps)
            if failed is None:
                text = "It was tried in a transaction that was taken back: the database takes it."
                found.append(Finding("note", "tried", text))
            else:
                text = f"It was tried and taken back: {failed.error.args[0]}"
                found.append(Finding("stop", "refused", text, failed.step.final_path))
        return found

    def _step(self, step: Step) -> Iterator[Finding]:
        rows = self._rows.get(step.kind)
        if rows is None or not rows.table.key:
            if step.kind.endswith(AS_A_SET):
                text = "Nothing tells its rows apart, so they cannot be written one by one."
            else:
                text = f"The database has no table {step.kind}."
            yield Finding("stop", "no-table", text, step.final_path)
            return
        table = rows.table
        if table.unread:
            yield Finding("stop", "not-allowed", f"It cannot be read: {table.unread}.", step.path)
            return
        yield from self._place(step, rows)
        before, after = step.before or {}, step.after or {}
        known = {column.name: column for column in rows.place.told}
        for name in sorted({*before, *after}):
            if name not in table.columns:
                text = f"The database's table {table.name} has no column {name} any more."
                yield Finding("stop", "no-such-field", text, step.final_path, name)
                continue
            value, was = after.get(name), before.get(name)
            if step.action == "delete" or identical(value, was):
                continue
            if name in known and value is None and known[name].not_null and step.before:
                text = f"{name} cannot be empty."
                yield Finding("stop", "not-in-limits", text, step.final_path, name)
            secret = value is not None and name in rows.place.secrets
            if secret:
                yield from never_kept(self._keeper, step, name, [value])
        try:
            self._both(step)
        except ValueError as error:
            text = f"It cannot be written: {error}."
            yield Finding("stop", "not-in-limits", text, step.final_path)
            return
        if step.action == "create":
            for column in rows.place.told:
                if column.name not in after and column.not_null and column.filled:
                    text = (
                        f"{column.name} is not known; the database gives what it gives by itself."
                    )
                    yield Finding("confirm", "filled", text, step.path, column.name)

    def rights(self, steps: Sequence[Step]) -> Iterator[Right]:
        """Yield what the database says of the account's privileges, of each step it knows."""
        for step in steps:
            rows = self._rows.get(step.kind)
            if is_implied(self._schema, step):
                yield Right(step.number, True)
            elif rows is not None and rows.table.key and not rows.table.unread:
                with suppress(ValueError):  # of what cannot be written nothing is to be said
                    denied = list(self._denied(step, rows))
                    yield from denied or [Right(step.number, True)]

    def _denied(self, step: Step, rows: Rows) -> Iterator[Right]:
        table, may = rows.table, _ACTIONS[step.action]
        if step.action == "delete":
            if may not in table.may:
                why = f"The account may not delete rows of {table.name}."
                yield Right(step.number, False, why)
            return
        before, after = step.before or {}, step.after or {}
        held, will = self._both(step)
        both = before.keys() | after.keys()
        changed = {name for name in both if not identical(before.get(name), after.get(name))}
        changed |= {name for name in rows.place.apart if held.get(name) != will[name]}
        for name in sorted(changed & table.columns.keys()):
            if may not in table.may and may not in table.may_columns.get(name, ()):
                why = f"The account may not {may} {name} of {table.name}."
                yield Right(step.number, False, why, name)

    def _both(self, step: Step) -> tuple[dict[str, str], dict[str, str]]:
        """Return what the columns of a row hold before and after. Raises `ValueError`."""
        return (
            self._held(step, step.path, step.before) if step.before is not None else {},
            self._held(step, step.final_path, step.after) if step.after is not None else {},
        )

    def _place(self, step: Step, rows: Rows) -> Iterator[Finding]:
        """Look whether a row can stand where it is to, and be called so."""
        path, table = step.final_path, rows.table
        if step.action == "delete":
            return
        parent = rows.place.parent
        holder = path[-4] if len(path) > 3 else ""
        fits = path[-2:-1] == (table.name,) and len(path) % 2 == 0
        if not fits or (holder and (parent is None or parent.target != holder)):
            text = f"Rows of {table.name} do not stand there."
            yield Finding("stop", "no-place", text, path)
            return
        called = names.read(path[-1], len(table.key))
        values = [(step.after or {}).get(name) for name in table.key]
        try:
            own = (
                tuple(rows.literal(c, p) for c, p in zip(table.key, called[1], strict=True))
                if called is not None
                else ()
            )
        except ValueError:
            own = ()
        given = tuple(
            table.columns[name].type.literal(value)
            for name, value in zip(table.key, values, strict=True)
        )
        if own != given:
            told = ", ".join(f"{n} {v}" for n, v in zip(table.key, values, strict=True))
            text = f"It is called otherwise than by its key ({told}), which another row has."
            yield Finding("stop", "key", text, path)

    def _left_behind(self, steps: Sequence[Step]) -> Iterator[Finding]:
        """Tell of rows, not in the plan, that name rows which go away or are called otherwise."""
        #: what each row of the plan holds after it; None where it goes
        after: dict[tuple[str, Key | None], dict[str, str] | None] = {}
        gone: dict[str, list[dict[str, str]]] = {}
        renamed: dict[str, list[tuple[dict[str, str], dict[str, str]]]] = {}
        for step in steps:
            row = (step.kind, key_at(self._rows, step.path))
            before = self._held(step, step.path, step.before) if step.before is not None else {}
            if step.after is None:
                gone.setdefault(step.kind, []).append(before)
                after[row] = None
                continue
            held = after[row] = self._held(step, step.final_path, step.after)
            if before:
                renamed.setdefault(step.kind, []).append((before, held))

        def stays(name: str, key: Key, foreign: ForeignKey, values: list[list[str]]) -> bool:
            """Tell whether a row still names what it named, after all steps."""
            held = after.get((name, key), {})
            if held is None:
                return False
            return not held or [held[c] for c in foreign.columns] in values

        with self._session.reading() as cursor:
            for name, rows in {**self._rows, **self._beside}.items():
                for foreign in rows.table.foreign:
                    columns = foreign.target_columns
                    values = [[row[c] for c in columns] for row in gone.get(foreign.target, ())]
                    other = [
                        [before[c] for c in columns]
                        for before, held in renamed.get(foreign.target, ())
                        if any(before[c] != held[c] for c in columns)
                    ]
                    for goes, some in ((True, values), (False, other)):
                        if rows.table.unread and some:
                            yield from self._unseen(rows, foreign, goes)
                            continue
                        found = foreign_rows(cursor, rows, foreign.columns, some)
                        left = [key for key in found if stays(name, key, foreign, some)]
                        if left:
                            yield self._stranded(rows, foreign, left, goes)

    def _unseen(self, rows: Rows, foreign: ForeignKey, goes: bool) -> Iterator[Finding]:
        """Tell that rows which may not be read could be written by the database itself."""
        does = foreign.on_delete if goes else foreign.on_update
        if does not in ("no action", "restrict"):
            text = (
                f"Rows of {rows.table.name} may name what goes or is called otherwise. The account "
                f"may not read them, and the database would write them by itself ({does})."
            )
            yield Finding("stop", "cascades", text)

    def _held(self, step: Step, path: Path, attributes: Attributes) -> dict[str, str]:
        """Return what the columns of a row hold, as SQL; what is secret names nobody."""
        place = self._rows[step.kind].place
        held = contents(self._rows, place, path, attributes, lambda digest, column: NULL)
        return dict.fromkeys(place.table.columns, NULL) | held

    def _stranded(self, rows: Rows, foreign: ForeignKey, left: list[Key], goes: bool) -> Finding:
        label = rows.table.name
        told = ", ".join(names.called(None, key) for key in left[:_NAMED])
        more = f" and {len(left) - _NAMED} more" if len(left) > _NAMED else ""
        which = f"{len(left)} of {label} ({told}{more})"
        column = ", ".join(foreign.columns)
        does = foreign.on_delete if goes else foreign.on_update
        if does == "cascade" and goes:
            text = f"With what goes, the database deletes {which}, which nobody has picked."
            return Finding("stop", "cascades", text)
        if does == "cascade":
            text = f"With what is called otherwise, the database changes {column} in {which}."
            return Finding("confirm", "cascades", text)
        if does in ("set null", "set default"):
            text = (
                f"The database would take {column} out of {which} by itself, and no undo could put "
                "it back. Pick these as well."
            )
            return Finding("stop", "cascades", text)
        verb = "go away" if goes else "are called otherwise"
        text = f"Rows that {verb} are named by {column} of {which}; these come first."
        return Finding("stop", "still-named", text)

    def _triggers(self, steps: Sequence[Step]) -> Iterator[Finding]:
        """Tell which triggers would fire, or that they rest."""
        by_action: dict[tuple[str, str], list[int]] = {}
        for step in steps:
            if step.kind in self._rows:
                by_action.setdefault((step.kind, _ACTIONS[step.action]), []).append(step.number)
        told: dict[tuple[str, str], list[int]] = {}
        for (kind, action), numbers in by_action.items():
            for trigger in self._rows[kind].table.triggers:
                if action in trigger.actions and trigger.state in ("O", "A"):
                    told.setdefault((kind, trigger.name), []).extend(numbers)
        for (kind, name), numbers in told.items():
            rows = "1 row" if len(numbers) == 1 else f"{len(numbers)} rows"
            what = f"the trigger {name} of {kind}"
            if not self._without_triggers:
                text = f"The trigger {name} of {kind} fires for {rows}."
                effect = Effect("fires", what, "with", tuple(sorted(numbers)))
                yield Finding("confirm", "trigger", text, effect=effect)
            elif "own" in self._rows[kind].table.may:
                text = (
                    f"The trigger {name} of {kind} rests while {rows} are written; nobody else can "
                    "write into the table until the transaction ends."
                )
                yield Finding("note", "trigger-rests", text, effect=Effect("rests", what, "during"))
            else:
                text = f"The account does not own {kind}, so its trigger {name} cannot rest."
                yield Finding("stop", "not-allowed", text)
