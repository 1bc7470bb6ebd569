"""Setting, adding and taking out parts of a text, with the backup's own writing of them.

A text is changed by replacing stretches of it, so what was not asked for keeps its bytes. Where a
part belongs is decided once for all formats: right after the one before it in the backup, with
what stands between the two there; if that one is gone, right before the one after it. After all
edits the text is read again, and must hold what was wanted and everything else as it was, in the
same order.
"""

from collections.abc import Callable, Iterator, Sequence
from typing import NamedTuple

from keepsort.core.compare.sequences import lined_up
from keepsort.core.model import Path, Value, identical
from keepsort.core.plan import ABSENT, Absent, Edit, Unfit
from keepsort.formats.places import NotParsed, Place, Span, line_start, unmarked

Places = Callable[[str], list[Place]]
_ELSE = "Pick its lines in the text instead."
_COMMENTS = ("#", ";", "//", "!", "<!--")


def edited(places: Places, live: str, backup: str, edits: Sequence[Edit]) -> str:
    """Return the live text with some parts as they should be.

    backup: the text that the wanted parts are written in; its writing of them is used.
    Raises `Unfit` where a part cannot be put in place without touching others.
    """
    mark, text = unmarked(live)
    _, origin = unmarked(backup)
    return mark + _Editing(places, text, origin).carry_out(edits)


class _Item(NamedTuple):
    """A part, or one line of a part that stands on several; `key` tells it from its siblings."""

    key: tuple[Path, str, int]
    span: Span
    place: Place


class _Splice(NamedTuple):
    start: int
    stop: int
    new: str


