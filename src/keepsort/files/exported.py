"""What goes out of a backup: its objects in order of their paths, without what is secret."""

import re
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, field
from types import NoneType

import msgspec
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey

from keepsort.core.model import Attributes, Path, Schema, Value
from keepsort.core.model.masks import MARK, is_unknown
from keepsort.core.plan.placing import PLACE
from keepsort.core.snapshot import Node, Snapshot
from keepsort.core.snapshot.encoding import BLOB_HEAD, decode_attributes
from keepsort.files.plain_values import LEFT_OUT, Secret, to_plain

SECRET_IN_TEXT = "[secret left out]"  # noqa: S105 - it stands for one
#: A secret within a text, as it goes out: left out, or sealed in base64.
IN_TEXT = re.compile(r"\[secret left out\]|\[sealed secret ([A-Za-z0-9+/=]+)\]")

#: Encrypts a secret by what stands for it here; None where nobody knows it.
Seal = Callable[[str], str | None]


class Sealing(msgspec.Struct, frozen=True):
    """How secrets are sealed: a key from a passphrase by scrypt (RFC 7914), then AES-256-GCM.

    salt, check: base64; check is a sealed empty text, by which a wrong passphrase is told.
    """

    salt: str
    n: int
    r: int
    p: int
    check: str


#: What a file tells of itself for people, whatever its format.
TOLD = ("system", "connector", "software", "taken_at", "by", "note")


class Manifest(msgspec.Struct, kw_only=True):
    """What a file is of.

    branches: the places that it holds, each with all beneath it; single: those it holds without
        what is beneath them. whole: whether it holds all there is.
    secrets: places of the secrets that are left out or sealed, as path and attribute.
    """

    format: str = ""
    version: int = 1
    system: str = ""
    connector: str = ""
    software: str = ""
    taken_at: str = ""
    by: str = ""
    note: str = ""
    branches: list[Path] = []
    single: list[Path] = []
    whole: bool = False
    objects: int = 0
    secrets: list[tuple[Path, str]] = []
    sealing: Sealing | None = None


@dataclass
class LeftOut:
    """What an export does not hold.

    secrets: places of secrets that are left out; sealed: of those that are in it, encrypted; both
    as path and attribute. formats: what the format cannot carry.
    """

    secrets: list[tuple[Path, str]] = field(default_factory=list)
    sealed: list[tuple[Path, str]] = field(default_factory=list)
    formats: list[str] = field(default_factory=list)


class Line(msgspec.Struct, omit_defaults=True):
    """One object as it goes out."""

    path: Path
    kind: str
    id: str | None = None
    attributes: Attributes = {}
    facts: Attributes = {}
    unreadable: str | None = None


@dataclass
class Batch:
    """All that a format needs to write a file.

    lines: the objects, each once; what is left out is told while they are read.
    signer: signs it, where the format can be signed.
    """

    manifest: Manifest
    schema: Schema
    lines: Iterable[Line]
    left_out: LeftOut
    signer: Ed25519PrivateKey | None = None


#: Types of values that JSON has as they are.
PLAIN = frozenset({str, int, bool, NoneType})


class PlainLine(Line, omit_defaults=True):
    """A line whose values are as JSON has them already."""


def plain(line: Line) -> Line:
    """Return a line with its values as JSON has them."""
    if type(line) is PlainLine:
        return line
    attributes = {
        name: value if type(value) in PLAIN else to_plain(value)
        for name, value in line.attributes.items()
    }
    facts = {name: to_plain(value) for name, value in line.facts.items()} if line.facts else {}
    return Line(line.path, line.kind, line.id, attributes, facts, line.unreadable)


def lines(
    tree: Snapshot, branches: Iterable[Path], left_out: LeftOut, seal: Seal | None = None,
    single: Iterable[Path] = (), ordered: bool = False,
) -> Iterator[Line]:  # fmt: skip
    """Yield the objects of some branches of a tree, each once; tell what is left out.

    branches: places in the tree; one that lies in another is passed over.
    single: places whose objects go out without what is beneath them.
    seal: encrypts secrets; they are left out where None.
    ordered: what has an order of its own comes in that; else all comes in the order of paths.
    """
    keys = tree.schema.names.keys
    outermost: list[Path] = []
    for branch in sorted(branches, key=lambda path: (len(path), path)):
        if not any(keys(branch)[: len(one)] == keys(one) for one in outermost):
            outermost.append(branch)
    alone = {
        keys(path): path
        for path in single
        if not any(keys(path)[: len(one)] == keys(one) for one in map(keys, outermost))
    }
    whole = {keys(branch) for branch in outermost}
    bare = _Bare(tree, left_out, seal)
    for branch in sorted([*outermost, *alone.values()], key=keys):
        top = tree.find(branch)
        if top is None:
            continue
        walk = _in_order(tree, top) if ordered and tree.schema.is_ordered else tree.walk(top)
        for node in walk if keys(branch) in whole else [top]:
            if node.entry.kind == PLACE:  # an opened file does not tell of it
                continue
            yield bare.line(node)


