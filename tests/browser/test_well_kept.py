"""Backups as a practice, in a real browser: scheduled, dropped, damaged, mended, told."""

import re
import subprocess
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime, timedelta
from email import message_from_string
from email.policy import default

import psycopg
from playwright.sync_api import Locator, Page, Route, expect

from demo.started import Demo

_LONG = 20_000
#: A schedule of every minute is due within one; then a worker takes it up.
_DUE = 90_000


def backups(page: Page, name: str) -> Locator:
    """Open the backups of a system; return the rows of the list."""
    page.get_by_role("article", name=name).get_by_role("link", name=name, exact=True).click()
    page.get_by_role("link", name="Backups", exact=True).click()
    expect(page.get_by_role("heading", name=f"Backups of {name}")).to_be_visible()
    rows = page.locator("main tbody tr")
    expect(rows.first).to_be_visible()
    return rows


def test_nothing_is_kept_by_itself_while_somebody_sits_down_to_the_demo(
    page: Page, demo: Demo
) -> None:
    # a backup made by itself would hold the trouble too, and there would be nothing to put right
    with database(demo) as connection:
        [soonest] = connection.execute(
            "select min(next_at) from schedules_schedule where at = '[]'"
        ).fetchone() or [None]
    assert soonest is not None
    assert soonest > datetime.now(UTC) + timedelta(hours=8)


def test_a_schedule_is_made_and_seen_to_run(page: Page) -> None:
    backups(page, "Plant")
    page.get_by_role("button", name="schedules…").click()
    sheet = page.get_by_role("dialog")
    sheet.get_by_role("button", name="Make a schedule").click()
    sheet.get_by_label("Keep", exact=True).select_option(label="only /quarantine")
    sheet.get_by_label("When", exact=True).select_option("daily")
    sheet.get_by_label("Clock of").select_option("Europe/Oslo")
    expect(sheet.get_by_text("The next times")).to_be_visible()
    expect(sheet.locator("form ul").first.locator("li")).to_have_count(3)
    sheet.get_by_label("When", exact=True).select_option("cron")
    sheet.get_by_role("textbox", name="Cron expression").fill("61 * * * *")
    expect(sheet.get_by_text("is no cron expression")).to_be_visible()
    sheet.get_by_label("When", exact=True).select_option("every")
    sheet.get_by_label("Minutes").fill("1")
    sheet.get_by_label("Note", exact=True).fill("quarantine, often")
    sheet.get_by_role("button", name="Keep this schedule").click()
    made = sheet.get_by_role("article", name="every minute")
    expect(made).to_contain_text("only /quarantine")
    expect(made).to_contain_text("made last", timeout=_DUE)
    made.get_by_role("button", name="pause").click()
    expect(made).to_contain_text("paused: it makes nothing")
    sheet.get_by_role("button", name="Close").click()
    row = page.locator("main tbody tr").filter(has_text="quarantine, often").first
    expect(row).to_contain_text("every minute")
    expect(row).to_contain_text("only quarantine")
    page.get_by_role("button", name="schedules…").click()
    # what is asked for while something is under way waits its turn
    held: list[Route] = []
    page.route(
        re.compile(r"/api/v1/schedules/\d+$"),
        lambda route: held.append(route) if route.request.method == "PATCH" else route.continue_(),
    )
    made.get_by_role("button", name="go on").click()
    made.get_by_role("button", name="remove").click()
    for _ in range(200):  # the pause before it may still be under way
        page.wait_for_timeout(100)
        if held:
            break
    assert len(held) == 1
    held[0].continue_()
    expect(made).to_have_count(0)
    expect(row).to_be_attached()


def test_a_policy_says_what_it_drops_before_it_is_kept(page: Page) -> None:
    rows = backups(page, "Gateway")
    oldest = rows.filter(has_text="goes next")
    expect(oldest).to_have_count(1)
    before = rows.count()
    page.get_by_role("button", name="how long…").click()
    sheet = page.get_by_role("dialog")
    expect(sheet.get_by_text("Nothing would go now.")).to_be_visible()
    sheet.get_by_label("of the good ones, the last").fill("2")
    expect(sheet.get_by_role("heading", name="would go")).to_be_visible()
    told = int(sheet.get_by_role("heading", name="would go").inner_text().split()[0])
    assert sheet.locator("li").count() == told > 0
    sheet.get_by_role("button", name="Back", exact=True).click()
    assert rows.count() == before
    page.get_by_role("button", name="how long…").click()
    sheet.get_by_label("of the good ones, the last").fill("2")
    sheet.get_by_role("button", name=f"and drop {told} backup").click()
    expect(rows).to_have_count(before - told, timeout=_LONG)
    # the pinned one stays, whatever its age
    expect(rows.filter(has_text="pinned")).to_have_count(1)


