"""Telling that a certificate is why a server could not be reached."""

import ssl

from keepsort.connectors.errors import NotTrusted


def untrusted(error: BaseException, where: str) -> NotTrusted | None:
    """Return what to say if a certificate that does not verify is behind an error, else None."""
    cause: BaseException | None = error
    while cause is not None:
        if isinstance(cause, ssl.SSLCertVerificationError):
            return NotTrusted(
                f"The certificate of {where} does not verify: {cause.verify_message}."
            )
        cause = cause.__cause__ or cause.__context__
    return None
