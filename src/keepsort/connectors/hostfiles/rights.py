"""What the account may write of a host, as the host itself says."""

from collections.abc import Iterator, Sequence
from os import fsdecode
from posixpath import dirname

from keepsort.connectors.errors import Unreachable
from keepsort.connectors.hostfiles.access import Access
from keepsort.connectors.hostfiles.choosing import Choice
from keepsort.connectors.hostfiles.names import meant
from keepsort.core.model import Path
from keepsort.core.plan import Right, Step

#: So many folders are asked about; of others nothing is said.
_MOST_ASKED = 100
#: What is set on a file where it stands, without its folder being written.
_IN_PLACE = {"mode", "owner", "group"}


def may_write(
    choice: Choice, access: Access, accounts: dict[int, str], steps: Sequence[Step]
) -> Iterator[Right]:
    """Yield which steps the account may carry out: a file is replaced by writing in its folder.

    accounts: names of the host's accounts by their numbers.
    A file of another account than this one can be put back by root alone; where that is not it,
    nothing is said, for the host may have rules of its own.
    """
    own = _asked(access)
    if own is None:
        return
    me = accounts.get(own, str(own))
    created = {step.final_path for step in steps if step.action == "create"}
    asked: dict[str, bool | None] = {}
    for step in steps:
        places = {step.path, step.final_path} if _writes_folder(step) else set()
        folders = {_standing(choice, path, created) for path in places}
        for folder in folders - asked.keys():
            if len(asked) < _MOST_ASKED:
                asked[folder] = _writable(access, folder)
        refused = [folder for folder in folders if asked.get(folder) is False]
        if refused:
            text = f"The account may not write in {choice.named(refused[0])}."
            yield Right(step.number, False, text)
        elif all(asked.get(folder) for folder in folders) and (own == 0 or _is_own(step, me)):
            yield Right(step.number, True)


def is_writable(access: Access, folder: str) -> bool | None:
    """Ask whether the account may write in a folder; None where the host does not say."""
    return None if _asked(access) is None else _writable(access, folder)


def _writable(access: Access, folder: str) -> bool | None:
    code, _ = access.run(["test", "-w", fsdecode(meant(folder))])
    return {0: True, 1: False}.get(code)


def _asked(access: Access) -> int | None:
    """Return the number of the account; None where the host runs no commands for it."""
    try:
        code, told = access.run(["id", "-u"])
    except Unreachable:
        return None  # a host that is gone is told of by whoever asks next
    return int(told) if not code and told.isdigit() else None


def _standing(choice: Choice, path: Path, created: set[Path]) -> str:
    """Return the folder that a file is written in, or the one that stands above it by now."""
    above = path[:-1]
    while above in created:
        above = above[:-1]
    return choice.written(above) if above else dirname(choice.written(path))


def _writes_folder(step: Step) -> bool:
    """Tell whether a file comes, goes, or another takes its place."""
    before, after = step.before or {}, step.after or {}
    changed = {name for name in before.keys() | after.keys() if before.get(name) != after.get(name)}
    return step.action != "update" or not changed <= _IN_PLACE


def _is_own(step: Step, me: str) -> bool:
    """Tell whether a file is this account's before and after, and its group stays."""
    sides = [side for side in (step.before, step.after) if side is not None]
    groups = {str(side.get("group")) for side in sides}
    return all(side.get("owner") == me for side in sides) and (
        len(groups) == 1 and step.before is not None
    )
