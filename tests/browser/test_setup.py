"""Setup, a key of a file, and a copy elsewhere, as a person does them."""

import re

from playwright.sync_api import Page, expect

from demo.started import Demo


def test_adding_a_system_after_trying_it(page: Page, demo: Demo) -> None:
    page.get_by_role("link", name="Setup").click()
    page.get_by_role("link", name="Add a system").click()
    page.get_by_label("Connector").select_option(label="config files")
    page.get_by_label("Name").fill("This machine")
    page.get_by_label("Address").fill(f"file://{demo.state}/gateway/host")
    page.get_by_label("Folders").fill("etc")
    page.get_by_role("button", name="Try the connection").click()
    expect(page.get_by_text("no absolute path")).to_be_visible()
    page.get_by_label("Folders").fill("/etc")
    page.get_by_role("button", name="Try the connection").click()
    found = page.get_by_label("What the try has found")
    expect(found).to_contain_text("TOML file")
    expect(found).to_contain_text("May read /etc and write in it.")
    page.get_by_role("button", name="Add the system").click()
    expect(page.get_by_role("heading", name="This machine")).to_be_visible()
    page.get_by_text("Remove This machine from Keep Sort").click()
    remove = page.get_by_role("button", name="Remove This machine and its backups")
    expect(remove).to_be_disabled()
    page.get_by_label("Type its name").fill("This machine")
    remove.click()
    expect(page.get_by_role("link", name="This machine")).to_have_count(0)


def test_one_key_of_a_file_goes_back(page: Page, demo: Demo) -> None:
    page.get_by_role("article", name="Gateway").get_by_role(
        "link", name="Gateway", exact=True
    ).click()
    page.get_by_role("checkbox", name="Put back every_seconds").click()
    page.get_by_role("checkbox", name="Put back timeout_seconds").click()
    page.get_by_role("button", name="Preview 1 step").click()
    expect(page.get_by_text("posix-rename")).to_be_visible()
    page.get_by_role("button", name="Restore 1 object to Gateway").click()
    expect(page.get_by_role("heading", name="done and verified")).to_be_visible()
    text = (demo.state / "gateway/host/etc/sensors/gateway.toml").read_text()
    assert "every_seconds = 5      # quick test, Joost" in text
    assert "timeout_seconds = 2.5" in text
    assert "retries = 0" in text, "what was not picked stays"
    page.get_by_role("button", name="Undo").click()
    page.get_by_role("button", name=re.compile("^Undo 1 object")).click()
    expect(page.get_by_role("heading", name="done and verified")).to_be_visible()


def test_a_copy_goes_to_another_folder(page: Page) -> None:
    page.get_by_role("article", name="Galleries").get_by_role("link", name="Galleries").click()
    page.get_by_text("Turtle feeding").first.click()
    expect(page.get_by_role("heading", name="Turtle feeding")).to_be_visible()
    page.get_by_role("button", name="put elsewhere…").click()
    page.get_by_label("Held by").select_option(label="/Winter show")
    page.get_by_role("dialog").get_by_role("button", name="Preview").click()
    expect(page.get_by_text("/Winter show/Turtle feeding").first).to_be_visible()
    expect(page.get_by_text("A copy of what another place has")).to_be_visible()
    page.get_by_role("button", name="Restore 1 object to Galleries").click()
    expect(page.get_by_role("heading", name="done and verified")).to_be_visible()
    expect(page.get_by_text("Automation was suspended")).to_be_visible()
