"""Where most decisions are made: many differences at once, whole texts, what is most urgent."""

import re
from collections.abc import Iterator

import pytest
from playwright.sync_api import Locator, Page, Route, expect

from demo.started import Demo


def sort(page: Page, system: str) -> Locator:
    """Open Sort of a system at the top of its tree, and return the table of all that differs."""
    page.get_by_role("article", name=system).get_by_role("link", name=system, exact=True).click()
    page.get_by_role("treeitem", name="everything").click()
    table = page.get_by_role("table", name="All that differs in it")
    expect(table).to_be_visible()
    return table


def test_a_branch_is_decided_on_as_one_table(page: Page) -> None:
    table = sort(page, "People")
    expect(page.get_by_text("itself the same on both sides")).to_be_visible()
    # what two groups lost alike is one row, and in no other
    alike = table.locator("[data-common]")
    expect(alike).to_have_count(1)
    expect(alike).to_contain_text("2 objects")
    tray = page.get_by_role("complementary", name="Tray")
    robot = table.get_by_role("rowgroup", name="uid=feeder-robot")
    robot.get_by_role("switch", name="Put back loginShell").click()
    expect(robot.get_by_text("/usr/sbin/nologin")).to_have_count(2)
    table.get_by_role("switch", name="Put back Imke Farrow").click()
    table.get_by_role("switch", name="Take tmp-contractor-7 away from live").click()
    moved = table.get_by_role("rowgroup", name="cn=Ansel Brandvold")
    moved.get_by_role("switch", name="Put back the place").click()
    expect(tray.get_by_role("listitem")).to_have_count(4)
    expect(tray.get_by_text("will be taken away from live")).to_be_visible()
    alike.get_by_role("switch").click()
    expect(tray.get_by_title("groups / night-dive-leads")).to_be_visible()
    # the tree tells a value that became another, where there is room
    page.get_by_role("button", name="empty").click()
    shown = page.get_by_role("treeitem", name="feeder-robot")
    expect(shown).to_contain_text("2 attributes")


def test_a_folder_that_is_gone_tells_what_it_held(page: Page) -> None:
    table = sort(page, "Plant")
    gone = table.get_by_role("rowgroup", name=re.compile("calibration$"))
    expect(gone).to_contain_text("missing, with 7 objects in it")
    gone.get_by_role("button", name="calibration").click()
    expect(page.get_by_role("heading", name="calibration")).to_be_visible()
    inside = page.get_by_role("table", name="All that differs in it")
    expect(inside.get_by_role("rowgroup").first).to_be_visible()
    assert page.get_by_role("treeitem", name="interlock").inner_text().split("\n")[1:] == [
        "true", "›", "false",
    ]  # fmt: skip


def test_a_text_is_read_over_the_full_width(page: Page, demo: Demo) -> None:
    page.goto(f'{demo.url}/sort/3?at=["etc","chrony","chrony.conf"]')
    expect(page.get_by_role("heading", name="chrony.conf")).to_be_visible()
    page.keyboard.press("w")
    text = page.get_by_role("region", name="text of chrony.conf")
    expect(text).to_contain_text("2 hunks")
    expect(text.get_by_text("driftfile /var/lib/chrony/drift")).to_have_count(1)
    page.keyboard.press("]")
    expect(text.get_by_role("switch", name="Put back hunk 1")).to_be_focused()
    page.keyboard.press("]")
    page.keyboard.press("Space")
    second = text.get_by_role("switch", name="Put back hunk 2")
    expect(second).to_be_checked()
    expect(text).to_contain_text("live, as it will be")
    page.reload()
    expect(second).to_be_checked()
    page.keyboard.press("Shift+W")
    expect(text.get_by_role("button", name="wrap long lines", exact=True)).to_be_visible()
    page.keyboard.press("Shift+W")
    page.keyboard.press("Escape")
    expect(text).to_have_count(0)
    tray = page.get_by_role("complementary", name="Tray")
    expect(tray.get_by_text("text, 1 part")).to_be_visible()


