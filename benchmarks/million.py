"""A million objects: building, comparing, one level, search, and the browser."""

import http.cookiejar
import json
import os
import statistics
import subprocess
import sys
import time
import urllib.parse
import urllib.request
from collections.abc import Callable, Iterator
from pathlib import Path

from benchmarks.measuring import Figure
from demo.started import CHROMIUM
from serving.postgres import Postgres
from serving.processes import Server, answers, kept_port

ROOT = Path(__file__).resolve().parents[1]
_ROUNDS = 15
_PASSWORD = "bench-only-7"
_REQUEST_LIMIT_MS, _SEARCH_LIMIT_MS, _BROWSER_LIMIT_MS = 150, 200, 100


def figures(folder: Path) -> Iterator[Figure]:
    """Measure all that is told of a million objects."""
    postgres = Postgres(folder / "million")
    postgres.create_database("million")
    environment = {
        **os.environ,
        "KEEPSORT_STATE": str(folder / "million-state"),
        "KEEPSORT_DATABASE_URL": postgres.url("million"),
        "PYTHONPATH": f"{ROOT / 'src'}{os.pathsep}{ROOT}",
        "DJANGO_SETTINGS_MODULE": "keepsort.server.settings",
    }

    def work(name: str, *arguments: object) -> dict:
        command = [sys.executable, "-m", "benchmarks.million_work", name, *map(str, arguments)]
        done = subprocess.run(
            command, env=environment, text=True, capture_output=True, check=False, cwd=ROOT
        )
        if done.returncode:
            raise RuntimeError(done.stderr)
        return json.loads(done.stdout.splitlines()[-1])

    server = None
    try:
        work("prepare", _PASSWORD)
        reference = statistics.median(work("reference")["seconds"] for _ in range(3))
        first = work("build", "first")
        yield Figure(
            "building a snapshot of 1,000,000 objects, against encoding and hashing them once",
            first["seconds"], reference, 6,
        )  # fmt: skip
        yield Figure(
            "peak memory while building it, against 700 MiB",
            first["peak_bytes"], 700 << 20, 1, "bytes",
        )  # fmt: skip
        yield Figure(
            "stored bytes of it, against the raw encoding",
            first["stored_bytes"], first["raw_bytes"], 0.25, "bytes",
        )  # fmt: skip
        second = work("build", "changed")
        compared = [work("compare", first["record"], second["record"]) for _ in range(3)]
        assert compared[0]["differences"] >= 1000, compared
        yield Figure(
            "comparing two such snapshots with 1,000 differences, cold, against building one",
            statistics.median(c["seconds"] for c in compared), first["seconds"], 0.02,
        )  # fmt: skip
        equal = [work("compare", first["record"], first["record"]) for _ in range(3)]
        yield Figure(
            f"comparing two equal ones ({equal[0]['chunks']} chunks read), against 10 ms",
            statistics.median(c["seconds"] for c in equal), 0.010, 1,
        )  # fmt: skip
        work("fifty", second["record"])
        port = kept_port(folder / "million-state", "web")
        server = Server(
            [
                sys.executable, "-m", "uvicorn", "keepsort.server.asgi:application",
                "--host", "127.0.0.1", "--port", str(port), "--log-level", "warning",
            ],
            folder / "million-web.log", environment, cwd=ROOT,
        )  # fmt: skip
        server.wait_for(lambda: answers(port), "the application")
        yield from _over_http(f"http://127.0.0.1:{port}", first["record"], second["record"])
        yield from _in_the_browser(f"http://127.0.0.1:{port}", first["record"], second["record"])
    finally:
        if server is not None:
            server.stop()
        postgres.stop()


