"""One listener for all who want to hear: what PostgreSQL tells goes to a process's streams."""

import asyncio
from contextlib import suppress
from dataclasses import dataclass, field
from typing import Any

import psycopg
from asgiref.sync import sync_to_async
from django.contrib.sessions.models import Session
from django.db import connection
from django.utils import timezone

from keepsort.server.accounts.models import Role, User
from keepsort.server.events.notify import CHANNEL
from keepsort.server.pooling import give_back

_CHECK_SECONDS = 5.0
_EACH = 12
_WAITING = 200


@dataclass(eq=False)
class Listener:
    """One stream: who listens, by which session, and what is still to be told.

    The end of the stream is told as None.
    """

    person: int
    session: str
    waiting: asyncio.Queue[str | None] = field(default_factory=lambda: asyncio.Queue(_WAITING))

    def tell(self, text: str | None) -> None:
        """Tell something; one who does not listen is let go, and its browser comes again."""
        try:
            self.waiting.put_nowait(text)
        except asyncio.QueueFull:
            with suppress(asyncio.QueueEmpty):
                self.waiting.get_nowait()
            self.waiting.put_nowait(None)


class Hub:
    """The listeners of one process."""

    def __init__(self) -> None:
        self._listeners: list[Listener] = []
        self._tasks: list[asyncio.Task[None]] = []

    def join(self, listener: Listener) -> None:
        """Let somebody listen; of too many streams of one person the oldest ends."""
        own = [one for one in self._listeners if one.person == listener.person]
        for one in own[: max(len(own) - _EACH + 1, 0)]:
            self._let_go(one)
        self._listeners.append(listener)
        if not self._tasks:
            self._tasks = [asyncio.create_task(self._listen()), asyncio.create_task(self._check())]

    def leave(self, listener: Listener) -> None:
        """Note that a stream has ended; the last one takes the connection with it."""
        with suppress(ValueError):
            self._listeners.remove(listener)
        if not self._listeners:
            for task in self._tasks:
                task.cancel()
            self._tasks = []

    def _let_go(self, listener: Listener) -> None:
        self._listeners.remove(listener)
        listener.tell(None)

    async def _listen(self) -> None:
        address = await sync_to_async(_address)()
        while True:
            with suppress(psycopg.Error, OSError):
                listening = await psycopg.AsyncConnection.connect(**address, autocommit=True)
                async with listening:
                    await listening.execute(f"listen {CHANNEL}")
                    async for notice in listening.notifies():
                        for one in tuple(self._listeners):
                            one.tell(notice.payload)
            await asyncio.sleep(1)
            for one in tuple(self._listeners):  # what was told meanwhile, nobody has heard
                self._let_go(one)

    async def _check(self) -> None:
        while True:
            await asyncio.sleep(_CHECK_SECONDS)
            known = {(one.person, one.session) for one in self._listeners}
            with suppress(Exception):  # the database may be away; the next check tells
                allowed = await sync_to_async(_allowed)(known)
                for one in tuple(self._listeners):
                    if (one.person, one.session) not in allowed:
                        self._let_go(one)


def _address() -> dict[str, Any]:
    parameters = connection.get_connection_params()
    wanted = ("dbname", "user", "password", "host", "port")
    return {key: parameters[key] for key in wanted if parameters.get(key)}


def _allowed(known: set[tuple[int, str]]) -> set[tuple[int, str]]:
    """Return those who are still signed in, and may still look."""
    try:
        sessions = Session.objects.filter(
            pk__in={session for _, session in known}, expire_date__gt=timezone.now()
        )
        alive = set(sessions.values_list("pk", flat=True))
        people = User.objects.filter(pk__in={person for person, _ in known})
        may = {person.pk for person in people if person.may(Role.VIEWER)}
        return {(p, s) for p, s in known if p in may and s in alive}
    finally:
        give_back()
