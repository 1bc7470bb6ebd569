"""Archives: what goes out comes back, other people's tools read it, and broken ones are refused."""

import hashlib
import io
import json
import subprocess
from contextlib import suppress
from pathlib import Path
from zipfile import ZIP_DEFLATED, ZipFile

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from keepsort.core.model import ConfigObject
from keepsort.core.snapshot import MemoryStore, Snapshot, SnapshotBuilder
from keepsort.files.archive import read
from keepsort.files.exported import Line
from keepsort.files.opened import BadFile
from keepsort.files.plain_values import LEFT_OUT, NoValue, from_plain, to_plain
from tests.core.trees import SCHEMA, Tree, snapshot, trees
from tests.files.batches import batch, read_back, written

values = st.recursive(
    st.none() | st.booleans() | st.integers(-(1 << 63), (1 << 64) - 1) | st.binary(max_size=8)
    | st.floats() | st.text(max_size=8),
    lambda inner: st.lists(inner, max_size=3)
    | st.dictionaries(st.text(max_size=4) | st.sampled_from(["$base64", "$number", "$$x", "$secret"]), inner),
    max_leaves=8,
)  # fmt: skip


def archived(tree: Snapshot, *branches: tuple[str, ...]) -> bytes:
    return written("archive", batch(tree, *branches))


def opened(raw: bytes) -> dict[tuple[str, ...], Line]:
    return read_back("archive", raw)


@given(values)
def test_every_value_comes_back(value: object) -> None:
    back = from_plain(json.loads(json.dumps(to_plain(value), allow_nan=False)))
    assert repr(back) == repr(value)


@settings(max_examples=100, deadline=None)
@given(trees(), st.data())
def test_what_goes_out_comes_back(objects: Tree, data: st.DataObject) -> None:
    secret = {
        (path, name)
        for path, obj in objects.items()
        for name in obj.attributes
        if SCHEMA.spec(obj.kind, name).secret
    }
    tree = snapshot(objects, MemoryStore())
    at = data.draw(st.sampled_from(sorted(objects)))
    raw = archived(tree, at)
    found = read(io.BytesIO(raw))
    assert found.schema == SCHEMA
    wanted = {path: obj for path, obj in objects.items() if path[: len(at)] == at}
    assert {(p, n) for p, n in found.manifest.secrets} == {s for s in secret if s[0] in wanted}
    assert found.manifest.objects == len(wanted)
    builder = SnapshotBuilder(MemoryStore(), found.schema, at=at)
    for line in found.lines:
        left_out = {name for name, value in line.attributes.items() if value == LEFT_OUT}
        assert {(line.path, name) for name in left_out} == {s for s in secret if s[0] == line.path}
        name = line.path[-1] if line.path else ""
        told = {n: v for n, v in line.attributes.items() if n not in left_out}
        builder.add(line.path, ConfigObject(
            name=name, kind=line.kind, identity=line.id, attributes=told, facts=line.facts,
        ))  # fmt: skip
    bare = {
        path: ConfigObject(
            name=obj.name, kind=obj.kind, identity=obj.identity, facts=obj.facts,
            attributes={n: v for n, v in obj.attributes.items() if (path, n) not in secret},
        )
        for path, obj in objects.items()
    }  # fmt: skip
    expected = SnapshotBuilder(MemoryStore(), SCHEMA, at=at)
    for path, obj in bare.items():
        if path in wanted:
            expected.add(path, obj)
    assert builder.finish().root == expected.finish().root
    assert archived(tree, at) == raw, "the same backup makes the same file"


def a_tree() -> Tree:
    pump = ConfigObject(
        name="pump",
        kind="keeper",
        attributes={"title": "Lagoon", "badge": "d1", "photo": b"\0\xff"},
    )
    return {(): ConfigObject(name="", kind="group"), ("pump",): pump}


