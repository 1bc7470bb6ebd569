"""What is unsound in any tree, whatever system it comes from.

References that lead nowhere, ids that two objects share, and values that are not what the kinds of
the tree say. What only the system itself can know is asked of its connector.
"""

import re
from collections.abc import Iterator, Mapping
from functools import cached_property

import msgspec

from keepsort.core.model import Path, Schema
from keepsort.core.plan.references import references
from keepsort.core.snapshot import Choice, Node, Snapshot, Taking

_ALL = Choice()


class Unsound(msgspec.Struct, frozen=True):
    """Something unsound. code: ``reference``, ``identity`` or ``value``."""

    path: Path
    code: str
    text: str


def unsound(tree: Snapshot, choice: Choice = _ALL) -> Iterator[Unsound]:
    """Yield what is unsound in a tree, in the order of its objects.

    choice: what the tree took; of what it left out it is not known whether it is there.
    """
    schema = tree.schema
    leads = _Leads(tree, choice)
    kinds: dict[str, _Expected] = {}
    seen: dict[str, Path] = {}
    # most objects refer to nothing: their encoded attributes tell, without being decoded
    names = b"|".join(re.escape(name.encode()) for name in sorted(schema.references))
    named = re.compile(names) if names else None
    for node in tree.walk():
        entry = node.entry
        if entry.unreadable is not None:
            continue
        if entry.identity is not None:
            first = seen.setdefault(entry.identity, node.path)
            if first is not node.path:
                text = f"It has the id {entry.identity} of {schema.notation.write(first)}."
                yield Unsound(node.path, "identity", text)
        if entry.kind not in kinds:
            kinds[entry.kind] = _Expected(schema, entry.kind)
        for text in kinds[entry.kind].amiss(entry.name, bytes(entry.attributes)):
            yield Unsound(node.path, "value", text)
        if named is not None and named.search(entry.attributes):
            yield from _dangling(tree, node, leads)


def _dangling(tree: Snapshot, node: Node, leads: "_Leads") -> Iterator[Unsound]:
    schema = tree.schema
    for name, target in references(schema, node.entry.kind, tree.references_of(node.entry)):
        if not leads(target):
            text = f"{name} names {schema.notation.write(target)}, which does not exist."
            yield Unsound(node.path, "reference", text)


def _no_kind(path: Path) -> None:
    """Kinds do not count where none is left out."""


class _Leads:
    """Tells whether a reference leads anywhere; one that leaves what was taken may."""

    def __init__(self, tree: Snapshot, choice: Choice) -> None:
        self._tree = tree
        # where kinds were left out, what is not there may be of one of these
        self._blind = bool(choice.kinds_out)
        self._taking = Taking(choice, tree.schema.names, tree.at)
        self._keys = tree.schema.names.keys
        self._at = self._keys(tree.at)
        self._known: dict[Path, bool] = {}

    def __call__(self, target: Path) -> bool:
        key = self._keys(target)
        if key not in self._known:
            inside = key[: len(self._at)] == self._at and self._taking.takes(target, _no_kind)
            leads = self._blind or not inside or self._tree.find(target) is not None
            self._known[key] = leads
        return self._known[key]


_decode_raw = msgspec.msgpack.Decoder(dict[str, msgspec.Raw]).decode
#: How values begin in MessagePack: each form by its first bytes, and what another is not.
_MAPS = frozenset({*range(0x80, 0x90), 0xDE, 0xDF})
_NUMBERS = frozenset({*range(0x80), *range(0xE0, 0x100), 0xCA, 0xCB, *range(0xCC, 0xD4), 0xC0})
#: A long value that lies apart; what it is there is not looked at.
_APART = 0xC7


class _Expected:
    """What the objects of one kind are to hold."""

    def __init__(self, schema: Schema, kind: str) -> None:
        self._schema, self._kind = schema, kind
        self._forms: dict[str, tuple[frozenset[int], str] | None] = {}

    @cached_property
    def _required(self) -> frozenset[str]:
        known = self._schema.kinds.get(self._kind)
        if known is None:
            return frozenset()
        return known.required | {name for name, spec in known.attributes.items() if spec.required}

    def amiss(self, own: str, encoded: bytes) -> Iterator[str]:
        """Yield what is wrong with the attributes of an object of that name, in words."""
        held: Mapping[str, msgspec.Raw] = _decode_raw(encoded)
        for name in sorted(self._required - held.keys()):
            # in names written type=value, that is where the attribute has its value
            if f"+{name}=".casefold() not in f"+{own}".casefold():
                yield f"It has no {name}, which its kind requires, or {name} may not be read."
        for name, value in held.items():
            if name not in self._forms:
                self._forms[name] = self._form(name)
            form = self._forms[name]
            if form is not None:
                first = bytes(value)[0]
                if first not in form[0] and first != _APART:
                    yield f"{name} is {form[1]}."

    def _form(self, name: str) -> tuple[frozenset[int], str] | None:
        spec = self._schema.spec(self._kind, name)
        if spec.shape == "map":
            return _MAPS, "no map of keys and values"
        if spec.number and spec.shape == "single":
            return _NUMBERS, "no number"
        return None
