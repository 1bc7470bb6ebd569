"""Files on the machine that Keep Sort itself runs on, reached by handles of their folders.

From a chosen folder on, no link is followed: every folder is opened by its name within the one that
holds it, so that none that is swapped meanwhile leads elsewhere.
"""

import grp
import hashlib
import os
import pwd
import selectors
import signal
import stat
import subprocess
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from time import monotonic

from keepsort.connectors.errors import Misconfigured
from keepsort.connectors.hostfiles.access import COMMAND_BYTES, COMMAND_SECONDS, Status
from keepsort.connectors.hostfiles.names import meant, written

_ENVIRONMENT = {"PATH": "/usr/sbin:/usr/bin:/sbin:/bin", "LC_ALL": "C.UTF-8"}
_FOLDER = os.O_RDONLY | os.O_DIRECTORY | os.O_CLOEXEC


class NotRegular(OSError):
    """What stands there is no regular file."""


def allowed() -> None:
    """See that this deployment keeps files of its own machine. Raises `Misconfigured`."""
    if os.environ.get("KEEPSORT_LOCAL_FILES") != "yes":
        raise Misconfigured(
            "Files of the machine that Keep Sort runs on are not kept here.",
            "Reach it by sftp://, or set KEEPSORT_LOCAL_FILES=yes for the server and its workers.",
        )


