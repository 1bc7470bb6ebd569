"""Files in a real browser on the demo: saved, edited outside, opened, and put back from."""

import base64
import re
from pathlib import Path

from playwright.sync_api import Page, expect

from demo.started import ROOT, Demo

COLLEAGUES = ROOT / "demo" / "files" / "north-pier-presets.txt"


def test_a_branch_saved_edited_outside_and_put_back(page: Page, tmp_path: Path) -> None:
    page.get_by_role("article", name="Galleries").get_by_role("link", name="Galleries").click()
    expect(page.get_by_role("heading", level=2).first).to_be_visible()
    expect(page).to_have_url(re.compile("at="))
    page.get_by_label("differences only").uncheck()
    tree = page.get_by_role("tree")
    expect(tree.get_by_role("treeitem", name="Turtle feeding")).to_be_visible()
    page.wait_for_load_state("networkidle")
    tree.get_by_text("Penguins presets", exact=True).click()
    expect(page.get_by_role("heading", name="Penguins presets")).to_be_visible()
    page.get_by_role("button", name="save to a file…").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("Format").select_option("text")
    expect(dialog.get_by_text("5 objects,")).to_be_visible()
    with page.expect_download() as saved:
        dialog.get_by_role("link", name="Save the file").click()
    file = tmp_path / "penguins.txt"
    saved.value.save_as(file)
    # one line is edited with any editor
    head, day, rest = file.read_text().partition("/Penguins presets/Penguins Day")
    line = next(row for row in rest.splitlines() if "level: number" in row)
    file.write_text(head + day + rest.replace(line, "  level: number 77", 1))

    page.get_by_role("link", name="Files", exact=True).click()
    page.locator("input[type=file]").set_input_files(file)
    expect(page.get_by_role("heading", name="penguins.txt")).to_be_visible()
    expect(page.get_by_text("of Galleries, ")).to_be_visible()
    page.get_by_role("button", name="Compare").click()
    expect(page.get_by_text("The file tells of 5 objects here")).to_be_visible()
    expect(page.get_by_role("button", name="changed 1", exact=True)).to_be_visible()
    expect(page.get_by_role("heading", name="Penguins Day")).to_be_visible()
    page.locator("[data-attribute=level]").get_by_role("switch").click()
    page.get_by_role("button", name="Preview 1 step").click()
    expect(page.get_by_text("Afterwards live is as the file tells")).to_be_visible()
    page.get_by_role("button", name="Restore 1 object to Galleries").click()
    done = page.get_by_role("heading", name="done and verified")
    expect(done).to_be_visible(timeout=30_000)
    page.get_by_role("button", name="Undo").click()
    page.get_by_role("button", name="Undo 1 object on Galleries").click()
    undone = page.get_by_role("heading", name="Undo of run")
    expect(undone).to_contain_text("done and verified", timeout=30_000)


def test_a_preset_of_a_colleague_comes_to_the_galleries(page: Page, demo: Demo) -> None:
    page.get_by_role("link", name="Files", exact=True).click()
    # the file is dropped on the window
    raw = base64.b64encode(COLLEAGUES.read_bytes()).decode()
    page.evaluate(
        """([raw, name]) => {
            const bytes = Uint8Array.from(atob(raw), (c) => c.charCodeAt(0));
            const data = new DataTransfer();
            data.items.add(new File([bytes], name));
            for (const kind of ['dragenter', 'dragover', 'drop'])
                window.dispatchEvent(new DragEvent(kind, { dataTransfer: data, cancelable: true }));
        }""",
        [raw, COLLEAGUES.name],
    )
    expect(page.get_by_role("heading", name=COLLEAGUES.name)).to_be_visible()
    expect(page.get_by_text("of North Pier Galleries")).to_be_visible()
    search = page.get_by_role("searchbox", name="Search this file")
    search.fill("drift")
    search.press("Enter")
    page.get_by_role("button", name="Jellies Drift").click()
    expect(page.get_by_role("heading", name="Jellies Drift")).to_be_visible()
    expect(page.get_by_text("back: 30, floor: 5, front: 12")).to_be_visible()
    page.get_by_role("button", name="Compare").click()
    tree = page.get_by_role("tree")
    tree.get_by_text("Reef Moonrise").click()
    expect(page.get_by_role("heading", name="Reef Moonrise")).to_contain_text(
        "in the file, not live"
    )
    page.keyboard.press(" ")
    page.get_by_role("button", name="Preview 1 step").click()
    page.get_by_role("button", name="Restore 1 object to Galleries").click()
    done = page.get_by_role("heading", name="done and verified")
    expect(done).to_be_visible(timeout=30_000)
    # what the controller does not take is told, and the rest can go
    page.goto(f"{demo.url}/files")
    page.get_by_role("link", name=COLLEAGUES.name).first.click()
    page.get_by_role("button", name="Compare").click()
    expect(tree.get_by_text("Reef Storm")).to_be_visible()
    tree.get_by_role("checkbox", name="in everything").click()
    page.get_by_role("button", name="Preview 2 steps").click()
    expect(page.get_by_text("1 of 2 objects can be written; 1 cannot")).to_be_visible()
    expect(page.get_by_text("mist lies between 0 and 40 %")).to_be_visible()
    expect(page.get_by_role("heading", name="1 object is created")).to_be_visible()


def test_a_file_that_was_cut_short_is_refused_with_the_place(page: Page) -> None:
    page.get_by_role("link", name="Files", exact=True).click()
    page.locator("input[type=file]").set_input_files(ROOT / "demo" / "files" / "cut-short.zip")
    expect(page.get_by_role("alert")).to_contain_text(
        "its listing, which stands at the end, is missing"
    )
    expect(page.get_by_role("alert")).to_contain_text("Nothing was kept of it")
    expect(page.get_by_role("link", name="cut-short.zip")).to_have_count(0)


def test_where_nothing_has_a_place_nothing_is_said_to_be_the_same(
    page: Page, tmp_path: Path
) -> None:
    file = tmp_path / "night.ldif"
    file.write_text(
        "dn: ou=night,dc=other,dc=site\nobjectClass: organizationalUnit\nou: night\n"
        "description: night shift\n"
    )
    page.get_by_role("link", name="Files", exact=True).click()
    page.locator("input[type=file]").set_input_files(file)
    expect(page.get_by_role("heading", name="night.ldif")).to_be_visible()
    page.get_by_role("button", name="Compare").click()
    expect(page.get_by_text("Nothing of night.ldif has a place in People.")).to_be_visible()
    expect(page.get_by_text("Nothing differs")).to_have_count(0)
    page.get_by_role("link", name="Choose where the file hangs").click()
    hangs = page.get_by_label("put beneath")
    hangs.select_option(label="ou=volunteers,dc=kelpmoor,dc=example")
    page.get_by_role("button", name="Compare").click()
    expect(page.get_by_role("heading", name="night")).to_contain_text("in the file, not live")
    expect(page.get_by_text(", put beneath volunteers")).to_be_visible()
