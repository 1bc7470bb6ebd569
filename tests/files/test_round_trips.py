"""Every format: what goes out comes back, or exactly what it cannot carry is missing."""

import csv
import io
import json
import subprocess
from pathlib import Path

import openpyxl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from keepsort.core.compare.gaps import NOTHING
from keepsort.core.model import AttributeSpec, ConfigObject, Schema, Value, identical
from keepsort.core.model.masks import mark, unknown
from keepsort.core.model.notation import DistinguishedNames, pairs_of
from keepsort.core.snapshot import MemoryStore, SnapshotBuilder
from keepsort.files.catalogue import FORMATS, formats_of
from keepsort.files.cells import cells, fitted, joined, raw_fitted
from keepsort.files.plain_values import LEFT_OUT, Secret
from tests.core.trees import SCHEMA, Tree, snapshot
from tests.files.batches import batch, read_back, written

EXACT = ("archive", "text", "json", "yaml", "toml", "ini")
TABLES = ("csv", "csv-objects", "xlsx", "xlsx-objects")

names = st.text(st.characters(exclude_categories=["Cs"]), max_size=6) | st.sampled_from(
    [
        "a",
        "[b]",
        "c/d",
        "#e",
        " f ",
        "g:h",
        "=i",
        "\\j",
        "k\nl",
        '"m"',
        "n=o",
        ".",
        "-",
        "!id",
        "path",
        "'q",
    ]
)
texts = st.text(st.characters(exclude_categories=["Cs"]), max_size=12) | st.sampled_from(
    ["yes", "0142", "1e5", "null", "~", "=1+1", "'=x", '"quoted"', " lead", "trail ", "two\nlines\n",
     "\n", "\r\n", "a\r", "\x00", "\u2028", "x" * 250, "  x\n\n" * 80, "2026-11-26", "[1]", '{"$x": 1}', "[secret", "| x", ". "]
)  # fmt: skip
scalars = (
    st.none() | st.booleans() | st.integers(-(1 << 63), (1 << 64) - 1) | texts
    | st.floats(allow_nan=False) | st.binary(max_size=120)
)  # fmt: skip
values = st.recursive(
    scalars, lambda inner: st.lists(inner, max_size=3) | st.dictionaries(names, inner, max_size=3),
    max_leaves=6,
)  # fmt: skip
cells_values = scalars | st.lists(scalars, min_size=1, max_size=3)
attribute_names = names.filter(lambda name: name not in ("path", "kind", ""))


@st.composite
def flat_trees(
    draw: st.DrawFn, of: st.SearchStrategy[Value], names_of: st.SearchStrategy[str] = names
) -> Tree:
    tree: Tree = {(): ConfigObject(name="", kind="group")}
    for name in draw(st.lists(names, max_size=4, unique=True)):
        above = draw(st.sampled_from(sorted(tree)))
        tree[(*above, name)] = ConfigObject(
            name=name, kind=draw(st.sampled_from(["keeper", "gr]oup"])),
            identity=draw(st.none() | texts.filter(bool)),
            attributes=draw(st.dictionaries(names_of, of, max_size=3)),
        )  # fmt: skip
    return tree


def same(one: Value, other: Value) -> bool:
    return identical(one, other) and repr(one) == repr(other)


@pytest.mark.parametrize("form", EXACT)
@settings(max_examples=150, deadline=None)
@given(flat_trees(values))
def test_what_goes_out_comes_back(form: str, objects: Tree) -> None:
    tree = snapshot(objects, MemoryStore())
    made = batch(tree)
    expected = {line.path: line for line in batch(tree).lines}
    raw = written(form, made)
    assert formats_of(io.BytesIO(raw)) == [form]
    back = read_back(form, raw)
    assert back.keys() == expected.keys()
    for path, line in expected.items():
        found = back[path]
        assert (found.kind, found.id, found.unreadable) == (line.kind, line.id, line.unreadable)
        assert found.attributes.keys() == line.attributes.keys()
        for name, value in line.attributes.items():
            assert same(found.attributes[name], value), name


