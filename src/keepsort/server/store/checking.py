"""Reading chunks again and hashing them: what is kept is only as good as what can be read."""

from collections.abc import Iterable, Mapping, Sequence

from keepsort.core.model.canonical import digest
from keepsort.core.snapshot import Chunk
from keepsort.server.logs import log
from keepsort.server.pooling import DATABASE_AWAY
from keepsort.server.store.postgres import PostgresStore


class CheckingStore:
    """A store that gives only chunks that are what their addresses say; the others it remembers.

    checked: how many were read. bad: addresses of those that are missing or broken.
    """

    def __init__(self) -> None:
        # one of its own: what others have at hand may be from before the damage
        self._store = PostgresStore()
        self.checked = 0
        self.bad: set[bytes] = set()

    def has_many(self, addresses: Sequence[bytes]) -> set[bytes]:
        """Nothing is built on it."""
        raise NotImplementedError

    def put_many(self, chunks: Iterable[Chunk]) -> int:
        """Nothing is written by it."""
        raise NotImplementedError

    def get_many(self, addresses: Sequence[bytes]) -> Mapping[bytes, bytes]:
        """Return those chunks that are as they were kept."""
        found = self._read(addresses)
        good = {address: data for address, data in found.items() if digest(data) == address}
        self.checked += len(addresses)
        self.bad.update(address for address in addresses if address not in good)
        return good

    def _read(self, addresses: Sequence[bytes]) -> Mapping[bytes, bytes]:
        """Read chunks; one that cannot be unpacked, or stands on such a one, hides no other."""
        try:
            return self._store.get_many(addresses)
        except DATABASE_AWAY:
            raise
        except Exception as error:
            # what unpacks has errors of its own, and broken bytes meet all of them
            if len(addresses) == 1:
                log.debug("a chunk cannot be read", address=addresses[0].hex(), error=error)
                self._store = PostgresStore()
                return {}
        half = len(addresses) // 2
        return {**self._read(addresses[:half]), **self._read(addresses[half:])}
