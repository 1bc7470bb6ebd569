"""What the account may write of a host, as the host itself says."""

from collections.abc import Iterator, Sequence
from contextlib import suppress
from os import fsdecode
from posixpath import dirname

from keepsort.connectors.errors import Unreachable
from keepsort.connectors.hostfiles.access import Access
from keepsort.connectors.hostfiles.choosing import Choice
from keepsort.connectors.hostfiles.composing import SCHEMA
from keepsort.connectors.hostfiles.names import meant
from keepsort.core.model import Path
from keepsort.core.plan import Right, Step, changed_names

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
    asked = Folders(access)
    if asked.account is None:
        return
    me = accounts.get(asked.account, str(asked.account))
    created = {step.final_path for step in steps if step.action == "create"}
    for step in steps:
        places = {step.path, step.final_path} if _writes_folder(step) else set()
        said = {(f := _standing(choice, path, created)): asked.is_writable(f) for path in places}
        refused = next((folder for folder, may in said.items() if may is False), None)
        if refused is not None:
            text = f"The account may not write in {choice.named(refused)}."
            yield Right(step.number, False, text)
        elif all(said.values()) and (asked.account == 0 or _is_own(step, me)):
            yield Right(step.number, True)


class Folders:
    """What a host says of its folders; each is asked about once.

    account: the number of the account; None where the host runs no commands for it.
    """

    def __init__(self, access: Access) -> None:
        self._access = access
        self._said: dict[str, bool | None] = {}
        self.account: int | None = None
        with suppress(Unreachable):  # a host that is gone is told of by whoever asks next
            code, told = access.run(["id", "-u"])
            self.account = int(told) if not code and told.isdigit() else None

    def is_writable(self, folder: str) -> bool | None:
        """Tell whether the account may write in a folder; None where the host does not say."""
        if self.account is None:
            return None
        if folder not in self._said and len(self._said) < _MOST_ASKED:
            code, _ = self._access.run(["test", "-w", fsdecode(meant(folder))])
            self._said[folder] = {0: True, 1: False}.get(code)
        return self._said.get(folder)


def _standing(choice: Choice, path: Path, created: set[Path]) -> str:
    """Return the folder that a file is written in, or the one that stands above it by now."""
    above = path[:-1]
    while above in created:
        above = above[:-1]
    return choice.written(above) if above else dirname(choice.written(path))


def _writes_folder(step: Step) -> bool:
    """Tell whether a file comes, goes, or another takes its place."""
    return step.action != "update" or not _IN_PLACE.issuperset(changed_names(SCHEMA, step))


def _is_own(step: Step, me: str) -> bool:
    """Tell whether a file is this account's before and after, and its group stays."""
    sides = [side for side in (step.before, step.after) if side is not None]
    groups = {str(side.get("group")) for side in sides}
    return all(side.get("owner") == me for side in sides) and (
        len(groups) == 1 and step.before is not None
    )