@pytest.mark.parametrize("form", TABLES)
@settings(max_examples=60, deadline=None)
@given(flat_trees(cells_values, attribute_names))
def test_a_table_beside_what_it_came_from_changes_nothing(form: str, objects: Tree) -> None:
    tree = snapshot(objects, MemoryStore())
    made = batch(tree)
    expected = {line.path: line for line in batch(tree).lines}
    raw = written(form, made)
    assert formats_of(io.BytesIO(raw)) == [form.partition("-")[0]]
    back = read_back(form, raw)
    assert back.keys() == expected.keys()
    for path, found in back.items():
        for name, told in found.attributes.items():
            now = expected[path].attributes[name]
            spec = SCHEMA.spec(found.kind, name)
            assert same(fitted(told, now, spec), now), name
        lost = expected[path].attributes.keys() - found.attributes.keys()
        for name in lost:
            # an empty cell tells nothing; a value for which there is no cell is told of
            value = expected[path].attributes[name]
            assert joined(value) == "" or value == LEFT_OUT or made.left_out.formats, name


@given(texts, texts, st.sampled_from([AttributeSpec(), AttributeSpec(shape="set")]))
def test_an_edited_cell_is_what_was_typed(was: str, typed: str, spec: AttributeSpec) -> None:
    """The naive version: a text is a text, whatever it looks like."""
    if typed.startswith('{"$') or (typed[:1] == typed[-1:] == '"' and len(typed) > 1):
        return
    found = fitted([typed], [was] if spec.shape == "set" else was, spec)
    assert found == ([typed] if spec.shape == "set" else typed)
    number = fitted(["7"], 5, AttributeSpec())
    assert (number, type(number)) == (7, int)
    assert fitted(cells(["a", "b"]), NOTHING, spec) == ["a", "b"]


def pump(**attributes: Value) -> Tree:
    made = ConfigObject(name="pump", kind="keeper", attributes=attributes)
    return {(): ConfigObject(name="", kind="group"), ("pump",): made}


@pytest.mark.parametrize("form", FORMATS)
def test_secrets_stay_here_and_are_named(form: str) -> None:
    if form == "ldif":
        return  # tested with entries of a directory
    made = batch(snapshot(pump(badge="digest-of-it", title="x"), MemoryStore()))
    raw = written(form, made)
    assert b"digest-of-it" not in raw
    assert made.left_out.secrets == [(("pump",), "badge")]
    told = read_back(form, raw)[("pump",)].attributes
    assert told.get("badge", LEFT_OUT) == LEFT_OUT


@pytest.mark.parametrize("form", [name for name, one in FORMATS.items() if one.seals])
def test_sealed_secrets_come_back_sealed(form: str) -> None:
    tree = snapshot(pump(badge=["d1", "d2"]), MemoryStore())
    made = batch(tree, seal=lambda digest: f"c2VhbGVk{digest}AA=")
    back = read_back(form, written(form, made))
    assert back[("pump",)].attributes["badge"] == [Secret("c2VhbGVkd1AA="), Secret("c2VhbGVkd2AA=")]


# Key text: for people


TEXT = """\
# Keep Sort key text, version 1
#: system: Exhibits

[preset] /presets/dusk
  title: text Dusk over the kelp
  level: number 40
  on: yes/no yes
  spare: nothing
  notes: text
    | first
    |   indented
    .
  tags: list
    - text a
    - text b
    .
  light: map
    warm: number 2
    .

# a comment
[preset] /presets/noon
  title: text Noon
"""
DUSK = {
    "title": "Dusk over the kelp", "level": 40, "on": True, "spare": None,
    "notes": "first\n  indented", "tags": ["a", "b"], "light": {"warm": 2},
}  # fmt: skip


def test_a_person_reads_and_writes_it() -> None:
    found = read_back("text", TEXT.encode())
    assert found[("presets", "dusk")].attributes == DUSK
    assert found[("presets", "noon")].attributes == {"title": "Noon"}
    other_ends = read_back("text", b"\xef\xbb\xbf" + TEXT.replace("\n", "\r\n").encode())
    assert other_ends == found


