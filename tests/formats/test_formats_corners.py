"""Corners of the formats: what only its number tells apart, what is refused, exactly what was picked."""

from dataclasses import replace

import pytest

from keepsort.core.plan import ABSENT, Edit, Unfit
from keepsort.formats import FORMATS, Place, edited
from tests.formats.test_formats import edit, values

PEERS = "[Interface]\nPort = 1\n[Peer]\nKey = a\nAllowed = 1\n[Peer]\nKey = b\nAllowed = 2\n"


def test_parts_that_only_their_number_tells_apart() -> None:
    assert values("ini", PEERS)[("Peer[2]", "Key")] == "b"
    live = PEERS.replace("Allowed = 2", "Allowed = 9")
    assert edit("ini", live, PEERS, Edit(("Peer[2]", "Allowed"), "2")) == PEERS
    fewer = PEERS.replace("[Peer]\nKey = a\nAllowed = 1\n", "")
    for one in (Edit(("Peer", "Allowed"), "1"), Edit(("Peer", "Key"), ABSENT)):
        with pytest.raises(Unfit, match="which is which cannot be told"):
            edit("ini", fewer, PEERS, one)
    changed = fewer.replace("Port = 1", "Port = 2")
    assert edit("ini", changed, PEERS, Edit(("Interface", "Port"), "1")) == fewer


@pytest.mark.parametrize(
    ("name", "live", "backup", "edits", "why"),
    [
        ("yaml", "a:\n  b: 1\n", "a: 2\n", [Edit(("a",), 2)], "holds a/b live"),
        ("yaml", "a: 2\n", "a:\n  b: 1\n", [Edit(("a", "b"), 1)], "Nothing holds a/b live"),
        ("yaml", "a: {b: 1}\n", "a:\n  b: 1\n  c: 2\n", [Edit(("a", "c"), 2)], "another way live"),
        ("ini", "[a]\nx = 1\n", "[a]\nx = 1\ny = 2\n", [Edit(("a", "y"), "3")], "different as well"),
        ("conf", "x 1\n", "x 1\nx 2\n", [Edit(("x",), ["1", "3"])], "not in the backup's text"),
        ("ssh", "Match User a\n  X11Forwarding no\n", "X11Forwarding no\n",
         [Edit(("Match User b", "x11forwarding"), ["no"])], "not in the backup's text"),
    ],
)  # fmt: skip
def test_what_is_refused_by_name(
    name: str, live: str, backup: str, edits: list[Edit], why: str
) -> None:
    with pytest.raises(Unfit, match=why):
        edit(name, live, backup, *edits)


