"""The line differ against GNU diff on the same files."""

import random
import subprocess
from collections.abc import Iterator
from pathlib import Path

from benchmarks.measuring import Figure, median

_WORDS = [
    "pump",
    "reef",
    "limit",
    "chiller",
    "lagoon",
    "setpoint",
    "on",
    "off",
    "auto",
    "4.5",
    "12",
    "kelp",
    "tank",
]


def _lines(count: int, rng: random.Random, prefix: str = "") -> list[str]:
    return [
        f"{prefix}{' '.join(rng.choices(_WORDS, k=5))} {rng.randrange(count // 2)}\n"
        for _ in range(count)
    ]


def figures(folder: Path) -> Iterator[Figure]:
    """Measure two long texts with scattered edits, and two with nothing in common."""
    rng = random.Random(4)
    left = _lines(100_000, rng)
    right = list(left)
    for position in sorted(rng.sample(range(len(left)), 1000), reverse=True):
        action = rng.randrange(3)
        if action == 0:
            del right[position]
        elif action == 1:
            right.insert(position, f"inserted {position}\n")
        else:
            right[position] = f"edited {position}\n"
    yield _figure("line diff, 100,000 lines with 1,000 edits", folder, left, right, 10)
    one, two = _lines(20_000, rng, "a "), _lines(20_000, rng, "b ")
    yield _figure("line diff, 20,000 lines with nothing in common", folder, one, two, 3)


def _figure(name: str, folder: Path, left: list[str], right: list[str], limit: float) -> Figure:
    from keepsort.core.compare.text import diff

    a, b = folder / "left.txt", folder / "right.txt"
    a.write_text("".join(left))
    b.write_text("".join(right))

    def ours() -> object:
        return diff(
            a.read_text().splitlines(keepends=True), b.read_text().splitlines(keepends=True)
        )

    def reference() -> object:
        return subprocess.run(["diff", str(a), str(b)], stdout=subprocess.DEVNULL, check=False)

    return Figure(f"{name}, against GNU diff", median(ours, 5), median(reference, 5), limit)
