"""What a connector owes. A connector knows nothing of screens, plans or the database."""

from collections.abc import Callable, Iterator, Sequence
from typing import Literal, NamedTuple, Protocol, runtime_checkable

import msgspec

from keepsort.core.model import ConfigObject, Path, Schema, Value
from keepsort.core.plan import Finding, Right, Step
from keepsort.core.snapshot import Snapshot


class OptionField(msgspec.Struct, frozen=True, kw_only=True):
    """One setting of a connector, enough to make a form from.

    lines: whether it is a text of several lines.
    per_restore: whether it can be chosen for one restore, whatever the system is set to.
    """

    name: str
    label: str
    help: str = ""
    required: bool = False
    secret: bool = False
    choices: tuple[str, ...] = ()
    default: str = ""
    lines: bool = False
    per_restore: bool = False


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
    rename: an object can be moved with all beneath it; a plan that moves one is stopped otherwise.
    moves_in_parts: a move of much goes piece by piece, so that one that was cut off finds some of
        it at its new place already, and goes on.
    stable_identity: objects keep an id of the system's own through moves.
    """

    compare_and_set: Literal["server", "check"]
    atomic: bool = False
    rename: bool = False
    moves_in_parts: bool = False
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


class Seen(NamedTuple):
    """An object as it is now; None where there is none.

    version: what the system tells the object's states apart by: a revision, a stamp, a digest. Only
        the connector that gave it looks into it. None where the system has no such thing.
    """

    found: ConfigObject | None
    version: str | None = None


class Ready(NamedTuple):
    """A step that may be written: what it begins with was as it expects when it was looked at."""

    step: Step
    seen: Seen


class Ending(msgspec.Struct, frozen=True):
    """How a run was ended.

    report: what the system said. failed: what did not work out, in plain words; empty where all
        did.
    """

    report: tuple[str, ...] = ()
    failed: str = ""


class Connector(Protocol):
    """One live system. Every call may raise a `ConnectorError`.

    A connector looks and writes; whether a step is done, may be written or meets something else is
    judged outside, for all systems alike (`connectors.applying`).
    """

    def describe(self) -> Description:
        """Return what the system is, asked from the system itself."""

    def observe(self, branch: Path = ()) -> Iterator[tuple[Path, ConfigObject]]:
        """Yield the objects of a branch, parents first, the branch's own object first of all."""

    def look(self, paths: Sequence[Path]) -> list[Seen]:
        """Return chosen objects as they are now, each with its version."""

    def check(self, steps: Sequence[Step], origin: Snapshot) -> list[Finding]:
        """Return what only the system can know about a plan; writes nothing.

        origin: the tree that what the steps write comes from.
        """

    def render(self, step: Step) -> str:
        """Write a step in the system's own protocol text, secrets masked."""

    def write(self, ready: Sequence[Ready]) -> list[str]:
        """Carry out one group of steps, whole or not at all; return what the system said of each.

        Raises `Changed` if an object no longer has the version that it was judged by; nothing has
        been written then.
        """

    def validate(self, tree: Snapshot) -> list[Problem]:
        """Tell what is unsound in a configuration."""

    def close(self) -> None:
        """Let go of the connection."""


@runtime_checkable
class Grouping(Protocol):
    """A connector that writes several steps together, or none of them; others get one at a time."""

    def groups(self, steps: Sequence[Step]) -> list[list[Step]]:
        """Divide steps, in their order, into groups that are written together."""


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

    def put_back(self, standing: dict[str, Value]) -> Ending:
        """Put back what `begin` altered."""


@runtime_checkable
class Finishing(Protocol):
    """A connector that has something to do once for all that a run wrote, before it is put back."""

    def finish(self, done: Sequence[Step]) -> Ending:
        """Do it. It is called again where a run goes on after a crash.

        done: the steps that were written; there may be none.
        """


@runtime_checkable
class Trying(Protocol):
    """A connector that can see whether an object works, by using it once.

    Which kinds can be tried says `Kind.trial`. Nothing is tried that nobody has asked for.
    """

    def try_out(self, path: Path, kind: str) -> str:
        """Use the object once, and return what came of it, in plain words.

        Raises a `ConnectorError` where it could not be used.
        """


@runtime_checkable
class Adjusting(Protocol):
    """A connector that makes steps otherwise where a choice for the restore says so."""

    def adjust(self, steps: Sequence[Step]) -> tuple[tuple[Step, ...], list[Finding]]:
        """Return steps by what is chosen, and a finding that says so; the same steps otherwise."""


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
class Permitting(Protocol):
    """A connector whose system says beforehand what the account may write."""

    def may_write(self, steps: Sequence[Step]) -> list[Right]:
        """Return what the system says of steps, and nothing of those that it says nothing of.

        Nothing is written for it, and nothing is said that was only guessed.
        """


@runtime_checkable
class Waiting(Protocol):
    """A connector that may have to wait for its system; it says so through `tell`."""

    tell: Callable[[str], None]