def _over_http(url: str, left: int, right: int) -> Iterator[Figure]:
    jar = http.cookiejar.CookieJar()
    opener = urllib.request.build_opener(urllib.request.HTTPCookieProcessor(jar))
    opener.open(f"{url}/api/v1/session").read()
    token = next(c.value for c in jar if c.name == "csrftoken") or ""
    body = json.dumps({"username": "bench", "password": _PASSWORD}).encode()
    headers = {"Content-Type": "application/json", "X-CSRFToken": token}
    opener.open(urllib.request.Request(f"{url}/api/v1/session", body, headers)).read()

    def get(place: str, **query: object) -> dict:
        found = opener.open(f"{url}/api/v1/{place}?{urllib.parse.urlencode(query)}").read()
        return json.loads(found)

    sides = {"left": left, "right": right}
    get("compare", **sides)  # the comparison is made when Sort is opened
    flat = json.dumps(["flat"])
    level = _median(lambda n: get("compare/level", **sides, path=flat, only="all", start=n * 6000))
    rows = get("compare/level", **sides, path=flat, only="all")
    assert rows["total"] >= 99_000, rows["total"]
    assert len(rows["rows"]) == 200
    yield Figure(
        "one level of 100,000 children through the API, 200 rows, against 150 ms",
        level, _REQUEST_LIMIT_MS / 1000, 1,
    )  # fmt: skip
    texts = ["relay-0123", "chiller-1", "quarantine-3", "tank-07", "skimmer-2", "hall-1", "part-3"]
    assert all(get("search", text=text)["hits"] for text in texts)
    searched = _median(lambda n: get("search", text=texts[n % len(texts)]))
    yield Figure(
        "search by part of a name among 1,000,000 objects in 50 backups, against 200 ms",
        searched, _SEARCH_LIMIT_MS / 1000, 1,
    )  # fmt: skip


def _median(task: Callable[[int], object]) -> float:
    taken = []
    for number in range(_ROUNDS):
        began = time.perf_counter()
        task(number)
        taken.append(time.perf_counter() - began)
    return statistics.median(taken)


#: From a key press to the frame in which its rows are drawn, by the browser's own marks; for the
#: next difference, the bench has to show it too.
_MEASURE = """
async ([key, wanted]) => {
  const rows = () => [...document.querySelectorAll('[role=treeitem]')];
  const chosen = () => rows().find((r) => r.getAttribute('aria-selected') === 'true')?.textContent;
  const heading = () => document.querySelector('[aria-label=Bench] h2')?.textContent;
  const before = [chosen(), heading()];
  const drawn = () => wanted === 'expanded'
    ? rows().filter((r) => r.getAttribute('aria-level') === '3').length > 10
    : chosen() && chosen() !== before[0] && heading() && heading() !== before[1];
  performance.mark('pressed');
  document.querySelector('[role=tree]').dispatchEvent(
    new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true }));
  const until = performance.now() + 30000;
  while (!drawn()) {
    if (performance.now() > until) throw new Error(`nothing is drawn after ${key}`);
    await new Promise(requestAnimationFrame);
  }
  await new Promise(requestAnimationFrame);
  performance.mark('drawn');
  return performance.measure('rows', 'pressed', 'drawn').duration;
}
"""


def _in_the_browser(url: str, left: int, right: int) -> Iterator[Figure]:
    from playwright.sync_api import sync_playwright

    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(**CHROMIUM)
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.goto(url)
        page.get_by_label("Name").fill("bench")
        page.get_by_label("Password").fill(_PASSWORD)
        page.keyboard.press("Enter")
        page.get_by_role("article").first.wait_for()
        address = f"{url}/sort/1?left={left}&right={right}"
        expanded = []
        for number in range(_ROUNDS):
            flat = urllib.parse.quote(json.dumps([f"area-{number + 1:03}"]))
            page.goto(f"{address}&show=all&at={flat}")
            page.locator("[role=treeitem][aria-selected=true]").wait_for()
            page.wait_for_timeout(300)
            expanded.append(page.evaluate(_MEASURE, ["ArrowRight", "expanded"]))
        yield Figure(
            "in the browser, from the key to the drawn rows of an opened branch, against 100 ms",
            statistics.median(expanded) / 1000, _BROWSER_LIMIT_MS / 1000, 1,
        )  # fmt: skip
        page.goto(f"{address}&show=all&at=" + urllib.parse.quote('["flat"]'))
        page.locator("[role=treeitem][aria-selected=true]").wait_for()
        page.wait_for_timeout(500)
        steps = []
        for _ in range(_ROUNDS):
            steps.append(page.evaluate(_MEASURE, ["]", "next"]))
            page.wait_for_timeout(200)
        yield Figure(
            "in the browser, from the key to the next difference on the screen, against 100 ms",
            statistics.median(steps) / 1000, _BROWSER_LIMIT_MS / 1000, 1,
        )  # fmt: skip
        browser.close()
