"""Trees of objects for tests: strategies, and a way from plain dicts to snapshots."""

from collections.abc import Iterator
from contextlib import contextmanager
from datetime import datetime
from decimal import Decimal
from typing import Any
from unittest.mock import patch

from hypothesis import strategies as st

from keepsort.core.model import AttributeSpec, ConfigObject, Kind, NameRule, NamesIn, Path, Schema
from keepsort.core.snapshot import MemoryStore, Snapshot, SnapshotBuilder, encoding, writer

SCHEMA = Schema(
    kinds={
        "keeper": Kind("keeper", "keeper"),
        "group": Kind(
            "group", "group", attributes={"order": AttributeSpec(shape="sequence", orders=True)}
        ),
    },
    attributes={
        "phone": AttributeSpec(shape="set"),
        "member": AttributeSpec(shape="set", reference=True),
        "boss": AttributeSpec(reference=True),
        "deputy": AttributeSpec(reference=True, notation=NamesIn()),
        "notes": AttributeSpec(shape="text"),
        "rota": AttributeSpec(shape="sequence"),
        "depth": AttributeSpec(number=True),
        "badge": AttributeSpec(secret=True),
        "price": AttributeSpec(matching="decimal"),
        "seen": AttributeSpec(shape="set", matching="time"),
    },
    names=NameRule(),
)

#: Longer values lie apart; so small a limit lets many of the trees here have some that do.
BLOB_OVER = 8

#: A tree as plain data: every path with its object; the root is the empty path.
Tree = dict[Path, ConfigObject]


def snapshot(
    tree: Tree,
    store: MemoryStore | None = None,
    large: bool | None = None,
    schema: Schema = SCHEMA,
    **options: object,
) -> Snapshot:
    """Build a snapshot from a tree, in the order of the dict.

    Trees of an even size are written on pages of one or two entries, as if they were large; those
    of an odd size as they are, unless `large` says otherwise. What is told of them must not
    depend on it.
    """
    large = len(tree) % 2 == 0 if large is None else large
    limits = (0, 1, 2) if large else (2048, 16, 256)
    builder = SnapshotBuilder(store or MemoryStore(), schema, **options)  # type: ignore[arg-type]
    with (
        patch.object(writer, "INLINE_BYTES", limits[0]),
        patch.object(encoding, "PAGE_LEAST", limits[1]),
        patch.object(encoding, "PAGE_MOST", limits[2]),
        values_apart(),
    ):
        for path, obj in tree.items():
            builder.add(path, obj)
        return builder.finish()


@contextmanager
def values_apart() -> Iterator[None]:
    """Let values lie apart from the small limit on, in what is written meanwhile."""
    with (
        patch.object(writer, "BLOB_OVER", BLOB_OVER),
        patch("keepsort.core.snapshot.builder.BLOB_OVER", BLOB_OVER),
    ):
        yield


def as_tree(side: Snapshot) -> Tree:
    """Read a whole snapshot back as a tree."""
    return {node.path: side.object(node) for node in side.walk()}


def content(tree: Tree) -> dict[Path, object]:
    """What counts of a tree when it has been restored: all but ids and facts."""
    return {
        path: (obj.kind, {name: _meant(name, value) for name, value in obj.attributes.items()})
        for path, obj in tree.items()
    }


def _meant(name: str, value: Any) -> object:
    if name == "price":
        return Decimal(value)
    if name == "seen":
        return sorted(datetime.fromisoformat(one) for one in value)
    return sorted(value, key=repr) if name in ("phone", "member") else value


names = st.sampled_from(["Ansel", "Imke", "Tobin", "divers", "vets", "night/dive", "Ä\\b"])
texts = st.lists(
    st.sampled_from(["pump = on\n", "# note\n", "limit = 4\n", "\n", "seal"]), max_size=6
)
attributes = st.fixed_dictionaries(
    {},
    optional={
        "title": st.sampled_from(["Keeper", "Vet", "keeper"]),
        "phone": st.lists(st.sampled_from(["0142", "0199", "0111"]), min_size=1, unique=True),
        "depth": st.one_of(st.integers(-3, 3), st.floats(allow_nan=False, width=16)),
        "notes": texts.map("".join),
        "rota": st.lists(st.sampled_from(["early", "late", "night"]), max_size=4),
        "photo": st.binary(max_size=12),
        "on_call": st.booleans(),
        "limits": st.dictionaries(st.sampled_from(["low", "high"]), st.integers(0, 9), max_size=2),
        "badge": st.sampled_from(["digest-a", "digest-b"]),
        "price": st.sampled_from(["1.50", "1.5", "15e-1", "2", "2.00"]),
        "seen": st.lists(
            st.sampled_from(
                ["2026-05-01T10:00:00Z", "2026-05-01 12:00:00+02", "2026-05-02 10:00Z"]
            ),
            min_size=1,
            max_size=2,
            unique_by=datetime.fromisoformat,
        ),
    },
)


@st.composite
def trees(draw: st.DrawFn, identities: bool = True) -> Tree:
    """Draw a tree of up to some 14 objects; references name objects in it, or nowhere."""
    tree: Tree = {
        (): ConfigObject(name="", kind="group", identity="id-root" if identities else None)
    }
    ids = draw(st.permutations([f"id-{n}" for n in range(14)]))
    for number in range(draw(st.integers(0, 13))):
        parent = draw(st.sampled_from(list(tree)))
        name = draw(names)
        path = (*parent, name)
        if len(path) > 4 or path in tree:
            continue
        identity = ids[number] if identities else None
        kind = draw(st.sampled_from(["keeper", "group"]))
        tree[path] = ConfigObject(
            name=name, kind=kind, identity=identity, attributes=draw(attributes)
        )
    for path, obj in tree.items():
        below = [p[-1] for p in tree if p[:-1] == path and p]
        if obj.kind == "group":
            obj.attributes["order"] = draw(st.permutations(below))
    places = [SCHEMA.notation.write(p) for p in tree]
    for obj in tree.values():
        if draw(st.booleans()):
            obj.attributes["member"] = draw(
                st.lists(st.sampled_from([*places, "/gone"]), min_size=1, max_size=3, unique=True)
            )
        if draw(st.integers(0, 3)) == 0:
            obj.attributes["deputy"] = draw(
                st.sampled_from([*(NamesIn().write(path) for path in tree), "gone"])
            )
    return tree
