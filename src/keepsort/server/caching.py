"""What is kept at hand because somebody will most likely ask for it again."""

from collections import OrderedDict
from collections.abc import Callable, Hashable
from concurrent.futures import Future
from threading import Lock
from time import monotonic
from typing import Generic, TypeVar

K = TypeVar("K", bound=Hashable)
V = TypeVar("V")


class Kept(Generic[K, V]):
    """Values by keys, the latest used ones, within a number of bytes and for a time.

    most: bytes of all values together, as `size` estimates them. One larger than that is not kept.
    seconds: how long one is kept, counted from when it was made.
    """

    def __init__(self, most: int, size: Callable[[V], int], seconds: float) -> None:
        self._most, self._size, self._seconds = most, size, seconds
        self._kept: OrderedDict[K, tuple[V, int, float]] = OrderedDict()
        self._bytes = 0
        self._making: dict[K, Future[V]] = {}
        self._lock = Lock()

    def of(self, key: K, make: Callable[[], V]) -> V:
        """Return what is kept by a key, or make it; who asks meanwhile waits for the one maker.

        Raises what `make` raises, to all who have waited for it.
        """
        with self._lock:
            found = self._found(key)
            if found is not None:
                return found
            waiting = self._making.get(key)
            if waiting is None:
                made = self._making[key] = Future()
        if waiting is not None:
            return waiting.result()
        try:
            value = make()
            self.put(key, value)
            made.set_result(value)
        except BaseException as error:
            made.set_exception(error)
            raise
        finally:
            with self._lock:
                del self._making[key]
        return value

    def get(self, key: K) -> V | None:
        """Return what is kept by a key, if it is."""
        with self._lock:
            return self._found(key)

    def _found(self, key: K) -> V | None:
        found = self._kept.get(key)
        if found is None:
            return None
        if monotonic() - found[2] > self._seconds:
            self._drop(key)
            return None
        self._kept.move_to_end(key)
        return found[0]

    def put(self, key: K, value: V) -> None:
        """Keep a value; what was not used for the longest time makes room."""
        size = self._size(value)
        with self._lock:
            if key in self._kept:
                self._drop(key)
            if size > self._most:
                return
            self._kept[key] = (value, size, monotonic())
            self._bytes += size
            while self._bytes > self._most:
                self._drop(next(iter(self._kept)))

    def _drop(self, key: K) -> None:
        self._bytes -= self._kept.pop(key)[1]