@given(st.data())
def test_a_piece_cut_out_of_a_file_is_a_file(data: st.DataObject) -> None:
    """Of what a piece holds, every value is right, and what was cut is told."""
    rows = TEXT.splitlines(keepends=True)
    start = data.draw(st.integers(0, len(rows)))
    stop = data.draw(st.integers(start, len(rows)))
    piece = "".join(rows[start:stop])
    whole = read_back("text", TEXT.encode())
    found = FORMATS["text"].read(io.BytesIO(piece.encode()))
    back = {line.path: line for line in found.lines}
    told = "".join(found.passed_over)
    for path, line in back.items():
        for name, value in line.attributes.items():
            assert value == whole[path].attributes[name]
    begun = [row for row in rows[start:stop] if row.startswith("[")]
    assert len(back) == len(begun)
    opened = [name for name in ("notes", "tags", "light") if f"  {name}:" in piece]
    for name in opened:
        there = any(name in line.attributes for line in back.values())
        assert there or name in told or "stand beneath no place" in told


@pytest.mark.parametrize(
    ("edit", "place"),
    [
        (("level: number 40", "level: number forty"), "line 6: 'forty' is no number"),
        (("level: number 40", "level 40"), "line 6: 'level 40' is neither"),
        (("level: number 40", "level: amount 40"), "line 6: 'amount 40' is no type"),
        (("level: number 40", "title: text again"), "line 6: title comes twice"),
        (("/presets/noon", "presets/noon"), "line 22: 'presets/noon' is no place"),
        (("/presets/noon", "/presets//noon"), "line 22: .* empty name"),
        (("/presets/noon", "/presets/\\u{110000}"), "line 22: .* no character"),
        (("warm: number 2", "warm: text \"open"), "line 17: .* begins with a quote"),
    ],
)  # fmt: skip
def test_what_was_mistyped_is_told_with_its_line(edit: tuple[str, str], place: str) -> None:
    with pytest.raises(ValueError, match=place):
        read_back("text", TEXT.replace(*edit).encode())


# Other people's readers


def test_csv_and_workbooks_open_elsewhere_with_formulas_defused() -> None:
    tree = snapshot(
        pump(title="=HYPERLINK(1)", phone=["+1 555 0142", "-2"], depth=4), MemoryStore()
    )
    rows = list(csv.reader(io.StringIO(written("csv", batch(tree)).decode(), newline="")))
    assert rows[0] == ["path", "kind", "attribute", "value"]
    assert ["/pump", "keeper", "title", "'=HYPERLINK(1)"] in rows
    assert not any(cell.startswith(("=", "+", "-", "@")) for row in rows for cell in row)
    book = openpyxl.load_workbook(io.BytesIO(written("xlsx-objects", batch(tree))))
    head, _, row = list(book["objects"].iter_rows())
    told = {name.value: cell for name, cell in zip(head, row, strict=True)}
    assert (told["title"].value, told["title"].data_type) == ("=HYPERLINK(1)", "s")
    assert told["depth"].value == 4
    assert book["about"]["B1"].value == "People"


def test_json_is_one_document_and_yaml_and_toml_hold_the_same(tmp_path: Path) -> None:
    import tomllib

    import yaml

    tree = snapshot(pump(title="yes", depth=4), MemoryStore())
    document = json.loads(written("json", batch(tree)))
    assert document["objects"][1]["attributes"] == {"title": "yes", "depth": 4}
    assert yaml.safe_load(written("yaml", batch(tree)))["objects"] == document["objects"]
    assert tomllib.loads(written("toml", batch(tree)).decode())["objects"] == document["objects"]
    file = tmp_path / "a.ini"
    file.write_bytes(written("ini", batch(tree)))
    code = "import configparser,sys;c=configparser.RawConfigParser();c.read(sys.argv[1]);print(c['/pump']['title'])"
    told = subprocess.run(["python3", "-c", code, file], capture_output=True, text=True, check=True)
    assert told.stdout == "yes\n"


# LDIF


BASE = "dc=kelpmoor,dc=example"
PEOPLE = Schema(attributes={"note": AttributeSpec(shape="set")}, notation=DistinguishedNames(BASE))
ldif_values = st.lists(
    texts.filter(bool) | st.binary(min_size=1, max_size=90).filter(lambda raw: not _is_text(raw)),
    min_size=1, max_size=3, unique=True,
)  # fmt: skip


def _is_text(raw: bytes) -> bool:
    try:
        raw.decode()
    except UnicodeDecodeError:
        return False
    return True


