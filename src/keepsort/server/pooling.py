"""Connections to the database: threads share them, and they can go away."""

from django.conf import settings
from django.db import connection
from django.db.utils import InterfaceError, OperationalError

#: The database is away, which is nobody's fault who has asked it: all goes on when it is back.
DATABASE_AWAY = (OperationalError, InterfaceError)


def give_back() -> None:
    """Give this thread's connection back to the pool, for what follows takes long without it.

    The next query takes one again. Where there is no pool, or a transaction is open, nothing is
    done.
    """
    if settings.POOLED and not connection.in_atomic_block:
        connection.close()
