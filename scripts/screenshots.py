"""Makes the pictures in docs/screenshots from the demo: ``make screenshots``.

The demo is started fresh in a folder of its own, so that the pictures are always of the same story.
"""

from pathlib import Path

from playwright.sync_api import Page, sync_playwright

from demo.started import CHROMIUM, started

ROOT = Path(__file__).resolve().parents[1]
TARGET = ROOT / "docs" / "screenshots"


def picture(page: Page, name: str) -> None:
    page.mouse.move(640, 795)
    page.wait_for_timeout(500)
    page.screenshot(path=TARGET / f"{name}.png")


def tour(page: Page, url: str, user: str, password: str) -> None:
    """Walk through the main job and picture each view."""
    page.goto(url)
    page.get_by_label("Name").fill(user)
    page.get_by_label("Password").fill(password)
    page.keyboard.press("Enter")
    page.get_by_role("article", name="People").wait_for()
    picture(page, "watch")
    page.keyboard.press("/")
    page.get_by_label("Search for").fill("tarrow")
    page.get_by_text("gone, last in the backup").first.wait_for()
    picture(page, "search")
    page.keyboard.press("Escape")
    page.get_by_role("article", name="People").get_by_role("link", name="People").click()
    page.get_by_role("heading", name="Ansel Brandvold").wait_for()
    page.get_by_role("switch", name="Put back its place").click()
    page.get_by_role("switch", name="Put back title").click()
    page.get_by_role("checkbox", name="Put back Imke Farrow").click()
    page.get_by_text("come along").wait_for()
    picture(page, "sort")
    page.get_by_role("button", name="by night").click()
    picture(page, "sort-night")
    page.get_by_role("button", name="by day").click()
    page.get_by_role("button", name="Preview").click()
    page.get_by_text("sent to People").first.wait_for()
    picture(page, "preview")
    page.get_by_role("button", name="Restore").click()
    page.get_by_role("heading", name="done and verified").wait_for()
    picture(page, "run")
    page.get_by_role("link", name="Runs").click()
    page.get_by_text("Ansel Brandvold").wait_for()
    picture(page, "runs")
    page.get_by_role("link", name="Backups").click()
    page.get_by_role("heading", name="Backups of People").wait_for()
    page.get_by_role("row", name="1 problem").get_by_role("button", name="more").click()
    page.get_by_text("which does not exist").wait_for()
    picture(page, "backups")
    page.get_by_role("button", name="schedules…").click()
    page.get_by_role("button", name="Make a schedule").click()
    page.get_by_label("Keep", exact=True).select_option(
        label="only ou=groups,dc=kelpmoor,dc=example"
    )
    page.get_by_text("would lead out of what is kept").wait_for()
    picture(page, "schedules")
    page.keyboard.press("Escape")
    page.get_by_role("button", name="how long…").click()
    page.get_by_label("of the good ones, the last").fill("4")
    page.get_by_role("heading", name="would go").wait_for()
    picture(page, "retention")
    page.keyboard.press("Escape")
    page.goto(f"{url}/sort/3")
    page.get_by_role("checkbox", name="Put back every_seconds").click()
    page.get_by_role("checkbox", name="Put back timeout_seconds").click()
    page.get_by_text("server", exact=True).first.click()
    page.get_by_role("heading", name="server").wait_for()
    picture(page, "files")
    page.goto(f"{url}/")
    register = page.get_by_role("article", name="Register")
    register.get_by_role("link", name="Register", exact=True).click()
    page.get_by_role("treeitem", name="everything").click()
    page.get_by_role("switch", name="Put back diet_id in all 40").click()
    page.get_by_text("picked in 40 objects").wait_for()
    picture(page, "common")
    page.goto(f'{url}/sort/3?at=["etc","chrony","chrony.conf"]')
    page.get_by_role("button", name="full width").first.click()
    text = page.get_by_role("region", name="text of chrony.conf")
    text.get_by_role("switch", name="Put back hunk 2").click()
    picture(page, "text")
    page.keyboard.press("?")
    page.get_by_text("It answers:").wait_for()
    picture(page, "help")
    page.keyboard.press("Escape")
    page.goto(f"{url}/files")
    page.locator("input[type=file]").set_input_files(ROOT / "demo/files/north-pier-presets.txt")
    page.get_by_role("button", name="Reef presets").click()
    page.get_by_role("button", name="Reef Moonrise").click()
    page.get_by_role("heading", name="Reef Moonrise").wait_for()
    picture(page, "opened")
    page.goto(f"{url}/setup/2")
    page.get_by_label("What the try has found").wait_for()
    picture(page, "setup")
    page.get_by_role("link", name="Who is told").click()
    page.get_by_role("button", name="Tell somebody").click()
    page.get_by_label("How", exact=True).select_option("webhook")
    picture(page, "messages")


def main() -> None:
    TARGET.mkdir(parents=True, exist_ok=True)
    with started() as demo, sync_playwright() as playwright:
        browser = playwright.chromium.launch(**CHROMIUM)
        page = browser.new_page(viewport={"width": 1280, "height": 800}, timezone_id="Europe/Oslo")
        tour(page, demo.url, demo.user, demo.password)
        browser.close()


if __name__ == "__main__":
    main()
