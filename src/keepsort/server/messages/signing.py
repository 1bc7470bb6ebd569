"""Signing calls, so that who gets one can tell that it comes from here and is not played again.

HMAC (RFC 2104) with SHA-256 over the time stamp, a full stop, and the bytes of the body.
"""

import hmac
from hashlib import sha256

STAMP, SIGNATURE = "Keepsort-Timestamp", "Keepsort-Signature"


def signature(secret: bytes, stamp: str, body: bytes) -> str:
    """Return what a call is signed with, in hexadecimal. stamp: Unix time in whole seconds."""
    return hmac.new(secret, stamp.encode() + b"." + body, sha256).hexdigest()
