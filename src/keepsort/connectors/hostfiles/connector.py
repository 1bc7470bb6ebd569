"""The config files connector: chosen folders of a host as a tree of objects, and back."""

import hashlib
import os
import re
import secrets as random
import stat
from collections.abc import Iterator, Sequence
from contextlib import suppress
from datetime import UTC, datetime
from functools import cached_property
from posixpath import basename, dirname

from keepsort.connectors.base import (
    ALREADY,
    Description,
    Ending,
    Endpoint,
    Outcome,
    Problem,
    Promises,
    SecretKeeper,
)
from keepsort.connectors.errors import Conflict, ConnectorError, NoSuchBranch, Refused
from keepsort.connectors.hostfiles import local
from keepsort.connectors.hostfiles.access import (
    Access,
    SftpAccess,
    Status,
    is_kind,
    plain_errors,
)
from keepsort.connectors.hostfiles.choosing import Choice, is_in
from keepsort.connectors.hostfiles.composing import SCHEMA, parts
from keepsort.connectors.hostfiles.names import meant
from keepsort.connectors.hostfiles.rendering import rendered
from keepsort.connectors.hostfiles.secrets import DEFAULT, Secrets
from keepsort.connectors.hostfiles.signing_in import sign_in
from keepsort.core.model import Attributes, ConfigObject, Path, Value
from keepsort.core.plan import Finding, Step
from keepsort.core.plan.rehearsal import holds, is_done
from keepsort.core.snapshot import Snapshot
from keepsort.formats import FORMATS, NotParsed, opening

_FILES = {"text", "binary", *FORMATS}
_MODE = 0o7777
#: How the names of files end that are to take the place of others.
_LEFT_OVER = re.compile(r"\.keepsort-[0-9a-f]{8}\.new$")


def open_hostfiles(endpoint: Endpoint, secrets: SecretKeeper) -> "HostFiles":
    """Open a way to the files of a host. Raises a `ConnectorError`."""
    choice = Choice.of(endpoint)
    hidden = Secrets(endpoint.options.get("secrets") or DEFAULT, secrets)
    if endpoint.address.startswith("file:"):
        local.allowed()
        return HostFiles(choice, local.LocalAccess(choice.folders), hidden)
    client, key = sign_in(endpoint)
    learned = {} if endpoint.options.get("host_key") else {"host_key": key}
    return HostFiles(choice, SftpAccess(client, endpoint.address), hidden, learned)