def test_deleting_says_what_is_lost_and_is_refused_where_it_is_needed(page: Page) -> None:
    rows = backups(page, "Galleries")
    before = rows.count()
    kept = rows.filter(has_text="baseline")
    kept.get_by_role("button", name="more").click()
    page.get_by_role("button", name="delete…").click()
    sheet = page.get_by_role("dialog")
    expect(sheet.get_by_text("It is needed, so it cannot be deleted")).to_contain_text("baseline")
    expect(sheet.get_by_role("button", name="Delete this backup")).to_be_disabled()
    sheet.get_by_role("button", name="Keep it").click()
    kept.get_by_role("button", name="less").click()
    rows.last.get_by_role("button", name="more").click()
    page.get_by_role("button", name="delete…").click()
    expect(sheet.get_by_text("are lost for good")).to_be_visible()
    expect(sheet.get_by_text("That frees")).to_be_visible(timeout=_LONG)
    sheet.get_by_role("button", name="Delete this backup").click()
    expect(rows).to_have_count(before - 1, timeout=_LONG)


@contextmanager
def database(demo: Demo) -> Iterator[psycopg.Connection]:
    url = (demo.state / "database-url").read_text().strip()
    with psycopg.connect(url, autocommit=True) as connection:
        yield connection


def test_damage_is_told_and_mended_by_the_next_backup(page: Page, demo: Demo) -> None:
    rows = backups(page, "People")
    page.get_by_label("Note for a new backup").fill("as it stands")
    page.get_by_role("button", name="Back up now").click()
    expect(page.get_by_text("The system is kept.")).to_be_visible(timeout=_LONG)
    page.get_by_role("button", name="all right").click()
    page.get_by_role("button", name="read all again").click()
    expect(page.get_by_text("all is as it was kept")).to_be_visible(timeout=_LONG)
    with database(demo) as connection:
        [number] = connection.execute(
            "select id from systems_system where name = 'People'"
        ).fetchone() or [0]
        [root] = connection.execute(
            "select significant from snapshots_record where system_id = %s and kind = 'backup' "
            "and at = '[]' order by taken_at desc limit 1", [number],
        ).fetchone() or [b""]  # fmt: skip
        connection.execute(
            "update store_chunk set data = set_byte(data, 12, get_byte(data, 12) # 85) "
            "where address = %s", [root],
        )  # fmt: skip
    page.get_by_role("button", name="all right").click()
    page.get_by_role("button", name="read all again").click()
    expect(page.get_by_text("damaged; each says where")).to_be_visible(timeout=_LONG)
    hurt = rows.filter(has_text="cannot be read")
    expect(hurt).not_to_have_count(0)
    expect(page.get_by_text("the next backup that holds the same mends it")).to_be_visible()
    hurt.first.get_by_role("button", name="more").click()
    expect(page.get_by_text("all of it", exact=True)).to_be_visible()
    page.get_by_role("link", name="Watch").click()
    expect(page.get_by_role("link", name="cannot be read as kept")).to_be_visible()
    # live is as it was, so the next backup holds the same content
    backups_again = page.get_by_role("article", name="People").get_by_role("button", name="back up")
    backups_again.click()
    expect(page.get_by_text("The system is kept.")).to_be_visible(timeout=_LONG)
    expect(page.get_by_role("link", name="cannot be read as kept")).to_have_count(0)


def test_a_branch_is_kept_and_what_changed_since_is_one_click(page: Page, demo: Demo) -> None:
    port = (demo.state / "plant" / "etcd-port").read_text()
    page.get_by_role("article", name="Plant").get_by_role("link", name="Plant", exact=True).click()
    page.get_by_label("differences only").uncheck()
    tree = page.get_by_role("tree")
    tree.get_by_text("seal-rescue", exact=True).click()
    expect(page.get_by_role("heading", name="seal-rescue")).to_be_visible()
    page.get_by_role("button", name="keep this branch").click()
    sheet = page.get_by_role("dialog")
    expect(sheet.get_by_label("A note to find it by")).to_be_focused()
    page.keyboard.type("the filter change")
    sheet.get_by_label("pin it").check()
    page.keyboard.press("Enter")
    expect(page.get_by_text("The branch seal-rescue is kept.")).to_be_visible(timeout=_LONG)
    # live is changed by the server's own tool
    subprocess.run(
        ["etcdctl", f"--endpoints=http://127.0.0.1:{port}", "put",
         "/plant/seal-rescue/pump-9/setpoint", "17"],
        check=True, capture_output=True, env={"ETCDCTL_API": "3", "PATH": "/usr/bin:/bin"},
    )  # fmt: skip
    page.get_by_role("link", name="Watch").click()
    lane = page.get_by_role("article", name="Plant")
    expect(lane).to_contain_text("before: the filter change")
    lane.get_by_role("button", name="what have I changed since?").click()
    expect(page).to_have_url(re.compile("left=.*right="), timeout=_LONG)
    expect(page.get_by_role("tree").get_by_text("pump-9")).to_be_visible()
    expect(page.get_by_role("button", name=re.compile(r"^missing \d"))).to_have_count(0)