def test_a_hunk_has_the_keyboard_as_soon_as_it_can_be_picked(page: Page, demo: Demo) -> None:
    held: list[Route] = []
    page.route(re.compile(r"/api/v1/compare\?"), lambda route: held.append(route))
    page.goto(f'{demo.url}/sort/3?at=["etc","chrony","chrony.conf"]')
    expect(page.get_by_role("heading", name="chrony.conf")).to_be_visible()
    page.keyboard.press("w")
    text = page.get_by_role("region", name="text of chrony.conf")
    expect(text).to_contain_text("2 hunks")
    page.keyboard.press("]")
    expect(text.get_by_role("switch")).to_have_count(0)
    for route in held:
        route.continue_()
    expect(text.get_by_role("switch", name="Put back hunk 1")).to_be_focused()
    page.keyboard.press("Space")
    expect(text.get_by_role("switch", name="Put back hunk 1")).to_be_checked()
    page.keyboard.press("Space")


def test_what_is_ignored_is_said_first_and_can_be_shown_again(page: Page, demo: Demo) -> None:
    page.goto(f'{demo.url}/sort/1?at=["ou=service","uid=feeder-robot"]')
    row = page.locator("[data-attribute=description]")
    row.hover()
    row.get_by_role("button", name="Ignore description").click()
    sheet = page.get_by_role("dialog")
    choice = sheet.get_by_label("description of every")
    expect(choice).to_be_checked()
    told = sheet.locator("label")
    expect(told.filter(has_text="of every")).to_contain_text("hides something of 1 object now")
    everywhere = sheet.get_by_label("description of any object")
    expect(told.filter(has_text="of any")).to_contain_text("hides something of 2 objects now")
    everywhere.check()
    sheet.get_by_role("button", name="Ignore in this look").click()
    expect(page.get_by_text("2 hidden by rules")).to_be_visible()
    expect(row).to_have_count(0)
    page.keyboard.press("r")
    told = page.get_by_role("region", name="What each hides now")
    expect(told).to_contain_text("hides something of 2 objects")
    page.keyboard.press("Escape")
    page.get_by_role("button", name="show", exact=True).click()
    expect(row).to_be_visible()


def test_the_brackets_go_to_other_backups_and_back_to_live(page: Page, demo: Demo) -> None:
    page.goto(f"{demo.url}/sort/4")
    right = page.get_by_role("slider", name="Compare with")
    right.focus()
    page.keyboard.press("ArrowLeft")
    expect(page.get_by_text("so nothing can be picked here")).to_be_visible()
    expect(right).to_be_focused()
    page.keyboard.press("ArrowLeft")
    expect(right).to_have_attribute("aria-valuetext", re.compile("compared with"))
    from_ = page.get_by_role("slider", name="Restore from")
    left = from_.bounding_box()
    strip = page.get_by_role("group", name="Timeline of backups").bounding_box()
    assert left is not None
    assert strip is not None
    page.mouse.move(left["x"] + 6, left["y"] + 8)
    page.mouse.down()
    page.mouse.move(strip["x"] + 16, left["y"] + 8, steps=4)
    page.mouse.up()
    expect(from_).to_have_attribute("aria-valuetext", re.compile("first backup"))
    page.get_by_role("button", name="live", exact=True).click()
    expect(right).to_have_attribute("aria-valuetext", re.compile("^live"))
    expect(from_).to_have_attribute("aria-valuetext", re.compile("first backup"))


def test_panes_keep_the_width_that_somebody_gave_them(page: Page, demo: Demo) -> None:
    page.goto(f"{demo.url}/sort/1")
    edge = page.get_by_role("separator", name="Width of the tree")
    before = edge.bounding_box()
    edge.focus()
    for _ in range(4):
        page.keyboard.press("ArrowRight")
    after = edge.bounding_box()
    assert before is not None
    assert after is not None
    assert after["x"] - before["x"] == pytest.approx(96, abs=2)
    page.reload()
    expect(edge).to_have_attribute("aria-valuenow", re.compile(r"^4\d\d$"))
    edge.dblclick()
    expect(edge).not_to_have_attribute("aria-valuenow", re.compile(r"^4\d\d$"))


@pytest.fixture
def wanting(page: Page) -> Iterator[Locator]:
    side = page.get_by_role("complementary", name="Wants attention")
    yield side
    for again in side.get_by_role("button", name="take it up").all():
        again.click()


