"""A file is changed in some places; one of them is picked, and nothing else may become different.

What must come out is the same file written with the other changes alone, byte for byte. A reader
that has nothing to do with ours judges what the file means.
"""

import configparser
import json
import tomllib
from io import StringIO
from xml.etree import ElementTree

import pytest
from hypothesis import event, given, settings
from hypothesis import strategies as st
from ruamel.yaml import YAML

from keepsort.core.plan import ABSENT, Edit, Unfit
from keepsort.formats import FORMATS, edited
from tests.formats.corpus import FILES, File


def meaning(name: str, text: str) -> object:
    """Read a text with somebody else's reader."""
    text = text.removeprefix("\ufeff").replace("\r\n", "\n")
    if name == "ini":
        reader = configparser.RawConfigParser(strict=False)
        reader.read_string(text)
        return {s: dict(reader[s]) for s in reader.sections()}
    if name in ("conf", "ssh"):
        return [
            line.split(None, 1) for line in text.splitlines() if line.strip()[:1] not in ("", "#")
        ]
    if name == "toml":
        return tomllib.loads(text)
    if name == "json":
        return json.loads(text)
    if name == "xml":
        return ElementTree.canonicalize(text, strip_text=True)
    return YAML(typ="safe", pure=True).load(StringIO(text))


def parts(name: str, text: str) -> dict[tuple[str, ...], object]:
    return {p.path: p.value for p in FORMATS[name].places(text)}


def _is_blurred(file: File, picked: int, changes: dict[int, str]) -> bool:
    """Tell whether what stood beside a key is gone as well, and an empty line stood there: then
    nothing tells on which side of that line the key was."""
    for beside in (range(picked + 1, len(file.pieces)), range(picked - 1, -1, -1)):
        empty = gone = False
        for number in beside:
            piece = file.pieces[number]
            if piece.path and not changes.get(number, "").startswith("drop"):
                break
            empty = empty or not piece.text.strip()
            gone = gone or piece.path is not None
        if empty and gone:
            return True
    return False


def _solid(text: str) -> list[str]:
    return [line for line in text.splitlines() if line.strip()]


@pytest.mark.parametrize("name", FILES)
@settings(max_examples=250, deadline=None)
@given(data=st.data())
def test_one_change_is_taken_back_and_the_others_stay(name: str, data: st.DataObject) -> None:
    file: File = data.draw(FILES[name])
    numbers = [n for n, piece in enumerate(file.pieces) if piece.path]
    chosen = data.draw(st.lists(st.sampled_from(numbers), min_size=1, max_size=3, unique=True))
    ways = ["change", "change", "drop", "drop with comment"]
    changes = {n: data.draw(st.sampled_from(ways)) for n in chosen}
    if name == "yaml" and any("&x" in file.pieces[n].text for n in chosen):
        return
    backup, live = file.written({}), file.written(changes)
    if not live.strip("\ufeff\r\n"):
        return  # nothing is left that could tell where anything belongs
    picked = chosen[0]
    path = file.pieces[picked].path
    assert path is not None
    others = {n: how for n, how in changes.items() if n != picked and file.pieces[n].path != path}
    # of a key on several lines, two of which have changed, nobody can tell which was which
    muddled = len({file.pieces[n].path for n in changes}) < len(changes)
    wanted = parts(name, backup).get(path, ABSENT)
    expected = file.written(others)
    held = {p: v for p, v in parts(name, backup).items() if p[: len(path)] == path}
    if name == "xml" and path[-1] == "@b" and changes[picked] != "change":
        held = {p: v for p, v in parts(name, backup).items() if p[:1] == path[:1]}
    if name == "yaml" and path[-1] == "cpu" and changes[picked] != "change":
        held = {
            p: v for p, v in parts(name, backup).items() if p[:-1] == path[:-1] or p == path[:-1]
        }
    try:
        found = edited(FORMATS[name].places, live, backup, [Edit(p, v) for p, v in held.items()])
    except Unfit as unfit:
        event(f"refused: {str(unfit)[-60:]}")
        now = parts(name, live)
        gone = [
            p for p in parts(name, backup) if p not in now and p != path and path[: len(p)] == p
        ]
        emptied = name == "yaml" and any(now.get(path[:d], 0) is None for d in range(1, len(path)))
        lonely = name == "xml" and not now
        ended = name == "yaml" and not file.final  # a text at the end gets a line end more
        assert gone or emptied or lonely or ended or muddled, (
            "only where nothing is left to hold it, or to be beside"
        )
        return
    unsure = muddled or not parts(name, live)
    eaten = not file.final and live.endswith(("\n", "\r"))  # a blank line ends it there
    unsure = unsure or eaten
    same = found == expected
    if _is_blurred(file, picked, changes):
        same = _solid(found) == _solid(expected)
    assert same or unsure, "unless nothing tells where it stood"
    assert meaning(name, found) == meaning(name, expected) or muddled
    assert parts(name, found).get(path, ABSENT) == wanted
