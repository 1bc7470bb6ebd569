"""What a connector owes. A connector knows nothing of screens, plans or the database."""

from collections.abc import Iterator, Sequence
from typing import Literal, Protocol

import msgspec

from keepsort.core.model import ConfigObject, Path, Schema
from keepsort.core.plan import Finding, Step
from keepsort.core.snapshot import Snapshot


class OptionField(msgspec.Struct, frozen=True, kw_only=True):
    """One setting of a connector, enough to make a form from."""

    name: str
    label: str
    help: str = ""
    required: bool = False
    secret: bool = False
    choices: tuple[str, ...] = ()
    default: str = ""


class Endpoint(msgspec.Struct, frozen=True, kw_only=True):
    """How to reach one live system."""

    address: str
    options: dict[str, str] = {}
    user: str = ""
    password: str = ""


class Promises(msgspec.Struct, frozen=True, kw_only=True):
    """What the system can hold to.

    compare_and_set: ``server`` if the server itself refuses a change to an object that is no
        longer as expected; ``check`` if it can only be read right before it is written.
    atomic: several steps happen together or not at all.
    rename: an object can be moved with all beneath it.
    stable_identity: objects keep an id of the system's own through moves.
    """

    compare_and_set: Literal["server", "check"]
    atomic: bool = False
    rename: bool = False
    stable_identity: bool = False


class Description(msgspec.Struct, frozen=True, kw_only=True):
    """What a live system is.

    depth_first: whether `observe` gives whole branches one after the other.
    """

    software: str
    schema: Schema
    promises: Promises
    depth_first: bool = False


class Problem(msgspec.Struct, frozen=True):
    """Something unsound in a configuration."""

    path: Path
    text: str


class SecretKeeper(Protocol):
    """Keeps secret values out of objects."""

    def digest(self, value: bytes) -> str:
        """Keep the value encrypted and return the keyed digest that stands for it."""

    def reveal(self, digest: str) -> bytes | None:
        """Return the value a digest stands for; None where it was never kept."""


#: done: written. already: live was as the step leaves it, so nothing was written.
Outcome = Literal["done", "already"]


class Connector(Protocol):
    """One live system. Every call may raise a `ConnectorError`."""

    def describe(self) -> Description:
        """Return what the system is, asked from the system itself."""

    def observe(self, branch: Path = ()) -> Iterator[tuple[Path, ConfigObject]]:
        """Yield the objects of a branch, parents first, the branch's own object first of all."""

    def read(self, paths: Sequence[Path]) -> list[ConfigObject | None]:
        """Return chosen objects as they are now; None for those that do not exist."""

    def check(self, steps: Sequence[Step]) -> list[Finding]:
        """Return what only the system can know about a plan; writes nothing."""

    def render(self, step: Step) -> str:
        """Write a step in the system's own protocol text, secrets masked."""

    def apply(self, step: Step) -> Outcome:
        """Carry out one step if the live object is as expected. Raises `Conflict`."""

    def validate(self, tree: Snapshot) -> list[Problem]:
        """Tell what is unsound in a configuration."""

    def close(self) -> None:
        """Let go of the connection."""
