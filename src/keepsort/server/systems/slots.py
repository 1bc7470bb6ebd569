"""How many may wait for one live system, and for all of them, at the same time in one process.

A system that is frozen keeps those who ask it waiting; with no more of them than this, there are
threads and connections left for everybody else.
"""

from collections.abc import Iterator
from contextlib import contextmanager
from threading import BoundedSemaphore, Lock, local

from keepsort.server.problems import Problem

_EACH, _ALL = 4, 10
_WAIT_SECONDS = 5.0
_all = BoundedSemaphore(_ALL)
_each: dict[int, BoundedSemaphore] = {}
_lock = Lock()
_mine = local()


@contextmanager
def slot(number: int, name: str) -> Iterator[None]:
    """Hold one of the slots of a system for the time of a block; a block within it needs no other.

    Raises `Problem` where all are taken and none becomes free.
    """
    held: set[int] = getattr(_mine, "held", set())
    if number in held:
        yield
        return
    with _lock:
        own = _each.setdefault(number, BoundedSemaphore(_EACH))
    if not own.acquire(timeout=_WAIT_SECONDS):
        raise _busy(name)
    try:
        if not _all.acquire(timeout=_WAIT_SECONDS):
            raise _busy(name)
        try:
            _mine.held = held | {number}
            yield
        finally:
            _mine.held = held
            _all.release()
    finally:
        own.release()


def _busy(name: str) -> Problem:
    return Problem(
        f"Others are waiting for {name} already, and it does not answer them.",
        "Try again in a minute, and look whether it is well.",
        503,
    )
