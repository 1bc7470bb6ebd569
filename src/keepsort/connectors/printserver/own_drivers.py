"""Drivers that the server has itself, beside those that queues bring along."""

import re
from collections.abc import Sequence
from functools import cached_property
from typing import Any

import msgspec

from keepsort.connectors.printserver import ipp
from keepsort.connectors.printserver.client import GET_PPDS, Client
from keepsort.connectors.printserver.drivers import divided
from keepsort.connectors.printserver.ipp import Given
from keepsort.core.model import Attributes
from keepsort.core.plan import Finding, Level, Step

#: Which driver queues get that are put back.
CHOICES = ("as before", "the server's own")
_MODEL = re.compile(r'^\*(?:NickName|ModelName)\s*:\s*"([^"\r\n]*)"', re.MULTILINE)
_SPACES = re.compile(r"[\s,]+")


class OwnDrivers:
    """What drivers a server has by what they are for."""

    def __init__(self, client: Client) -> None:
        self._client = client

    @cached_property
    def _by_model(self) -> dict[str, str]:
        wanted = ("ppd-name", "ppd-make-and-model")
        asked = [Given("requested-attributes", ipp.KEYWORD, wanted)]
        found: dict[str, str] = {}
        for group in self._client.call(GET_PPDS, asked, missing=True).groups:
            name, model = (_first(group, one) for one in wanted)
            if name and model:
                found.setdefault(_folded(model), name)
        return found

    def name_for(self, step: Step) -> str:
        """Return what the server calls its own driver for the model of one that a step brings.

        Empty where it has none, or the step brings none.
        """
        if not brings(step):
            return ""
        driver = str((step.after or {})["driver"])
        models = [_folded(found[1]) for found in _MODEL.finditer(driver)]
        return next((self._by_model[one] for one in models if one in self._by_model), "")

    def in_place(self, steps: Sequence[Step]) -> tuple[tuple[Step, ...], list[Finding]]:
        """Return steps with the server's own drivers, and what is to be known of each."""
        made, findings = [], []
        for step in steps:
            name = self.name_for(step)
            own = self._client.driver(Given("ppd-name", ipp.NAME, (name,))) if name else None
            if own is None or step.after is None:
                made.append(step)
                if brings(step):
                    text = "The server has no driver of its own for this model; the backup's comes."
                    findings.append(
                        Finding("note", "no-own-driver", text, step.final_path, "driver")
                    )
                continue
            after, lost = _with_driver(step.after, own)
            made.append(msgspec.structs.replace(step, after=after))
            text = f"It gets the server's own driver {name}, as chosen."
            if lost:
                text += f" That one has no {', '.join(lost)}, so this is not set."
            level: Level = "confirm" if lost else "note"
            findings.append(Finding(level, "own-driver", text, step.final_path, "driver"))
        return tuple(made), findings

    def offered(self, steps: Sequence[Step]) -> list[Finding]:
        """Tell for which of the drivers that come the server has one itself."""
        found = []
        for step in steps:
            name = self.name_for(step)
            if name:
                text = (
                    f"Its driver comes along from the backup. The server has {name} for the same "
                    "model, which can be chosen in the tray instead."
                )
                found.append(Finding("note", "driver-there", text, step.final_path, "driver"))
        return found


def brings(step: Step) -> bool:
    """Tell whether a step brings a driver along that the queue does not have yet."""
    driver = (step.after or {}).get("driver")
    return driver is not None and driver != (step.before or {}).get("driver")


def _with_driver(attributes: Attributes, text: str) -> tuple[Attributes, list[str]]:
    """Return a queue with another driver, and the options that this one does not have."""
    driver, usual = divided(text)
    before = attributes.get("options") or {}
    options = {**usual, **{name: value for name, value in before.items() if name in usual}}
    lost = sorted(before.keys() - usual.keys())
    made = {**attributes, "driver": driver, "options": options}
    if not options:
        del made["options"]
    return made, lost


def _folded(model: str) -> str:
    return _SPACES.sub(" ", model).strip().casefold()


def _first(group: dict[str, Any], name: str) -> str:
    return str(next(iter(group.get(name, [])), ""))
