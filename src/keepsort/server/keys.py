"""The one key everything at rest is encrypted with, and what is derived from it."""

import base64
import contextlib
import os
import secrets
from pathlib import Path

from cryptography.hazmat.primitives import hashes
from cryptography.hazmat.primitives.kdf.hkdf import HKDF

_SIZE = 32


def load_key(state: Path) -> bytes:
    """Return the key from the environment, or from a key file that is made where absent.

    Raises ValueError if the key is not 32 bytes in base64.
    """
    text = os.environ.get("KEEPSORT_KEY")
    if not text:
        file = state / "key"
        if not file.exists():
            state.mkdir(parents=True, exist_ok=True)
            made = base64.b64encode(secrets.token_bytes(_SIZE))
            # made under another name and linked, so that two first starts agree on one key
            draft = state / f"key.{os.getpid()}"
            draft.touch(mode=0o600)
            draft.write_bytes(made)
            with contextlib.suppress(FileExistsError):
                os.link(draft, file)
            draft.unlink()
        text = file.read_text()
    try:
        key = base64.b64decode(text.strip(), validate=True)
    except ValueError:
        key = b""
    if len(key) != _SIZE:
        raise ValueError("the key for encryption at rest must be 32 bytes, written in base64")
    return key


def derived(key: bytes, purpose: str) -> bytes:
    """Return a key of its own for one purpose (HKDF, RFC 5869)."""
    return HKDF(hashes.SHA256(), _SIZE, salt=None, info=purpose.encode()).derive(key)


def django_secret(key: bytes) -> str:
    """Return what Django signs sessions with."""
    return derived(key, "keepsort sessions").hex()
