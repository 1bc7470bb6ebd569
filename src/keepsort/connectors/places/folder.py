"""A folder of this machine, or one that is mounted into it."""

import os
import shutil
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import IO
from urllib.parse import unquote, urlsplit

from keepsort.connectors.errors import Misconfigured, NotAllowed, Unreachable
from keepsort.connectors.places.base import NAME, Stored, Taken, Way, too_large


class Folder:
    """Files in a folder."""

    def __init__(self, way: Way) -> None:
        parts = urlsplit(way.address)
        self._path = Path(unquote(parts.path))
        self.learned: dict[str, str] = {}
        if parts.netloc or not self._path.is_absolute():
            raise Misconfigured(f"{way.address!r} is no folder.", "Write it as file:///folder.")
        if not self._path.is_dir():
            raise Unreachable(
                f"There is no folder {self._path}.", "Make it, or mount what should be there."
            )

    @contextmanager
    def _told(self) -> Iterator[None]:
        try:
            yield
        except PermissionError as error:
            raise NotAllowed(f"{self._path} does not allow it: {error.strerror}.") from None
        except OSError as error:
            raise Unreachable(f"{self._path}: {error.strerror}.") from None

    def stored(self) -> list[Stored]:
        """List the archives there, by name."""
        with self._told(), os.scandir(self._path) as found:
            files = [one for one in found if NAME.fullmatch(one.name) and one.is_file()]
            return sorted((Stored(f.name, f.stat().st_size) for f in files), key=lambda s: s.name)

    def put(self, name: str, source: IO[bytes]) -> None:
        """Write a new file, whole or not at all. Raises `Taken`."""
        with self._told():
            handle, draft = tempfile.mkstemp(prefix=".keepsort-", dir=self._path)
            try:
                with os.fdopen(handle, "wb") as out:
                    shutil.copyfileobj(source, out, 1 << 20)
                    out.flush()
                    os.fsync(out.fileno())
                try:
                    os.link(draft, self._path / name)  # never over another file
                except FileExistsError:
                    raise Taken(f"{self._path} has a file {name} already.") from None
            finally:
                os.unlink(draft)

    def get(self, name: str, out: IO[bytes], most: int) -> None:
        """Write what a file there holds into another."""
        with self._told(), (self._path / name).open("rb") as source:
            if os.fstat(source.fileno()).st_size > most:
                raise too_large(name, most)
            shutil.copyfileobj(source, out, 1 << 20)

    def drop(self, name: str) -> None:
        """Take a file away."""
        with self._told():
            (self._path / name).unlink(missing_ok=True)

    def close(self) -> None:
        """Nothing is held."""
