"""Locks that hold as long as the process that took them lives: PostgreSQL's advisory locks.

What ends a process, or its connection to the database, lets its locks go. One that neither works
nor ends (it may be frozen) is parted from its lock by ending its connection.
"""

from collections.abc import Iterator
from contextlib import contextmanager, suppress
from enum import IntEnum

from django.db import connection
from django.db.utils import InterfaceError, OperationalError


class Space(IntEnum):
    """What the numbers of locks stand for."""

    RUNS_ON_SYSTEM = 0x4B53
    WORK = 0x4B54
    INDEX_OF_SYSTEM = 0x4B55
    COLLECTOR = 0x4B56
    KEYS = 0x4B57


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
            with suppress(OperationalError, InterfaceError), connection.cursor() as cursor:
                cursor.execute("select pg_advisory_unlock(%s, %s)", [space, number])


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


def part(pid: int) -> None:
    """End the connection of a holder that has not been heard of for too long."""
    with connection.cursor() as cursor:
        cursor.execute("select pg_terminate_backend(%s)", [pid])
