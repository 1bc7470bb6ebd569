"""Secrets at rest: encrypted with AES-GCM, named by keyed digests."""

import secrets
from hashlib import blake2b

from cryptography.exceptions import InvalidTag
from cryptography.hazmat.primitives.ciphers.aead import AESGCM
from django.conf import settings

from keepsort.server.keys import derived
from keepsort.server.problems import Problem
from keepsort.server.systems.models import KeptSecret, System

_NONCE = 12


def encrypt(value: bytes, purpose: str) -> bytes:
    """Encrypt bytes for one purpose (AES-256-GCM, NIST SP 800-38D)."""
    nonce = secrets.token_bytes(_NONCE)
    return nonce + AESGCM(derived(settings.KEY, purpose)).encrypt(nonce, value, purpose.encode())


def decrypt(value: bytes, purpose: str) -> bytes:
    """Decrypt bytes. Raises `Problem` if they were encrypted with another key."""
    try:
        cipher = AESGCM(derived(settings.KEY, purpose))
        return cipher.decrypt(value[:_NONCE], value[_NONCE:], purpose.encode())
    except InvalidTag:
        raise Problem(
            "What was kept encrypted cannot be read with this installation's key.",
            "Start with the key it was kept with, or give the passwords anew.",
            500,
        ) from None


class Vault:
    """Keeps the secret values of one system."""

    def __init__(self, system: System) -> None:
        self._system = system
        self._key = derived(settings.KEY, f"digests of system {system.pk}")
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
        return decrypt(bytes(row.value), "vault") if row else None

    def keep(self, digest: str, value: bytes) -> None:
        """Keep a value that somebody gave, by the digest that stands for it."""
        KeptSecret.objects.update_or_create(
            system=self._system, digest=digest, defaults={"value": encrypt(value, "vault")}
        )

    def flush(self) -> None:
        """Write what is not yet written."""
        kept = KeptSecret.objects.filter(system=self._system, digest__in=list(self._new))
        for digest in kept.values_list("digest", flat=True):
            del self._new[digest]
        KeptSecret.objects.bulk_create(
            [
                KeptSecret(system=self._system, digest=d, value=encrypt(v, "vault"))
                for d, v in self._new.items()
            ],
            ignore_conflicts=True,
        )
        self._new.clear()
