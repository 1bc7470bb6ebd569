"""The screens for people who do not use a mouse, who need large letters, or who hear them read."""

import re
from pathlib import Path

import pytest
from playwright.sync_api import Page, Route, expect

from demo.started import ROOT, Demo

AXE = ROOT / "web/node_modules/axe-core/axe.min.js"
SERIOUS = """async () => {
  const found = await axe.run(document, {resultTypes: ['violations']});
  return found.violations
    .filter((v) => ['serious', 'critical'].includes(v.impact))
    .map((v) => `${v.id}: ${v.nodes.slice(0, 3).map((n) => n.target.join(' ')).join(' | ')}`);
}"""
VIEWS = {
    "watch": "", "sort": "sort/1", "backups": "backups/1", "runs": "runs", "setup": "setup/1",
    "two backups": "sort/1?left=2&right=5", "a file": "sort/3",
}  # fmt: skip


class Keys:
    """A person with a keyboard alone, who does not press Tab more than five times in a row."""

    def __init__(self, page: Page) -> None:
        self.page = page

    def press(self, *keys: str) -> None:
        for key in keys:
            self.page.keyboard.press(key)

    def write(self, text: str) -> None:
        self.page.keyboard.type(text)

    def search(self, text: str, found: str) -> None:
        self.press("/")
        self.write(text)
        expect(self.page.get_by_role("dialog").get_by_role("option").first).to_contain_text(found)
        self.press("Enter")
        expect(self.page.get_by_role("heading", name=found)).to_be_visible()

    def pick_on_bench(self, name: str) -> None:
        """Go from the tree to the first pick of the bench, and on to the one that is called so."""
        self.press("Enter")
        wanted = self.page.get_by_role("switch", name=name)
        expect(self.page.locator("[role=switch]:focus")).to_be_visible()
        for _ in range(30):
            if wanted.first.evaluate("(e) => e === document.activeElement"):
                break
            self.press("ArrowDown")
        expect(wanted.first).to_be_focused()
        self.press("Space")
        expect(wanted.first).to_be_checked()

    def restore_and_undo(self, sentence: str) -> None:
        self.press("Escape", "p")
        expect(self.page.get_by_role("heading", name=sentence)).to_be_visible()
        to_confirm = self.page.get_by_role("region", name="To know first").get_by_role("checkbox")
        for _ in range(to_confirm.count()):
            self.press("Space", "Tab")
        self.press("Control+Enter")
        done = self.page.get_by_role("heading", name="Restore: done and verified")
        expect(done).to_be_visible(timeout=20_000)
        # so that the demo is as it was for what comes next
        self.page.get_by_role("button", name="Undo").click()
        again = self.page.get_by_role("button", name="Undo 1 object")
        expect(again).to_be_visible(timeout=20_000)
        for box in to_confirm.all():
            box.check()
        again.click()
        expect(self.page.get_by_role("heading", name="Undo of run")).to_contain_text(
            "done and verified", timeout=20_000
        )


@pytest.fixture
def keys(page: Page) -> Keys:
    return Keys(page)


def views(page: Page, demo: Demo) -> dict[str, str]:
    """The address of each view; that of an opened file among them."""
    page.goto(f"{demo.url}/files")
    page.locator("input[type=file]").set_input_files(ROOT / "demo/files/north-pier-presets.txt")
    page.wait_for_url("**/files/*")
    return {**VIEWS, "files": "files", "an opened file": page.url.removeprefix(f"{demo.url}/")}


@pytest.mark.parametrize("theme", ["day", "night"])
def test_no_view_has_a_serious_violation(page: Page, demo: Demo, theme: str) -> None:
    if theme == "night":
        page.get_by_role("button", name="by night").click()
    for name, place in views(page, demo).items():
        page.goto(f"{demo.url}/{place}")
        page.wait_for_load_state("networkidle")
        expect(page.locator("h1")).to_have_count(1)
        assert page.title().endswith("Keep Sort"), name
        assert page.title() != "Keep Sort", name
        page.evaluate(AXE.read_text())
        assert page.evaluate(SERIOUS) == [], name
    if theme == "night":
        page.get_by_role("button", name="by day").click()