@pytest.mark.parametrize(
    ("name", "live", "backup", "edits", "wanted"),
    [
        # a value that became a section, and one that was emptied, and the other way round
        ("yaml", "a: 2\nz: 1\n", "a:\n  b: 1\n  c: 2\nz: 1\n",
         [Edit(("a",), None), Edit(("a", "b"), 1)], "a:\n  b: 1\nz: 1\n"),
        ("yaml", "a:\n  b: 1\nz: 1\n", "a: 2\nz: 1\n",
         [Edit(("a",), 2), Edit(("a", "b"), ABSENT)], "a: 2\nz: 1\n"),
        ("yaml", "a:\nz: 1\n", "a: 5 # five\nz: 1\n", [Edit(("a",), 5)], "a: 5 # five\nz: 1\n"),
        ("yaml", "a: 5\nz: 1\n", "a:\nz: 1\n", [Edit(("a",), None)], "a:\nz: 1\n"),
        # another indentation live
        ("yaml", "t:\n    a: 1\n", "t:\n  a: 1\n  # why\n  b:\n    - x\n",
         [Edit(("t", "b"), ["x"])], "t:\n    a: 1\n    # why\n    b:\n      - x\n"),
        # the same number, the same letters, another meaning
        ("yaml", "a: 1\n", "a: true\n", [Edit(("a",), True)], "a: true\n"),
        ("yaml", "a: 1\n", "a: 1.0\n", [Edit(("a",), 1.0)], "a: 1.0\n"),
        ("yaml", "a: 644\n", "a: 0644\n", [Edit(("a",), "0644")], "a: 0644\n"),
        ("yaml", "a: '0644'\n", "a: 0644\n", [Edit(("a",), "0644")], "a: 0644\n"),
        ("yaml", "a: yes\n", "a: 'yes'\n", [Edit(("a",), '"yes"')], "a: 'yes'\n"),
        ("json", '{"a": 1}', '{"a": 1.0}', [Edit(("a",), 1.0)], '{"a": 1.0}'),
        ("json", '{"a": 1, "b": 2}', '{"a": true}', [Edit(("a",), True)], '{"a": true, "b": 2}'),
        ("toml", "a = 1\n", "a = 1.0\n", [Edit(("a",), 1.0)], "a = 1.0\n"),
        ("toml", 'a = "2026-03-01"\n', "a = 2026-03-01\n", [Edit(("a",), "2026-03-01")], "a = 2026-03-01\n"),
        # an alias goes back as an alias, and a mark stands once
        ("yaml", "b: &x {c: 1}\nu: 5\n", "b: &x {c: 1}\nu: *x\n", [Edit(("u",), {"c": 1})], "b: &x {c: 1}\nu: *x\n"),
        ("ini", "\ufeff[a]\nx = 2\n", "\ufeff[a]\nx = 1\n", [Edit(("a", "x"), "1")], "\ufeff[a]\nx = 1\n"),
        ("json", '{"a": 2}', '\ufeff{"a": 1}', [Edit(("a",), 1)], '{"a": 1}'),
        # keys of an indented section are keys of their own
        ("ini", "[global]\n   workgroup = REEF\n   realm = sea\n   log level = 3\n",
         "[global]\n   workgroup = REEF\n   realm = lagoon\n   log level = 1\n",
         [Edit(("global", "realm"), "lagoon")],
         "[global]\n   workgroup = REEF\n   realm = lagoon\n   log level = 3\n"),
        ("ini", "[realms]\n\tREEF = {\n\t\tkdc = b\n\t\tadmin = x\n\t}\n",
         "[realms]\n\tREEF = {\n\t\tkdc = a\n\t\tadmin = y\n\t}\n",
         [Edit(("realms", "REEF", "kdc"), "a")],
         "[realms]\n\tREEF = {\n\t\tkdc = a\n\t\tadmin = x\n\t}\n"),
        # a key of a block goes into its block, one of the whole before all blocks
        ("ssh", "Match User a\n  Banner none\nMatch User b\n  Banner none\n",
         "PermitRootLogin no\nMatch User a\n  X11Forwarding no\n  Banner none\nMatch User b\n  Banner none\n",
         [Edit(("permitrootlogin",), ["no"]), Edit(("Match User a", "x11forwarding"), ["no"])],
         "PermitRootLogin no\nMatch User a\n  X11Forwarding no\n  Banner none\nMatch User b\n  Banner none\n"),
    ],
)  # fmt: skip
def test_exactly_what_was_picked(
    name: str, live: str, backup: str, edits: list[Edit], wanted: str
) -> None:
    assert edit(name, live, backup, *edits) == wanted


def test_parts_that_would_stand_in_another_order_are_refused() -> None:
    """A reader stands for a format in which what comes changes the order of what is there."""

    def reader(text: str) -> list[Place]:
        places = FORMATS["conf"].places(text)
        if "late" in text:
            spans = [place.lines[0].span for place in places if place.path[0] != "late"]
            ends = {("a",): spans[-1], ("b",): spans[0]}
            places = [
                replace(p, lines=[replace(p.lines[0], span=ends.get(p.path, p.lines[0].span))])
                for p in places
            ]
        return places

    with pytest.raises(Unfit, match="would stand elsewhere"):
        edited(reader, "a 1\nb 2\n", "a 1\nb 2\nlate 3\n", [Edit(("late",), ["3"])])


def test_blank_lines_that_are_still_there_are_not_written_again() -> None:
    backup = "tide:\n  one: {cpu: 2, mem: 1}\n\n  two: 443\n"
    read = FORMATS["yaml"].places
    held = {p.path: p.value for p in read(backup) if p.path[:2] == ("tide", "one")}
    live = backup.replace("  one: {cpu: 2, mem: 1}\n", "")
    assert edited(read, live, backup, [Edit(p, v) for p, v in held.items()]) == backup


def test_what_is_empty_ends_with_its_own_line() -> None:
    backup = "tide:\n  high: 443\nchiller: 443\n# about the reef\nreef: 1\n"
    live = "tide:\n# about the reef\nreef: 1\n"
    put_back = "tide:\nchiller: 443\n# about the reef\nreef: 1\n"
    assert edit("yaml", live, backup, Edit(("chiller",), 443)) == put_back
    without = "# about the reef\nreef: 1\n"
    assert edit("yaml", live, without, Edit(("tide",), ABSENT)) == without
