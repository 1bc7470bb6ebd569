"""The house itself: no room leads back into itself, and none has grown too large to see through."""

import re
from graphlib import TopologicalSorter
from pathlib import Path

import grimp

ROOT = Path(__file__).resolve().parents[1]
_LONGEST = 400


def test_no_modules_import_each_other_in_a_circle() -> None:
    graph = grimp.build_graph("keepsort", cache_dir=None)
    imported = {name: graph.find_modules_directly_imported_by(name) for name in graph.modules}
    order = list(TopologicalSorter(imported).static_order())  # raises CycleError, naming one
    assert len(order) == len(graph.modules) > 300


def test_what_is_shipped_runs_without_the_demo() -> None:
    for file in [*(ROOT / "src").rglob("*.py"), *(ROOT / "serving").rglob("*.py")]:
        assert not re.search(r"^\s*(from|import) (demo|tests|benchmarks)\b", file.read_text(), re.M)


def test_no_file_of_code_is_too_long_to_read() -> None:
    folders = ("src", "serving", "demo", "benchmarks", "standins", "scripts", "tests", "web/src")
    files = [
        file
        for folder in folders
        for pattern in ("*.py", "*.ts", "*.svelte", "*.css")
        for file in (ROOT / folder).rglob(pattern)
        if file.name != "schema.d.ts"
    ]
    long = {
        str(f.relative_to(ROOT)): n
        for f in files
        if (n := len(f.read_text().splitlines())) > _LONGEST
    }
    assert len(files) > 500
    assert not long
