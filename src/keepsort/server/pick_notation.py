"""Picks and paths as people write them."""

import re
from collections.abc import Sequence
from typing import get_args

import msgspec

from keepsort.core.compare import Comparison
from keepsort.core.model import Path, is_beneath
from keepsort.core.model.notation import read_slash
from keepsort.core.plan import AttributePick, LeftOut, Pick, Policy
from keepsort.core.snapshot import FormerName, Snapshot
from keepsort.server.problems import NotFound, Problem

_PART = re.compile(r"^(?P<attribute>[^@]+)@(?P<part>[0-9a-f]{16}(?:-\d+of\d+)?)$")


def read_path(tree: Snapshot, text: str) -> Path:
    """Read a path in the system's own notation or as a slash path; nothing need be there."""
    text = text.strip()
    if text in ("", "/"):
        return ()
    found = tree.schema.notation.read(text)
    if found is not None:
        return found
    if not text.startswith("/"):
        raise Problem(
            f"{text!r} is no path of this system.",
            f"Write it as {tree.schema.notation.write(('…',))} or from the root as /….",
        )
    return read_slash(text)


def find_path(trees: list[Snapshot], text: str) -> Path:
    """Read a path that must exist in one of the trees. Raises `NotFound`."""
    path = read_path(trees[0], text)
    for tree in trees:
        node = tree.find(path)
        if node is not None:
            return node.path
    raise NotFound(
        f"There is no object {trees[0].schema.notation.write(path)} here.",
        "See the tree with: keepsort show BACKUP.",
    )


def read_pick(trees: list[Snapshot], text: str, without: tuple[LeftOut, ...] = ()) -> Pick:
    """Read ``PATH``, ``PATH/**``, ``PATH#attribute`` or ``PATH#attribute@PART``.

    A part is named by its content, as a comparison tells it: the name means the same on a later
    look, or nothing.

    without: what is left out of a branch.
    """
    if text == "**":
        return Pick((), "branch", without=without)
    if text.endswith("/**"):
        return Pick(find_path(trees, text[:-3] or "/"), "branch", without=without)
    place, mark, attribute = text.rpartition("#")
    if not mark or _exists(trees, text):
        return Pick(find_path(trees, text), "object")
    if not attribute:
        raise Problem(f"{text!r} names no attribute.", "Write PATH#attribute.")
    found = _PART.match(attribute)
    part = (
        AttributePick(found["attribute"], parts=(found["part"],))
        if found
        else AttributePick(attribute)
    )
    return Pick(find_path(trees, place), "attributes", (part,))


def read_pick_as(trees: list[Snapshot], text: str, without: tuple[LeftOut, ...] = ()) -> Pick:
    """Read ``PATH=POLICY``, where the path may be that of a branch, ``PATH/**``."""
    place, mark, policy = text.rpartition("=")
    if not mark or policy not in get_args(Policy):
        raise Problem(
            f"{text!r} says no policy.", f"Write PATH=POLICY, with {', '.join(get_args(Policy))}."
        )
    return msgspec.structs.replace(read_pick(trees, place, without), policy=policy)


def read_former_name(text: str) -> FormerName:
    """Read ``KIND.NOW=FORMER``. Raises `Problem`."""
    place, _, former = text.partition("=")
    kind, _, now = place.rpartition(".")
    if not (kind and now and former):
        raise Problem(f"{text!r} says no former name.", "Write KIND.NOW=FORMER.")
    return FormerName(kind, former, now)


def _exists(trees: list[Snapshot], text: str) -> bool:
    """A name may hold a ``#`` itself."""
    try:
        find_path(trees, text)
    except Problem:
        return False
    return True


def accepted_move(found: Comparison, text: str) -> tuple[Path, Path]:
    """Return the two places of the move that is suggested for the object at a path.

    Raises `NotFound` where none is.
    """
    path = find_path([found.left], text)
    suggested = found.suggestion(path)
    if suggested is None:
        raise NotFound(
            f"No move is suggested for {found.left.schema.notation.write(path)}.",
            "See what is suggested with: keepsort compare BACKUP.",
        )
    return suggested.path, suggested.live_path


def check_left_out(tree: Snapshot, picks: Sequence[Pick], without: Sequence[LeftOut]) -> None:
    """See that everything left out lies in a picked branch. Raises `Problem`."""
    keys = tree.schema.names.keys
    branches = [keys(pick.path) for pick in picks if pick.scope == "branch"]
    for out in without:
        if not any(is_beneath(keys(out.path), branch) for branch in branches):
            place = tree.schema.notation.write(out.path)
            raise Problem(
                f"{place} lies in no branch that is picked: there is nothing to leave it out of.",
                "Pick a branch that holds it, as PATH/**, or do without --leave.",
            )
