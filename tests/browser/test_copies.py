"""Copies of the shop on the Shelf: a folder that is none is told, one that is gets a copy at once."""

import zipfile
from pathlib import Path

from playwright.sync_api import Page, expect

from tests.conftest import RunningEtiquette


def test_a_copy_is_made_at_once(page_on: Page, running: RunningEtiquette, tmp_path: Path) -> None:
    page_on.goto(f"{running.url}/shelf?copies=0")
    folder = page_on.get_by_role("textbox", name="Folder of the copies")
    folder.fill("/no such folder")
    folder.press("Enter")
    expect(page_on.get_by_text("There is no such folder on the machine that Etiquette runs on.")).to_be_visible()
    folder.fill(str(tmp_path))
    folder.press("Enter")
    make = page_on.get_by_role("button", name="Make one now")
    expect(make).to_be_enabled()
    make.click()
    expect(page_on.get_by_text("The last one was made on")).to_be_visible()
    (made,) = tmp_path.iterdir()
    expect(page_on.get_by_text(made.name)).to_be_visible()
    with zipfile.ZipFile(made) as packed:
        assert packed.testzip() is None and "backup.json" in packed.namelist()
    folder.fill("")
    folder.press("Enter")
    expect(page_on.get_by_role("button", name="None are made")).to_be_visible()
