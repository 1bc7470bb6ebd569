"""What an entry's name says of its attributes (RFC 4511, section 4.9: naming values).

An object does not hold the values that its name holds. A rename takes the old ones away, or leaves
them as values like others; it is told by what the object is to have afterwards.
"""

from keepsort.core.model import Attributes, ConfigObject, Path, Schema, Value
from keepsort.core.model.matching import Matching, prepared
from keepsort.core.model.notation import pairs_of
from keepsort.core.plan import Plain, Step

Pair = tuple[str, str | bytes]


def naming(path: Path) -> list[Pair]:
    """Return attribute and value pairs of the last name (its RDN)."""
    return pairs_of(path[-1]) if path else []


def same_value(matching: Matching, one: Value, other: Value) -> bool:
    """Tell whether two values are the same by the rule of their attribute."""
    if isinstance(one, str) and isinstance(other, str):
        return one == other or prepared(matching, one) == prepared(matching, other)
    return bool(one == other)


def keeps_old_name(schema: Schema, step: Step) -> bool:
    """Tell whether a rename leaves the old naming values in the entry."""
    assert step.to is not None
    return any(_has(schema, step.after or {}, p) for p in _gone(schema, step.path, step.to))


def _gone(schema: Schema, path: Path, to: Path) -> list[Pair]:
    """Return the naming values of a name that another name has not."""
    new = naming(to)
    return [old for old in naming(path) if not any(_same_pair(schema, old, one) for one in new)]


def _same_pair(schema: Schema, one: Pair, other: Pair) -> bool:
    matching = schema.spec("", one[0]).matching
    return one[0].lower() == other[0].lower() and same_value(matching, one[1], other[1])


def _has(schema: Schema, attributes: Attributes, pair: Pair) -> bool:
    name = _spelt(attributes, pair[0])
    matching = schema.spec("", pair[0]).matching
    return name is not None and any(
        same_value(matching, value, pair[1]) for value in _listed(attributes[name])
    )


def _spelt(attributes: Attributes, kind: str) -> str | None:
    return next((name for name in attributes if name.lower() == kind.lower()), None)


def _listed(value: Value) -> list[Value]:
    return value if isinstance(value, list) else [value]


class EntryComposer(Plain):
    """Entries hold no parts, but their names hold values."""

    def renamed(
        self, schema: Schema, found: ConfigObject, path: Path, to: Path, wanted: Attributes
    ) -> Attributes:
        """Return what an entry holds under its new name.

        Old naming values stay only where they are wanted, or where the entry cannot be without
        them; all of them stay then, for the server knows no other way.
        """
        after = dict(found.attributes)
        for kind, value in naming(to):
            name = _spelt(after, kind)
            if name is None:
                continue
            matching = schema.spec("", name).matching
            kept = [v for v in _listed(after[name]) if not same_value(matching, v, value)]
            if not kept:
                del after[name]
            elif isinstance(after[name], list):
                after[name] = kept
        old = _gone(schema, path, to)
        if any(_has(schema, wanted, p) or self._is_needed(schema, found, after, p) for p in old):
            for kind, value in old:
                name = _spelt(after, kind) or _spelt(wanted, kind) or kind
                if not _has(schema, after, (name, value)):
                    after[name] = self._with(schema, after.get(name), name, value)
        return after

    def _is_needed(
        self, schema: Schema, found: ConfigObject, after: Attributes, pair: Pair
    ) -> bool:
        return (
            any(
                schema.is_required(found.kind, name)
                for name in schema.attributes
                if name.lower() == pair[0].lower()
            )
            and _spelt(after, pair[0]) is None
        )

    def _with(self, schema: Schema, now: Value, name: str, value: str | bytes) -> Value:
        if schema.spec("", name).shape == "single":
            return value
        return [*(_listed(now) if now is not None else []), value]


COMPOSER = EntryComposer()