class LocalAccess:
    """Files on this machine, beneath chosen folders, and never Keep Sort's own."""

    def __init__(self, folders: Sequence[str]) -> None:
        self._folders = sorted((meant(folder) for folder in folders), key=len, reverse=True)
        self._closed = _identity(os.environ.get("KEEPSORT_STATE") or ".state")

    @contextmanager
    def _folder(self, path: bytes) -> Iterator[int]:
        """Open a folder by handles from the chosen folder on that it lies in."""
        top = next((f for f in self._folders if path == f or path.startswith(f + b"/")), path)
        handle = os.open(top, _FOLDER)
        try:
            self._must_be_open(handle)
            for name in path[len(top) :].split(b"/"):
                if name:
                    inner = os.open(name, _FOLDER | os.O_NOFOLLOW, dir_fd=handle)
                    os.close(handle)
                    handle = inner
                    self._must_be_open(handle)
            yield handle
        finally:
            os.close(handle)

    def _must_be_open(self, handle: int) -> None:
        found = os.fstat(handle)
        if (found.st_dev, found.st_ino) == self._closed:
            raise PermissionError("Keep Sort's own folder is not read and not written")

    @contextmanager
    def _place(self, path: str) -> Iterator[tuple[int, bytes]]:
        """Open the folder that holds a file; yields its handle, and the file's name in it."""
        raw = meant(path).rstrip(b"/") or b"/"
        if raw in self._folders or raw == b"/":
            # the way to a chosen folder itself may lead over links
            with self._folder(os.path.dirname(raw) or b"/") as handle:
                yield handle, os.path.basename(raw) or b"."
            return
        with self._folder(os.path.dirname(raw)) as handle:
            yield handle, os.path.basename(raw)

    def status(self, path: str) -> Status:
        with self._place(path) as (folder, name):
            return _status(name, os.stat(name, dir_fd=folder, follow_symlinks=False))

    def listed(self, path: str) -> list[Status]:
        with self._folder(meant(path)) as handle, os.scandir(handle) as entries:
            found = []
            for entry in entries:
                raw = os.fsencode(entry.name)
                try:
                    found.append(_status(raw, os.stat(raw, dir_fd=handle, follow_symlinks=False)))
                except FileNotFoundError:
                    continue  # it went away while the folder was read
        return sorted(found, key=lambda s: s.name)

    @contextmanager
    def _opened(self, path: str) -> Iterator[int]:
        """Open a regular file; anything else is refused, and waited for by nobody."""
        with self._place(path) as (folder, name):
            flags = os.O_RDONLY | os.O_NOFOLLOW | os.O_NONBLOCK | os.O_NOCTTY | os.O_CLOEXEC
            handle = os.open(name, flags, dir_fd=folder)
        try:
            if not stat.S_ISREG(os.fstat(handle).st_mode):
                raise NotRegular(f"{path} is no regular file")
            yield handle
        finally:
            os.close(handle)

    def contents(self, path: str, limit: int) -> bytes | None:
        with self._opened(path) as handle, os.fdopen(os.dup(handle), "rb") as file:
            data = file.read(limit + 1)
        return None if len(data) > limit else data

    def digest(self, path: str) -> str:
        with self._opened(path) as handle, os.fdopen(os.dup(handle), "rb") as file:
            return hashlib.file_digest(file, "sha256").hexdigest()

    def target(self, path: str) -> str:
        with self._place(path) as (folder, name):
            return written(os.readlink(name, dir_fd=folder))

    def real(self, path: str) -> str:
        return written(os.path.realpath(meant(path), strict=True))

    def write_new(self, path: str, data: bytes) -> None:
        flags = os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW | os.O_CLOEXEC
        with self._place(path) as (folder, name):
            handle = os.open(name, flags, 0o600, dir_fd=folder)
            with os.fdopen(handle, "wb") as file:
                file.write(data)
                file.flush()
                os.fsync(file.fileno())

    def link_new(self, path: str, target: str) -> None:
        with self._place(path) as (folder, name):
            os.symlink(meant(target), name, dir_fd=folder)

    def set_mode(self, path: str, mode: int) -> None:
        with self._place(path) as (folder, name):
            found = os.stat(name, dir_fd=folder, follow_symlinks=False)
            flags = _FOLDER if stat.S_ISDIR(found.st_mode) else os.O_RDONLY | os.O_NONBLOCK
            if not stat.S_ISREG(found.st_mode) and not stat.S_ISDIR(found.st_mode):
                raise NotRegular(f"{path} is no regular file")
            try:
                handle = os.open(name, flags | os.O_NOFOLLOW | os.O_CLOEXEC, dir_fd=folder)
            except PermissionError:  # not even its owner may read it; no link is in its place
                os.chmod(name, mode, dir_fd=folder)
                return
            try:
                os.fchmod(handle, mode)
            finally:
                os.close(handle)

    def set_owner(self, path: str, uid: int, gid: int) -> None:
        with self._place(path) as (folder, name):
            os.chown(name, uid, gid, dir_fd=folder, follow_symlinks=False)

    def replace(self, path: str, to: str) -> None:
        with self._place(path) as (folder, name), self._place(to) as (other, new):
            os.rename(name, new, src_dir_fd=folder, dst_dir_fd=other)
            os.fsync(other)

    def make_folder(self, path: str) -> None:
        with self._place(path) as (folder, name):
            os.mkdir(name, dir_fd=folder)

    def remove(self, path: str, folder: bool) -> None:
        with self._place(path) as (above, name):
            if folder:
                os.rmdir(name, dir_fd=above)
            else:
                os.unlink(name, dir_fd=above)

    def run(self, words: list[str]) -> tuple[int, str]:
        try:
            process = subprocess.Popen(
                words, stdin=subprocess.DEVNULL, stdout=subprocess.PIPE, stderr=subprocess.STDOUT,
                env=_ENVIRONMENT, cwd="/", start_new_session=True,
            )  # fmt: skip
        except OSError as error:
            return 127, str(error)
        try:
            return _ended(process)
        finally:
            if process.poll() is None:
                os.killpg(process.pid, signal.SIGKILL)
                process.wait()
            if process.stdout is not None:
                process.stdout.close()

    def names(self) -> tuple[dict[int, str], dict[int, str]]:
        users = {entry.pw_uid: entry.pw_name for entry in pwd.getpwall()}
        return users, {entry.gr_gid: entry.gr_name for entry in grp.getgrall()}

    def software(self) -> str:
        found = os.uname()
        return f"{found.sysname} {found.release} (this machine)"

    def close(self) -> None:
        """Nothing is held."""


def _ended(process: subprocess.Popen[bytes]) -> tuple[int, str]:
    """Wait for a command within bounds; of what it writes, only the beginning is kept."""
    until = monotonic() + COMMAND_SECONDS
    assert process.stdout is not None
    kept = bytearray()
    with selectors.DefaultSelector() as ready:
        ready.register(process.stdout, selectors.EVENT_READ)
        while monotonic() < until:
            if not ready.select(0.2):
                if process.poll() is not None:
                    break  # it has ended, and left another behind that holds the pipe
                continue
            part = os.read(process.stdout.fileno(), 1 << 16)
            if not part:
                break
            kept += part[: COMMAND_BYTES - len(kept)]
    try:
        code = process.wait(max(until - monotonic(), 0.1))
    except subprocess.TimeoutExpired:
        return 124, f"it did not end within {COMMAND_SECONDS} s"
    return code, kept.decode("utf-8", "replace").strip()


def _identity(folder: str) -> tuple[int, int] | None:
    try:
        found = os.stat(folder)
    except OSError:
        return None
    return found.st_dev, found.st_ino


def _status(name: bytes, found: os.stat_result) -> Status:
    return Status(
        written(name), found.st_mode, found.st_size, found.st_uid, found.st_gid,
        int(found.st_mtime),
    )  # fmt: skip