def test_what_is_urgent_comes_first_and_is_picked_from_where_it_stands(
    page: Page, wanting: Locator
) -> None:
    things = wanting.locator("[data-thing]")
    interlock = things.filter(has_text="interlock")
    expect(interlock).to_contain_text("true")
    expect(interlock).to_contain_text("false")
    order = [one.get_attribute("data-thing") or "" for one in things.all()]
    urgent = next(n for n, one in enumerate(order) if one.endswith("interlock"))
    usual = next(n for n, one in enumerate(order) if one.endswith("limits"))
    minor = next(n for n, one in enumerate(order) if one.endswith("motd"))
    assert urgent < usual < minor
    forty = things.filter(has_text="in 40")
    forty.hover()
    forty.get_by_role("button", name="pick").click()
    expect(forty.get_by_role("status")).to_contain_text("Picked in 40 objects")
    forty.get_by_role("link").click()
    tray = page.get_by_role("complementary", name="Tray")
    expect(tray.get_by_text("in 40 objects")).to_be_visible()


def test_what_is_right_as_it_stands_wants_no_attention_any_more(
    page: Page, wanting: Locator
) -> None:
    thing = wanting.locator("[data-thing]").filter(has_text="Tobin Achterberg")
    thing.hover()
    thing.get_by_role("button", name="put aside…").click()
    thing.get_by_label("Why").fill("left us in autumn")
    thing.get_by_role("button", name="it is right so").click()
    expect(thing).to_have_count(0)
    wanting.get_by_role("button", name="1 put aside").click()
    expect(wanting.get_by_text("left us in autumn")).to_contain_text("it is right so")
    wanting.get_by_role("button", name="take it up").click()
    expect(thing).to_be_visible()


def test_what_matters_is_said_where_it_is_seen(page: Page, wanting: Locator) -> None:
    thing = wanting.locator("[data-thing]").filter(has_text="Mirror cameras")
    thing.hover()
    thing.get_by_role("button", name="put aside…").click()
    thing.get_by_role("button", name="urgent").click()
    expect(wanting.locator("[data-thing].border-stop").filter(has_text="Mirror")).to_be_visible()
    lane = page.get_by_role("article", name="Lagoon net")
    lane.get_by_role("button", name="what matters").click()
    sheet = page.get_by_role("dialog")
    expect(sheet.get_by_label("Urgent")).to_have_value(re.compile(":"))
    sheet.get_by_label("Urgent").fill("")
    sheet.get_by_role("button", name="Save for everybody").click()
    expect(wanting.locator("[data-thing].border-stop").filter(has_text="Mirror")).to_have_count(0)


def test_many_systems_are_filtered_ordered_and_looked_at_together(page: Page, demo: Demo) -> None:
    lanes = page.get_by_role("article")
    expect(lanes).to_have_count(7)
    page.keyboard.press("f")
    page.keyboard.type("network")
    expect(lanes).to_have_count(2)
    page.keyboard.press("Escape")
    expect(lanes).to_have_count(7)
    page.get_by_label("by tag").check()
    expect(page.get_by_role("heading", name="life support")).to_be_visible()
    expect(lanes).to_have_count(8)
    page.get_by_label("by tag").uncheck()
    page.get_by_label("one line each").check()
    page.get_by_label("in order of").select_option("name")
    expect(lanes.first).to_have_accessible_name("Galleries")
    page.reload()
    expect(lanes.first).to_have_accessible_name("Galleries")
    page.keyboard.press("x")
    page.keyboard.press("ArrowDown")
    page.keyboard.press("x")
    expect(page.get_by_text("2 chosen")).to_be_visible()
    with page.expect_request(re.compile("/api/v1/systems/4/work")):
        page.keyboard.press("l")
    expect(lanes.first).to_contain_text("just now")


def test_a_system_is_two_keys_and_a_few_letters_away(page: Page) -> None:
    page.keyboard.press("g")
    page.keyboard.type("labe")
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="Labels", level=1)).to_be_visible()
    page.get_by_role("link", name="Backups", exact=True).click()
    expect(page.get_by_role("heading", name="Backups of Labels")).to_be_visible()
    page.keyboard.press("g")
    page.keyboard.type("peop")
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="Backups of People")).to_be_visible()
    expect(page.get_by_text("as live is").or_(page.get_by_text("3 changed")).first).to_be_visible()


