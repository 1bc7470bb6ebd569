"""Runs all benchmarks: ``make bench``. Writes docs/performance.md and benchmarks/results.json."""

import json
import os
import platform
import sys
import tempfile
from datetime import date
from pathlib import Path

from benchmarks.measuring import Figure

ROOT = Path(__file__).resolve().parents[1]


def main() -> None:
    sys.path.insert(0, str(ROOT / "src"))
    from benchmarks import directory, million, text

    figures: list[Figure] = []
    with tempfile.TemporaryDirectory(prefix="keepsort-bench-") as folder:
        Path(folder).chmod(0o755)
        for part in (text, directory, million):
            for figure in part.figures(Path(folder)):
                figures.append(figure)
                print(figure.line(), flush=True)
    (ROOT / "benchmarks" / "results.json").write_text(
        json.dumps([f.document() for f in figures], indent=2) + "\n"
    )
    (ROOT / "docs" / "performance.md").write_text(_page(figures))
    if any(f.ratio > f.limit for f in figures):
        sys.exit("A figure is over its limit.")


def _page(figures: list[Figure]) -> str:
    lines = [
        "# Performance",
        "",
        "Written by `make bench`. Every figure is a ratio to a reference that was measured in the",
        "same run on the same machine; medians of several rounds.",
        "",
        f"Measured on {date.today().isoformat()}, {os.cpu_count()} cores, {platform.machine()}, "
        f"Python {platform.python_version()}.",
        "",
        "| what | ours | reference | ratio | limit |",
        "| --- | ---: | ---: | ---: | ---: |",
    ]
    lines += [
        f"| {f.name} | {f.shown(f.ours)} | {f.shown(f.reference)} | {f.ratio:.3g} | {f.limit:g} |"
        for f in figures
    ]
    return "\n".join(lines) + "\n"


if __name__ == "__main__":
    main()
