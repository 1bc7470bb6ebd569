"""Texts opened and edited out of harm's way: by child processes that are ended if need be.

Texts come from outside, and a small one can be made to cost much. Each is opened in a child with
limits; the child that a text has brought down is replaced, and the text is told as one that could
not be opened. Small texts of formats whose reader takes a time that only grows with their size are
read right here.
"""

import atexit
import os
import select
import subprocess
import sys
from collections.abc import Sequence
from contextlib import suppress
from threading import Lock
from time import monotonic

from keepsort.core.plan import Absent, Edit, Unfit
from keepsort.formats import child
from keepsort.formats.child import TOO_MUCH, Answer, Change, Request
from keepsort.formats.known import FORMATS
from keepsort.formats.places import NotParsed, Place

_HERE = {"json": 32 << 10}
#: Texts of formats whose readers are slow; a larger one is not begun with.
_LONGEST = {"yaml": 512 << 10, "toml": 1 << 20, "xml": 2 << 20}
#: Processor time is limited in the child; this is for a machine that is busy with other things.
_WALL_SECONDS = 60.0
_IDLE = 3
_CHUNK = 1 << 16


def places(kind: str, text: str) -> list[Place]:
    """Read a text of a format as places. Raises `NotParsed`, also where it would take too much."""
    longest = _LONGEST.get(kind)
    if longest is not None and len(text) > longest:
        label = FORMATS[kind].label
        raise NotParsed(1, f"a {label} of more than {longest >> 10} KB is not opened")
    if len(text) <= _HERE.get(kind, -1):
        return FORMATS[kind].places(text)
    found = _ask(Request(kind, text))
    if found.places is None:
        raise NotParsed(found.line or 1, found.why or TOO_MUCH)
    return found.places


def edited(kind: str, live: str, backup: str, edits: Sequence[Edit]) -> str:
    """Return a live text with some parts as they should be, in the backup's writing.

    Raises `Unfit` where a part cannot be put in place without touching others.
    """
    changes = tuple(
        Change(
            e.path, None if isinstance(e.value, Absent) else e.value, isinstance(e.value, Absent)
        )
        for e in edits
    )
    request = Request(kind, live, backup, changes)
    small = max(len(live), len(backup)) <= _HERE.get(kind, -1)
    found = child.answer(request) if small else _ask(request)
    if found.text is None:
        why = f"It cannot be edited: {found.why or TOO_MUCH}."
        raise Unfit(found.unfit or f"{why} Pick lines of the text, or all of it.")
    return found.text


def _ask(request: Request) -> Answer:
    opener = _pool.take()
    found = None
    try:
        found = opener.ask(child.encode(request))
    finally:
        _pool.give(opener, whole=found is not None)
    return found if found is not None else Answer(line=1, why=TOO_MUCH)


class _Opener:
    """One child."""

    def __init__(self) -> None:
        environment = {"PYTHONPATH": os.pathsep.join(p for p in sys.path if p), "LC_ALL": "C.UTF-8"}
        self._process = subprocess.Popen(
            [sys.executable, "-m", "keepsort.formats.child"],
            stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL,
            env={**environment, "OPENBLAS_NUM_THREADS": "1"}, cwd="/", bufsize=0,
        )  # fmt: skip

    def ask(self, frame: bytes) -> Answer | None:
        """Send a request and return the answer; None where the child ended, or takes too long."""
        until = monotonic() + _WALL_SECONDS
        to_send = memoryview(len(frame).to_bytes(4, "big") + frame)
        assert self._process.stdin is not None
        assert self._process.stdout is not None
        source, target = self._process.stdout.fileno(), self._process.stdin.fileno()
        received = bytearray()
        with suppress(OSError):
            while monotonic() < until:
                if to_send:
                    _, ready, _ = select.select([], [target], [], 1.0)
                    if ready:
                        to_send = to_send[os.write(target, to_send[:_CHUNK]) :]
                    continue
                if not select.select([source], [], [], 1.0)[0]:
                    continue
                part = os.read(source, _CHUNK)
                if not part:
                    return None
                received += part
                if len(received) >= 4:
                    size = int.from_bytes(received[:4], "big")
                    if len(received) == size + 4:
                        return child.decode_answer(received[4:])
        return None

    def end(self) -> None:
        """End the child."""
        self._process.kill()
        self._process.wait()
        for pipe in (self._process.stdin, self._process.stdout):
            if pipe is not None:
                pipe.close()


class _Pool:
    """Children that are waiting for work."""

    def __init__(self) -> None:
        self._idle: list[_Opener] = []
        self._owner = os.getpid()
        self._lock = Lock()

    def take(self) -> _Opener:
        with self._lock:
            if self._owner != os.getpid():  # those of the process that this one was made from
                self._owner, self._idle = os.getpid(), []
            if self._idle:
                return self._idle.pop()
        return _Opener()

    def give(self, opener: _Opener, whole: bool) -> None:
        with self._lock:
            if whole and len(self._idle) < _IDLE:
                self._idle.append(opener)
                return
        opener.end()

    def end(self) -> None:
        with self._lock:
            if self._owner == os.getpid():
                for opener in self._idle:
                    opener.end()
            self._idle = []


_pool = _Pool()
atexit.register(_pool.end)
