"""Secrets in files: sealed with a passphrase, and the key that files are signed with."""

import os
from base64 import b64decode, b64encode
from collections.abc import Callable

from cryptography.exceptions import InvalidTag
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey
from cryptography.hazmat.primitives.ciphers.aead import AESGCM
from cryptography.hazmat.primitives.kdf.scrypt import Scrypt

from keepsort.files.exported import Seal, Sealing
from keepsort.server.keys import derived
from keepsort.server.problems import Problem
from keepsort.server.systems.keeping import digest_key
from keepsort.server.systems.vault import Vault

_N, _R, _P = 1 << 15, 8, 1
_MOST_N, _MOST_R, _MOST_P = 1 << 17, 16, 4
_NONCE, _SHORTEST = 12, 8
_PURPOSE = b"keepsort sealed secret 1"


def signer() -> Ed25519PrivateKey:
    """Return the key that this installation signs archives with (RFC 8032)."""
    return Ed25519PrivateKey.from_private_bytes(derived(digest_key(), "signature"))


def own_key() -> str:
    """Return what others know that key by, in base64."""
    return b64encode(signer().public_key().public_bytes_raw()).decode()


def sealing(passphrase: str, vault: Vault) -> tuple[Sealing, Seal]:
    """Return how a file's secrets are sealed, and what seals those of a vault.

    Raises `Problem` if the passphrase is too short.
    """
    if len(passphrase) < _SHORTEST:
        raise Problem(
            f"The passphrase is shorter than {_SHORTEST} letters.", "Choose a longer one."
        )
    salt = os.urandom(16)
    cipher = AESGCM(_key(passphrase, salt, _N, _R, _P))

    def sealed(value: bytes) -> str:
        nonce = os.urandom(_NONCE)
        return b64encode(nonce + cipher.encrypt(nonce, value, _PURPOSE)).decode()

    def seal(digest: str) -> str | None:
        value = vault.reveal(digest)
        return sealed(value) if value is not None else None

    told = Sealing(salt=b64encode(salt).decode(), n=_N, r=_R, p=_P, check=sealed(b""))
    return told, seal


def unsealing(told: Sealing, passphrase: str) -> Callable[[str], bytes]:
    """Return what opens the sealed secrets of a file. Raises `Problem` if the passphrase is wrong.

    What is returned raises `Problem` for what was not sealed with it.
    """
    if not (2 <= told.n <= _MOST_N and 1 <= told.r <= _MOST_R and 1 <= told.p <= _MOST_P):
        raise Problem("Its secrets are sealed in a way that takes too much memory to open.")
    try:
        cipher = AESGCM(_key(passphrase, b64decode(told.salt), told.n, told.r, told.p))
    except ValueError as error:
        raise Problem(f"How its secrets are sealed is not told rightly: {error}.") from None

    def opened(sealed: str) -> bytes:
        try:
            raw = b64decode(sealed, validate=True)
            return cipher.decrypt(raw[:_NONCE], raw[_NONCE:], _PURPOSE)
        except (InvalidTag, ValueError):
            raise Problem(
                "The passphrase does not open the secrets of this file.",
                "Give the one it was written with, or open it without its secrets.",
            ) from None

    opened(told.check)
    return opened


def _key(passphrase: str, salt: bytes, n: int, r: int, p: int) -> bytes:
    return Scrypt(salt=salt, length=32, n=n, r=r, p=p).derive(passphrase.encode())
