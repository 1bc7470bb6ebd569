"""What somebody has before them stands, whatever is looked at and kept in the meantime."""

import re
from collections.abc import Iterator
from urllib.parse import parse_qs, urlsplit

import pytest
from playwright.sync_api import Page, expect

from demo.started import Demo

_PLACE = 'at=["etc","chrony","chrony.conf"]'


@pytest.fixture
def other(page: Page, demo: Demo) -> Iterator[Page]:
    """Sort of the gateway at its root, on another screen."""
    found = page.context.new_page()
    found.goto(f"{demo.url}/sort/3?at=[]")
    expect(found.get_by_role("treeitem", name="everything")).to_be_visible()
    yield found
    found.close()


def _number(url: str, side: str) -> int:
    """Return which record an address has on one side; 0 where it has none."""
    return int(parse_qs(urlsplit(url).query).get(side, ["0"])[0])


def _look(page: Page, other: Page) -> None:
    """Let another take a look, and wait until this screen has compared it."""
    asked = page.evaluate("performance.getEntriesByType('resource').map((one) => one.name)")
    newest = max(_number(url, "right") for url in asked)
    with page.expect_response(
        lambda r: "/compare/object?" in r.url and _number(r.url, "right") > newest
    ):
        other.keyboard.press("l")
    # long enough for what it brings to be drawn
    page.wait_for_timeout(300)


def test_a_look_takes_nothing_from_under_ones_hands(page: Page, other: Page, demo: Demo) -> None:
    page.goto(f"{demo.url}/sort/3?{_PLACE}&text=text")
    hunk = page.get_by_role("region", name="text of chrony.conf").get_by_role("switch").last
    hunk.focus()
    _look(page, other)
    expect(hunk).to_be_focused()
    page.keyboard.press("Escape")
    # what was opened by hand stays open, and what is being written stays written
    page.goto(f"{demo.url}/sort/3?{_PLACE}&show=all")
    tree = page.get_by_role("tree")
    tree.get_by_text("alerts", exact=True).click()
    page.keyboard.press("ArrowRight")
    inside = tree.get_by_text("rules.json", exact=True)
    expect(inside).to_be_visible()
    tree.get_by_text("chrony.conf", exact=True).click()
    page.keyboard.press("b")
    note = page.get_by_label("A note to find it by")
    note.fill("before the valves are changed")
    _look(page, other)
    expect(note).to_have_value("before the valves are changed")
    expect(inside).to_be_visible()
    page.keyboard.press("Escape")
    expect(note).to_have_count(0)
    page.keyboard.press("r")
    rules = page.get_by_label("Attributes")
    rules.fill("text")
    _look(page, other)
    expect(rules).to_have_value("text")


def test_a_tree_stays_where_somebody_has_scrolled_to(page: Page, demo: Demo) -> None:
    page.goto(f'{demo.url}/sort/1?at=["ou=keepers"]&show=all')
    tree = page.get_by_role("tree")
    tree.get_by_role("button", name="open keepers").click()
    expect(tree.get_by_role("treeitem").nth(20)).to_be_visible()
    tree.hover()
    page.mouse.wheel(0, 2400)
    other = tree.get_by_role("button", name="open volunteers")
    expect(other).to_be_visible()
    before = tree.evaluate("one => one.scrollTop")
    other.click()
    expect(tree.get_by_role("button", name="close volunteers")).to_be_visible()
    page.wait_for_timeout(300)
    assert tree.evaluate("one => one.scrollTop") == before > 1000


def test_what_is_written_on_watch_is_left_alone(page: Page, other: Page) -> None:
    lane = page.get_by_role("article", name="Gateway")
    lane.get_by_role("button", name="what matters").click()
    tags = page.get_by_role("dialog").get_by_label("Tags")
    tags.fill("doors")
    with page.expect_response(re.compile(r"/api/v1/systems$")):
        other.keyboard.press("l")
        expect(other.get_by_text("Live has been looked at.")).to_be_visible()
    page.wait_for_timeout(300)
    expect(tags).to_have_value("doors")


def test_a_backup_takes_no_place_of_its_own_accord(page: Page, other: Page, demo: Demo) -> None:
    page.goto(f"{demo.url}/sort/3?{_PLACE}")
    heading = page.get_by_role("heading", name="chrony.conf")
    expect(heading).to_contain_text("other values")
    with page.expect_response(re.compile(r"/api/v1/systems$")):
        other.keyboard.press("b")
        other.keyboard.press("Enter")
        expect(other.get_by_text("The system is kept.")).to_be_visible()
    page.get_by_role("treeitem", name="everything").click()
    page.get_by_role("treeitem", name="chrony.conf").click()
    expect(heading).to_contain_text("other values")
    # nor is it said of another system that it is kept
    other.goto(f"{demo.url}/backups/6")
    other.get_by_role("button", name="Back up now").click()
    expect(other.get_by_text("The system is kept.")).to_be_visible()
    other.keyboard.press("g")
    other.keyboard.type("gateway\n")
    expect(other.get_by_role("heading", name="Backups of Gateway")).to_be_visible()
    expect(other.get_by_text("The system is kept.")).to_have_count(0)
    # who arrives now arrives at the newest
    chosen = _number(page.url, "left")
    page.get_by_role("link", name="Watch").click()
    page.get_by_role("article", name="Gateway").get_by_role(
        "link", name="Gateway", exact=True
    ).click()
    expect(page).to_have_url(re.compile(r"[?&]left=\d+"))
    assert _number(page.url, "left") > chosen
