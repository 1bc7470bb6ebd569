"""What can go wrong with a live system, as one family.

Every error says what was not possible and why, and `way_out` says what to do about it.
"""

from keepsort.core.model import ConfigObject


class ConnectorError(Exception):
    """Something the live system, or the way to it, did not allow."""

    default_way_out = "Look at the system's own log, then try again."

    def __init__(self, message: str, way_out: str = "") -> None:
        super().__init__(message)
        self.way_out = way_out or self.default_way_out

    def __str__(self) -> str:
        return f"{self.args[0]} {self.way_out}"


class Misconfigured(ConnectorError):
    """What was said about the system cannot be right."""

    default_way_out = "Mend the system's settings."


class Unreachable(ConnectorError):
    """Nothing answers at the address, or what answered went away."""

    default_way_out = "Check the address, that the server runs, and that this machine may reach it."


class OddAnswer(Unreachable):
    """Something answers at the address that is no such server as it should be."""

    default_way_out = "Check the address and the port; another server may have taken its place."

    def __init__(self, where: str, kind: str, detail: str = "") -> None:
        told = f" ({detail})" if detail else ""
        super().__init__(f"{where} answers, but not as {kind} does{told}.")


class NotTrusted(ConnectorError):
    """The server's certificate or host key does not verify."""

    default_way_out = "Give the right CA certificate, or find out why the server has another one."


class SignInRefused(ConnectorError):
    """The server does not take this account or its password."""

    default_way_out = "Check the account's name and give its password again."


class NoSuchBranch(ConnectorError):
    """The place asked for does not exist."""

    default_way_out = "Check the base and the path."


class NotAllowed(ConnectorError):
    """The account lacks the right."""

    default_way_out = "Give the account the right, or use another account."


class LimitReached(ConnectorError):
    """The server gives no more than so much."""

    default_way_out = "Raise the limit for this account on the server, or take a smaller branch."


class StartAgain(ConnectorError):
    """What was being read went away while it was read; reading it anew will do."""

    default_way_out = "Try again; if it keeps happening, read a smaller branch."


class Refused(ConnectorError):
    """The server understood a change and refused it."""

    default_way_out = "Nothing was written by this step. Mend what the server names, preview again."


class Conflict(ConnectorError):
    """The live object is not what the step expects; nothing was written."""

    default_way_out = "It was changed since the preview. Preview again to see what it is now."

    def __init__(self, message: str, found: ConfigObject | None = None) -> None:
        super().__init__(message)
        self.found = found


class Changed(Conflict):
    """An object changed between being looked at and being written; nothing was written."""