@pytest.mark.parametrize("size", [(853, 533), (683, 512), (640, 400)])
def test_nothing_is_cut_off_in_large_letters(page: Page, demo: Demo, size: tuple[int, int]) -> None:
    page.set_viewport_size({"width": size[0], "height": size[1]})
    for name, place in views(page, demo).items():
        page.goto(f"{demo.url}/{place}")
        page.wait_for_load_state("networkidle")
        wide = page.evaluate("document.documentElement.scrollWidth - window.innerWidth")
        assert wide <= 0, name
        outside = page.evaluate(
            """() => [...document.querySelectorAll('button, a, input, select')]
              .filter((e) => e.checkVisibility() && !e.closest('.sr-only, [class*=sr-only]'))
              .filter((e) => {
                // what can be scrolled to is not cut off
                for (let up = e.parentElement; up; up = up.parentElement)
                  if (/auto|scroll/.test(getComputedStyle(up).overflow)) return false;
                const box = e.getBoundingClientRect();
                return box.right > innerWidth + 1 || box.bottom > innerHeight + 1 || box.left < 0;
              })
              .map((e) => e.outerHTML.slice(0, 120))"""
        )
        assert outside == [], name
    page.goto(f"{demo.url}/sort/1")
    expect(page.get_by_role("complementary", name="Tray")).to_be_hidden()
    page.get_by_role("button", name="tray").click()
    expect(page.get_by_role("button", name="Preview")).to_be_in_viewport()


def test_what_is_wrong_with_the_chiller(keys: Keys) -> None:
    keys.search("chiller-1", "chiller-1")
    keys.press("]")
    expect(keys.page.get_by_role("heading", name="interlock")).to_be_visible()
    expect(keys.page.get_by_role("tree")).to_be_focused()
    keys.pick_on_bench("Put back")
    keys.restore_and_undo("1 object changes")


def test_one_hunk_of_a_file(keys: Keys) -> None:
    keys.search("chrony.conf", "chrony.conf")
    keys.pick_on_bench("Put back hunk 1 of")
    keys.restore_and_undo("1 object changes")


def test_who_goes_to_the_bench_early_arrives(keys: Keys) -> None:
    held: list[Route] = []
    keys.page.route(re.compile(r"/api/v1/compare\?"), lambda route: held.append(route))
    keys.search("chrony.conf", "chrony.conf")
    expect(keys.page.get_by_role("tree")).to_be_focused()
    keys.press("Enter")
    # what can be picked is not known yet: the key is not lost
    keys.page.wait_for_timeout(200)
    for route in held:
        route.continue_()
    expect(keys.page.get_by_role("switch", name="Put back hunk 1 of text")).to_be_focused()


def test_a_deleted_person_from_an_old_backup(keys: Keys) -> None:
    keys.search("imke farrow", "Imke Farrow")
    expect(keys.page.get_by_role("tree")).to_be_focused()
    keys.press("Space")
    expect(keys.page.get_by_role("complementary", name="Tray")).to_contain_text("Imke Farrow")
    keys.press("p")
    expect(keys.page.get_by_role("heading", name="1 object is created")).to_be_visible()
    keys.press("Escape")


def test_two_backups_and_back_to_live(keys: Keys) -> None:
    expect(keys.page.get_by_role("article", name="People")).to_be_visible()
    keys.press("Enter")
    expect(keys.page.get_by_role("tree")).to_be_focused()
    keys.press("t", "ArrowLeft", "ArrowLeft", "Shift+Enter")
    tray = keys.page.get_by_role("complementary", name="Tray")
    expect(tray).to_contain_text("nothing can be picked here")
    keys.press("v")
    expect(tray).not_to_contain_text("nothing can be picked here")
    expect(keys.page).not_to_have_url(re.compile("right="))


def test_a_branch_is_kept_changed_outside_and_seen(keys: Keys, demo: Demo) -> None:
    file = Path(demo.state, "gateway/host/etc/chrony/chrony.conf")
    before = file.read_text()
    keys.search("chrony.conf", "chrony.conf")
    keys.press("b", "Enter")
    status = keys.page.get_by_role("status").filter(has_text="is kept")
    expect(status).to_be_visible(timeout=20_000)
    try:
        file.write_text(before + "# by hand, at night\n")
        keys.press("l")
        looked = keys.page.get_by_role("status").filter(has_text="has been looked at")
        expect(looked).to_be_visible(timeout=20_000)
        tick = keys.page.get_by_role("button", name="holds only chrony.conf")
        expect(tick).to_be_attached()
        keys.press("t", "End")
        expect(tick).to_be_focused()
        keys.press("Enter")
        keys.press("v")
        expect(keys.page.get_by_text("nothing else is in this backup")).to_be_visible()
        expect(keys.page.get_by_text("# by hand, at night")).to_be_visible()
    finally:
        file.write_text(before)
