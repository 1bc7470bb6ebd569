"""The line differ, against its own definition and against the system's patch program."""

import itertools
import subprocess
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from keepsort.core.compare import text as text_module
from keepsort.core.compare.text import Hunk, diff
from keepsort.core.compare.values import lined_up, with_hunks

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


def unified(left: list[str], right: list[str]) -> str:
    """Write the hunks as a unified diff without context."""
    out = ["--- a\n", "+++ b\n"]
    for h in diff(left, right):
        a, b = h.left_stop - h.left_start, h.right_stop - h.right_start
        start_a, start_b = h.left_start + (a > 0), h.right_start + (b > 0)
        out.append(f"@@ -{start_a},{a} +{start_b},{b} @@\n")
        out += ["-" + x for x in left[h.left_start : h.left_stop]]
        out += ["+" + x for x in right[h.right_start : h.right_stop]]
    return "".join(out)


@settings(max_examples=40, deadline=None)
@given(lines.filter(bool), lines.filter(bool))
def test_the_patch_program_accepts_the_hunks(left: list[str], right: list[str]) -> None:
    if left == right:
        return
    import tempfile

    with tempfile.TemporaryDirectory() as folder:
        target = Path(folder, "a")
        target.write_text("".join(left))
        subprocess.run(
            ["patch", "--quiet", "--unified", str(target)],
            input=unified(left, right), text=True, check=True, cwd=folder,
        )  # fmt: skip
        assert target.read_text() == "".join(right)


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
