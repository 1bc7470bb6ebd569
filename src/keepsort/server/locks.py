"""Locks that hold as long as the process that took them lives: PostgreSQL's advisory locks.

What ends a process, or its connection to the database, lets its locks go. One that neither works
nor ends (it may be frozen) is parted from its lock by ending its connection.
"""

from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager, suppress
from datetime import datetime, timedelta
from enum import IntEnum
from typing import Protocol, TypeVar

from django.conf import settings
from django.db import connection
from django.utils import timezone

from keepsort.server.logs import log
from keepsort.server.pooling import DATABASE_AWAY


class Space(IntEnum):
    """What the numbers of locks stand for."""

    RUNS_ON_SYSTEM = 0x4B53
    WORK = 0x4B54
    INDEX_OF_SYSTEM = 0x4B55
    COLLECTOR = 0x4B56
    KEYS = 0x4B57
    COPIES = 0x4B58
    RETENTION = 0x4B59
    MESSAGES = 0x4B5A
    COMPARISONS = 0x4B5B


@contextmanager
def alone(space: Space, number: int) -> Iterator[bool]:
    """Take a lock if nobody has it, for the time of a block; yields whether it was taken."""
    with connection.cursor() as cursor:
        cursor.execute("select pg_try_advisory_lock(%s, %s)", [space, number])
        row = cursor.fetchone()
    held = bool(row and row[0])
    try:
        yield held
    finally:
        if held:
            # where the database has gone away, so has the lock
            with suppress(*DATABASE_AWAY), connection.cursor() as cursor:
                cursor.execute("select pg_advisory_unlock(%s, %s)", [space, number])


def take_until_commit(space: Space, number: int) -> None:
    """Wait for a lock, and hold it as long as the transaction lasts that this is called in."""
    with connection.cursor() as cursor:
        cursor.execute("select pg_advisory_xact_lock(%s, %s)", [space, number])


def holders(space: Space) -> dict[int, int]:
    """Return the numbers that are locked, each with the process of PostgreSQL that serves it."""
    with connection.cursor() as cursor:
        cursor.execute(
            "select objid, pid from pg_locks where locktype = 'advisory' and classid = %s "
            "and granted and database = (select oid from pg_database "
            "where datname = current_database())",
            [space],
        )
        return {int(number): int(pid) for number, pid in cursor.fetchall()}


class _Held(Protocol):
    pk: int
    alive_at: datetime | None


_T = TypeVar("_T", bound=_Held)


def unheld(space: Space, records: Iterable[_T], number: Callable[[_T], int]) -> list[_T]:
    """Return those records whose locks nobody holds.

    number: the number of a record's lock. Who holds one, and was not heard of for the time of a
    lease, is parted from it by the end of its connection; the lock is free the next time.
    """
    held = holders(space)
    silent = timezone.now() - timedelta(seconds=settings.LEASE_SECONDS)
    found = []
    for record in records:
        pid = held.get(number(record))
        if pid is None:
            found.append(record)
        elif record.alive_at is not None and record.alive_at < silent:
            log.warning("parted from its lock", space=space.name, number=record.pk)
            with connection.cursor() as cursor:
                cursor.execute("select pg_terminate_backend(%s)", [pid])
    return found
