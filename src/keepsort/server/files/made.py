"""Files that were made to tell how large they are, held for who then wants them."""

import tempfile
from collections import OrderedDict
from pathlib import Path
from threading import Lock
from time import monotonic
from typing import IO

from keepsort.server.files.exporting import Exported, Wanted, export
from keepsort.server.snapshots.models import Record

_HELD, _SECONDS, _LARGEST = 4, 600, 1 << 30
_Key = tuple[int, tuple[tuple[str, ...], ...], tuple[tuple[str, ...], ...], str]


class MadeFiles:
    """The latest files; a backup never changes, so one that was made stays right."""

    def __init__(self) -> None:
        self._lock = Lock()
        self._folder: tempfile.TemporaryDirectory[str] | None = None
        self._held: OrderedDict[_Key, tuple[float, Path, Exported]] = OrderedDict()
        self._count = 0

    def made(self, record: Record, wanted: Wanted, form: str) -> tuple[IO[bytes], Exported, int]:
        """Return a file with some of a backup, what is in it, and its size; made if need be.

        Raises `Problem`.
        """
        key = (record.pk, tuple(wanted.branches), tuple(wanted.single), form)
        with self._lock:
            self._let_go()
            if key in self._held:
                _, path, found = self._held[key]
                return path.open("rb"), found, path.stat().st_size
        path = self._new()
        try:
            with path.open("wb") as out:
                found = export(record, wanted, form, out)
                size = out.tell()
            file = path.open("rb")
        except BaseException:
            path.unlink(missing_ok=True)
            raise
        if size > _LARGEST:
            path.unlink()  # it is there as long as it is open
            return file, found, size
        with self._lock:
            self._held[key] = (monotonic(), path, found)
            self._let_go()
        return file, found, size

    def _new(self) -> Path:
        with self._lock:
            if self._folder is None:
                self._folder = tempfile.TemporaryDirectory(prefix="keepsort-made-")
            self._count += 1
            return Path(self._folder.name) / str(self._count)

    def _let_go(self) -> None:
        late = monotonic() - _SECONDS
        old = [key for key, (at, _, _) in self._held.items() if at < late]
        while len(self._held) - len(old) > _HELD:
            old.append(next(key for key in self._held if key not in old))
        for key in old:
            _, path, _ = self._held.pop(key)
            path.unlink(missing_ok=True)  # who reads it goes on reading