def _in_order(tree: Snapshot, top: Node) -> Iterator[Node]:
    waiting = [top]
    while waiting:
        node = waiting.pop()
        yield node
        children = tree.children(node)
        listing = tree.schema.order_of(node.entry.kind)
        names = tree.attributes(node.entry).get(listing) if listing else None
        if isinstance(names, list):
            rank = {name: place for place, name in enumerate(tree.resolve(names))}
            children.sort(key=lambda child: rank.get(child.entry.name, len(rank)))
        waiting += reversed(children)


#: How what stands for a secret begins, in an encoded entry and in a text.
_MARK, _UNKNOWN = b"keepsort-secret-", b"\xd9 000000000000"
#: What an encoded entry holds where a value may be none that JSON has as it is: bytes, numbers that
#: are not finite, keys that begin with a dollar.
_ODD = re.compile(rb"[$\xc4-\xc6\xca]|\xcb[\x7f\xff][\xf0-\xff]")


class _Secrets(dict[str, bool]):
    """Tells for each attribute of one kind whether it is secret."""

    def __init__(self, schema: Schema, kind: str) -> None:
        super().__init__()
        self._schema, self._kind = schema, kind

    def __missing__(self, name: str) -> bool:
        found = self[name] = self._schema.spec(self._kind, name).secret
        return found


class _Bare:
    """Makes lines of nodes, without what is secret. Most entries hold none, as their bytes tell."""

    def __init__(self, tree: Snapshot, left_out: LeftOut, seal: Seal | None) -> None:
        self._tree, self._left_out, self._seal = tree, left_out, seal
        self._secret: dict[str, _Secrets] = {}

    def line(self, node: Node) -> Line:
        """Return an object as it goes out; tell what is left out of it."""
        tree, entry = self._tree, node.entry
        raw = bytes(entry.attributes)
        attributes = tree.whole_attributes(entry) if BLOB_HEAD in raw else tree.attributes(entry)
        marked = _MARK in raw or _UNKNOWN in raw or BLOB_HEAD in raw
        is_secret = self._secret.get(entry.kind)
        if is_secret is None:
            is_secret = self._secret[entry.kind] = _Secrets(tree.schema, entry.kind)
        secret = [name for name in attributes if is_secret[name]]
        for name in attributes if marked else secret:
            value = attributes[name]
            bare = (
                _sealed(value, self._seal)
                if name in secret
                else _without_secrets(value, self._seal)
            )
            if bare is not value:
                told = self._left_out.secrets if _lacks(bare) else self._left_out.sealed
                told.append((node.path, name))
                attributes[name] = bare
        facts = tree.fact_entry(node)
        shown = decode_attributes(facts.facts) if facts else {}
        if facts and _MARK in bytes(facts.facts):
            shown = {name: _without_secrets(value, None) for name, value in shown.items()}
        kind = Line if marked or secret or shown or _ODD.search(raw) else PlainLine
        return kind(node.path, entry.kind, entry.identity, attributes, shown, entry.unreadable)


def _sealed(value: Value, seal: Seal | None) -> Value:
    """Return what goes out for the value of an attribute that is secret: nothing, or all of it."""
    if seal is None:
        return LEFT_OUT
    values = value if isinstance(value, list) else [value]
    found = [seal(one) if isinstance(one, str) else None for one in values]
    if any(one is None for one in found):
        return LEFT_OUT
    sealed = [Secret(one) for one in found if one]
    return sealed if isinstance(value, list) else sealed[0]


def _lacks(value: Value) -> bool:
    """Tell whether a secret is left out of a value that goes out."""
    if isinstance(value, str):
        return SECRET_IN_TEXT in value
    if isinstance(value, dict):
        return any(map(_lacks, value.values()))
    if isinstance(value, list):
        return any(map(_lacks, value))
    return bool(value == LEFT_OUT)


def _without_secrets(value: Value, seal: Seal | None) -> Value:
    """Return a value without the secrets in its texts; the value itself where there are none."""
    if isinstance(value, str):
        if is_unknown(value):
            return LEFT_OUT
        if not MARK.search(value):
            return value

        def shown(found: re.Match[str]) -> str:
            sealed = seal(found[1]) if seal else None
            return f"[sealed secret {sealed}]" if sealed else SECRET_IN_TEXT

        return MARK.sub(shown, value)
    if isinstance(value, list):
        inner = [_without_secrets(v, seal) for v in value]
        same = all(a is b for a, b in zip(inner, value, strict=True))
        return value if same else inner
    if isinstance(value, dict):
        found = {k: _without_secrets(v, seal) for k, v in value.items()}
        return value if all(found[k] is value[k] for k in value) else found
    return value
