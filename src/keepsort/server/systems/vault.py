"""Secrets at rest: encrypted with AES-GCM, named by keyed digests."""

from hashlib import blake2b

from keepsort.server.keys import derived
from keepsort.server.systems.keeping import VAULT, WrongKey, decrypt, digest_key, encrypt
from keepsort.server.systems.models import KeptSecret, System


class Vault:
    """Keeps the secret values of one system."""

    def __init__(self, system: System) -> None:
        self._system = system
        self._key = derived(digest_key(), f"digests of system {system.pk}")
        self._known: set[str] = set()
        self._new: dict[str, bytes] = {}

    def belongs_elsewhere(self, other: "Vault") -> bool:
        """Tell whether this is the vault of another system, whose digests mean nothing here."""
        return self._system.pk != other._system.pk

    def digest(self, value: bytes) -> str:
        """Keep the value encrypted, at the latest with `flush`, and return its keyed digest."""
        found = blake2b(value, key=self._key, digest_size=16).hexdigest()
        if found not in self._known:
            self._known.add(found)
            self._new[found] = value
        return found

    def reveal(self, digest: str) -> bytes | None:
        """Return the value a digest stands for; None where it was never kept."""
        if digest in self._new:
            return self._new[digest]
        row = KeptSecret.objects.filter(system=self._system, digest=digest).first()
        if row is None:
            return None
        try:
            return decrypt(bytes(row.value), VAULT)
        except WrongKey:
            return None  # it is asked for where it is needed

    def keep(self, digest: str, value: bytes) -> None:
        """Keep a value that somebody gave, by the digest that stands for it."""
        KeptSecret.objects.update_or_create(
            system=self._system, digest=digest, defaults={"value": encrypt(value, VAULT)}
        )

    def flush(self) -> None:
        """Write what is not yet written."""
        kept = KeptSecret.objects.filter(system=self._system, digest__in=list(self._new))
        for digest in kept.values_list("digest", flat=True):
            del self._new[digest]
        KeptSecret.objects.bulk_create(
            [
                KeptSecret(system=self._system, digest=d, value=encrypt(v, VAULT))
                for d, v in self._new.items()
            ],
            ignore_conflicts=True,
        )
        self._new.clear()
