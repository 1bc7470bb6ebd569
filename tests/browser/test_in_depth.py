"""Filters, rules, suggested moves and search, in a real browser on the demo."""

import re

import pytest
from playwright.sync_api import Page, expect

from demo.started import Demo


@pytest.fixture
def sort(page: Page) -> Page:
    """Sort of the demo's directory, with nothing picked and no filter."""
    page.get_by_role("article", name="People").get_by_role("link", name="People").click()
    expect(page.get_by_role("heading", name="Ansel Brandvold")).to_be_visible()
    return page


def rows(page: Page) -> list[str]:
    found = page.get_by_role("tree").get_by_role("treeitem")
    return [text.split("\n")[0] for text in found.all_inner_texts()]


def test_picking_all_of_a_filtered_list(sort: Page) -> None:
    sort.keyboard.press("f")
    sort.get_by_role("checkbox", name="account").click()
    sort.get_by_label("Only these").fill("uid,who\nfeeder-robot,ops\ntmp-contractor-7,ops\nghost,x")
    sort.get_by_role("button", name="Show only these").click()
    expect(sort.get_by_text("2 differences shown")).to_be_visible()
    sort.keyboard.press("Escape")
    sort.get_by_role("button", name="1 line not found").click()
    expect(sort.get_by_text("ghost,x")).to_be_visible()
    sort.get_by_role("button", name="pick all shown").click()
    expect(sort.get_by_role("status")).to_contain_text("1 object picked, 1 that is extra")
    tray = sort.get_by_role("complementary", name="Tray")
    expect(tray.get_by_role("listitem")).to_have_count(1)
    expect(tray.get_by_text("feeder-robot")).to_be_visible()
    # the link alone opens the same view
    sort.goto(sort.url)
    expect(sort.get_by_text("2 differences shown")).to_be_visible()
    for name in ("account", "only what is listed"):
        sort.get_by_role("button", name=f"Take this filter away: {name}").click()
    expect(sort.get_by_role("tree").get_by_text("Imke Farrow")).to_be_visible()
    tray.get_by_role("button", name="empty").click()


def test_what_is_let_go_in_a_picked_branch_stays_as_it_is(sort: Page) -> None:
    tray = sort.get_by_role("complementary", name="Tray")
    pick = sort.get_by_role("tree").get_by_role("checkbox")
    pick.and_(sort.get_by_label("Put back the 2 objects in volunteers")).click()
    expect(tray.get_by_role("button", name="Preview 2 steps")).to_be_visible()
    pick.and_(sort.get_by_label("Put back Imke Farrow")).click()
    expect(tray.get_by_text("but Imke Farrow")).to_be_visible()
    expect(pick.and_(sort.get_by_label("Put back the 2 objects in volunteers"))).to_have_attribute(
        "aria-checked", "mixed"
    )
    tray.get_by_role("button", name="Preview 1 step").click()
    expect(sort.get_by_text("Tobin Achterberg").first).to_be_visible()
    expect(sort.get_by_text("Imke Farrow")).to_have_count(0)
    sort.go_back()
    tray.get_by_role("button", name="empty").click()


def test_a_suggested_move_does_nothing_until_it_is_accepted(page: Page) -> None:
    page.get_by_role("article", name="Gateway").get_by_role("link", name="Gateway").first.click()
    tree = page.get_by_role("tree")
    tree.get_by_text("motd", exact=True).click()
    note = page.get_by_role("note")
    expect(note).to_contain_text("Perhaps moved: what is extra at")
    expect(note).to_contain_text("is 100 % alike. Unless you say so, the two stay two objects.")
    expect(page.get_by_role("heading", name="motd")).to_contain_text("in the backup, not live")
    page.get_by_role("button", name="/etc/motd-old").click()
    expect(note).to_contain_text("what is missing at")
    page.get_by_role("button", name="it is the same, moved").click()
    expect(note).to_contain_text("Taken as moved because you said so; the two are 100 % alike.")
    expect(tree.get_by_text("motd-old")).to_have_count(0)
    page.get_by_role("checkbox", name="Put back motd").click()
    tray = page.get_by_role("complementary", name="Tray")
    expect(tray.get_by_text("It is taken to be /etc/motd-old")).to_be_visible()
    tray.get_by_role("button", name="empty").click()
    page.get_by_role("button", name="take that back").click()
    expect(tree.get_by_text("motd-old")).to_be_visible()


def test_a_rule_hides_counts_and_shows(sort: Page) -> None:
    tree = sort.get_by_role("tree")
    sort.keyboard.press("r")
    sort.get_by_label("Attributes").fill("member\ntelephone*")
    sort.get_by_role("button", name="Use for this look").click()
    expect(tree.get_by_text("turtle-rescue")).to_have_count(0)
    expect(sort.get_by_text("3 hidden by rules")).to_be_visible()
    tree.get_by_text("Ansel Brandvold").click()
    expect(sort.locator("[data-attribute=telephoneNumber]")).to_have_count(0)
    sort.get_by_role("button", name="1 attribute hidden by the rules").click()
    expect(sort.locator("[data-attribute=telephoneNumber]")).to_be_visible()
    sort.get_by_role("button", name="show", exact=True).click()
    expect(tree.get_by_text("turtle-rescue")).to_be_visible()
    sort.get_by_role("button", name="on again").click()
    expect(sort.get_by_text("nothing hidden by rules")).to_be_visible()