def test_what_was_left_out_by_choice_is_not_kept_and_never_missing(page: Page) -> None:
    backups(page, "Galleries")
    page.get_by_role("button", name="what they take…").click()
    sheet = page.get_by_role("dialog")
    sheet.get_by_label("preset").uncheck()
    sheet.get_by_role("button", name="Save, for backups from now on").click()
    expect(page.get_by_text("all but what 1 rule leaves out")).to_be_visible()
    page.get_by_label("Note for a new backup").fill("without presets")
    page.get_by_role("button", name="Back up now").click()
    row = page.locator("main tbody tr").filter(has_text="without presets")
    expect(row).to_contain_text("without preset", timeout=_LONG)
    row.get_by_role("link", name="sort").click()
    # other tests bring presets along
    expect(page.get_by_text(re.compile(r"^2\d not kept$"))).to_be_visible()
    expect(page.get_by_text("Nothing differs.")).to_have_count(0)
    expect(page.get_by_role("button", name=re.compile(r"^missing \d"))).to_have_count(0)
    page.get_by_role("link", name="Backups", exact=True).click()
    page.get_by_role("button", name="what they take…").click()
    sheet.get_by_label("preset").check()
    sheet.get_by_role("button", name="Save, for backups from now on").click()
    expect(page.get_by_text("all of the system")).to_be_visible()


def test_what_wants_attention_is_put_aside_and_taken_up_again(page: Page) -> None:
    side = page.get_by_role("complementary", name="Wants attention")
    item = side.locator("[data-thing]").filter(has_text="chrony.conf")
    item.hover()
    item.get_by_role("button", name="put aside…").click()
    item.get_by_label("Why").fill("in work until Friday")
    item.get_by_role("button", name="a week").click()
    expect(item).to_have_count(0)
    side.get_by_role("button", name="1 put aside").click()
    aside = side.get_by_text("in work until Friday")
    expect(aside).to_contain_text("by Runa Odell")
    side.get_by_role("button", name="take it up").click()
    expect(item).to_have_count(1)


def test_who_is_told_gets_a_test_and_a_digest_that_can_be_read(page: Page, demo: Demo) -> None:
    mailbox = demo.state / "mailbox" / "new"

    def mail() -> list[str]:
        found = [message_from_string(f.read_text(), policy=default) for f in mailbox.iterdir()]
        return [f"{m['To']}: {m['Subject']}" for m in found]

    assert any(re.search(r"odell@.*things? wants? attention", one) for one in mail())
    page.get_by_role("link", name="Setup", exact=True).click()
    page.get_by_role("link", name="Who is told").click()
    mine = page.get_by_role("article", name="odell@kelpmoor.example")
    mine.get_by_role("button", name="send a test").click()
    expect(mine.get_by_text("The test got there.")).to_be_visible(timeout=_LONG)
    assert "odell@kelpmoor.example: Keep Sort: a test" in mail()
    page.get_by_role("button", name="Tell somebody").click()
    form = page.locator("form")
    form.get_by_label("How", exact=True).select_option("webhook")
    form.get_by_label("Address").fill("http://127.0.0.1:1/nobody")
    form.get_by_label("Plant").check()
    form.get_by_role("button", name="Tell it from now on").click()
    expect(page.get_by_text("Calls to it are signed with this secret")).to_be_visible()
    page.get_by_role("button", name="I have it").click()
    hook = page.get_by_role("article", name="http://127.0.0.1:1/nobody")
    expect(hook).to_contain_text("about Plant")
    hook.get_by_role("button", name="send a test").click()
    expect(hook.get_by_text("does not answer")).to_be_visible(timeout=_LONG)
    hook.get_by_role("button", name="tell it nothing any more").click()
    expect(hook).to_have_count(0)
