"""Keeping the application's parts up: what ends is started again, after delays that grow."""

import time
from collections.abc import Callable
from typing import Protocol

_FIRST_SECONDS, _MOST_SECONDS = 1.0, 60.0
#: What has run for so long did not end because of how it was started.
_SETTLED_SECONDS = 120.0


class Part(Protocol):
    """Something that can end by itself."""

    def ended(self) -> bool:
        """Tell whether it has ended."""

    def stop(self) -> None:
        """End it."""


class Keeper:
    """One part, started and started again.

    name: what it is called where it is told that it ended.
    """

    def __init__(self, name: str, start: Callable[[], Part]) -> None:
        self.name = name
        self._start = start
        self._part: Part | None = start()
        self._since = time.monotonic()
        self._delay = 0.0
        self._again_at = 0.0

    def look(self) -> None:
        """Start the part again, if it has ended and the delay is over."""
        now = time.monotonic()
        if self._part is not None and not self._part.ended():
            if now - self._since > _SETTLED_SECONDS:
                self._delay = 0.0
            return
        if self._part is not None:
            self._part.stop()
            self._part = None
            print(f"{self.name} has ended; it is started again in {self._delay:.0f} s.", flush=True)
            self._put_off()
        if now < self._again_at:
            return
        try:
            self._part = self._start()
        except (OSError, RuntimeError) as error:
            self._put_off()
            print(f"{self.name} does not start: {error}", flush=True)
        self._since = time.monotonic()

    def _put_off(self) -> None:
        """Wait with the next start, and longer each time."""
        self._again_at = time.monotonic() + self._delay
        self._delay = min(max(self._delay * 2, _FIRST_SECONDS), _MOST_SECONDS)

    def stop(self) -> None:
        """End the part for good."""
        if self._part is not None:
            self._part.stop()
            self._part = None
