"""A folder of a host, over SFTP."""

import secrets
import struct
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from stat import S_ISREG
from typing import IO
from urllib.parse import unquote, urlsplit

import paramiko

from keepsort.connectors.base import Endpoint
from keepsort.connectors.errors import NotAllowed, OddAnswer, Unreachable
from keepsort.connectors.hostfiles.signing_in import sign_in
from keepsort.connectors.places.base import NAME, Stored, Taken, Way, too_large

_SECONDS = 60
_PIECE = 1 << 18


class SftpFolder:
    """Files in a folder of a host."""

    def __init__(self, way: Way) -> None:
        parts = urlsplit(way.address)
        self._where = parts.hostname or way.address
        self._folder = unquote(parts.path).rstrip("/") or "/"
        endpoint = Endpoint(
            address=f"{parts.scheme}://{parts.netloc}", options=way.options, user=way.user,
            password=way.password,
        )  # fmt: skip
        self._client, host_key = sign_in(endpoint)
        self.learned = {"host_key": host_key}
        try:
            self._sftp = self._client.open_sftp()
            channel = self._sftp.get_channel()
            if channel is not None:
                channel.settimeout(_SECONDS)
        except (paramiko.SSHException, EOFError) as error:
            self._client.close()
            raise Unreachable(f"{self._where} gives no SFTP: {error}.") from None

    @contextmanager
    def _told(self) -> Iterator[None]:
        try:
            yield
        except PermissionError:
            raise NotAllowed(f"{self._where} does not allow it in {self._folder}.") from None
        except FileNotFoundError:
            raise Unreachable(
                f"{self._where} has no folder {self._folder}.", "Make it there first."
            ) from None
        except (EOFError, paramiko.SSHException, ConnectionError, TimeoutError) as error:
            raise Unreachable(f"The connection to {self._where} broke: {error!r}.") from None
        except OSError as error:
            raise Unreachable(f"{self._where}, {self._folder}: {error}.") from None
        except (paramiko.SFTPError, struct.error, ValueError, LookupError):
            raise OddAnswer(self._where, "an SFTP server") from None

    def _path(self, name: str) -> str:
        return f"{self._folder}/{name}"

    def stored(self) -> list[Stored]:
        """List the archives there, by name."""
        with self._told():
            found = self._sftp.listdir_attr(self._folder)
        files = [f for f in found if NAME.fullmatch(f.filename) and S_ISREG(f.st_mode or 0)]
        return sorted((Stored(f.filename, f.st_size or 0) for f in files), key=lambda s: s.name)

    def put(self, name: str, source: IO[bytes]) -> None:
        """Write a new file, whole or not at all. Raises `Taken`."""
        if any(one.name == name for one in self.stored()):
            raise Taken(f"{self._where} has a file {name} in {self._folder} already.")
        draft = self._path(f".keepsort-{secrets.token_hex(8)}")
        with self._told():
            try:
                with self._sftp.open(draft, "wbx") as out:
                    out.set_pipelined(True)
                    while piece := source.read(_PIECE):
                        out.write(piece)
                # the protocol's own rename never goes over a file that is there
                self._sftp.rename(draft, self._path(name))
            except BaseException:
                with suppress(Exception):
                    self._sftp.remove(draft)
                raise

    def get(self, name: str, out: IO[bytes], most: int) -> None:
        """Write what a file there holds into another."""
        with self._told(), self._sftp.open(self._path(name), "rb") as source:
            size = source.stat().st_size or 0
            if size > most:
                raise too_large(name, most)
            source.prefetch(size)
            while piece := source.read(_PIECE):
                out.write(piece)

    def drop(self, name: str) -> None:
        """Take a file away."""
        with self._told(), suppress(FileNotFoundError):
            self._sftp.remove(self._path(name))

    def close(self) -> None:
        """Let go of the connection."""
        with suppress(Exception):
            self._client.close()