class HostFiles:
    """The chosen folders of one host."""

    def __init__(
        self,
        choice: Choice,
        access: Access,
        hidden: Secrets,
        learned: dict[str, str] | None = None,
    ) -> None:
        self._choice = choice
        self._access = access
        self._hidden = hidden
        self.learned = learned or {}

    def close(self) -> None:
        """Let go of the connection."""
        self._access.close()

    def describe(self) -> Description:
        """Return what the host is."""
        return Description(
            software=self._access.software(),
            schema=SCHEMA,
            promises=Promises(compare_and_set="check", rename=True),
            depth_first=True,
        )

    def rights(self) -> list[str]:
        """Return which of the chosen folders the account may read and write."""
        told = []
        for folder in self._choice.folders:
            named = self._choice.named(folder)
            try:
                self._access.listed(folder)
            except FileNotFoundError:
                told.append(f"There is no folder {named}.")
                continue
            except OSError:
                told.append(f"May not read {named}.")
                continue
            code, _ = self._access.run(["test", "-w", folder])
            told.append(f"May read {named}" + (" and write in it." if code == 0 else " only."))
        return told

    # Reading

    def observe(self, branch: Path = ()) -> Iterator[tuple[Path, ConfigObject]]:
        """Yield files and folders of a branch, and what the files hold."""
        top = self._choice.written(branch)
        above = [f for f in self._choice.folders if is_in(f, top)]
        if branch and not above and not self._folder_of(top):
            raise NoSuchBranch(f"{top} is in none of the chosen folders.")
        if not above:
            with plain_errors(top):
                try:
                    status = self._access.status(top)
                except (FileNotFoundError, NotADirectoryError):
                    raise NoSuchBranch(
                        f"There is no file {top}.",
                        "What a file holds is kept with the file; name the file.",
                    ) from None
            yield from self._walk(top, status)
            return
        seen: set[Path] = set()
        for folder in above:
            path = self._choice.path(folder)
            inner: Iterator[tuple[Path, ConfigObject]] = iter(())
            stop = len(path)
            try:
                inner = self._walk(folder, self._access.status(folder))
            except FileNotFoundError:
                stop = len(branch) + 1  # what holds it is there by it, but for the top
            except PermissionError:
                inner = iter([(path, _hidden(folder))])
            for depth in range(len(branch), stop):
                if path[:depth] not in seen:
                    seen.add(path[:depth])
                    name = path[depth - 1] if depth else ""
                    yield path[:depth], ConfigObject(name=name, kind="place")
            yield from inner

    def _walk(self, path: str, status: Status) -> Iterator[tuple[Path, ConfigObject]]:
        place = self._choice.path(path)
        try:
            found = self._object(path, status)
            if is_kind(status, stat.S_IFDIR):
                inner = [s for s in self._access.listed(path) if not _LEFT_OVER.search(s.name)]
                odd = [f"{s.name} ({_odd(s)})" for s in inner if _odd(s)]
                if odd:
                    found.facts["left out"] = odd
            else:
                inner = []
        except PermissionError:
            yield place, _hidden(path)
            return
        except FileNotFoundError:
            return  # it went away while the folder was read
        yield place, found
        for relative, part in self._parts(found):
            yield (*place, *relative), part
        for one in inner:
            where = f"{path.rstrip('/')}/{one.name}"
            if not _odd(one) and self._choice.takes(where, is_kind(one, stat.S_IFDIR)):
                yield from self._walk(where, one)

    def _parts(self, found: ConfigObject) -> list[tuple[Path, ConfigObject]]:
        if found.kind not in FORMATS:
            return []
        try:
            return list(parts(found.kind, found.attributes["text"]))
        except NotParsed as error:
            found.facts["kept as plain text, because"] = str(error)
            return []

    def _object(self, path: str, status: Status) -> ConfigObject:
        """Read one file. Raises OSError."""
        attributes: Attributes = {
            "owner": self._names[0].get(status.uid, str(status.uid)),
            "group": self._names[1].get(status.gid, str(status.gid)),
        }
        changed = datetime.fromtimestamp(status.changed, UTC).isoformat()
        facts: dict[str, Value] = {"changed": changed}
        name = basename(path)
        if is_kind(status, stat.S_IFLNK):
            attributes["target"] = self._access.target(path)
            return ConfigObject(name=name, kind="link", attributes=attributes, facts=facts)
        attributes["mode"] = f"{status.mode & _MODE:04o}"
        if is_kind(status, stat.S_IFDIR):
            return ConfigObject(name=name, kind="folder", attributes=attributes, facts=facts)
        facts["size"] = status.size
        data = self._access.contents(path, self._choice.largest)
        text = _as_text(data)
        if text is not None:
            kind = self._choice.format(path)
            attributes["text"] = self._without_secrets(kind, text)
        else:
            kind = "binary"
            attributes["bytes"] = status.size
            if data is not None and self._choice.contents:
                attributes["content"] = data
            else:
                digest = hashlib.sha256(data).hexdigest() if data is not None else None
                attributes["digest"] = digest or self._access.digest(path)
        return ConfigObject(name=name, kind=kind, attributes=attributes, facts=facts)

    def _without_secrets(self, kind: str, text: str) -> str:
        """Keep the secrets of a text out of it, as far as it can be read."""
        if kind not in FORMATS:
            return text
        try:
            return self._hidden.kept_out(kind, text, opening.places)
        except NotParsed:
            return text

    @cached_property
    def _names(self) -> tuple[dict[int, str], dict[int, str]]:
        return self._access.names()

    def read(self, paths: Sequence[Path]) -> list[ConfigObject | None]:
        """Return chosen files, or what they hold, as they are now."""
        return [self._read_one(path) for path in paths]

    def _read_one(self, path: Path) -> ConfigObject | None:
        written = self._choice.written(path)
        if not self._folder_of(written):
            above = any(is_in(f, written) for f in self._choice.folders)
            return ConfigObject(name=path[-1] if path else "", kind="place") if above else None
        for depth in range(len(path), 0, -1):
            where = self._choice.written(path[:depth])
            if not self._folder_of(where):
                return None
            try:
                found = self._object(where, self._access.status(where))
                if found.kind == "folder" and depth == len(path):
                    self._access.listed(where)  # one that may not be listed is not known
            except PermissionError:
                return _hidden(written)
            except OSError:
                continue
            if depth == len(path):
                return found
            return dict(self._parts(found)).get(path[depth:])
        return None

    def _folder_of(self, path: str) -> str | None:
        return next((f for f in self._choice.folders if is_in(path, f)), None)

    # Writing

    def check(self, steps: Sequence[Step], origin: Snapshot) -> list[Finding]:
        """Tell what will be run, what cannot be written, and what no longer parses."""
        text = (
            "Each file is read right before it is replaced, but a change in that very moment "
            "would not be noticed."
        )
        found = [Finding("note", "check-then-write", text)] if steps else []
        for step in steps:
            where = self._choice.written(step.final_path)
            if not self._folder_of(where):
                text = "It is in none of the chosen folders, so nothing is written there."
                found.append(Finding("stop", "outside", text, step.final_path))
            after = step.after or {}
            if step.kind == "binary" and step.action in ("create", "update"):
                same = (step.before or {}).get("digest") == after.get("digest")
                if "content" not in after and not same:
                    text = "Only its digest and size were kept, so its contents cannot go back."
                    found.append(Finding("stop", "contents-not-kept", text, step.final_path))
            if not self._hidden.are_kept(str(after.get("text", ""))):
                text = "A secret in it was never kept here, so the file cannot be written."
                found.append(Finding("stop", "secret-unknown", text, step.final_path))
            if step.kind in FORMATS and "text" in after:
                try:
                    opening.places(step.kind, str(after["text"]))
                except NotParsed as error:
                    text = f"As it will be, it is no {FORMATS[step.kind].label}: {error}."
                    found.append(Finding("note", "not-parsed", text, step.final_path))
            found += self._commands(step)
        return found

    def _commands(self, step: Step) -> Iterator[Finding]:
        where = self._choice.written(step.final_path)
        command = self._choice.command(where) if step.kind in _FILES else None
        if command is None:
            return
        if command.check and step.action in ("create", "update"):
            words = " ".join(command.check)
            text = f"“{words}” must accept the new file before it takes its place."
            yield Finding("note", "check-command", text, step.final_path)
        if command.apply:
            words = " ".join(command.apply)
            text = f"“{words}” is run on the host afterwards, once for all files it is for."
            yield Finding("confirm", "apply-command", text, step.final_path)

    def render(self, step: Step) -> str:
        """Write a step as the operations of SFTP that carry it out, with what differs."""
        where = self._choice.written(step.path)
        to = self._choice.written(step.to) if step.to is not None else ""
        command = self._choice.command(where) if step.kind in _FILES else None
        size = None
        with suppress(Refused):
            data = self._data(step.kind, step.after or {})
            size = len(data) if data is not None else None
        return rendered(step, where, to, command, size)

    def apply(self, step: Step) -> Outcome:
        """Carry out one step if the file is as expected."""
        path = self._choice.written(step.path)
        self._must_be_inside(path)
        found = self._read_one(step.path)
        if step.action == "move":
            assert step.to is not None
            to = self._choice.written(step.to)
            self._must_be_inside(to)
            there = self._read_one(step.to)
            if found is None and is_done(SCHEMA, step, there):
                return ALREADY
            if there is not None:
                raise Conflict(f"{to} exists, and would be overwritten.", there)
        elif is_done(SCHEMA, step, found):
            return ALREADY
        self._must_hold(step, path, found)
        with plain_errors(path):
            if step.action == "move":
                self._access.replace(path, to)
                return Outcome()
            if step.action == "delete":
                self._access.remove(path, folder=step.kind == "folder")
                return Outcome()
            return self._put(step, path, found)

    def _must_hold(self, step: Step, path: str, found: ConfigObject | None) -> None:
        if not holds(SCHEMA, step, found):
            raise Conflict(f"{path} is not what the preview showed.", found)

    def _must_be_inside(self, path: str) -> None:
        """Refuse a path that leads out of the chosen folders, through a link say."""
        folder = self._folder_of(path)
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

    def _put(self, step: Step, path: str, found: ConfigObject | None) -> Outcome:
        after = step.after or {}
        if found is not None and (found.kind == "folder") != (step.kind == "folder"):
            raise Refused(f"{path} is a folder on one side and a file on the other.")
        if step.kind == "folder":
            if found is None:
                self._access.make_folder(path)
            self._own(path, after)
            return Outcome()
        name = f".{basename(path)}.keepsort-{random.token_hex(4)}.new"
        new = f"{dirname(path).rstrip('/')}/{name}"
        if step.kind == "link":
            self._access.link_new(new, str(after.get("target", "")))
            return self._take_place(step, new, path)
        data = self._data(step.kind, after)
        if found is not None and data == self._data(found.kind, found.attributes):
            self._own(path, after)
            return Outcome()
        if data is None:
            raise Refused(f"The contents of {path} were not kept.")
        try:
            self._access.write_new(new, data)
            self._own(new, after)
            if self._access.contents(new, len(data)) != data:
                raise Refused(f"{new} reads back differently from what was written.")
            report = self._checked(path, new)
            return self._take_place(step, new, path, report)
        except BaseException:
            with suppress(OSError, ConnectorError):
                self._access.remove(new, folder=False)
            raise

    def _data(self, kind: str, attributes: Attributes) -> bytes | None:
        """Return what a file with these attributes holds, its secrets among it."""
        if "text" in attributes:
            return self._hidden.put_in(kind, str(attributes["text"])).encode()
        content = attributes.get("content")
        return bytes(content) if isinstance(content, bytes) else None

    def _take_place(self, step: Step, new: str, path: str, report: str = "") -> Outcome:
        """Rename the new file over the old one, which must still be as expected."""
        self._must_hold(step, path, self._read_one(step.path))
        self._access.replace(new, path)
        return Outcome(report=report)

    def _own(self, path: str, after: Attributes) -> None:
        """Set permissions and owner, as far as they differ."""
        status = self._access.status(path)
        uid = _number(self._names[0], after.get("owner"), status.uid)
        gid = _number(self._names[1], after.get("group"), status.gid)
        if (uid, gid) != (status.uid, status.gid):
            self._access.set_owner(path, uid, gid)
        mode = after.get("mode")
        if isinstance(mode, str) and int(mode, 8) != status.mode & _MODE:
            self._access.set_mode(path, int(mode, 8))

    def _checked(self, path: str, new: str) -> str:
        command = self._choice.command(path)
        if command is None or not command.check:
            return ""
        words = [word.replace("{}", os.fsdecode(meant(new))) for word in command.check]
        code, text = self._access.run(words)
        shown = " ".join(command.check)
        said = f": {text}" if text else ""
        if code:
            raise Refused(
                f"“{shown}” does not accept the new {path} (exit code {code}){said}.",
                "The file stays as it was. Mend what the check names, preview again.",
            )
        return f"“{shown}” accepted it (exit code 0){said}"

    # Around a run

    def standing(self, steps: Sequence[Step]) -> dict[str, Value]:
        """Nothing is altered for the sake of a run; it is noted which files it writes."""
        written = {self._choice.written(s.path) for s in steps if s.kind in _FILES | {"link"}}
        return {"files": sorted(written)}

    def begin(self, standing: dict[str, Value]) -> None:
        """Take away what a run that was cut off has left beside the files it was to write."""
        for path in standing.get("files", []):
            folder, name = dirname(path), basename(path)
            with suppress(OSError, ConnectorError):
                self._must_be_inside(path)
                for one in self._access.listed(folder):
                    left = _LEFT_OVER.search(one.name)
                    if left and one.name == f".{name}{left[0]}":
                        self._access.remove(f"{folder.rstrip('/')}/{one.name}", folder=False)

    def end(self, standing: dict[str, Value], done: Sequence[Step]) -> Ending:
        """Run the commands that apply what was written, each once."""
        commands: dict[tuple[str, ...], None] = {}
        for step in done:
            command = self._choice.command(self._choice.written(step.final_path))
            if command is not None and command.apply and step.kind in _FILES:
                commands[command.apply] = None
        report, failed = [], ""
        for words in commands:
            code, text = self._access.run(list(words))
            shown = " ".join(words)
            report.append(f"“{shown}” ended with exit code {code}" + (f": {text}" if text else ""))
            if code and not failed:
                failed = f"The files are back, but “{shown}” failed with exit code {code}: {text}"
        return Ending(tuple(report), failed)

    # Soundness

    def validate(self, tree: Snapshot) -> list[Problem]:
        """List files that do not parse, and links that lead nowhere."""
        found = []
        for node in tree.walk():
            if node.entry.kind in FORMATS:
                text = tree.object(node).attributes.get("text", "")
                try:
                    opening.places(node.entry.kind, str(text))
                except NotParsed as error:
                    label = FORMATS[node.entry.kind].label
                    found.append(Problem(node.path, f"It is no {label}: {error}."))
            elif node.entry.kind == "link":
                where = self._choice.written(node.path)
                try:
                    self._access.real(where)
                except OSError:
                    found.append(Problem(node.path, f"{where} leads to a file that is not there."))
        return found


def _as_text(data: bytes | None) -> str | None:
    if data is None or b"\0" in data:
        return None
    try:
        return data.decode()
    except UnicodeDecodeError:
        return None


def _number(names: dict[int, str], name: Value, default: int) -> int:
    if not isinstance(name, str):
        return default
    if name.isdigit():
        return int(name)
    found = next((number for number, known in names.items() if known == name), None)
    if found is None:
        raise Refused(f"The host knows no account or group {name}.")
    return found


def _hidden(path: str) -> ConfigObject:
    return ConfigObject(
        name=basename(path), kind="folder", unreadable="the account may not read it"
    )


def _odd(status: Status) -> str:
    """Return what a file is that is neither file, folder nor link; empty for these."""
    names = {
        stat.S_IFSOCK: "socket", stat.S_IFIFO: "pipe", stat.S_IFBLK: "device",
        stat.S_IFCHR: "device",
    }  # fmt: skip
    return names.get(stat.S_IFMT(status.mode), "")
