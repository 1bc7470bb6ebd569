"""What a plan must tell the person."""

from typing import Literal

import msgspec

from keepsort.core.model import Path
from keepsort.core.plan.effects import Budget, Effect

#: stop: it cannot run. ask: it runs once a person has given a secret. confirm: it runs once a
#: person has said yes. note: good to know.
Level = Literal["stop", "ask", "confirm", "note"]


class Finding(msgspec.Struct, frozen=True, omit_defaults=True):
    """One thing to know before a run.

    code: a stable word for scripts, like ``occupied``; with the path it names the finding.
    text: what, why and what to do, in plain words.
    digest: what the secret that is asked for is kept by.
    kind, choices: of what is left out, the kind that it belongs to, and where it could go instead.
    effect: what happens to the system beside what is written, where the text tells of that.
    budget: what the run takes of something that is given out by measure, where it tells of that.
    """

    level: Level
    code: str
    text: str
    path: Path = ()
    attribute: str = ""
    digest: str = ""
    kind: str = ""
    choices: tuple[str, ...] = ()
    effect: Effect | None = None
    budget: Budget | None = None

    @property
    def name(self) -> str:
        """What the finding is confirmed by."""
        place = "/".join(_escaped(name) for name in self.path)
        return f"{self.code}:{place}" + (f"#{self.attribute}" if self.attribute else "")


def _escaped(name: str) -> str:
    r"""Write a name so that no two paths are written alike: a slash as ``\/``, a hash as ``\#``."""
    return name.replace("\\", "\\\\").replace("/", "\\/").replace("#", "\\#")


class Findings:
    """Findings as they are made: in that order, each once."""

    def __init__(self) -> None:
        self._found: dict[str, Finding] = {}
        #: paths of what cannot be done
        self.stopped: set[Path] = set()

    def add(
        self,
        level: Level,
        code: str,
        path: Path,
        text: str,
        attribute: str = "",
        *,
        kind: str = "",
        choices: tuple[str, ...] = (),
        effect: Effect | None = None,
    ) -> None:
        """Note something, if it was not noted before."""
        finding = Finding(
            level, code, text, path, attribute, kind=kind, choices=choices, effect=effect
        )
        self._found.setdefault(finding.name, finding)
        if level == "stop":
            self.stopped.add(path)

    def all(self) -> tuple[Finding, ...]:
        """Return what was found."""
        return tuple(self._found.values())
