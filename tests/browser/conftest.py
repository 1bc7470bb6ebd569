"""The whole demo, as `make demo` starts it, and a browser."""

from collections.abc import Iterator

import pytest
from playwright.sync_api import Browser, Page, expect, sync_playwright

from demo.started import CHROMIUM, Demo, started

# what is waited for comes late where all else is tested at the same time; speed is measured apart
expect.set_options(timeout=20_000)


@pytest.fixture(scope="package")
def demo() -> Iterator[Demo]:
    with started() as found:
        yield found


@pytest.fixture(scope="package")
def browser() -> Iterator[Browser]:
    with sync_playwright() as playwright:
        found = playwright.chromium.launch(**CHROMIUM)
        yield found
        found.close()


@pytest.fixture
def page(browser: Browser, demo: Demo) -> Iterator[Page]:
    """A page that is signed in; any error in the browser's console fails the test."""
    context = browser.new_context(viewport={"width": 1280, "height": 800})
    found = context.new_page()
    errors: list[str] = []
    found.on("pageerror", lambda e: errors.append(str(e)))
    found.on(
        "console",
        lambda m: (
            errors.append(m.text) if m.type == "error" and "Content Security" in m.text else None
        ),
    )
    found.goto(demo.url)
    found.get_by_label("Name").fill(demo.user)
    found.get_by_label("Password").fill(demo.password)
    found.keyboard.press("Enter")
    found.get_by_text("Wants attention").wait_for()
    yield found
    context.close()
    assert not errors
