"""Secrets within texts: a mark stands in the text for each, as a digest does in an attribute."""

import re
from collections.abc import Sequence
from hashlib import blake2b

from keepsort.core.model.objects import Value

MASK = "••••••"
_PREFIX = "keepsort-secret-"
MARK = re.compile(_PREFIX + r"([0-9a-f]{32})")


#: What stands for a secret that nobody knows begins like this; no keyed digest that is met does.
_UNKNOWN = "0" * 12


def unknown(place: bytes) -> str:
    """Return what stands for a secret that is not known, by what tells its place from others."""
    return _UNKNOWN + blake2b(place, digest_size=10).hexdigest()


def is_unknown(digest: Value) -> bool:
    """Tell whether this stands for a secret that is not known."""
    return isinstance(digest, str) and len(digest) == 32 and digest.startswith(_UNKNOWN)


def mark(digest: str) -> str:
    """Return what stands in a text for a secret, given its keyed digest of 32 hex digits."""
    return _PREFIX + digest


def masked(text: str, others: Sequence[str] = ()) -> str:
    """Return a text as people may see it.

    others: what it is seen beside; a secret that is in none of these is told as another one.
    """
    if _PREFIX not in text:
        return text
    known = {found for other in others for found in MARK.findall(other)}

    def shown(found: re.Match[str]) -> str:
        return MASK if not others or found[1] in known else f"{MASK} (another)"

    return MARK.sub(shown, text)


def masked_value(value: Value) -> Value:
    """Return a value with the secrets in its texts masked."""
    if isinstance(value, str):
        return masked(value)
    if isinstance(value, list | tuple):
        return [masked_value(v) for v in value]
    if isinstance(value, dict):
        return {key: masked_value(v) for key, v in value.items()}
    return value
