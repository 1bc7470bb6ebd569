"""Files on a host, as far as the connector needs them, and the way to them over SFTP."""

import errno
import hashlib
import shlex
import stat
import struct
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from time import monotonic
from typing import Any, Protocol

import paramiko
from paramiko.message import Message
from paramiko.sftp import (
    CMD_CLOSE,
    CMD_HANDLE,
    CMD_NAME,
    CMD_OPENDIR,
    CMD_READDIR,
    CMD_READLINK,
    CMD_REALPATH,
)
from paramiko.sftp_attr import SFTPAttributes

from keepsort.connectors.errors import NotAllowed, OddAnswer, Refused, Unreachable
from keepsort.connectors.hostfiles.names import meant, written

_SECONDS = 60
#: How long a command may take, and how much of what it writes is kept.
COMMAND_SECONDS = 60
COMMAND_BYTES = 64 << 10


@dataclass(frozen=True)
class Status:
    """What is known of a file without opening it; links are not followed."""

    name: str
    mode: int
    size: int
    uid: int
    gid: int
    changed: int


class Access(Protocol):
    """A way to files. Every call raises OSError, or a `ConnectorError` if the way is gone."""

    def status(self, path: str) -> Status:
        """Return what is known of one file."""

    def listed(self, path: str) -> list[Status]:
        """Return the files of a folder, by name."""

    def contents(self, path: str, limit: int) -> bytes | None:
        """Return a file's bytes; None where it is larger than `limit`."""

    def digest(self, path: str) -> str:
        """Return the SHA-256 of a file's bytes, as hex."""

    def target(self, path: str) -> str:
        """Return where a link leads."""

    def real(self, path: str) -> str:
        """Return a path with all links in it followed."""

    def write_new(self, path: str, data: bytes) -> None:
        """Write a file that must not exist yet, and see that it is on the disk."""

    def link_new(self, path: str, target: str) -> None:
        """Make a link that must not exist yet."""

    def set_mode(self, path: str, mode: int) -> None:
        """Set the permissions of a file."""

    def set_owner(self, path: str, uid: int, gid: int) -> None:
        """Set owner and group of a file."""

    def replace(self, path: str, to: str) -> None:
        """Give a file another name; what has that name goes (POSIX rename)."""

    def make_folder(self, path: str) -> None:
        """Make a folder."""

    def remove(self, path: str, folder: bool) -> None:
        """Take away a file or an empty folder."""

    def run(self, words: list[str]) -> tuple[int, str]:
        """Run a command; return its exit code, and what it wrote."""

    def names(self) -> tuple[dict[int, str], dict[int, str]]:
        """Return the names of users and groups by their numbers."""

    def software(self) -> str:
        """Return what answers."""

    def close(self) -> None:
        """Let go of the way."""


