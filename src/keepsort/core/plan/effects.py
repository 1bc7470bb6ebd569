"""What a plan means for its system beside what its steps write, and whether it may."""

from typing import Literal

import msgspec

#: interrupts: somebody notices that it is written. restarts: something ends, and comes back.
#: runs: a command is carried out. rests: something stands still meanwhile. fires: something that
#: the system does by itself. locks: others cannot change it meanwhile.
Does = Literal["interrupts", "restarts", "runs", "rests", "fires", "locks"]
#: with: as each of its steps is written. during: from before the first step until after the last.
#: after: once all is written.
When = Literal["with", "during", "after"]


class Effect(msgspec.Struct, frozen=True):
    """Something that happens to a system beside what is written.

    what: what it happens to, or what is run, as people call it.
    steps: numbers of the steps that bring it; empty where the run as a whole does.
    """

    does: Does
    what: str
    when: When = "with"
    steps: tuple[int, ...] = ()


class Budget(msgspec.Struct, frozen=True):
    """Something that a system gives out by measure, and a run takes of.

    of: what is counted, as ``calls``.
    needs: how many the run takes, as far as can be told before.
    left: how many there are. renews: when there are more; empty where that is not known.
    """

    of: str
    needs: int
    left: int
    renews: str = ""


class Right(msgspec.Struct, frozen=True, omit_defaults=True):
    """Whether the account may carry out one step, by what the system itself has said.

    step: its number.
    why: what it may not, in plain words; empty where it may.
    attribute: what of the object it is about; empty where about all of it.
    """

    step: int
    may: bool
    why: str = ""
    attribute: str = ""
