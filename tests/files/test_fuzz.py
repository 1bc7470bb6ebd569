"""Files that are broken in any way: refused with a word, or read; never anything else.

`make fuzz` does much more of it. What it found is kept in `corpus`, one file a case.
"""

import gzip
import io
import os
import time
import tracemalloc
import zipfile
from collections.abc import Callable
from contextlib import suppress
from functools import cache
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from keepsort.core.model import ConfigObject
from keepsort.core.snapshot import MemoryStore
from keepsort.files.catalogue import FORMATS, formats_of
from keepsort.files.exported import Line
from keepsort.files.opened import BadFile
from tests.core.trees import Tree, snapshot
from tests.files.batches import batch, written

CORPUS = Path(__file__).parent / "corpus"
EXAMPLES = int(os.environ.get("KEEPSORT_FUZZ", "60"))
LDIF = b"""version: 1

dn: dc=kelpmoor,dc=example
objectClass: dcObject
dc: kelpmoor
description:: S2VscA==
title: a long
 er one

dn: ou=divers,dc=kelpmoor,dc=example
changetype: add
objectClass: organizationalUnit
ou: divers
"""


@cache
def good(form: str) -> bytes:
    if form == "ldif":
        return LDIF
    attributes = {
        "title": "Lead", "badge": "d", "phone": ["1", "2"], "depth": 3, "photo": b"\0\xff" * 60,
        "notes": "a\n  b\n" * 20, "map": {"a": {"b": [None, True, 1.5]}},
    }  # fmt: skip
    pump = ConfigObject(name="pump", kind="keeper", identity="i", attributes=attributes)
    tree: Tree = {(): ConfigObject(name="", kind="group"), ("pump",): pump}
    return written(form, batch(snapshot(tree, MemoryStore())))


def read_all(raw: bytes, form: str | None = None) -> list[Line]:
    forms = [form] if form else formats_of(io.BytesIO(raw))
    return [line for one in forms for line in FORMATS[one].read(io.BytesIO(raw)).lines]


PIECES = st.sampled_from(
    [b"", b"\n", b"\0", b"\xff", b"[", b"]", b"{", b"}", b'"', b"'", b":", b"=", b"|", b".", b"- ", b"#",
     b"&a ", b"*a", b"<<: ", b"!!python/object:os.system ", b"<!ENTITY x SYSTEM 'file:///etc/passwd'>",
     b":< file:///etc/passwd", b"\\u{110000}", b"$secret", b'{"$base64": 1}', b"1e999", b"\xef\xbb\xbf",
     b"\r", b",", b"\t", b"[/x]", b"dn: ", b"[" * 200, b"{'a':" * 200]
)  # fmt: skip


@pytest.mark.parametrize("form", FORMATS)
@settings(max_examples=EXAMPLES, deadline=None, suppress_health_check=list(HealthCheck))
@given(st.data())
def test_any_broken_file_is_refused_or_read(form: str, data: st.DataObject) -> None:
    raw = good(form)
    for _ in range(data.draw(st.integers(1, 4))):
        start = data.draw(st.integers(0, len(raw)))
        stop = min(len(raw), start + data.draw(st.sampled_from([0, 0, 1, 2, 8, 60, len(raw)])))
        piece = data.draw(PIECES | st.binary(max_size=4) | st.just(raw[start:stop] * 2))
        raw = raw[:start] + piece + raw[stop:]
    with suppress(BadFile):
        read_all(raw)
    with suppress(BadFile):
        read_all(raw, form)


@settings(max_examples=EXAMPLES, deadline=None, suppress_health_check=list(HealthCheck))
@given(st.sampled_from(list(FORMATS)), st.binary(max_size=200) | st.lists(PIECES).map(b"".join))
def test_anything_else_is_refused_or_read(form: str, raw: bytes) -> None:
    with suppress(BadFile):
        read_all(raw, form)
    with suppress(BadFile):
        read_all(raw)


def zipped(**members: bytes) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, raw in members.items():
            archive.writestr(name, raw)
    return out.getvalue()


def bomb() -> bytes:
    out = io.BytesIO()
    with (
        zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive,
        archive.open("[Content_Types].xml", "w", force_zip64=True) as member,
    ):
        for _ in range(600):
            member.write(b"0" * (1 << 20))
    return out.getvalue()


