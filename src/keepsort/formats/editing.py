"""Setting, adding and taking out parts of a text, with the backup's own writing of them."""

from collections.abc import Callable, Sequence

from keepsort.core.compare.sequences import lined_up
from keepsort.core.model import Path, Value
from keepsort.core.plan import ABSENT, Absent, Edit, Unfit
from keepsort.formats.places import NotParsed, Place

Places = Callable[[str], list[Place]]
_ELSE = "Pick its lines in the text instead."


def edited(places: Places, live: str, backup: str, edits: Sequence[Edit]) -> str:
    """Return the live text with some parts as they should be.

    backup: the text that the wanted parts are written in; its writing of them is used.
    Raises `Unfit` where a part cannot be put in place without touching others.
    """
    try:
        found = {p.path: p for p in places(live)}
    except NotParsed as error:
        raise Unfit(
            f"The live text does not parse ({error}), so no single part can be put into it. "
            "Pick lines of the text, or all of it."
        ) from None
    try:
        origin = {p.path: p for p in places(backup)}
    except NotParsed:
        origin = {}
    expected: dict[Path, Value | Absent] = {p: place.value for p, place in found.items()}
    text = live

    def order(edit: Edit) -> tuple[bool, int, int]:
        place = origin.get(edit.path)
        return edit.value is not ABSENT, len(edit.path), place.whole.start if place else 0

    try:
        for edit in sorted(edits, key=order):
            text = _one(places, text, backup, origin, edit, expected)
        # a section comes as it is written in the backup; what of it was not wanted goes again
        now = {p.path: p for p in places(text)}
        for path in sorted((p for p, v in expected.items() if v is ABSENT), key=len, reverse=True):
            if path in now:
                text = _without(text, now, now[path])
                now = {p.path: p for p in places(text)}
    except NotParsed as error:
        raise Unfit(f"With these parts the text would not parse ({error}). {_ELSE}") from None
    _must_hold({path: place.value for path, place in now.items()}, expected)
    return text


def _one(
    places: Places,
    text: str,
    backup: str,
    origin: dict[Path, Place],
    edit: Edit,
    expected: dict[Path, Value | Absent],
) -> str:
    now = {p.path: p for p in places(text)}
    there, source = now.get(edit.path), origin.get(edit.path)
    if edit.value is ABSENT:
        for path in [p for p in expected if p[: len(edit.path)] == edit.path]:
            expected[path] = ABSENT
        return text if there is None else _without(text, now, there)
    expected[edit.path] = edit.value
    if there is None:
        if source is None:
            raise Unfit(f"{_name(edit.path)} is not in the backup's text.")
        for path in _held_by(origin, edit.path):
            expected.setdefault(path, ABSENT)
        return _added(text, backup, origin, now, source)
    if there.section or (source is not None and source.section):
        if source is not None and source.section == there.section:
            return text
        raise Unfit(
            f"{_name(edit.path)} is a section on one side and a value on the other. {_ELSE}"
        )
    if edit.value == there.value:
        return text
    if there.lines or (source is not None and source.lines):
        return _with_lines(text, backup, there, source, edit.value)
    if source is None or source.held is None or there.held is None or source.value != edit.value:
        raise Unfit(f"Only some of {_name(edit.path)} cannot be put in place. {_ELSE}")
    return text[: there.held.start] + source.held.of(backup) + text[there.held.stop :]


def _held_by(origin: dict[Path, Place], path: Path) -> list[Path]:
    return [p for p in origin if len(p) > len(path) and p[: len(path)] == path]


def _with_lines(text: str, backup: str, there: Place, source: Place | None, wanted: Value) -> str:
    """Set a key that stands on several lines, touching only the lines that differ."""
    values = wanted if isinstance(wanted, list) else [wanted]
    written = {line.value: line.span.of(backup) for line in (source.lines if source else [])}
    result, at = [], 0
    position = there.whole.start
    live = there.lines
    for stretch in lined_up(values, [line.value for line in live]):
        stop = stretch.right_start + len(stretch.right)
        if stretch.state == "same":
            position = live[stop - 1].span.stop
            continue
        for line in live[stretch.right_start : stop]:
            result.append(text[at : line.span.start])
            at = position = line.span.stop
        result.append(text[at:position])
        at = max(at, position)
        for value in stretch.left:
            if value not in written:
                raise Unfit(f"{value!r} is not in the backup's text. {_ELSE}")
            result.append(_ended(written[value], text))
    return "".join(result) + text[at:]


