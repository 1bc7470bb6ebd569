"""Setting, adding and taking out parts of a text, with the backup's own writing of them.

A text is changed by replacing stretches of it, so what was not asked for keeps its bytes. After all
edits the text is read again, and must hold what was wanted and everything else as it was, in the
same order.
"""

from collections.abc import Callable, Sequence

from keepsort.core.compare.sequences import lined_up
from keepsort.core.model import Path, Value, identical
from keepsort.core.plan import ABSENT, Absent, Edit, Unfit
from keepsort.formats.items import Item, items, items_of
from keepsort.formats.places import NotParsed, Place, unmarked
from keepsort.formats.placing import Placer, Splice
from keepsort.formats.spelling import ELSE, Spelling, named

Places = Callable[[str], list[Place]]


def edited(places: Places, live: str, backup: str, edits: Sequence[Edit]) -> str:
    """Return the live text with some parts as they should be.

    backup: the text that the wanted parts are written in; its writing of them is used.
    Raises `Unfit` where a part cannot be put in place without touching others.
    """
    mark, text = unmarked(live)
    _, origin = unmarked(backup)
    return mark + _Editing(places, text, origin).carry_out(edits)


class _Editing:
    def __init__(self, places: Places, live: str, backup: str) -> None:
        self.read = places
        self.text = live
        self.backup = backup
        try:
            self.live = {p.path: p for p in places(live)}
        except NotParsed as error:
            raise Unfit(
                f"The live text does not parse ({error}), so no single part can be put into it. "
                "Pick lines of the text, or all of it."
            ) from None
        self.order = [item.key for item in items(self.live)]
        try:
            self.origin = {p.path: p for p in places(backup)}
        except NotParsed:
            self.origin = {}
        self.now = self.live
        self.expected: dict[Path, Value | Absent] = {
            path: place.value for path, place in self.live.items()
        }
        self.touched: set[Path] = set()
        self._waiting: list[Splice] = []

    def carry_out(self, edits: Sequence[Edit]) -> str:
        """Make all edits, and see that nothing else has become different."""
        try:
            for edit in sorted(edits, key=self._turn):
                self._one(edit)
            self._flush()
            # a section comes as it is written in the backup; what of it was not wanted goes again
            unwanted = [p for p, v in self.expected.items() if v is ABSENT and p in self.now]
            for path in sorted(unwanted, key=len, reverse=True):
                if path in self.now:
                    self._take_out(self.now[path])
                    self._flush()
        except NotParsed as error:
            raise Unfit(f"With these parts the text would not parse ({error}). {ELSE}") from None
        self._must_hold()
        return self.text

    def _turn(self, edit: Edit) -> tuple[int, int, int]:
        """Order edits: removals, then values of what is there, then what comes, outermost first."""
        source = self.origin.get(edit.path)
        turn = 0 if edit.value is ABSENT else 1 if edit.path in self.live else 2
        return turn, len(edit.path), source.whole.start if source else 0

    def _one(self, edit: Edit) -> None:
        there, source = self.now.get(edit.path), self.origin.get(edit.path)
        self.touched.add(edit.path)
        self._must_be_told_apart(edit.path)
        if edit.value is ABSENT:
            for path in [p for p in self.expected if p[: len(edit.path)] == edit.path]:
                self.expected[path] = ABSENT
            if there is not None:
                self._take_out(there)
            return
        self.expected[edit.path] = edit.value
        if there is None:
            if source is None:
                raise Unfit(f"{named(edit.path)} is not in the backup's text.")
            self._flush()
            if edit.path not in self.now:
                self._leave_out_what_it_holds(edit.path)
                self._put_in(source)
                self._flush()
        elif there.section or (source is not None and source.section):
            self._as_section(edit.path, there, source)
        elif identical(edit.value, there.value):
            return
        elif there.lines or (source is not None and source.lines):
            self._set_lines(there, source, edit.value)
        else:
            self._set(there, source, edit.value)

    def _must_be_told_apart(self, path: Path) -> None:
        """Refuse what lies in one of several parts of one name if the sides differ in their number.

        Only their number tells such parts apart, so nobody knows which of them is meant.
        """
        for depth in range(1, len(path) + 1):
            both = (self.live.get(path[:depth]), self.origin.get(path[:depth]))
            place = next((p for p in both if p is not None and p.family), None)
            if place is None:
                continue
            counts = [
                sum(p.family == place.family and p.path[:-1] == path[: depth - 1] for p in side)
                for side in (self.live.values(), self.origin.values())
            ]
            if counts[0] != counts[1]:
                raise Unfit(
                    f"{named(path[:depth])} is one of several parts called {place.family}, of "
                    f"which live has {counts[0]} and the backup {counts[1]}; which is which "
                    f"cannot be told. {ELSE}"
                )

    # What is there on both sides

    def _as_section(self, path: Path, there: Place, source: Place | None) -> None:
        """Let a section be a section; what it holds is wanted by itself."""
        if source is None or source.section == there.section:
            return
        held = [p for p, v in self.expected.items() if _is_within(p, path) and v is not ABSENT]
        if there.section and held:
            raise Unfit(
                f"{named(path)} is a value in the backup and holds {named(held[0])} live, which is "
                f"not picked to go. {ELSE}"
            )
        self._leave_out_what_it_holds(path)
        self._replace_whole(there, source)
        self._flush()

    def _leave_out_what_it_holds(self, path: Path) -> None:
        for inner in self.origin:
            if _is_within(inner, path):
                self.expected.setdefault(inner, ABSENT)
                self.touched.add(inner)

    def _set(self, there: Place, source: Place | None, value: Value) -> None:
        if source is None or source.held is None or not identical(source.value, value):
            raise Unfit(f"Only some of {named(there.path)} cannot be put in place. {ELSE}")
        if there.held is not None and there.inline and source.inline:
            self._splice(there.held.start, there.held.stop, source.held.of(self.backup))
        else:
            self._replace_whole(there, source)

    def _replace_whole(self, there: Place, source: Place) -> None:
        """Put all of a part, its name too, where it is live."""
        if there.joint != source.joint:
            raise Unfit(f"{named(there.path)} is written in another way live. {ELSE}")
        raw = self._spelling.written(source, there.column)
        raw = self._spelling.at_the_end(raw, there.whole.stop, source.whole)
        self._splice(there.whole.start, there.whole.stop, raw)

    def _set_lines(self, there: Place, source: Place | None, wanted: Value) -> None:
        """Set a key that may stand on several lines, touching only the lines that differ."""
        values = wanted if isinstance(wanted, list) else [wanted]
        lines = there.lines
        live = [line.value for line in lines] if lines else [there.value]
        spans = [line.span for line in lines] if lines else [there.whole]
        come: list[Value] = []
        for stretch in lined_up(values, live):
            if stretch.state == "same":
                continue
            here = spans[stretch.right_start : stretch.right_start + len(stretch.right)]
            for number, span in enumerate(here):
                new = ""
                if number < len(stretch.left):
                    new = self._line_of(source, stretch.left[number])
                    new = self._spelling.at_the_end(new, span.stop, span)
                self._splice(span.start, span.stop, new)
            come += stretch.left[len(here) :]
        self._flush()
        for value in come:
            self._put_in_line(source, value)
            self._flush()

    def _line_of(self, source: Place | None, value: Value) -> str:
        """Return a line as the backup writes it."""
        for item in items_of(source) if source else ():
            if item.key[1] == value:
                return self._spelling.ended(item.span.of(self.backup))
        raise Unfit(f"{value!r} is not in the backup's text. {ELSE}")

    def _put_in_line(self, source: Place | None, value: Value) -> None:
        here = {item.key for item in items(self.now)}
        for item in items_of(source) if source else ():
            if item.key[1] == value and item.key not in here:
                self._insert(item)
                return
        raise Unfit(f"{value!r} is not in the backup's text. {ELSE}")

    # What goes

    def _take_out(self, place: Place) -> None:
        if place.lines:
            for line in place.lines:
                self._splice(line.span.start, line.span.stop, "")
            return
        start, stop = place.whole.start, place.whole.stop
        if place.joint == "comma":
            self._flush()
            place = self.now[place.path]
            start, stop = place.whole.start, place.whole.stop
            siblings = _siblings(self.now, place)
            number = siblings.index(place)
            if number + 1 < len(siblings):
                stop = siblings[number + 1].whole.start
            elif number:
                start = siblings[number - 1].whole.stop
            self._splice(start, stop, "")
            self._flush()
            return
        if place.joint == "none":
            self._flush()
            place = self.now[place.path]
            start, stop = place.whole.start, place.whole.stop
        self._splice(start, stop, "")

    # What comes

    def _put_in(self, source: Place) -> None:
        for item in items_of(source):
            self._insert(item)
            self._flush()

    @property
    def _spelling(self) -> Spelling:
        return Spelling(self.text, self.backup)

    def _insert(self, item: Item) -> None:
        placer = Placer(self.text, self.now, self.backup, self.origin)
        self._waiting.append(placer.insertion(item))

    def _splice(self, start: int, stop: int, new: str) -> None:
        self._waiting.append(Splice(start, stop, new))

    def _flush(self) -> None:
        """Write what waits, and read the text anew. Raises `NotParsed`."""
        if not self._waiting:
            return
        parts, at = [], 0
        for start, stop, new in sorted(self._waiting):
            if start < at:
                start = at  # within a part that goes as a whole
            if stop < start:
                continue
            parts += [self.text[at:start], new]
            at = stop
        self.text = "".join(parts) + self.text[at:]
        self._waiting = []
        self.now = {p.path: p for p in self.read(self.text)}

    # Judging

    def _must_hold(self) -> None:
        """See that the text holds what was wanted, and all else as it was, in the same order."""
        wanted = {p: v for p, v in self.expected.items() if v is not ABSENT}
        for path in (*self.now, *wanted):
            one = self.now[path].value if path in self.now else ABSENT
            if path not in wanted or one is ABSENT or not identical(one, wanted[path]):
                raise Unfit(f"{named(path)} would become different as well. {ELSE}")
        gone = {p for p, v in self.expected.items() if v is ABSENT}
        kept = [key for key in self.order if key[0] not in self.touched and key[0] not in gone]
        now = [item.key for item in items(self.now) if item.key[0] not in self.touched]
        if kept != now:
            differing = (a for a, b in zip(kept, now, strict=False) if a != b)
            path, _, _ = next(differing, max(kept, now, key=len)[-1])
            raise Unfit(f"{named(path)} would stand elsewhere. {ELSE}")


def _siblings(places: dict[Path, Place], place: Place) -> list[Place]:
    found = [p for p in places.values() if p.path[:-1] == place.path[:-1]]
    return sorted(found, key=lambda p: p.whole.start)


def _is_within(path: Path, branch: Path) -> bool:
    return len(path) > len(branch) and path[: len(branch)] == branch