class SftpAccess:
    """Files over SFTP, the protocol of OpenSSH with its extensions."""

    def __init__(self, client: paramiko.SSHClient, where: str) -> None:
        self._client = client
        self._where = where
        try:
            self._sftp = client.open_sftp()
        except paramiko.SSHException as error:
            raise Unreachable(f"{where} gives no SFTP: {error}.") from None
        channel = self._sftp.get_channel()
        if channel is not None:
            channel.settimeout(_SECONDS)

    @contextmanager
    def _connected(self) -> Iterator[None]:
        try:
            yield
        except (EOFError, paramiko.SSHException, ConnectionError, TimeoutError) as error:
            raise Unreachable(f"The connection to {self._where} broke: {error!r}.") from None
        except (paramiko.SFTPError, struct.error, ValueError, LookupError, MemoryError):
            raise OddAnswer(self._where, "an SFTP server") from None

    def status(self, path: str) -> Status:
        with self._connected():
            return _status(path.rpartition("/")[2], self._sftp.lstat(_raw(path)))

    def listed(self, path: str) -> list[Status]:
        """Return the files of a folder, by name.

        The library's own call takes all names for UTF-8, and fails on a folder with another one.
        """
        found = []
        with self._connected():
            handle = self._ask(CMD_OPENDIR, CMD_HANDLE, meant(path)).get_string()
            with suppress(EOFError):
                while True:
                    answer = self._ask(CMD_READDIR, CMD_NAME, handle)
                    for _ in range(answer.get_int()):
                        name = answer.get_string()
                        answer.get_string()  # the line that `ls -l` would show
                        attributes = SFTPAttributes._from_msg(answer)  # type: ignore[attr-defined]
                        if name not in (b".", b".."):
                            found.append(_status(written(name), attributes))
            self._sftp._request(CMD_CLOSE, handle)  # type: ignore[attr-defined]
        return sorted(found, key=lambda s: s.name)

    def _ask(self, command: int, wanted: int, what: bytes) -> Message:
        kind: int
        answer: Message
        kind, answer = self._sftp._request(command, what)  # type: ignore[attr-defined]
        if kind != wanted:
            raise paramiko.SFTPError(f"the host answers {command} with {kind}")
        return answer

    def _named_by(self, command: int, path: str) -> str:
        answer = self._ask(command, CMD_NAME, meant(path))
        return written(answer.get_string()) if answer.get_int() else ""

    def _must_be_regular(self, path: str, status: SFTPAttributes) -> None:
        if status.st_mode is not None and not stat.S_ISREG(status.st_mode):
            raise OSError(errno.EINVAL, "it is no regular file", path)

    @contextmanager
    def _opened(self, path: str) -> Iterator[tuple[paramiko.SFTPFile, int]]:
        """Open a regular file; yields it and its size. A pipe would wait, so it is not opened."""
        with self._connected():
            self._must_be_regular(path, self._sftp.lstat(_raw(path)))
            with self._sftp.open(_raw(path), "rb") as file:
                found = file.stat()  # of what is open now, whatever stood there before
                self._must_be_regular(path, found)
                yield file, found.st_size or 0

    def contents(self, path: str, limit: int) -> bytes | None:
        with self._opened(path) as (file, size):
            if size > limit:
                return None
            if size:
                file.prefetch(size)
            data = file.read(limit + 1)
        return None if len(data) > limit else data

    def digest(self, path: str) -> str:
        found = hashlib.sha256()
        with self._opened(path) as (file, _):
            file.prefetch()
            while block := file.read(1 << 18):
                found.update(block)
        return found.hexdigest()

    def target(self, path: str) -> str:
        with self._connected():
            return self._named_by(CMD_READLINK, path)

    def real(self, path: str) -> str:
        with self._connected():
            self._sftp.stat(_raw(path))
            return self._named_by(CMD_REALPATH, path)

    def write_new(self, path: str, data: bytes) -> None:
        with self._connected(), self._sftp.open(_raw(path), "wxb") as file:
            file.chmod(0o600)
            file.write(data)
            file.flush()
            with suppress(OSError):  # an extension of OpenSSH's; other servers may lack it
                self._sftp._request(200, "fsync@openssh.com", file.handle)  # type: ignore[attr-defined]

    def link_new(self, path: str, target: str) -> None:
        with self._connected():
            self._sftp.symlink(_raw(target), _raw(path))

    def set_mode(self, path: str, mode: int) -> None:
        with self._connected():
            self._sftp.chmod(_raw(path), mode)

    def set_owner(self, path: str, uid: int, gid: int) -> None:
        with self._connected():
            self._sftp.chown(_raw(path), uid, gid)

    def replace(self, path: str, to: str) -> None:
        with self._connected():
            self._sftp.posix_rename(_raw(path), _raw(to))

    def make_folder(self, path: str) -> None:
        with self._connected():
            self._sftp.mkdir(_raw(path))

    def remove(self, path: str, folder: bool) -> None:
        with self._connected():
            (self._sftp.rmdir if folder else self._sftp.remove)(_raw(path))

    def run(self, words: list[str]) -> tuple[int, str]:
        with self._connected():
            # the words are quoted one by one, so the host's shell passes them on as they are
            line = shlex.join(words).encode("utf-8", "surrogateescape")
            into, out, _ = self._client.exec_command(line, timeout=_SECONDS)  # type: ignore[arg-type]
            into.channel.shutdown_write()  # it is told nothing
            return _ended(out.channel)

    def names(self) -> tuple[dict[int, str], dict[int, str]]:
        return self._named("/etc/passwd"), self._named("/etc/group")

    def _named(self, path: str) -> dict[int, str]:
        try:
            text = (self.contents(path, 1 << 22) or b"").decode("utf-8", "replace")
        except OSError:
            return {}
        rows = [line.split(":") for line in text.splitlines()]
        return {int(row[2]): row[0] for row in rows if len(row) > 2 and row[2].isdigit()}

    def software(self) -> str:
        transport = self._client.get_transport()
        return transport.remote_version if transport else "SSH"

    def close(self) -> None:
        with suppress(Exception):
            self._client.close()


def _ended(channel: paramiko.Channel) -> tuple[int, str]:
    """Wait for a command within bounds; of what it writes, only the beginning is kept."""
    channel.set_combine_stderr(True)
    channel.settimeout(1.0)
    until = monotonic() + COMMAND_SECONDS
    kept = bytearray()
    try:
        while monotonic() < until:
            with suppress(TimeoutError):
                part = channel.recv(1 << 16)
                if not part:
                    break
                kept += part[: COMMAND_BYTES - len(kept)]
        if not channel.status_event.wait(max(until - monotonic(), 0.1)):
            return 124, f"it did not end within {COMMAND_SECONDS} s"
        return channel.recv_exit_status(), kept.decode("utf-8", "replace").strip()
    finally:
        channel.close()


def _raw(path: str) -> Any:
    """Return a path as the library passes it on unchanged, though it declares only text."""
    return meant(path)


def _status(name: str, found: paramiko.SFTPAttributes) -> Status:
    return Status(
        name, found.st_mode or 0, found.st_size or 0, found.st_uid or 0, found.st_gid or 0,
        int(found.st_mtime or 0),
    )  # fmt: skip


@contextmanager
def plain_errors(path: str) -> Iterator[None]:
    """Turn errors of the file system into those of connectors."""
    try:
        yield
    except PermissionError:
        raise NotAllowed(f"The account may not do this to {path}.") from None
    except OSError as error:
        why = error.strerror or str(error) or "the host gives no reason"
        raise Refused(f"{path}: {why}.") from None


def is_kind(status: Status, test: int) -> bool:
    """Tell whether a file is of one type, like `stat.S_IFDIR`."""
    return stat.S_IFMT(status.mode) == test
