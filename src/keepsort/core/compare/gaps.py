"""Secrets that nobody knows, since a file left them out: a comparison tells nothing of them."""

from collections.abc import Sequence

import msgspec

from keepsort.core.model import Value
from keepsort.core.model.masks import MARK, is_unknown, mark
from keepsort.core.snapshot import Draft, Snapshot


class Nothing(msgspec.Struct, frozen=True):
    """There is no such value."""


NOTHING = Nothing()


def filled_tree(tree: Snapshot, other: Snapshot, gaps: Sequence[Sequence[str]]) -> Snapshot:
    """Return a tree whose unknown secrets are as another tree has them: nothing is told of them."""
    if not gaps:
        return tree
    draft = Draft(tree)
    for names in gaps:
        path = tuple(names)
        obj, now = tree.get(path), other.get(path)
        if obj is None or now is None:
            continue
        attributes = {
            name: filled(value, now.attributes.get(name, NOTHING))
            for name, value in obj.attributes.items()
        }
        if attributes != obj.attributes:
            draft.put(path, msgspec.structs.replace(obj, attributes=attributes))
    return draft.finish()


def filled(value: Value, now: Value | Nothing) -> Value:
    """Return a value with the secrets that are not known in it taken from what is there now."""
    if isinstance(now, Nothing):
        return value
    if is_unknown(value):
        return now if isinstance(now, str | list) else value
    if isinstance(value, list) and isinstance(now, list):
        if any(map(is_unknown, value)) and len(value) == len(now):
            return [n if is_unknown(v) else v for v, n in zip(value, now, strict=True)]
        if len(value) == len(now):
            return [filled(v, n) for v, n in zip(value, now, strict=True)]
        return value
    if isinstance(value, dict) and isinstance(now, dict):
        return {k: filled(v, now.get(k, NOTHING)) for k, v in value.items()}
    if isinstance(value, str) and isinstance(now, str) and MARK.search(value):
        return _filled_text(value, now)
    return value


def _filled_text(text: str, now: str) -> str:
    """Fill unknown secrets from lines that are the same but for their secrets, in order."""
    if not any(map(is_unknown, MARK.findall(text))):
        return text
    known: dict[str, list[str]] = {}
    for row in now.splitlines(keepends=True):
        if MARK.search(row):
            known.setdefault(MARK.sub("\0", row), []).append(row)
    rows = []
    for row in text.splitlines(keepends=True):
        same = known.get(MARK.sub("\0", row)) if MARK.search(row) else None
        if same:
            row = _row_filled(row, same.pop(0))
        rows.append(row)
    return "".join(rows)


def _row_filled(row: str, now: str) -> str:
    there = iter(MARK.findall(now))
    return MARK.sub(lambda found: _other(found[1], next(there)), row)


def _other(ours: str, theirs: str) -> str:
    return mark(theirs if is_unknown(ours) else ours)
