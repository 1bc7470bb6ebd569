"""What goes out of a backup: its objects in order of their paths, without what is secret."""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field

import msgspec

from keepsort.core.model import Attributes, Path, Value
from keepsort.core.model.masks import MARK
from keepsort.core.snapshot import Node, Snapshot
from keepsort.formats.plain_values import LEFT_OUT, to_plain

SECRET_IN_TEXT = "[secret left out]"  # noqa: S105 - it stands for one


@dataclass
class LeftOut:
    """What an export does not hold.

    secrets: places of secrets, as path and attribute. formats: what the format cannot carry.
    """

    secrets: list[tuple[Path, str]] = field(default_factory=list)
    formats: list[str] = field(default_factory=list)


class Line(msgspec.Struct, omit_defaults=True):
    """One object as it goes out; its attributes and facts as JSON has them."""

    path: Path
    kind: str
    id: str | None = None
    attributes: Attributes = {}
    facts: Attributes = {}
    unreadable: str | None = None


def lines(tree: Snapshot, branches: Iterable[Path], left_out: LeftOut) -> Iterator[Line]:
    """Yield the objects of some branches of a tree, each once; tell what is left out.

    branches: places in the tree; one that lies in another is passed over.
    """
    keys = tree.schema.names.keys
    outermost: list[Path] = []
    for branch in sorted(branches, key=lambda path: (len(path), path)):
        if not any(keys(branch)[: len(one)] == keys(one) for one in outermost):
            outermost.append(branch)
    for branch in sorted(outermost, key=keys):
        for node in tree.walk(tree.find(branch)):
            yield _line(tree, node, left_out)


def _line(tree: Snapshot, node: Node, left_out: LeftOut) -> Line:
    obj = tree.object(node)
    attributes = {}
    for name, value in obj.attributes.items():
        if tree.schema.spec(obj.kind, name).secret:
            attributes[name] = LEFT_OUT
            left_out.secrets.append((node.path, name))
            continue
        bare = _without_secrets(value)
        if bare is not value:
            left_out.secrets.append((node.path, name))
        attributes[name] = to_plain(bare)
    facts = {name: to_plain(_without_secrets(value)) for name, value in obj.facts.items()}
    return Line(node.path, obj.kind, obj.identity, attributes, facts, obj.unreadable)


def _without_secrets(value: Value) -> Value:
    """Return a value without the secrets in its texts; the value itself where there are none."""
    if isinstance(value, str):
        return MARK.sub(SECRET_IN_TEXT, value) if MARK.search(value) else value
    if isinstance(value, list):
        inner = [_without_secrets(v) for v in value]
        same = all(a is b for a, b in zip(inner, value, strict=True))
        return value if same else inner
    if isinstance(value, dict):
        found = {k: _without_secrets(v) for k, v in value.items()}
        return value if all(found[k] is value[k] for k in value) else found
    return value
