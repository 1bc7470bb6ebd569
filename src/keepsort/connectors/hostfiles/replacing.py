"""Writes files of a host: each new one beside the old one, then in its place."""

import os
import secrets as random
from collections.abc import Sequence
from contextlib import suppress
from posixpath import basename, dirname

from keepsort.connectors.base import (
    Ending,
    Ready,
    Seen,
)
from keepsort.connectors.errors import Changed, ConnectorError, Refused
from keepsort.connectors.hostfiles.access import (
    Access,
    plain_errors,
)
from keepsort.connectors.hostfiles.choosing import Choice, shown
from keepsort.connectors.hostfiles.names import meant
from keepsort.connectors.hostfiles.reading import LEFT_OVER, MODE, Reading, version_of
from keepsort.connectors.hostfiles.secrets import Secrets
from keepsort.core.model import Attributes, Value
from keepsort.core.plan import Step
from keepsort.formats import FORMATS

FILES = {"text", "binary", *FORMATS}


class Replacing:
    """What writes the chosen files of one host, and runs what was chosen to be run for them."""

    def __init__(self, choice: Choice, access: Access, hidden: Secrets, reading: Reading) -> None:
        self._choice = choice
        self._access = access
        self._hidden = hidden
        self._reading = reading

    def write(self, ready: Sequence[Ready]) -> list[str]:
        """Carry out one step, right after the file was looked at."""
        return [self._write_one(*one) for one in ready]

    def _write_one(self, step: Step, seen: Seen) -> str:
        path = self._choice.written(step.path)
        self._must_be_inside(path)
        if step.to is not None:
            to = self._choice.written(step.to)
            self._must_be_inside(to)
        with plain_errors(path):
            if step.action == "move":
                self._access.replace(path, to)
                return ""
            if step.action == "delete":
                self._access.remove(path, folder=step.kind == "folder")
                return ""
            return self._put(step, path, seen)

    def _must_be_inside(self, path: str) -> None:
        """Refuse a path that leads out of the chosen folders, through a link say."""
        folder = self._reading.folder_of(path)
        if folder is None:
            raise Refused(f"{path} is in none of the chosen folders.")
        if path == folder:
            return
        above = dirname(path)
        with plain_errors(above):
            real = self._access.real(above)
            wanted = self._access.real(folder) + above[len(folder) :]
        if real.rstrip("/") != wanted.rstrip("/"):
            raise Refused(
                f"{above} leads to {real}, through a link; nothing is written there.",
                "Choose the folder that it leads to as well.",
            )

    def _put(self, step: Step, path: str, seen: Seen) -> str:
        after, found = step.after or {}, seen.found
        if found is not None and (found.kind == "folder") != (step.kind == "folder"):
            raise Refused(f"{path} is a folder on one side and a file on the other.")
        if step.kind == "folder":
            if found is None:
                self._access.make_folder(path)
            self._own(path, after)
            return ""
        name = f".{basename(path)}.keepsort-{random.token_hex(4)}.new"
        new = f"{dirname(path).rstrip('/')}/{name}"
        if step.kind == "link":
            self._access.link_new(new, str(after.get("target", "")))
            self._take_place(step, seen, new, path)
            return ""
        data = self.data(step.kind, after)
        if found is not None and data == self.data(found.kind, found.attributes):
            self._own(path, after)
            return ""
        if data is None:
            raise Refused(f"The contents of {path} were not kept.")
        try:
            self._access.write_new(new, data)
            self._own(new, after)
            if self._access.contents(new, len(data)) != data:
                raise Refused(f"{new} reads back differently from what was written.")
            report = self._checked(path, new)
            self._take_place(step, seen, new, path)
            return report
        except BaseException:
            with suppress(OSError, ConnectorError):
                self._access.remove(new, folder=False)
            raise

    def data(self, kind: str, attributes: Attributes) -> bytes | None:
        """Return what a file with these attributes holds, its secrets among it."""
        if "text" in attributes:
            return self._hidden.put_in(kind, str(attributes["text"])).encode()
        content = attributes.get("content")
        return bytes(content) if isinstance(content, bytes) else None

    def _take_place(self, step: Step, seen: Seen, new: str, path: str) -> None:
        """Rename the new file over the old one, which must still be as it was looked at."""
        found = self._reading.read_one(step.path)
        if version_of(found) != seen.version:
            raise Changed(f"{path} was changed by somebody at this very moment.", found)
        self._access.replace(new, path)

    def _own(self, path: str, after: Attributes) -> None:
        """Set permissions and owner, as far as they differ."""
        status = self._access.status(path)
        uid = _number(self._reading.names[0], after.get("owner"), status.uid)
        gid = _number(self._reading.names[1], after.get("group"), status.gid)
        if (uid, gid) != (status.uid, status.gid):
            self._access.set_owner(path, uid, gid)
        mode = after.get("mode")
        if isinstance(mode, str) and int(mode, 8) != status.mode & MODE:
            self._access.set_mode(path, int(mode, 8))

    def _checked(self, path: str, new: str) -> str:
        command = self._choice.command(path)
        if command is None or not command.check:
            return ""
        words = [word.replace("{}", os.fsdecode(meant(new))) for word in command.check]
        code, text = self._access.run(words)
        called = shown(command.check)
        said = f": {text}" if text else ""
        if code:
            raise Refused(
                f"“{called}” does not accept the new {path} (exit code {code}){said}.",
                "The file stays as it was. Mend what the check names, preview again.",
            )
        return f"“{called}” accepted it (exit code 0){said}"

    def standing(self, steps: Sequence[Step]) -> dict[str, Value]:
        """Nothing is altered for the sake of a run; it is noted which files it writes."""
        written = {self._choice.written(s.path) for s in steps if s.kind in FILES | {"link"}}
        return {"files": sorted(written)}

    def begin(self, standing: dict[str, Value]) -> None:
        """Take away what a run that was cut off has left beside the files it was to write."""
        for path in standing.get("files", []):
            folder, name = dirname(path), basename(path)
            with suppress(OSError, ConnectorError):
                self._must_be_inside(path)
                for one in self._access.listed(folder):
                    left = LEFT_OVER.search(one.name)
                    if left and one.name == f".{name}{left[0]}":
                        self._access.remove(f"{folder.rstrip('/')}/{one.name}", folder=False)

    def finish(self, done: Sequence[Step]) -> Ending:
        """Run the commands that apply what was written, each once."""
        commands: dict[tuple[str, ...], None] = {}
        for step in done:
            command = self._choice.command(self._choice.written(step.final_path))
            if command is not None and command.apply and step.kind in FILES:
                commands[command.apply] = None
        report, failed = [], ""
        for words in commands:
            code, text = self._access.run(list(words))
            called = shown(words)
            report.append(f"“{called}” ended with exit code {code}" + (f": {text}" if text else ""))
            if code and not failed:
                failed = f"The files are back, but “{called}” failed with exit code {code}: {text}"
        return Ending(tuple(report), failed)


def _number(names: dict[int, str], name: Value, default: int) -> int:
    if not isinstance(name, str):
        return default
    if name.isdigit():
        return int(name)
    found = next((number for number, known in names.items() if known == name), None)
    if found is None:
        raise Refused(f"The host knows no account or group {name}.")
    return found
