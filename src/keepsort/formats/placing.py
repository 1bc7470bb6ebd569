"""Where a part of the backup's text belongs in the live text: decided once for all formats.

It goes right behind the part before it in the backup, with what stands between the two there; if
that one is gone, right ahead of the one after it.
"""

from typing import NamedTuple

from keepsort.core.model import Path
from keepsort.core.plan import Unfit
from keepsort.formats.items import Here, Item, beside, items
from keepsort.formats.places import Place, line_start
from keepsort.formats.spelling import ELSE, Spelling, named

_COMMENTS = ("#", ";", "//", "!", "<!--")


class Splice(NamedTuple):
    """What stands in place of a stretch of a text."""

    start: int
    stop: int
    new: str


class Placer:
    """Finds places in a live text for parts of a backup's text; both are given with their parts."""

    def __init__(
        self, text: str, now: dict[Path, Place], backup: str, origin: dict[Path, Place]
    ) -> None:
        self.text, self.now = text, now
        self.backup, self.origin = backup, origin
        self._spelling = Spelling(text, backup)

    def insertion(self, item: Item) -> Splice:
        """Return what puts a part of the backup in its own place. Raises `Unfit`."""
        source = item.place
        above = source.path[:-1]
        parent = self.now.get(above)
        if above and (parent is None or not parent.section):
            raise Unfit(f"Nothing holds {named(source.path)} live. Pick what holds it as well.")
        if parent is not None and source.joint != "none" and parent.holds != source.joint:
            raise Unfit(f"{named(above)} is written in another way live. {ELSE}")
        order = beside(self.origin, source)
        number = next(n for n, other in enumerate(order) if other.key == item.key)
        here = Here(beside(self.now, source))
        behind = self._usable(order[:number], here, source)
        ahead = next(((o, f) for o in order[number + 1 :] if (f := here.first(o))), None)
        after = ahead[1] if ahead else None
        following = here.first(order[number + 1]) if number + 1 < len(order) else None
        if number and following is not None and here.last(order[number - 1]) is None:
            behind = None  # the one before it is gone, the one after it is not
        before = behind[1] if behind else None
        if source.joint == "comma":
            return self._join(item, before, after, parent)
        if source.joint == "none":
            return self._squeeze(item, before, after)
        if behind is not None:
            return self._lay_behind(item, behind[0].span.stop, behind[1].span.stop, behind[1])
        if after is not None or parent is None:
            return self._lay_ahead(item, *(ahead or (None, None)))
        return self._lay_behind(item, _begin(self.origin, above), parent.inside, None, parent)

    def _usable(self, order: list[Item], here: Here, source: Place) -> tuple[Item, Item] | None:
        """Return the last of some siblings that the part can stand behind, in both texts."""
        for other in reversed(order):
            found = here.last(other)
            if found is not None and not (found.place.swallows and not source.swallows):
                return other, found
        return None

    def _lay_behind(
        self, item: Item, start: int, at: int, before: Item | None, parent: Place | None = None
    ) -> Splice:
        """Put lines behind a part, or first in a section, with what stands between the two.

        start: where that part ends in the backup. at: where it ends here.
        """
        column = before.place.column if before else item.place.column
        if parent is not None and column is not None:
            column = _column_within(self.now, parent, column)
        lead, whole = self._between(start, item.span.start)
        left = ""
        for line in lead.splitlines(keepends=True):
            here = self._spelling.ended(line)
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
        return self._lay(item, at, lead, column)

    def _lay_ahead(self, item: Item, origin: Item | None, after: Item | None) -> Splice:
        """Put lines ahead of a part, or first in the text, with the comments right above them.

        origin: that part in the backup.
        """
        column = (after or item).place.column
        comment = _attached(self.backup[: item.span.start])
        shifted = (
            self._spelling.shifted(self._spelling.ended(comment), item.place, column)
            if comment
            else ""
        )
        at = self._top()
        if after is not None and origin is not None:
            at = self._ahead_of(after, origin, item)
        stop = max(at, after.span.start) if after is not None else at + len(shifted)
        start = max((i.span.stop for i in items(self.now) if i.span.stop <= at), default=0)
        found = self.text.find(shifted, start, stop) if shifted else -1
        if found >= 0:  # its comment is still there
            return self._lay(item, found + len(shifted), "", column)
        else:
            behind = self._blank_lines_behind(item) if after is not None else ""
            if behind and self.text[at:].startswith(behind):
                behind = ""  # those are still there
            return self._lay(item, at, comment, column, behind)

    def _lay(self, item: Item, at: int, lead: str, column: int | None, behind: str = "") -> Splice:
        raw = self._spelling.shifted(self._spelling.ended(lead), item.place, column) if lead else ""
        raw += self._spelling.written(item.place, column, item.span) + behind
        raw = self._spelling.at_the_end(raw, at, item.span)
        if at and not self.text[:at].endswith(("\n", "\r")):
            raw = self._spelling.line_end() + raw
        return Splice(at, at, raw)

    def _between(self, start: int, stop: int) -> tuple[str, bool]:
        """Return what is no part in a stretch of the backup, and whether that is all of it."""
        parts, at = [], start
        for inner in items(self.origin):
            if at <= inner.span.start < stop and inner.span.stop <= stop:
                parts.append(self.backup[at : inner.span.start])
                at = inner.span.stop
        return "".join(parts) + self.backup[at:stop], not parts

    def _blank_lines_behind(self, item: Item) -> str:
        rest = self.backup[item.span.stop :]
        blank = rest[: len(rest) - len(rest.lstrip())]
        blank = blank[: blank.rfind("\n") + 1]
        return self._spelling.ended(blank) if blank and item.place.section else ""

    def _ahead_of(self, after: Item, origin: Item, item: Item) -> int:
        """Return where a part goes that stands before another in the backup.

        What stands between the two there, and comments right above the other, stay behind it.
        """
        at = after.span.start
        between, _ = self._between(item.span.stop, origin.span.start)
        for line in reversed(between.splitlines(keepends=True)):
            if not self.text[:at].endswith(self._spelling.ended(line)):
                break
            at -= len(self._spelling.ended(line))
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
        self, item: Item, before: Item | None, after: Item | None, parent: Place | None
    ) -> Splice:
        """Put a part among others with commas between them."""
        raw = item.span.of(self.backup)
        neighbour = before or after
        if neighbour is None:
            at = parent.inside if parent else self.text.index("{") + 1
            return Splice(at, at, raw)
        start = neighbour.span.start
        space = self.text[len(self.text[:start].rstrip()) : start]
        if before is not None:
            return Splice(before.span.stop, before.span.stop, "," + space + raw)
        else:
            return Splice(start, start, raw + "," + space)

    def _squeeze(self, item: Item, before: Item | None, after: Item | None) -> Splice:
        if before is None and after is None:
            raise Unfit(f"There is no neighbour to put {named(item.place.path)} beside. {ELSE}")
        at = before.span.stop if before else after.span.start if after else 0
        return Splice(at, at, item.span.of(self.backup))


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
