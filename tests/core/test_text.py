"""The line differ, against its own definition and against the system's patch program."""

import itertools
import subprocess
import tempfile
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from keepsort.core.compare import text as text_module
from keepsort.core.compare.sequences import lined_up, unified, with_hunks
from keepsort.core.compare.text import Hunk, diff
from keepsort.core.compare.words import marked, pieces

lines = st.lists(st.sampled_from(["pump\n", "limit 4\n", "\n", "# reef\n", "}\n"]), max_size=30)


def applied(left: list[str], right: list[str], hunks: list[Hunk]) -> list[str]:
    result, at = [], 0
    for hunk in hunks:
        result += left[at : hunk.left_start] + right[hunk.right_start : hunk.right_stop]
        at = hunk.left_stop
    return result + left[at:]


@settings(max_examples=500, deadline=None)
@given(lines, lines, st.sampled_from([0, 2, 512]))
def test_the_script_turns_left_into_right(left: list[str], right: list[str], limit: int) -> None:
    before, text_module.COST_LIMIT = text_module.COST_LIMIT, limit
    try:
        hunks = diff(left, right)
    finally:
        text_module.COST_LIMIT = before
    assert applied(left, right, hunks) == right
    for one, two in itertools.pairwise(hunks):
        assert one.left_stop < two.left_start or one.right_stop < two.right_start
        assert left[one.left_stop : two.left_start] == right[one.right_stop : two.right_start]


def shortest(left: list[str], right: list[str]) -> int:
    row = list(range(len(right) + 1))
    for i, a in enumerate(left, 1):
        above, row[0] = row[0], i
        for j, b in enumerate(right, 1):
            above, row[j] = row[j], above if a == b else 1 + min(row[j], row[j - 1])
    return row[-1]


@settings(max_examples=300, deadline=None)
@given(st.lists(st.sampled_from("ab"), max_size=14), st.lists(st.sampled_from("ab"), max_size=14))
def test_without_anchors_the_script_is_the_shortest(left: list[str], right: list[str]) -> None:
    # every line stands twice, so that no line can be an anchor
    left, right = left + left, right + right
    size = sum(h.left_stop - h.left_start + h.right_stop - h.right_start for h in diff(left, right))
    assert size == shortest(left, right)


@settings(max_examples=200, deadline=None)
@given(lines, lines, st.sets(st.integers(1, 8)))
def test_any_subset_of_hunks_gives_what_those_hunks_say(
    left: list[str], right: list[str], chosen: set[int]
) -> None:
    stretches = lined_up(left, right)
    result = with_hunks(left, right, chosen)
    expected = [x for s in stretches for x in (s.left if s.number in chosen else s.right)]
    assert result == expected
    everything = {s.number for s in stretches}
    assert with_hunks(left, right, everything) == left
    assert with_hunks(left, right, set()) == right


ragged = st.lists(st.sampled_from(["pump\n", "limit 4\n", "\n", "\ton\n"]), max_size=20).flatmap(
    lambda body: st.sampled_from([body, [*body, "no end"]])
)


@settings(max_examples=60, deadline=None)
@given(ragged, ragged, st.none() | st.sets(st.integers(1, 6)))
def test_the_patch_program_accepts_the_hunks(
    left: list[str], right: list[str], chosen: set[int] | None
) -> None:
    differing = {s.number for s in lined_up(left, right) if s.number}
    numbers = differing if chosen is None else chosen & differing
    if not numbers:
        return
    with tempfile.TemporaryDirectory() as folder:
        target = Path(folder, "a")
        target.write_text("".join(left))
        subprocess.run(
            ["patch", "--quiet", "--unified", str(target)],
            input=unified(left, right, chosen), text=True, check=True, cwd=folder,
        )  # fmt: skip
        found = target.read_text() if target.exists() else ""
        stretches = lined_up(left, right)
        assert found == "".join(
            line for s in stretches for line in (s.right if s.number in numbers else s.left)
        )


@settings(max_examples=200, deadline=None)
@given(st.text("ab -_;=1", max_size=30), st.text("ab -_;=1", max_size=30))
def test_lines_in_pieces_are_the_lines(left: str, right: str) -> None:
    one, two = pieces(left, right)
    assert ("".join(one), "".join(two)) == (left, right)
    assert one[::2] == two[::2], "the equal pieces are equal"


def test_changed_lines_are_paired_with_those_they_resemble() -> None:
    left = ["listen 8080\n", "route /tickets to desk-2\n"]
    right = ["# by hand\n", "listen 9090\n", "route /tickets to desk-3\n"]
    one, two = marked(left, right)
    assert one == [["listen ", "8080", "\n"], ["route /tickets to desk-", "2", "\n"]]
    assert two == [
        ["", "# by hand\n"], ["listen ", "9090", "\n"], ["route /tickets to desk-", "3", "\n"]
    ]  # fmt: skip


@pytest.mark.parametrize("size", [100_000])
def test_long_texts(size: int) -> None:
    left = [f"line {n % 40_000}\n" for n in range(size)]
    right = list(left)
    for n in range(0, size, 100):
        right[n] = f"edited {n}\n"
    hunks = diff(left, right)
    assert applied(left, right, hunks) == right
    assert len(hunks) == 1000


def test_texts_with_nothing_in_common_are_one_hunk() -> None:
    left, right = [f"a{n}" for n in range(20_000)], [f"b{n}" for n in range(20_000)]
    assert diff(left, right) == [Hunk(0, 20_000, 0, 20_000)]


def test_an_added_block_begins_where_a_person_would_say() -> None:
    left = ["[pump]\n", "on\n", "\n", "[light]\n"]
    right = ["[pump]\n", "on\n", "\n", "[chiller]\n", "on\n", "\n", "[light]\n"]
    assert diff(left, right) == [Hunk(3, 3, 3, 6)]


def test_a_function_added_between_others_is_told_whole() -> None:
    left = ["tank 1:\n", "  feed\n", "  done\n", "tank 3:\n", "  feed\n", "  done\n"]
    right = [*left[:3], "tank 2:\n", "  feed\n", "  done\n", *left[3:]]
    assert diff(left, right) == [Hunk(3, 3, 3, 6)]
    spaced = ["a {\n", "  x\n", "}\n", "\n", "c {\n", "  x\n", "}\n"]
    longer = [*spaced[:4], "b {\n", "  x\n", "}\n", "\n", *spaced[4:]]
    assert diff(spaced, longer) == [Hunk(4, 4, 4, 8)]
    assert diff(longer, spaced) == [Hunk(4, 8, 4, 4)]
