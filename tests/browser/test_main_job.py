"""The main job in a real browser, on a real directory, with a real worker."""

import re

from playwright.sync_api import Page, expect

from demo.started import Demo
from tests.browser.standing_still import worker_stands_still

#: A branch of some hundred rows is previewed, written and read back within it.
_LONG = 60_000


def test_restore_two_objects_and_one_attribute_then_undo(page: Page) -> None:
    # Watch: is anything different?
    lane = page.get_by_role("article", name="People")
    expect(lane.get_by_text("3 changed")).to_be_visible()
    wanting = page.get_by_role("complementary", name="Wants attention")
    expect(wanting.locator("[data-thing]", has_text="Imke Farrow")).to_contain_text("missing")
    lane.get_by_role("link", name="People").click()

    # Sort: the tree is folded to the differences, the first one is on the bench
    tree = page.get_by_role("tree")
    expect(tree.get_by_role("treeitem")).to_have_count(14)
    expect(page.get_by_role("heading", name="Ansel Brandvold")).to_be_visible()
    page.get_by_role("checkbox", name="Put back Ansel Brandvold").click()
    page.get_by_role("checkbox", name="Put back Imke Farrow").click()
    tree.get_by_text("feeder-robot").click()
    shell = page.locator("[data-attribute=loginShell]")
    shell.get_by_role("switch").click()
    expect(shell.get_by_text("/usr/sbin/nologin").nth(1)).to_be_visible()
    tray = page.get_by_role("complementary", name="Tray")
    expect(tray.get_by_text("loginShell")).to_be_visible()
    expect(tray.get_by_text("staff-all")).to_be_visible()

    # Preview: steps, findings, protocol text, one sentence
    tray.get_by_role("button", name="Preview").click()
    expect(page.get_by_role("heading", name="4 objects change, 1 is created")).to_be_visible()
    expect(page.get_by_text("changetype: modrdn")).to_be_visible()
    page.get_by_role("button", name="Restore 5 objects to People").click()

    # Run: each step verified, then the outcome
    expect(page.get_by_role("heading", name="Restore: done and verified")).to_be_visible(
        timeout=20_000
    )
    expect(page.get_by_text("verified", exact=True)).to_have_count(6)
    expect(page.get_by_text("Looked again afterwards")).to_contain_text(
        "3 changed, 2 missing, 2 extra"
    )

    # Undo: a preview of its own, then a run
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_role("heading", name="Undo of run")).to_be_visible()
    page.get_by_role("button", name="Undo 5 objects on People").click()
    expect(page.get_by_role("heading", name="done and verified")).to_be_visible(timeout=20_000)
    expect(page.get_by_text("Looked again afterwards")).to_contain_text(
        "3 changed, 1 moved, 3 missing, 2 extra"
    )


def test_the_cameras_go_back_to_their_vlan_and_the_mirror_comes_back(
    page: Page, demo: Demo
) -> None:
    lane = page.get_by_role("article", name="Lagoon net")
    expect(lane.get_by_text("4 changed")).to_be_visible()
    lane.get_by_role("link", name="Lagoon net").click()
    expect(page.get_by_role("heading", name="Mirror cameras")).to_be_visible()
    page.get_by_role("checkbox", name="Put back Mirror cameras").click()
    for camera in ("cam-kelp", "cam-reef-1", "cam-reef-2"):
        page.get_by_role("checkbox", name=f"Put back {camera}").click()
    page.get_by_role("button", name="Preview").click()
    expect(page.get_by_role("heading", name="3 objects change, 1 is created")).to_be_visible()
    # the same of three ports is told once
    cut = page.get_by_role("region", name="To know first").get_by_role("checkbox")
    expect(cut).to_have_count(1)
    expect(page.get_by_text("VLAN 20 → 30")).to_be_visible()
    cut.check()
    page.get_by_role("button", name="Restore 4 objects to Lagoon net").click()
    done = page.get_by_role("heading", name="Restore: done and verified")
    expect(done).to_be_visible(timeout=20_000)
    expect(page.get_by_text("Looked again afterwards")).to_contain_text("1 changed, 2 extra")
    page.get_by_role("button", name="Undo").click()
    again = page.get_by_role("button", name="Undo 4 objects on Lagoon net")
    expect(again).to_be_visible()
    for box in cut.all():
        box.check()
    again.click()
    undone = page.get_by_role("heading", name="Undo of run")
    expect(undone).to_contain_text("done and verified", timeout=20_000)


