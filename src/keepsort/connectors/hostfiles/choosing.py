"""Which files are looked at, how they are read, and what may be run for them."""

import shlex
from fnmatch import fnmatchcase
from posixpath import basename, normpath
from urllib.parse import unquote, urlsplit

import msgspec

from keepsort.connectors import options
from keepsort.connectors.base import Endpoint
from keepsort.connectors.errors import Misconfigured
from keepsort.core.model import Path
from keepsort.formats import FORMATS


class Command(msgspec.Struct, frozen=True):
    """What is run for files like `pattern`; ``{}`` among the words stands for the file."""

    pattern: str
    check: tuple[str, ...]
    apply: tuple[str, ...]


class Choice(msgspec.Struct, frozen=True):
    """What the system's options say about files.

    base: the folder that paths are named from, which the address may give (a container's root,
        say); empty for the host's own. folders: whole paths on the host.
    """

    base: str
    folders: tuple[str, ...]
    include: tuple[str, ...]
    exclude: tuple[str, ...]
    formats: tuple[tuple[str, str], ...]
    commands: tuple[Command, ...]
    largest: int
    contents: bool

    @classmethod
    def of(cls, endpoint: Endpoint) -> "Choice":
        """Read the options. Raises `Misconfigured`."""
        base = normpath(unquote(urlsplit(endpoint.address).path) or "/").rstrip("/")
        return cls(
            base=base,
            folders=tuple(base + one for one in _folders(options.listed(endpoint, "folders"))),
            include=options.listed(endpoint, "include"),
            exclude=options.listed(endpoint, "exclude"),
            formats=tuple(_format(line) for line in options.lines(endpoint, "formats")),
            commands=tuple(_command(line) for line in options.lines(endpoint, "commands")),
            largest=options.number(endpoint, "largest", 1 << 20),
            contents=endpoint.options.get("binaries") == "contents",
        )

    def takes(self, path: str, folder: bool) -> bool:
        """Tell whether a file or folder is among those looked at."""
        named = self.named(path)
        if any(_like(named, pattern) for pattern in self.exclude):
            return False
        return folder or not self.include or any(_like(named, p) for p in self.include)

    def format(self, path: str) -> str:
        """Return the kind that a text file at a path is of."""
        for pattern, name in self.formats:
            if _like(self.named(path), pattern):
                return name
        for known in FORMATS.values():
            if any(_like(self.named(path), pattern) for pattern in known.patterns):
                return known.name
        return "text"

    def command(self, path: str) -> Command | None:
        """Return what is run for a file; the first pattern that it is like counts."""
        return next((c for c in self.commands if _like(self.named(path), c.pattern)), None)

    def path(self, written: str) -> Path:
        """Return the path of a file on the host."""
        return tuple(part for part in self.named(written).split("/") if part)

    def written(self, path: Path) -> str:
        """Return where on the host a path is."""
        return self.base + "/" + "/".join(path)

    def named(self, written: str) -> str:
        """Return how a file on the host is named here: from the base on."""
        return written.removeprefix(self.base) or "/"


def _like(path: str, pattern: str) -> bool:
    return fnmatchcase(path if "/" in pattern else basename(path), pattern)


def _folders(found: tuple[str, ...]) -> tuple[str, ...]:
    for folder in found:
        if not folder.startswith("/"):
            raise Misconfigured(f"The folder {folder!r} is no absolute path.", "Write it as /….")
    if not found:
        raise Misconfigured("No folders are chosen.", "Give the option folders=/one,/another.")
    plain = sorted({normpath(folder) for folder in found})
    return tuple(f for f in plain if not any(f != o and is_in(f, o) for o in plain))


def is_in(path: str, folder: str) -> bool:
    """Tell whether a path is a folder or lies in it."""
    return path == folder or path.startswith(folder.rstrip("/") + "/")


def _format(line: str) -> tuple[str, str]:
    pattern, equals, name = (part.strip() for part in line.rpartition("="))
    if not equals or name not in (*FORMATS, "text"):
        raise Misconfigured(
            f"{line!r} is no format of files.",
            f"Write PATTERN = {', '.join(FORMATS)} or text, one a line.",
        )
    return pattern, name


def _command(line: str) -> Command:
    parts = [part.strip() for part in line.split("|")]
    try:
        words = [tuple(shlex.split(part)) for part in parts[1:]]
    except ValueError as error:
        raise Misconfigured(f"The commands in {line!r} cannot be read: {error}.") from None
    if len(parts) not in (2, 3) or not parts[0]:
        raise Misconfigured(
            f"{line!r} is no line of commands.", "Write PATTERN | check command | apply command."
        )
    return Command(parts[0], words[0], words[1] if len(words) > 1 else ())


def shown(words: tuple[str, ...]) -> str:
    """Write a command so that its words can be told apart."""
    return shlex.join(words).replace("'{}'", "{}")