@settings(max_examples=150, deadline=None)
@given(
    st.dictionaries(
        st.sampled_from(["cn=a", "cn=Réef", "cn=b\\, c", "cn=d+sn=e", "ou= x".replace(" ", "")]),
        st.dictionaries(st.sampled_from(["note", "description", "jpegPhoto"]), ldif_values),
        max_size=4,
    )
)
def test_ldif_holds_what_another_reader_finds_in_it(
    entries: dict[str, dict[str, list[object]]],
) -> None:
    """Judged by python-ldap's reader, and by our own."""
    import ldif

    builder = SnapshotBuilder(MemoryStore(), PEOPLE)
    builder.add((), ConfigObject(name="", kind="organization", attributes={"o": ["Kelpmoor"]}))
    for name, attributes in entries.items():
        builder.add((name,), ConfigObject(name=name, kind="person", attributes=attributes))
    tree = builder.finish()
    raw = written("ldif", batch(tree))
    reader = ldif.LDIFRecordList(io.BytesIO(raw))
    reader.parse()
    theirs = dict(reader.all_records)
    assert theirs.keys() == {BASE, *(f"{name},{BASE}" for name in entries)}
    back = read_back("ldif", raw)
    for name, attributes in entries.items():
        found = theirs[f"{name},{BASE}"]
        for kind, value in pairs_of(name):
            assert (value if isinstance(value, bytes) else value.encode()) in found.pop(kind)
        encoded = {
            n: sorted(v if isinstance(v, bytes) else v.encode() for v in vs)  # type: ignore[union-attr]
            for n, vs in attributes.items()
        }
        assert {n: sorted(vs) for n, vs in found.items()} == encoded
        ours = back[("dc=example", "dc=kelpmoor", name)].attributes
        now = tree.get((name,))
        assert now is not None
        for attribute, told in ours.items():
            value = now.attributes[attribute]
            assert same(raw_fitted(told, value, PEOPLE.spec("", attribute)), value)
        assert ours.keys() == attributes.keys()


@pytest.mark.parametrize("apart", [False, True])
def test_a_secret_in_any_corner_stays_here(apart: bool) -> None:
    """In an attribute with an option, in a long text that lies apart, in a list, in a map."""
    hidden = mark("ab" * 16)
    schema = Schema(attributes={"userPassword": AttributeSpec(secret=True)}, options=";")
    builder = SnapshotBuilder(MemoryStore(), schema)
    attributes = {
        "userPassword;x-site": "cd" * 16, "notes": "x" * (9000 if apart else 1) + hidden,
        "list": ["a", hidden], "map": {"a": {"b": hidden}}, "unknown": unknown(b"here"),
    }  # fmt: skip
    builder.add((), ConfigObject(name="", kind="k", attributes=attributes, facts={"seen": hidden}))
    made = batch(builder.finish())
    [line] = list(made.lines)
    told = repr(line)
    assert "abab" not in told
    assert "cdcd" not in told
    assert "000000000000" not in told
    assert {name for _, name in made.left_out.secrets} == attributes.keys()


@pytest.mark.parametrize("mark", [",", ";", "\t"])
def test_tables_as_other_programs_save_them(mark: str) -> None:
    rows = [
        ["path", "kind", "title", "depth"],
        ["/pump", "keeper", "Lead, or; so", "7"],
        ["", "", "", ""],
    ]
    quoted = "\r\n".join(mark.join(f'"{cell}"' for cell in row) for row in rows)
    raw = ("\ufeff" + quoted).encode()
    assert formats_of(io.BytesIO(raw)) == ["csv"]
    assert read_back("csv", raw)[("pump",)].attributes == {"title": "Lead, or; so", "depth": "7"}


def test_what_could_be_several_things_is_left_to_a_person() -> None:
    both = b"format = 1\n[[objects]]\n[/x]\n"
    assert formats_of(io.BytesIO(both)) == ["toml", "ini"]


@pytest.mark.parametrize("form", TABLES)
def test_an_object_of_empty_lists_is_in_a_table_too(form: str) -> None:
    tree = snapshot(pump(order=[]), MemoryStore())
    assert read_back(form, written(form, batch(tree))).keys() == {(), ("pump",)}