def test_forty_animals_get_their_diet_back_at_once(page: Page, demo: Demo) -> None:
    lane = page.get_by_role("article", name="Register")
    lane.get_by_role("link", name="Register", exact=True).click()
    page.get_by_role("treeitem", name="Beacon · 17").click()
    common = page.get_by_role("region", name="Changes in common")
    expect(common).to_contain_text("Herring · 1")
    expect(common).to_contain_text("Capelin · 2")
    in_all = page.get_by_role("switch", name="Put back diet_id in all 40")
    in_all.click()
    expect(common.get_by_text("picked in 40 objects")).to_be_visible()
    in_all.click()
    tray = page.get_by_role("complementary", name="Tray")
    expect(tray.get_by_role("listitem")).to_have_count(0)
    # on the bench of a branch it is one row, from which one animal can be left out
    page.get_by_role("treeitem", name="everything").click()
    table = page.get_by_role("table", name="All that differs in it")
    expect(table.get_by_role("rowgroup", name="/tank/Cold Shelf · 6")).to_contain_text("salt")
    in_all.click()
    expect(tray.get_by_text("in 40 objects")).to_be_visible()
    table.get_by_role("button", name="40 objects", exact=True).click()
    one = table.get_by_role("switch", name="Put back diet_id in Beacon · 17")
    one.click()
    expect(tray.get_by_text("in 39 objects")).to_be_visible()
    expect(in_all).not_to_be_checked()
    one.click()
    expect(in_all).to_be_checked()
    expect(tray.get_by_role("listitem")).to_have_count(1)
    # a tank with its animals and treatments is a branch
    page.goto(page.url.partition("?")[0] + '?at=["tank","Turtle Ward · 9"]')
    page.get_by_role("checkbox", name=re.compile("Put back .*Turtle Ward · 9")).click()
    page.get_by_role("button", name="Preview").click()
    heading = page.get_by_role("heading", name=re.compile("40 objects change, .* are created"))
    expect(heading).to_be_visible(timeout=_LONG)
    known = page.get_by_role("region", name="To know first")
    meanwhile = known.locator("div", has=page.get_by_role("heading", name="while it writes"))
    expect(meanwhile.first).to_contain_text("The trigger animal_is_logged")
    expect(meanwhile.first).to_contain_text("wait until it has ended")
    expect(known).to_contain_text("Register says that the account may write all of this.")
    page.get_by_role("region", name="To know first").get_by_role("checkbox").check()
    with worker_stands_still(demo):
        page.get_by_role("button", name=re.compile("^Restore .* objects to Register")).click()
        # whoever finds the run later must be able to see what it holds up
        expect(page.get_by_text("wait until it has ended")).to_be_visible(timeout=_LONG)
    done = page.get_by_role("heading", name="Restore: done and verified")
    expect(done).to_be_visible(timeout=_LONG)
    # all but what was not picked
    expect(page.get_by_text("Looked again afterwards")).to_contain_text("1 changed")
    page.get_by_role("button", name="Undo").click()
    again = page.get_by_role("button", name=re.compile("^Undo .* objects on Register"))
    expect(again).to_be_visible(timeout=_LONG)
    for box in page.get_by_role("region", name="To know first").get_by_role("checkbox").all():
        box.check()
    again.click()
    undone = page.get_by_role("heading", name="Undo of run")
    expect(undone).to_contain_text("done and verified", timeout=_LONG)


def test_a_queue_comes_back_and_another_points_to_its_printer_again(page: Page) -> None:
    lane = page.get_by_role("article", name="Labels")
    expect(lane.get_by_text("3 changed")).to_be_visible()
    lane.get_by_role("link", name="Labels", exact=True).click()
    page.get_by_role("checkbox", name="Put back signs-hall").click()
    page.get_by_role("treeitem", name="tickets-2").click()
    page.get_by_role("switch", name="Put back address of the printer").click()
    page.get_by_role("button", name="Preview").click()
    expect(page.get_by_role("heading", name="1 object changes, 1 is created")).to_be_visible()
    known = page.get_by_role("region", name="To know first")
    expect(known).to_contain_text("does not say beforehand whether the account may write any of it")
    page.get_by_role("button", name=re.compile("tickets-2")).first.click()
    expect(page.get_by_text("device-uri = socket://192.0.2.72:9100")).to_be_visible()
    page.get_by_role("button", name="Restore 2 objects to Labels").click()
    done = page.get_by_role("heading", name="Restore: done and verified")
    expect(done).to_be_visible(timeout=_LONG)
    expect(page.get_by_text("Looked again afterwards")).to_contain_text("2 changed")
    page.get_by_role("button", name="Undo").click()
    page.get_by_role("button", name="Undo 2 objects on Labels").click()
    undone = page.get_by_role("heading", name="Undo of run")
    expect(undone).to_contain_text("done and verified", timeout=_LONG)