def test_other_tools_read_it(tmp_path: Path) -> None:
    file = tmp_path / "people.zip"
    file.write_bytes(archived(snapshot(a_tree(), MemoryStore())))
    with ZipFile(file) as other:
        assert other.testzip() is None
        other.extractall(tmp_path)
    subprocess.run(["sha256sum", "-c", "--strict", "SHA256SUMS"], cwd=tmp_path, check=True)
    rows = [json.loads(line) for line in (tmp_path / "objects.jsonl").read_text().splitlines()]
    assert [row["path"] for row in rows] == [[], ["pump"]]
    assert rows[1]["attributes"]["badge"] == {"$secret": "left out"}
    assert "d1" not in (tmp_path / "objects.jsonl").read_text()


@settings(max_examples=300, deadline=None)
@given(st.data())
def test_a_broken_one_is_refused_or_is_whole(data: st.DataObject) -> None:
    raw = archived(snapshot(a_tree(), MemoryStore()))
    whole = opened(raw)
    at = data.draw(st.integers(0, len(raw) - 1))
    if data.draw(st.booleans()):
        broken = raw[:at]
    else:
        broken = raw[:at] + bytes([raw[at] ^ data.draw(st.integers(1, 255))]) + raw[at + 1 :]
    with suppress(BadFile):
        assert opened(broken) == whole, "nothing that counts was hit"


def packed(**members: bytes) -> bytes:
    """A ZIP with the members of an archive, some of them exchanged."""
    out = io.BytesIO()
    with ZipFile(io.BytesIO(archived(snapshot(a_tree(), MemoryStore())))) as good:
        content = {i.filename: good.read(i) for i in good.infolist()}
    names = {"manifest": "manifest.json", "objects": "objects.jsonl", "sums": "SHA256SUMS"}
    content |= {names.get(name, name): raw for name, raw in members.items()}
    if "sums" not in members:
        content["SHA256SUMS"] = "".join(
            f"{hashlib.sha256(raw).hexdigest()}  {name}\n"
            for name, raw in content.items()
            if name != "SHA256SUMS"
        ).encode()
    with ZipFile(out, "w", ZIP_DEFLATED) as archive:
        for name, raw in content.items():
            archive.writestr(name, raw)
    return out.getvalue()


DEEP = b'{"path": [], "kind": "a", "attributes": {"x": ' + b"[" * 100_000 + b"\n"


@pytest.mark.parametrize(
    ("raw", "place"),
    [
        (b"", "no whole ZIP"),
        (b"PK\x03\x04 not really", "no whole ZIP"),
        (packed(**{"../../etc/passwd": b"x"}), "should hold"),
        (packed(sums=b"0" * 64 + b"  objects.jsonl\n"), "checksum"),
        (packed(manifest=b"{"), "manifest.json"),
        (packed(manifest=b"[" * 100_000), "manifest.json"),
        (packed(objects=b'{"path": ["a"], "kind": 3}\n'), "objects.jsonl, line 1"),
        (packed(objects=b'{"path": [], "kind": "a"}\n{"pa'), "no end"),
        (packed(objects=DEEP), "objects.jsonl, line 1"),
        (packed(objects=b'{"path": [], "kind": "a", "attributes": {"x": {"$base64": "?"}}}\n'),
         "base64"),
        (packed(objects=b'{"path": [], "kind": "a", "attributes": {"x": {"$file": "/"}}}\n'),
         "no mark that is known"),
        (packed(manifest=json.dumps({
            "format": "keepsort-archive", "version": 9, "system": "a", "connector": "b",
            "software": "c", "taken_at": "d", "branches": [], "whole": True}).encode()),
         "version 9"),
    ],
)  # fmt: skip
def test_bad_ones_are_refused_with_the_place(raw: bytes, place: str) -> None:
    with pytest.raises(BadFile, match=place):
        opened(raw)


def test_a_bomb_is_refused_before_it_is_unpacked() -> None:
    bomb = packed(**{"README.txt": b"0" * (17 << 20)})
    with pytest.raises(BadFile, match=r"README.txt says that it is \d+ bytes long"):
        opened(bomb)


@pytest.mark.parametrize("told", [{"$secret": "known"}, {"$secret": "sealed"}, {"$x": 1}])
def test_no_mark_is_made_up(told: dict[str, object]) -> None:
    with pytest.raises(NoValue):
        from_plain(told)
