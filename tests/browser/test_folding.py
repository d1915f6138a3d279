"""A box drawn from the size of its goods becomes a design, and is folded on the screen."""

import re

from playwright.sync_api import Page, expect

from tests.conftest import RunningEtiquette


def test_a_box_is_drawn_made_and_folded(page_on: Page, running: RunningEtiquette) -> None:
    page_on.goto(f"{running.url}/lines/forms")
    expect(page_on.get_by_role("img", name="The flat form")).to_be_visible()
    wide = page_on.get_by_role("button", name="Goods are wide")
    wide.click()
    field = page_on.get_by_role("textbox", name="Goods are wide")
    field.fill('3 1/2"')
    field.press("Enter")
    expect(wide).to_contain_text("88.9 mm")
    deep = page_on.get_by_role("button", name="Goods are deep")
    deep.click()
    depth = page_on.get_by_role("textbox", name="Goods are deep")
    depth.fill("0")
    depth.press("Enter")
    expect(page_on.get_by_text("A tuck-end box needs every size of its goods.").first).to_be_visible()
    make = page_on.get_by_role("button", name="Make a design of it")
    expect(make).to_be_disabled()
    depth.fill("40")
    depth.press("Enter")
    name = page_on.get_by_role("textbox", name="Name of the form")
    name.fill("Seed box")
    name.press("Enter")
    expect(make).to_be_enabled()
    make.click()
    expect(page_on.get_by_role("heading", name="Seed box")).to_be_visible()
    expect(page_on.get_by_text("Crease × 12")).to_be_visible()
    page_on.get_by_role("link", name="See it folded about its creases").click()
    stage = page_on.get_by_role("img", name="Seed box: 13 panels, 75 % folded")
    expect(stage).to_be_visible()
    expect(stage).to_have_attribute("data-drawn", re.compile("^[1-9]"))  # triangles, drawn by the machine itself
    expect(page_on.get_by_text("Folded up, no panel goes through another.")).to_be_visible()
    page_on.get_by_role("slider", name="Folded").fill("100")
    expect(page_on.get_by_role("img", name="Seed box: 13 panels, 100 % folded")).to_be_visible()
    # a lid that is pushed through the front is told, and undone
    crease = page_on.get_by_role("button", name="Between panels 1 and 2")
    crease.click()
    angle = page_on.get_by_role("textbox", name="Between panels 1 and 2")
    angle.fill("170")
    angle.press("Enter")
    expect(crease).to_contain_text("170")
    page_on.get_by_role("button", name="Undo").click()
    expect(crease).to_contain_text("90")