def test_from_signing_in_to_a_picked_attribute_by_keyboard_alone(page: Page) -> None:
    expect(page.get_by_role("article", name="People")).to_be_visible()
    page.keyboard.press("Enter")
    tree = page.get_by_role("tree")
    expect(tree).to_be_visible()
    expect(page.get_by_role("heading", name="Ansel Brandvold")).to_be_visible()
    page.keyboard.press("]")
    expect(page.get_by_role("heading", name="night-dive-leads")).to_be_visible()
    tree.focus()
    page.keyboard.press("ArrowDown")
    expect(page.get_by_role("heading", name="turtle-rescue")).to_be_visible()
    page.keyboard.press("Space")
    tray = page.get_by_role("complementary", name="Tray")
    expect(tray.get_by_role("listitem")).to_have_count(1)
    page.keyboard.press("Control+z")
    expect(tray.get_by_role("listitem")).to_have_count(0)
    page.keyboard.press("Tab")
    for _ in range(20):
        if page.evaluate("document.activeElement?.getAttribute('role')") == "switch":
            break
        page.keyboard.press("Tab")
    page.keyboard.press("Space")
    expect(tray.get_by_role("listitem")).to_have_count(1)


def test_backing_up_pinning_and_comparing_two_backups(page: Page) -> None:
    page.get_by_role("link", name="Backups").click()
    rows = page.locator("tbody tr")
    expect(rows).to_have_count(12)
    page.get_by_label("Note for a new backup").fill("before the storm")
    page.get_by_role("button", name="Back up now").click()
    expect(rows.first.get_by_text("before the storm")).to_be_visible(timeout=20_000)
    rows.first.get_by_role("button", name="more").click()
    page.get_by_role("button", name="pin", exact=True).click()
    expect(rows.first.get_by_text("pinned")).to_be_visible()
    rows.first.get_by_role("button", name="less").click()
    rows.nth(0).get_by_role("checkbox").check()
    rows.nth(1).get_by_role("checkbox").check()
    page.get_by_role("button", name="Compare the two chosen").click()
    expect(page.get_by_text("nothing can be picked here")).to_be_visible()
    expect(page.get_by_role("tree").get_by_text("tmp-contractor-7")).to_be_visible()
    page.reload()
    expect(page.get_by_text("nothing can be picked here")).to_be_visible()


def test_what_was_asked_for_answers_where_it_was_asked(page: Page) -> None:
    page.get_by_role("link", name="Gateway", exact=True).click()
    page.get_by_role("tree").get_by_text("motd", exact=True).click()
    expect(page.get_by_role("heading", name="motd")).to_contain_text("not live")
    page.keyboard.press("b")
    page.keyboard.press("Enter")
    expect(page.get_by_text("The backup failed.")).to_be_visible(timeout=20_000)
    expect(page.get_by_text("There is no file")).to_be_visible()
    page.keyboard.press("l")
    expect(page.get_by_text("Live has been looked at.")).to_be_visible(timeout=20_000)
    page.get_by_role("button", name="show it").click()
    expect(page.get_by_text("Live has been looked at.")).not_to_be_visible()


def test_two_backups_are_named_by_what_they_are(page: Page, demo: Demo) -> None:
    page.goto(f"{demo.url}/sort/1?left=1&right=3")
    expect(page.get_by_role("heading", name="feeding-rota")).to_contain_text(
        "with other values in the backup of"
    )
    bench = page.get_by_role("region", name="Bench")
    expect(bench.get_by_text("live", exact=True)).to_have_count(0)
    expect(page.get_by_text("so nothing can be picked here")).to_be_visible()
    page.get_by_role("button", name="compare with live again").first.click()
    expect(page.get_by_text("so nothing can be picked here")).not_to_be_visible()
    expect(bench.get_by_text("live", exact=True).first).to_be_visible()


def test_watch_says_so_where_it_does_not_know(page: Page, demo: Demo) -> None:
    page.route(
        "**/api/v1/attention/ranked",
        lambda route: route.fulfill(status=503, json={"error": "Busy."}),
    )
    page.goto(f"{demo.url}/runs")
    page.goto(demo.url)
    expect(page.get_by_text("What wants attention is not known.")).to_be_visible(timeout=20_000)
    expect(page.get_by_text("system was as it was kept")).not_to_be_visible()
