"""The parts of a transaction (`TxnRequest`), as the gateway reads them.

Keys and values are given as the gateway writes them (`wire`), or plain where only people read.
"""

from base64 import b64encode
from collections.abc import Callable
from typing import Any

Operation = dict[str, Any]
Write = Callable[[bytes], str]


def wire(value: bytes) -> str:
    """Write bytes as the gateway reads them."""
    return b64encode(value).decode("ascii")


def unchanged(key: str, revision: str) -> Operation:
    """Guard: the key was last changed at this revision."""
    return {"key": key, "target": "MOD", "result": "EQUAL", "mod_revision": revision}


def absent(key: str) -> Operation:
    """Guard: the key does not exist."""
    return {"key": key, "target": "CREATE", "result": "EQUAL", "create_revision": "0"}


def put(key: str, value: str, **more: Any) -> Operation:
    """Set a key; more: other fields of the request, like its lease."""
    return {"request_put": {"key": key, "value": value, **more}}


def get(key: str, end: str = "", **more: Any) -> Operation:
    """Read a key, or the keys of a range."""
    asked = {"key": key, **({"range_end": end} if end else {}), **more}
    return {"request_range": asked}


def delete(key: str) -> Operation:
    """Take a key away."""
    return {"request_delete_range": {"key": key}}
