"""Timing, and how a figure is told."""

import statistics
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any, NamedTuple


class Figure(NamedTuple):
    """One figure: ours against a reference, and how large the ratio may be."""

    name: str
    ours: float
    reference: float
    limit: float
    unit: str = "s"

    @property
    def ratio(self) -> float:
        return self.ours / self.reference

    def shown(self, value: float) -> str:
        if self.unit == "s":
            return f"{value * 1000:.1f} ms" if value < 1 else f"{value:.2f} s"
        return f"{value:,.0f} {self.unit}"

    def line(self) -> str:
        verdict = "within" if self.ratio <= self.limit else "OVER"
        return (
            f"{self.name}: {self.shown(self.ours)} against {self.shown(self.reference)}, "
            f"{self.ratio:.3g} ({verdict} {self.limit:g})"
        )

    def document(self) -> dict[str, Any]:
        return {
            "name": self.name, "ours": self.ours, "reference": self.reference,
            "ratio": self.ratio, "limit": self.limit, "unit": self.unit,
        }  # fmt: skip


def median(task: Callable[[], object], rounds: int = 3) -> float:
    """Return the median of the seconds that some rounds of a task take."""
    taken = []
    for _ in range(rounds):
        began = time.perf_counter()
        task()
        taken.append(time.perf_counter() - began)
    return statistics.median(taken)


def peak_bytes() -> int:
    """Return the most memory that this process has had.

    `getrusage` would tell of the one that started it too, where that was larger: its figure is
    carried over when another program begins.
    """
    status = Path("/proc/self/status").read_text()
    line = next(line for line in status.splitlines() if line.startswith("VmHWM:"))
    return int(line.split()[1]) * 1024
