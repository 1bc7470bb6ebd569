"""What a place owes: list, take and give files, and never write over one."""

import re
from typing import IO, Protocol

import msgspec

from keepsort.connectors.errors import ConnectorError

#: What archives may be called there; anything else in a place is passed over.
NAME = re.compile(r"[A-Za-z0-9][A-Za-z0-9._-]{0,200}\.zip")


class Way(msgspec.Struct, frozen=True, kw_only=True):
    """How a place is reached.

    address: ``file:///folder``, ``sftp://user@host:port/folder`` or ``s3://bucket/prefix``.
    user, password: who signs in; for a bucket, the access key and its secret.
    options: host_key, key_file (SFTP); endpoint, region (bucket).
    """

    address: str
    user: str = ""
    password: str = ""
    options: dict[str, str] = {}


class Stored(msgspec.Struct, frozen=True):
    """A file in a place; size in bytes."""

    name: str
    size: int


class Taken(ConnectorError):
    """There is a file of that name already."""

    default_way_out = "Choose a pattern that gives each backup a name of its own."


class Place(Protocol):
    """One place. Every call may raise a `ConnectorError`.

    learned: options that were learned at the first contact, like the key of a host.
    """

    learned: dict[str, str]

    def stored(self) -> list[Stored]:
        """List the archives there, by name."""

    def put(self, name: str, source: IO[bytes]) -> None:
        """Write a new file, whole or not at all. Raises `Taken`."""

    def get(self, name: str, out: IO[bytes], most: int) -> None:
        """Write what a file there holds into another; no more than `most` bytes of it."""

    def drop(self, name: str) -> None:
        """Take a file away."""

    def close(self) -> None:
        """Let go of the connection."""


def too_large(name: str, most: int) -> ConnectorError:
    """Return the error for a file that is larger than what is taken in."""
    return ConnectorError(f"{name} is larger than {most >> 20} MiB.", "Take another one.")