def workbook(sheet: bytes) -> bytes:
    good_book = zipfile.ZipFile(io.BytesIO(good("xlsx")))
    members = {name: good_book.read(name) for name in good_book.namelist()}
    return zipped(**{**members, "xl/worksheets/sheet1.xml": sheet})


SHEET = b'<worksheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><sheetData>'
LAUGHS = (
    b'<?xml version="1.0"?><!DOCTYPE lolz [<!ENTITY a "aaaaaaaaaa">'
    + b"".join(b'<!ENTITY %c "%s">' % (98 + n, b"&%c;" % (97 + n) * 10) for n in range(9))
    + b"]><worksheet>&j;</worksheet>"
)
HEAD = b'{"format": "keepsort-objects", "version": 1, "objects": [{"path": [], "kind": "k", "attributes": {"x": '
YAML = b"format: keepsort-objects\nversion: 1\nobjects:\n- path: []\n  kind: k\n  attributes: {x: "
HARMFUL: dict[str, tuple[str, Callable[[], bytes]]] = {
    "a bomb": ("xlsx", bomb),
    "laughs": ("xlsx", lambda: workbook(LAUGHS)),
    "entities in UTF-16": ("xlsx", lambda: workbook(LAUGHS.decode().encode("utf-16"))),
    "a million columns": ("csv", lambda: b"path,kind" + b",c" * 1_000_000 + b"\n"),
    "a million cells in a row": ("csv", lambda: b"path,kind,a\n/x,k" + b",1" * 1_000_000),
    "a far column": ("xlsx", lambda: workbook(
        SHEET + b'<row r="1"><c r="XFD1" t="n"><v>1</v></c></row></sheetData></worksheet>')),
    "deep JSON": ("json", lambda: HEAD + b"[" * 500_000),
    "deep YAML": ("yaml", lambda: YAML + b"[" * 50_000),
    "deep TOML": ("toml", lambda: b"x = " + b"[" * 200_000),
    "deep INI": ("ini", lambda: b"[/x]\na = " + b"[" * 200_000),
    "deep key text": ("text", lambda: b"[k] /x\n  a: list\n" + b"- list\n" * 100_000),
    "deep place": ("text", lambda: b"[k] " + b"/x" * 100_000),
    "deep DN": ("ldif", lambda: b"dn: " + b"a=b," * 100_000 + b"c=d\n"),
    "a long number": ("json", lambda: HEAD + b"9" * 1_000_000 + b"}}]}"),
    "a long number in YAML": ("yaml", lambda: YAML + b"9" * 100_000 + b"}"),
    "a long number in TOML": ("toml", lambda: b"format = " + b"9" * 100_000),
    "a long number in key text": ("text", lambda: b"[k] /x\n  a: number " + b"9" * 100_000),
    "aliases": ("yaml", lambda: b"a: &a [x]\nb: &b [*a, *a]\n" * 3),
    "a type of Python": ("yaml", lambda: YAML + b"!!python/object/apply:os.system ['true']}"),
    "a URL": ("ldif", lambda: b"dn: dc=x\nphoto:< file:///etc/passwd\n"),
    "a listing that is too long": ("archive", lambda: b"PK\x03\x04" + b"PK\x05\x06" + b"\xff" * 18),
    "a packed file": ("archive", lambda: gzip.compress(good("archive"))),
    "a key twice": ("json", lambda: HEAD + b'1, "x": 2}}]}'),
    "a key twice in YAML": ("yaml", lambda: YAML + b"1, x: 2}"),
    "no Unicode": ("csv", lambda: b"path,kind,a\n/x,k,\xff\n"),
}  # fmt: skip


@pytest.mark.parametrize("name", HARMFUL)
def test_harmful_files_are_refused_soon_and_in_little_memory(name: str) -> None:
    form, make = HARMFUL[name]
    raw = make()
    tracemalloc.start()
    began = time.process_time()
    try:
        with pytest.raises(BadFile) as told:
            read_all(raw, form)
    finally:
        _, most = tracemalloc.get_traced_memory()
        tracemalloc.stop()
    assert len(str(told.value)) < 1000
    assert most < 150 << 20
    assert time.process_time() - began < 20


@pytest.mark.parametrize("file", sorted(CORPUS.glob("*")), ids=lambda file: file.name)
def test_what_was_found_before(file: Path) -> None:
    with suppress(BadFile):
        read_all(file.read_bytes(), file.name.partition("-")[0])