def _without(text: str, now: dict[Path, Place], place: Place) -> str:
    start, stop = place.whole.start, place.whole.stop
    if place.lines:
        for line in reversed(place.lines):
            text = text[: line.span.start] + text[line.span.stop :]
        return text
    if place.joint == "comma":
        siblings = _siblings(now, place.path)
        number = siblings.index(place)
        if number + 1 < len(siblings):
            stop = siblings[number + 1].whole.start
        elif number:
            start = siblings[number - 1].whole.stop
    return text[:start] + text[stop:]


def _siblings(places: dict[Path, Place], path: Path) -> list[Place]:
    found = [p for p in places.values() if p.path[:-1] == path[:-1]]
    return sorted(found, key=lambda p: p.whole.start)


def _added(
    text: str,
    backup: str,
    origin: dict[Path, Place],
    now: dict[Path, Place],
    source: Place,
) -> str:
    """Put a part where it stands in the backup: after the one before it, or before the next."""
    inline = source.joint == "none"
    order = [p for p in _siblings(origin, source.path) if (p.joint == "none") == inline]
    number = order.index(source)
    raw = "".join(line.span.of(backup) for line in source.lines) or source.whole.of(backup)
    before = next((now[p.path] for p in reversed(order[:number]) if p.path in now), None)
    after = next((now[p.path] for p in order[number + 1 :] if p.path in now), None)
    parent = now.get(source.path[:-1])
    if len(source.path) > 1 and parent is None:
        raise Unfit(f"Nothing holds {_name(source.path)} live. Pick what holds it as well.")
    if source.section and source.joint == "line" and _stands_apart(backup, source.whole.start):
        raw = "\n" + raw
    if before is not None:
        at, joint = before.whole.stop, "before"
    elif after is not None:
        at, joint = after.whole.start, "after"
    else:
        at, joint = parent.inside if parent else _top(now, text), "alone"
    if inline and before is None and after is None:
        raise Unfit(f"There is no neighbour to put {_name(source.path)} beside. {_ELSE}")
    if source.joint == "comma":
        return _joined(text, at, raw, joint, before or after)
    if source.joint == "line":
        raw = _ended(raw, text)
        if at and not text[:at].endswith("\n"):
            raw = _line_end(text) + raw
    return text[:at] + raw + text[at:]


def _joined(text: str, at: int, raw: str, joint: str, neighbour: Place | None) -> str:
    if joint == "alone" or neighbour is None:
        return text[:at] + raw + text[at:]
    start = neighbour.whole.start
    space = text[len(text[:start].rstrip()) : start]
    if joint == "before":
        return text[:at] + "," + space + raw + text[at:]
    return text[:at] + raw + "," + space + text[at:]


def _top(now: dict[Path, Place], text: str) -> int:
    return min((p.whole.start for p in now.values() if len(p.path) == 1), default=len(text))


def _stands_apart(text: str, start: int) -> bool:
    return text[:start].endswith(("\n\n", "\r\n\r\n"))


def _line_end(text: str) -> str:
    return "\r\n" if "\r\n" in text else "\n"


def _ended(raw: str, text: str) -> str:
    """Return lines with the line ends of the text they go to."""
    raw = raw.replace("\r\n", "\n")
    raw = raw if raw.endswith("\n") else raw + "\n"
    return raw.replace("\n", _line_end(text))


def _must_hold(now: dict[Path, Value], expected: dict[Path, Value | Absent]) -> None:
    """See that the edited text holds what was wanted, and that nothing else became different."""
    wanted = {p: v for p, v in expected.items() if v is not ABSENT}
    for path in (*now, *wanted):
        if now.get(path, ABSENT) != wanted.get(path, ABSENT):
            raise Unfit(f"{_name(path)} would become different as well. {_ELSE}")


def _name(path: Path) -> str:
    return "/".join(path)
