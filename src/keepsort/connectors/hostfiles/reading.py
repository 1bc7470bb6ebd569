"""Reads the chosen files of a host as objects."""

import hashlib
import re
import stat
from collections.abc import Iterator, Sequence
from datetime import UTC, datetime
from functools import cached_property
from posixpath import basename

from keepsort.connectors.base import (
    Seen,
)
from keepsort.connectors.errors import NoSuchBranch
from keepsort.connectors.hostfiles.access import (
    Access,
    Status,
    is_kind,
    plain_errors,
)
from keepsort.connectors.hostfiles.choosing import Choice, is_in
from keepsort.connectors.hostfiles.composing import SCHEMA, parts
from keepsort.connectors.hostfiles.secrets import Secrets
from keepsort.core.model import Attributes, ConfigObject, Path, Value, object_digest
from keepsort.formats import FORMATS, NotParsed, opening

MODE = 0o7777
#: How the names of files end that are to take the place of others.
LEFT_OVER = re.compile(r"\.keepsort-[0-9a-f]{8}\.new$")


class Reading:
    """What can be read of the chosen folders of one host."""

    def __init__(self, choice: Choice, access: Access, hidden: Secrets) -> None:
        self._choice = choice
        self._access = access
        self._hidden = hidden

    def observe(self, branch: Path = ()) -> Iterator[tuple[Path, ConfigObject]]:
        """Yield files and folders of a branch, and what the files hold."""
        top = self._choice.written(branch)
        above = [f for f in self._choice.folders if is_in(f, top)]
        if branch and not above and not self.folder_of(top):
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
                inner = [s for s in self._access.listed(path) if not LEFT_OVER.search(s.name)]
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
            "owner": self.names[0].get(status.uid, str(status.uid)),
            "group": self.names[1].get(status.gid, str(status.gid)),
        }
        changed = datetime.fromtimestamp(status.changed, UTC).isoformat()
        facts: dict[str, Value] = {"changed": changed}
        name = basename(path)
        if is_kind(status, stat.S_IFLNK):
            attributes["target"] = self._access.target(path)
            return ConfigObject(name=name, kind="link", attributes=attributes, facts=facts)
        attributes["mode"] = f"{status.mode & MODE:04o}"
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
    def names(self) -> tuple[dict[int, str], dict[int, str]]:
        """The names of the host's accounts and groups, by their numbers."""
        return self._access.names()

    def look(self, paths: Sequence[Path]) -> list[Seen]:
        """Return chosen files, or what they hold, as they are now, with a digest of each."""
        return [Seen(found, version_of(found)) for found in map(self.read_one, paths)]

    def read_one(self, path: Path) -> ConfigObject | None:
        """Return one file or folder, or what a file holds; None where there is none."""
        written = self._choice.written(path)
        if not self.folder_of(written):
            above = any(is_in(f, written) for f in self._choice.folders)
            return ConfigObject(name=path[-1] if path else "", kind="place") if above else None
        for depth in range(len(path), 0, -1):
            where = self._choice.written(path[:depth])
            if not self.folder_of(where):
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

    def folder_of(self, path: str) -> str | None:
        """Return the chosen folder that a file of the host lies in; None for one outside."""
        return next((f for f in self._choice.folders if is_in(path, f)), None)


def version_of(found: ConfigObject | None) -> str | None:
    """Return what tells the states of a file apart: a digest of all that counts of it."""
    if found is None or found.unreadable is not None:
        return None
    return found.kind + object_digest(SCHEMA, found.kind, found.attributes)


def _as_text(data: bytes | None) -> str | None:
    if data is None or b"\0" in data:
        return None
    try:
        return data.decode()
    except UnicodeDecodeError:
        return None


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
