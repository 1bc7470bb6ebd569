"""Connections to the database that threads share."""

from django.conf import settings
from django.db import connection


def give_back() -> None:
    """Give this thread's connection back to the pool, for what follows takes long without it.

    The next query takes one again. Where there is no pool, or a transaction is open, nothing is
    done.
    """
    if settings.POOLED and not connection.in_atomic_block:
        connection.close()
