"""What a connector owes. A connector knows nothing of screens, plans or the database."""

from collections.abc import Callable, Iterator, Sequence
from typing import Literal, Protocol, runtime_checkable

import msgspec

from keepsort.core.model import ConfigObject, Path, Schema, Value
from keepsort.core.plan import Finding, Step
from keepsort.core.snapshot import Snapshot


class OptionField(msgspec.Struct, frozen=True, kw_only=True):
    """One setting of a connector, enough to make a form from.

    lines: whether it is a text of several lines.
    """

    name: str
    label: str
    help: str = ""
    required: bool = False
    secret: bool = False
    choices: tuple[str, ...] = ()
    default: str = ""
    lines: bool = False


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


class Outcome(msgspec.Struct, frozen=True):
    """What became of a step.

    already: live was as the step leaves it, so nothing was written.
    report: what the system said about it, for the run's report; empty where nothing.
    """

    already: bool = False
    report: str = ""


class Ending(msgspec.Struct, frozen=True):
    """How a run was ended.

    report: what the system said. failed: what did not work out, in plain words; empty where all
        did.
    """

    report: tuple[str, ...] = ()
    failed: str = ""


DONE = Outcome()
ALREADY = Outcome(already=True)


class Connector(Protocol):
    """One live system. Every call may raise a `ConnectorError`."""

    def describe(self) -> Description:
        """Return what the system is, asked from the system itself."""

    def observe(self, branch: Path = ()) -> Iterator[tuple[Path, ConfigObject]]:
        """Yield the objects of a branch, parents first, the branch's own object first of all."""

    def read(self, paths: Sequence[Path]) -> list[ConfigObject | None]:
        """Return chosen objects as they are now; None for those that do not exist."""

    def check(self, steps: Sequence[Step], origin: Snapshot) -> list[Finding]:
        """Return what only the system can know about a plan; writes nothing.

        origin: the tree that what the steps write comes from.
        """

    def render(self, step: Step) -> str:
        """Write a step in the system's own protocol text, secrets masked."""

    def apply(self, step: Step) -> Outcome:
        """Carry out one step if the live object is as expected. Raises `Conflict`."""

    def validate(self, tree: Snapshot) -> list[Problem]:
        """Tell what is unsound in a configuration."""

    def close(self) -> None:
        """Let go of the connection."""


@runtime_checkable
class Grouping(Protocol):
    """A connector whose system can carry out several steps together, or none of them."""

    def groups(self, steps: Sequence[Step]) -> list[list[Step]]:
        """Divide steps, in their order, into groups that are carried out together."""

    def apply_group(self, steps: Sequence[Step]) -> list[Outcome]:
        """Carry out one group if all live objects are as expected. Raises `Conflict`."""


@runtime_checkable
class Foreseeing(Protocol):
    """A connector that can read what several steps begin with in less time than one by one.

    What it has read is only what it goes by; the server must refuse a write to an object that has
    changed since, or it must be read again.
    """

    def foresee(self, steps: Sequence[Step]) -> None:
        """Read ahead for steps that are applied next, each of them once."""


@runtime_checkable
class Incremental(Protocol):
    """A connector whose system can tell what changed since an earlier look."""

    def observe_since(
        self, previous: Snapshot, branch: Path = ()
    ) -> list[tuple[Path, ConfigObject | None]] | None:
        """Return what changed, parents first, None for what is gone; None where not known."""


@runtime_checkable
class Preparing(Protocol):
    """A connector whose system is made ready for a run, and put back afterwards."""

    def standing(self, steps: Sequence[Step]) -> dict[str, Value]:
        """Return what the run will alter for its own sake, as it stands; writes nothing.

        The answer is kept with the run before anything is altered, so that it can be put back
        even if the process dies. Plain values only: it is kept as JSON.
        """

    def begin(self, standing: dict[str, Value]) -> None:
        """Make the system ready. It is called again where a run goes on after a crash."""

    def end(self, standing: dict[str, Value], done: Sequence[Step]) -> Ending:
        """Put back what `begin` altered, and do what is to be done once for all steps."""


@runtime_checkable
class Learning(Protocol):
    """A connector that learns options at the first contact, like the key of a host.

    learned: what it has learned this time, to be kept among the system's options.
    """

    learned: dict[str, str]


@runtime_checkable
class Telling(Protocol):
    """A connector that can say what its account may do."""

    def rights(self) -> list[str]:
        """Return what the account may read and write, in plain sentences."""


@runtime_checkable
class Waiting(Protocol):
    """A connector that may have to wait for its system; it says so through `tell`."""

    tell: Callable[[str], None]
