"""Attributes that only one side knows: live's stay as they are, the backup's stay behind."""

from functools import cache, partial

from keepsort.core.model import Attributes, Path, Schema
from keepsort.core.plan.findings import Findings
from keepsort.core.plan.targets import Target


class LeftBehind:
    """What of a backup's attributes the live system has no room for.

    That is what the backup's schema describes for a kind and live's does not, where live's
    describes the kind at all.
    """

    def __init__(self, then: Schema, now: Schema) -> None:
        self._then, self._now = then, now
        #: by kind and attribute, the places of the objects that it stays behind of
        self._behind: dict[tuple[str, str], dict[Path, None]] = {}

        self.names = cache(partial(_only_in, then, now))
        self._new = cache(partial(_only_in, now, then))

    def room_for(self, kind: str, attributes: Attributes) -> Attributes:
        """Return the attributes that live has room for."""
        gone = self.names(kind)
        if not gone:
            return attributes
        return {name: value for name, value in attributes.items() if name not in gone}

    def wanted(self, target: Target, attributes: Attributes) -> Attributes:
        """Return the same of a target, and remember what of what is picked stays behind."""
        kind = target.node.entry.kind
        for name in sorted(self.names(kind) & attributes.keys()):
            if target.parts is None or name in target.parts:
                self._behind.setdefault((kind, name), {})[target.path] = None
        return self.room_for(kind, attributes)

    def with_new(
        self, target: Target, wanted: Attributes, live: Attributes, findings: Findings
    ) -> Attributes:
        """Return what is wanted of an object that exists, with what the backup cannot know of it.

        What is picked by itself counts all the same.
        """
        kind = target.node.entry.kind
        if target.parts is not None or not self._new(kind):
            return wanted
        kept = {n: live[n] for n in self._new(kind) & live.keys() if n not in wanted}
        for name in sorted(kept):
            text = f"{name} came after the backup was made, so it stays as it is."
            findings.add("note", "not-known", target.path, text, name)
        return {**wanted, **kept}

    def tell(self, findings: Findings) -> None:
        """Have each attribute confirmed that stays behind."""
        for (kind, name), places in self._behind.items():
            what = "this object" if len(places) == 1 else f"{len(places)} objects"
            label = self._now.label(kind)
            text = f"Live knows no {name} of {label} any more, so it is left out of {what}."
            specs = self._now.kinds[kind].attributes
            new = [one for one in sorted(self._new(kind)) if not specs[one].read_only]
            if new:
                text += f" Live has {', '.join(new[:5])} that the backup does not know."
            first = next(iter(places))
            findings.add("confirm", "left-out", first, text, name, kind=kind, choices=tuple(new))


def _only_in(one: Schema, other: Schema, kind: str) -> frozenset[str]:
    """Return attributes of a kind that one schema describes, and the other does not though it
    describes the kind."""
    if one is other or kind not in one.kinds or kind not in other.kinds:
        return frozenset()
    described = set(one.kinds[kind].attributes) - set(other.kinds[kind].attributes)
    return frozenset(described - other.attributes.keys())