class _Here:
    """Finds parts of the backup among those of the live text."""

    def __init__(self, items: list[_Item]) -> None:
        self._items = {item.key: item for item in items}
        self._of: dict[Path, list[_Item]] = {}
        for item in items:
            self._of.setdefault(item.place.path, []).append(item)

    def last(self, item: _Item) -> _Item | None:
        """Return the same part; of one that stands on several lines only here, the last line."""
        return self._found(item, -1)

    def first(self, item: _Item) -> _Item | None:
        """Return the same part; of one that stands on several lines only here, the first line."""
        return self._found(item, 0)

    def _found(self, item: _Item, number: int) -> _Item | None:
        there = self._of.get(item.place.path)
        if item.key in self._items or there is None:
            return self._items.get(item.key)
        if not item.place.lines or not there[0].place.lines:
            return there[number]
        if len(item.place.lines) != len(there):
            return None
        # as many lines on both sides: each is the one at its place
        return there[[line.span for line in item.place.lines].index(item.span)]


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
        self.order = [item.key for item in _items(self.live)]
        try:
            self.origin = {p.path: p for p in places(backup)}
        except NotParsed:
            self.origin = {}
        self.now = self.live
        self.expected: dict[Path, Value | Absent] = {
            path: place.value for path, place in self.live.items()
        }
        self.touched: set[Path] = set()
        self._waiting: list[_Splice] = []

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
            raise Unfit(f"With these parts the text would not parse ({error}). {_ELSE}") from None
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
                raise Unfit(f"{_name(edit.path)} is not in the backup's text.")
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
            place = self.live.get(path[:depth]) or self.origin.get(path[:depth])
            if place is None or not place.family:
                other = self.origin.get(path[:depth])
                if other is None or not other.family:
                    continue
                place = other
            counts = [
                sum(p.family == place.family and p.path[:-1] == path[: depth - 1] for p in side)
                for side in (self.live.values(), self.origin.values())
            ]
            if counts[0] != counts[1]:
                raise Unfit(
                    f"{_name(path[:depth])} is one of several parts called {place.family}, of "
                    f"which live has {counts[0]} and the backup {counts[1]}; which is which "
                    f"cannot be told. {_ELSE}"
                )

    # What is there on both sides

    def _as_section(self, path: Path, there: Place, source: Place | None) -> None:
        """Let a section be a section; what it holds is wanted by itself."""
        if source is None or source.section == there.section:
            return
        held = [p for p, v in self.expected.items() if _is_within(p, path) and v is not ABSENT]
        if there.section and held:
            raise Unfit(
                f"{_name(path)} is a value in the backup and holds {_name(held[0])} live, which is "
                f"not picked to go. {_ELSE}"
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
            raise Unfit(f"Only some of {_name(there.path)} cannot be put in place. {_ELSE}")
        if there.held is not None and there.inline and source.inline:
            self._splice(there.held.start, there.held.stop, source.held.of(self.backup))
        else:
            self._replace_whole(there, source)

    def _replace_whole(self, there: Place, source: Place) -> None:
        """Put all of a part, its name too, where it is live."""
        if there.joint != source.joint:
            raise Unfit(f"{_name(there.path)} is written in another way live. {_ELSE}")
        raw = self._written_here(source, there.column)
        raw = self._at_the_end(raw, there.whole.stop, source.whole)
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
                    new = self._at_the_end(new, span.stop, span)
                self._splice(span.start, span.stop, new)
            come += stretch.left[len(here) :]
        self._flush()
        for value in come:
            self._put_in_line(source, value)
            self._flush()

    def _line_of(self, source: Place | None, value: Value) -> str:
        """Return a line as the backup writes it."""
        for item in _items_of(source) if source else ():
            if item.key[1] == value:
                return self._ended(item.span.of(self.backup))
        raise Unfit(f"{value!r} is not in the backup's text. {_ELSE}")

    def _put_in_line(self, source: Place | None, value: Value) -> None:
        here = {item.key for item in _items(self.now)}
        for item in _items_of(source) if source else ():
            if item.key[1] == value and item.key not in here:
                self._insert(item)
                return
        raise Unfit(f"{value!r} is not in the backup's text. {_ELSE}")

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
        for item in _items_of(source):
            self._insert(item)
            self._flush()

    def _insert(self, item: _Item) -> None:
        """Put a part of the backup in its own place: see the top of this module."""
        source = item.place
        above = source.path[:-1]
        parent = self.now.get(above)
        if above and (parent is None or not parent.section):
            raise Unfit(f"Nothing holds {_name(source.path)} live. Pick what holds it as well.")
        if parent is not None and source.joint != "none" and parent.holds != source.joint:
            raise Unfit(f"{_name(above)} is written in another way live. {_ELSE}")
        order = _beside(self.origin, source)
        number = next(n for n, other in enumerate(order) if other.key == item.key)
        here = _Here(_beside(self.now, source))
        behind = self._usable(order[:number], here, source)
        ahead = next(((o, f) for o in order[number + 1 :] if (f := here.first(o))), None)
        after = ahead[1] if ahead else None
        following = here.first(order[number + 1]) if number + 1 < len(order) else None
        if number and following is not None and here.last(order[number - 1]) is None:
            behind = None  # the one before it is gone, the one after it is not
        before = behind[1] if behind else None
        if source.joint == "comma":
            self._join(item, before, after, parent)
        elif source.joint == "none":
            self._squeeze(item, before, after)
        elif behind is not None:
            self._lay_behind(item, behind[0].span.stop, behind[1].span.stop, behind[1])
        elif after is not None or parent is None:
            self._lay_ahead(item, *(ahead or (None, None)))
        else:
            self._lay_behind(item, _begin(self.origin, above), parent.inside, None, parent)

    def _usable(
        self, order: list[_Item], here: "_Here", source: Place
    ) -> tuple[_Item, _Item] | None:
        """Return the last of some siblings that the part can stand behind, in both texts."""
        for other in reversed(order):
            found = here.last(other)
            if found is not None and not (found.place.swallows and not source.swallows):
                return other, found
        return None

    def _lay_behind(
        self, item: _Item, start: int, at: int, before: _Item | None, parent: Place | None = None
    ) -> None:
        """Put lines behind a part, or first in a section, with what stands between the two.

        start: where that part ends in the backup. at: where it ends here.
        """
        column = before.place.column if before else item.place.column
        if parent is not None and column is not None:
            column = _column_within(self.now, parent, column)
        lead, whole = self._between(start, item.span.start)
        left = ""
        for line in lead.splitlines(keepends=True):
            here = self._ended(line)
            if self.text[at:] == here.rstrip("\r\n"):
                here = self.text[at:]  # the last line of a text may end without a line end
            if here and self.text[at:].startswith(here):
                # what is still there is not written again, nor what somebody took out before it
                at, left = at + len(here), ""
            else:
                left += line
        lead = left
        if not whole:  # of what stood between them, only the part's own comment comes
            own = _attached(self.backup[: item.span.start])
            lead = own if lead.endswith(own) else lead if own.endswith(lead) else ""
        self._lay(item, at, lead, column)

    def _lay_ahead(self, item: _Item, origin: _Item | None, after: _Item | None) -> None:
        """Put lines ahead of a part, or first in the text, with the comments right above them.

        origin: that part in the backup.
        """
        column = (after or item).place.column
        comment = _attached(self.backup[: item.span.start])
        shifted = self._shifted(self._ended(comment), item.place, column) if comment else ""
        at = self._top()
        if after is not None and origin is not None:
            at = self._ahead_of(after, origin, item)
        stop = max(at, after.span.start) if after is not None else at + len(shifted)
        start = max((i.span.stop for i in _items(self.now) if i.span.stop <= at), default=0)
        found = self.text.find(shifted, start, stop) if shifted else -1
        if found >= 0:  # its comment is still there
            self._lay(item, found + len(shifted), "", column)
        else:
            behind = self._blank_lines_behind(item) if after is not None else ""
            self._lay(item, at, comment, column, behind)

    def _lay(self, item: _Item, at: int, lead: str, column: int | None, behind: str = "") -> None:
        raw = self._shifted(self._ended(lead), item.place, column) if lead else ""
        raw += self._written_here(item.place, column, item.span) + behind
        raw = self._at_the_end(raw, at, item.span)
        if at and not self.text[:at].endswith(("\n", "\r")):
            raw = self._line_end() + raw
        self._splice(at, at, raw)

    def _between(self, start: int, stop: int) -> tuple[str, bool]:
        """Return what is no part in a stretch of the backup, and whether that is all of it."""
        parts, at = [], start
        for inner in _items(self.origin):
            if at <= inner.span.start < stop and inner.span.stop <= stop:
                parts.append(self.backup[at : inner.span.start])
                at = inner.span.stop
        return "".join(parts) + self.backup[at:stop], not parts

    def _blank_lines_behind(self, item: _Item) -> str:
        rest = self.backup[item.span.stop :]
        blank = rest[: len(rest) - len(rest.lstrip())]
        blank = blank[: blank.rfind("\n") + 1]
        return self._ended(blank) if blank and item.place.section else ""

    def _ahead_of(self, after: _Item, origin: _Item, item: _Item) -> int:
        """Return where a part goes that stands before another in the backup.

        What stands between the two there, and comments right above the other, stay behind it.
        """
        at = after.span.start
        between, _ = self._between(item.span.stop, origin.span.start)
        for line in reversed(between.splitlines(keepends=True)):
            if not self.text[:at].endswith(self._ended(line)):
                break
            at -= len(self._ended(line))
        # comments right above the other belong to it, but for those that come before the part
        earlier = set(self.backup[: item.span.start].splitlines())
        for line in reversed(_attached(self.text[:at]).splitlines(keepends=True)):
            if line.rstrip("\r\n") in earlier:
                break
            at -= len(line)
        return at

    def _above(self, start: int) -> int:
        """Return where the comments begin that stand right above a part."""
        attached = _attached(self.text[:start])
        return start - len(attached)

    def _top(self) -> int:
        """Return where the first part of a text would be put."""
        first = min((p.whole.start for p in self.now.values() if len(p.path) == 1), default=None)
        return len(self.text) if first is None else self._above(first)

    def _join(
        self, item: _Item, before: _Item | None, after: _Item | None, parent: Place | None
    ) -> None:
        """Put a part among others with commas between them."""
        raw = item.span.of(self.backup)
        neighbour = before or after
        if neighbour is None:
            at = parent.inside if parent else self.text.index("{") + 1
            self._splice(at, at, raw)
            return
        start = neighbour.span.start
        space = self.text[len(self.text[:start].rstrip()) : start]
        if before is not None:
            self._splice(before.span.stop, before.span.stop, "," + space + raw)
        else:
            self._splice(start, start, raw + "," + space)

    def _squeeze(self, item: _Item, before: _Item | None, after: _Item | None) -> None:
        if before is None and after is None:
            raise Unfit(f"There is no neighbour to put {_name(item.place.path)} beside. {_ELSE}")
        at = before.span.stop if before else after.span.start if after else 0
        self._splice(at, at, item.span.of(self.backup))

    # Writing

    def _written_here(self, source: Place, column: int | None, span: Span | None = None) -> str:
        """Return a part as the backup writes it, with live's line ends and indentation."""
        raw = (span or source.whole).of(self.backup)
        if source.joint != "line":
            return raw
        return self._shifted(self._ended(raw), source, column)

    def _shifted(self, raw: str, source: Place, column: int | None) -> str:
        if source.column is None or column is None or source.column == column:
            return raw
        shift = column - source.column
        lines = raw.splitlines(keepends=True)
        if shift > 0:
            return "".join(" " * shift + line if line.strip() else line for line in lines)
        if any(line.strip() and line[:-shift].strip() for line in lines):
            raise Unfit(f"{_name(source.path)} is indented in another way live. {_ELSE}")
        return "".join(line[-shift:] if line.strip() else line for line in lines)

    def _at_the_end(self, raw: str, stop: int, span: Span) -> str:
        """Return lines that may come to the end of the text: it ends as it did live."""
        other = self.text or span.of(self.backup)
        if stop < len(self.text) or other.endswith(("\n", "\r")):
            return raw
        return raw.removesuffix(self._line_end())

    def _line_end(self) -> str:
        text = self.text if "\n" in self.text else self.backup
        return "\r\n" if "\r\n" in text else "\n"

    def _ended(self, raw: str) -> str:
        """Return lines with the line ends of the live text."""
        raw = raw.replace("\r\n", "\n")
        raw = raw if raw.endswith("\n") else raw + "\n"
        return raw.replace("\n", self._line_end())

    def _splice(self, start: int, stop: int, new: str) -> None:
        self._waiting.append(_Splice(start, stop, new))

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
                raise Unfit(f"{_name(path)} would become different as well. {_ELSE}")
        gone = {p for p, v in self.expected.items() if v is ABSENT}
        kept = [key for key in self.order if key[0] not in self.touched and key[0] not in gone]
        now = [item.key for item in _items(self.now) if item.key[0] not in self.touched]
        if kept != now:
            other = next((a for a, b in zip(kept, now, strict=False) if a != b), kept[-1:] or now)
            place = other[0] if isinstance(other[0], tuple) and other[0] else ()
            raise Unfit(f"{_name(place)} would stand elsewhere. {_ELSE}")  # type: ignore[arg-type]


def _items(places: dict[Path, Place]) -> list[_Item]:
    """List all parts, line by line, as they stand in the text."""
    found = [item for place in places.values() for item in _items_of(place)]
    return sorted(found, key=lambda item: (item.span.start, -item.span.stop, len(item.key[0])))


def _items_of(place: Place | None) -> Iterator[_Item]:
    if place is None:
        return
    if not place.lines:
        yield _Item((place.path, "", 0), place.whole, place)
        return
    met: dict[str, int] = {}
    for line in place.lines:
        met[line.value] = met.get(line.value, 0) + 1
        yield _Item((place.path, line.value, met[line.value]), line.span, place)


def _beside(places: dict[Path, Place], source: Place) -> list[_Item]:
    """List what the same part holds, joined in the same way, in the order of the text."""
    above, inline = source.path[:-1], source.joint == "none"
    found = [
        item
        for place in places.values()
        if place.path[:-1] == above and (place.joint == "none") == inline
        for item in _items_of(place)
    ]
    return sorted(found, key=lambda item: item.span.start)


def _siblings(places: dict[Path, Place], place: Place) -> list[Place]:
    found = [p for p in places.values() if p.path[:-1] == place.path[:-1]]
    return sorted(found, key=lambda p: p.whole.start)


def _is_within(path: Path, branch: Path) -> bool:
    return len(path) > len(branch) and path[: len(branch)] == branch


def _begin(places: dict[Path, Place], above: Path) -> int:
    return places[above].inside if above in places else 0


def _column_within(places: dict[Path, Place], parent: Place, column: int) -> int:
    """Return how far what a section holds is indented, going by what it holds."""
    for place in places.values():
        if place.path[:-1] == parent.path and place.column is not None:
            return place.column
    return column


def _attached(text: str) -> str:
    """Return the lines of comments at the end of a text, without a blank line among them."""
    at = len(text)
    while at:
        start = line_start(text, at - 1)
        if not text[start:at].strip().startswith(_COMMENTS):
            break
        at = start
    return text[at:]


def _name(path: Path) -> str:
    return "/".join(path) or "the text"
