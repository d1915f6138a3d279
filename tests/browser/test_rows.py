"""Rows on the screen: a table is taken in, fields are put on the art and moved, every row is looked at."""

import re

from playwright.sync_api import Page, expect

from etiquette.demo.art import art_file
from tests.conftest import RunningEtiquette

TABLE = "Owner,No\nAnn,1\nBo,2\nAn owner whose name is so long that it does not stand on any plate of this size,3\n"


def test_copies_are_filled_from_rows(page_on: Page, running: RunningEtiquette) -> None:
    with running.client() as client:
        art = {"file": ("plover-plate.png", art_file("serial-plate")[1])}
        (design,) = client.post("/api/designs", files=art).raise_for_status().json()["ids"]
    page_on.goto(f"{running.url}/lines/{design}")
    page_on.get_by_role("link", name="Make every copy different").click()
    page_on.get_by_role("heading", name="Plover plate, row by row").wait_for()
    page_on.get_by_label("Take in a table: CSV or workbook").set_input_files(
        [{"name": "owners.csv", "mimeType": "text/csv", "buffer": TABLE.encode()}]
    )
    expect(page_on.get_by_text("of 3", exact=True)).to_be_visible()
    page_on.keyboard.press("t")
    field = page_on.get_by_role("button", name="Text", exact=True).first
    field.wait_for()
    says = page_on.get_by_role("textbox", name="It says")
    expect(says).to_have_value("{Owner}")
    before = field.bounding_box()
    assert before is not None
    page_on.mouse.move(before["x"] + 20, before["y"] + 8)
    page_on.mouse.down()
    page_on.mouse.move(before["x"] + 80, before["y"] + 48, steps=4)
    page_on.mouse.up()
    expect(page_on.get_by_role("button", name="Undo")).to_have_attribute("title", re.compile("Text moved"))
    after = field.bounding_box()
    assert after is not None
    assert abs(after["x"] - before["x"] - 60) < 3
    assert abs(after["y"] - before["y"] - 40) < 3
    page_on.get_by_role("button", name="Check every row").click()
    wrong = page_on.get_by_role("button", name=re.compile("^Row 3, Text It does not fit"))
    wrong.wait_for()
    wrong.click()
    expect(page_on.get_by_role("button", name="Text, does not fit")).to_be_visible()
    expect(page_on.get_by_text("An owner whose name")).to_be_visible()
    page_on.get_by_role("button", name="Leave these rows out").click()
    expect(page_on.get_by_role("button", name="Left out: print it after all")).to_be_visible()
    page_on.get_by_role("button", name="Check every row").click()
    expect(page_on.get_by_text("All 2 rows can be printed.")).to_be_visible()
    page_on.reload()  # fields, table and what is left out are there again
    page_on.get_by_role("button", name="Text", exact=True).first.wait_for()
    rows = running.get(f"/api/designs/{design}").json()["document"]["rows"]
    assert rows["left_out"] == [3]
    assert rows["fields"][0]["x_mm"] > 0
