"""The one key everything at rest is encrypted with, and what is derived from it.

It comes from the environment or from a file in the state folder. While it is being changed, the
key that is to come, and the one that was, lie beside it: what one of them opens can still be read.
"""

import base64
import contextlib
import os
import secrets
from pathlib import Path

from cryptography.hazmat.primitives import hashes
from cryptography.hazmat.primitives.kdf.hkdf import HKDF

_SIZE = 32
NEXT, OLD = "key.next", "key.old"


def load_key(state: Path) -> bytes:
    """Return the key from the environment, or from a key file that is made where absent.

    Raises ValueError if the key is not 32 bytes in base64.
    """
    text = os.environ.get("KEEPSORT_KEY")
    if not text:
        file = state / "key"
        if not file.exists():
            write_key(file, secrets.token_bytes(_SIZE))
        text = file.read_text()
    return _read(text)


def write_key(file: Path, key: bytes) -> None:
    """Write a key file that only its owner may read; one that is there stays as it is."""
    file.parent.mkdir(parents=True, exist_ok=True)
    # made under another name and linked, so that two first starts agree on one key
    draft = file.with_name(f"{file.name}.{os.getpid()}")
    draft.touch(mode=0o600)
    draft.write_bytes(base64.b64encode(key))
    with contextlib.suppress(FileExistsError):
        os.link(draft, file)
    draft.unlink()


def next_key(state: Path) -> bytes:
    """Return the key that a change goes on to; it is made where there is none yet."""
    text = os.environ.get("KEEPSORT_NEXT_KEY")
    if text:
        return _read(text)
    file = state / NEXT
    if not file.exists():
        write_key(file, secrets.token_bytes(_SIZE))
    return _read(file.read_text())


def other_keys(state: Path) -> list[bytes]:
    """Return the keys of a change that goes on, or has not been finished.

    The key file is one of them, for a process that was started before it was changed.
    """
    texts = os.environ.get("KEEPSORT_OTHER_KEYS", "").split(",")
    for name in ("key", NEXT, OLD):
        with contextlib.suppress(OSError):
            texts.append((state / name).read_text())
    return [_read(text) for text in texts if text.strip()]


def _read(text: str) -> bytes:
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


def check_value(key: bytes) -> str:
    """Return what tells this key from others, and nothing else about it."""
    return derived(key, "keepsort check value").hex()[:32]


def django_secret(key: bytes) -> str:
    """Return what Django signs sessions with."""
    return derived(key, "keepsort sessions").hex()