def test_help_is_of_the_screen_one_is_on(page: Page, demo: Demo) -> None:
    sheet = page.get_by_role("dialog", name="Help")
    for place, heading in {
        "": "Watch", "sort/1": "Sort", "backups/1": "Backups", "files": "Files", "runs": "Runs",
        "setup": "Setup", "messages": "Messages",
    }.items():  # fmt: skip
        page.goto(f"{demo.url}/{place}")
        expect(page.get_by_role("heading", level=1)).to_be_attached()
        page.keyboard.press("F1")
        expect(sheet.get_by_role("heading", name=heading, level=1)).to_be_visible()
        expect(sheet).to_contain_text("It answers:")
    sheet.get_by_role("button", name="All words").click()
    expect(sheet.get_by_text("recreated").first).to_be_visible()
    page.keyboard.press("Escape")
    expect(sheet).to_have_count(0)


def test_a_preview_is_one_document_and_chosen_steps_are_undone(page: Page) -> None:
    table = sort(page, "People")
    robot = table.get_by_role("rowgroup", name="uid=feeder-robot")
    robot.get_by_role("switch", name="Put back loginShell").click()
    table.get_by_role("switch", name="Put back Tobin Achterberg").click()
    table.get_by_role("switch", name="Take tmp-contractor-7 away from live").click()
    page.keyboard.press("p")
    document = page.get_by_role("region", name="What will be done")
    expect(document.get_by_role("heading", name="1 object is deleted from People")).to_be_visible()
    expect(document.get_by_role("article")).to_have_count(3)
    first = document.get_by_role("article").first
    expect(first).to_contain_text("changetype: delete")
    with page.expect_download() as saved:
        document.get_by_role("button", name="save").click()
    text = saved.value.path().read_text()
    assert text.count("changetype:") == 3
    for box in document.get_by_role("region", name="To know first").get_by_role("checkbox").all():
        box.check()
    page.get_by_role("button", name="Restore 3 objects to People, deleting 1").click()
    done = page.get_by_role("heading", name="done and verified")
    expect(done).to_be_visible(timeout=30_000)
    expect(page.get_by_role("link", name="Go on with People")).to_be_visible()
    expect(page.get_by_role("link", name=re.compile("^Next: "))).to_be_visible()
    run = page.url
    steps = page.get_by_role("region", name="Steps")
    steps.get_by_role("listitem").or_(
        steps.locator("div", has_text="feeder-robot")
    ).first.wait_for()
    line = steps.locator("div.flex", has=page.get_by_role("button", name=re.compile("Tobin")))
    line.get_by_role("checkbox").check()
    page.get_by_role("button", name="Undo 1 chosen step").click()
    expect(page.get_by_role("heading", name="Undo of 1 step of run")).to_be_visible()
    page.get_by_role("button", name=re.compile("^Undo 1 object")).click()
    expect(done).to_be_visible(timeout=30_000)
    # what is chosen of one run is nothing of another
    page.evaluate("history.go(-2)")
    expect(line).to_contain_text("undone")
    steps.get_by_role("checkbox").first.check()
    expect(page.get_by_role("button", name="Undo 1 chosen step")).to_be_visible()
    page.evaluate("history.go(2)")
    expect(page.get_by_role("heading", name="Undo of run")).to_be_visible()
    expect(page.get_by_role("button", name="Undo", exact=True)).to_be_visible()
    page.goto(run)
    expect(line).to_contain_text("undone")
    page.get_by_role("button", name="Undo the rest").click()
    for box in page.get_by_role("region", name="To know first").get_by_role("checkbox").all():
        box.check()
    page.get_by_role("button", name=re.compile("^Undo 2 objects")).click()
    expect(done).to_be_visible(timeout=30_000)
    page.get_by_role("link", name="Runs", exact=True).click()
    expect(page.get_by_role("main")).to_contain_text("Tobin Achterberg")
    expect(page.get_by_text(re.compile("undone by run")).first).to_be_visible()
