"""Runs all benchmarks: ``make bench``. Writes docs/performance.md and benchmarks/results.json.

``python -m benchmarks text`` runs one part again and keeps the other figures.
"""

import json
import os
import platform
import sys
import tempfile
from datetime import date
from pathlib import Path

from benchmarks.measuring import Figure

ROOT = Path(__file__).resolve().parents[1]
RESULTS = ROOT / "benchmarks" / "results.json"


def main() -> None:
    sys.path.insert(0, str(ROOT / "src"))
    from benchmarks import (
        directory,
        files,
        keeping,
        keystore,
        million,
        planning,
        printserver,
        restore,
        switch,
        tables,
        text,
    )

    parts = {
        "text": text,
        "files": files,
        "keeping": keeping,
        "planning": planning,
        "restore": restore,
        "directory": directory,
        "keystore": keystore,
        "printserver": printserver,
        "switch": switch,
        "tables": tables,
        "million": million,
    }
    asked = sys.argv[1:] or list(parts)
    figures, measured = {f.name: f for f in _kept()}, set[str]()
    with tempfile.TemporaryDirectory(prefix="keepsort-bench-") as folder:
        Path(folder).chmod(0o755)
        for name in asked:
            for figure in parts[name].figures(Path(folder)):
                figures[figure.name] = figure
                measured.add(figure.name)
                print(figure.line(), flush=True)
                _write(list(figures.values()))
    # what a whole run has not measured is measured no more
    found = [f for f in figures.values() if f.name in measured or set(asked) != set(parts)]
    _write(found)
    if any(f.ratio > f.limit for f in found):
        sys.exit("A figure is over its limit.")


def _write(found: list[Figure]) -> None:
    """Write what was measured so far: a part that fails takes nothing along."""
    RESULTS.write_text(json.dumps([f.document() for f in found], indent=2) + "\n")
    (ROOT / "docs" / "performance.md").write_text(_page(found))


def _kept() -> list[Figure]:
    """Return the figures of the last run; where only some parts run, the others stay."""
    return [
        Figure(d["name"], d["ours"], d["reference"], d["limit"], d.get("unit", "s"))
        for d in json.loads(RESULTS.read_text())
    ]


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