def test_a_deleted_entry_is_found_and_opened_where_it_still_is(page: Page) -> None:
    page.keyboard.press("/")
    page.get_by_label("Search for").fill("jorun")
    hit = page.get_by_role("dialog").get_by_role("option")
    expect(hit).to_contain_text("gone")
    expect(hit).to_contain_text("5 backups")
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="Jorun Tarrow")).to_contain_text(
        "in the backup, not live"
    )
    expect(page.get_by_text("· after the new season", exact=False).last).to_be_visible()
    history = page.get_by_role("group", name="History")
    expect(history.get_by_text("gone")).to_have_count(2)
    page.get_by_role("checkbox", name="Put back Jorun Tarrow").click()
    expect(page.get_by_role("button", name="Preview 1 step")).to_be_enabled()


def test_enter_opens_what_was_typed_and_not_what_was_found_before(page: Page) -> None:
    page.keyboard.press("/")
    page.get_by_label("Search for").fill("imke")
    hits = page.get_by_role("dialog").get_by_role("option")
    expect(hits.first).to_contain_text("Imke")
    page.get_by_label("Search for").fill("jorun")
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="Jorun Tarrow")).to_be_visible()
    # nor does it matter whether the search has the keyboard yet
    page.get_by_role("link", name="Watch").click()
    expect(page.get_by_text("Wants attention")).to_be_visible()
    page.keyboard.type("/jorun\n")
    expect(page.get_by_role("heading", name="Jorun Tarrow")).to_be_visible()


def test_the_history_of_an_object_leads_to_its_versions(sort: Page) -> None:
    path = '["ou=service","uid=camera-wall"]'
    sort.goto(f"{sort.url.partition('?')[0]}?at={path}")
    history = sort.get_by_role("group", name="History")
    expect(history.get_by_role("button")).to_have_count(2)
    first = history.get_by_role("button", name="first seen")
    first.click()
    expect(sort.get_by_text("Live has been so since the backup of")).to_be_visible()
    expect(sort.locator("[data-attribute=description]")).to_contain_text("winter season")
    expect(first).to_have_attribute("aria-pressed", "true")
    history.get_by_role("button", name="description").click(modifiers=["Shift"])
    expect(sort.get_by_text("nothing can be picked here")).to_be_visible()


def test_one_tray_holds_picks_from_several_backups(sort: Page) -> None:
    tray = sort.get_by_role("complementary", name="Tray")
    sort.get_by_role("switch", name="Put back title").click()
    expect(tray.get_by_role("listitem")).to_have_count(1)
    newest = sort.url
    path = '["ou=service","uid=camera-wall"]'
    sort.goto(f"{sort.url.partition('?')[0]}?at={path}")
    sort.get_by_role("group", name="History").get_by_role("button", name="first seen").click()
    sort.get_by_role("switch", name="Put back description").click()
    expect(tray.get_by_role("listitem")).to_have_count(2)
    expect(tray.get_by_role("listitem").first).to_contain_text("from the backup of")
    expect(tray.get_by_role("listitem").last).not_to_contain_text("from the backup of")
    # a pick leads back to the backup that it was made from
    tray.get_by_role("button", name="Ansel Brandvold").first.click()
    expect(sort.get_by_role("switch", name="Put back title")).to_be_checked()
    expect(tray.get_by_role("listitem").last).to_contain_text("from the backup of")
    assert "left=" in sort.url
    assert newest != sort.url
    expect(tray.get_by_role("button", name="Preview 2 steps")).to_be_enabled()
    sort.keyboard.press("p")
    expect(
        sort.get_by_role("heading", name="2 objects change, nothing is taken away")
    ).to_be_visible()
    expect(sort.get_by_text("From the backups of")).to_be_visible()
    sort.go_back()
    tray.get_by_role("button", name="empty").click()
    expect(tray.get_by_role("listitem")).to_have_count(0)


def test_extras_of_a_branch_are_a_choice_of_their_own(sort: Page) -> None:
    tree = sort.get_by_role("tree")
    tray = sort.get_by_role("complementary", name="Tray")
    tree.get_by_text("service", exact=True).click()
    expect(sort.get_by_text("2 objects are extra and stay")).to_be_visible()
    pick = sort.get_by_role("checkbox", name="Put back the 2 objects in service")
    expect(pick).to_have_attribute("title", re.compile("2 extra stay as they are"))
    pick.click()
    expect(tray.get_by_role("button", name="Preview 2 steps")).to_be_visible()
    sort.get_by_role("button", name="pick them to be taken away").click()
    expect(tray.get_by_text("will be taken away from live")).to_have_count(2)
    expect(tray.get_by_role("button", name="Preview 4 steps")).to_be_visible()
    tray.get_by_role("button", name="empty").click()


def test_an_address_that_is_none(page: Page, demo: Demo) -> None:
    page.goto(f"{demo.url}/tape-drives")
    expect(page.get_by_role("heading", name="Nothing is here")).to_be_visible()
    expect(page.get_by_text("/tape-drives is no place of Keep Sort.")).to_be_visible()
