"""Braille on the screen: what a sign says is put into dots, moved, and taken away again."""

import re

from playwright.sync_api import Page, expect

from etiquette.demo.art import art_file
from tests.conftest import RunningEtiquette


def test_a_sign_gets_braille(page_on: Page, running: RunningEtiquette) -> None:
    with running.client() as client:
        art = {"file": ("puffin-sign.png", art_file("serial-plate")[1])}
        (design,) = client.post("/api/designs", files=art).raise_for_status().json()["ids"]
    page_on.goto(f"{running.url}/lines/{design}")
    page_on.get_by_role("heading", name="Puffin sign").wait_for()
    opened = page_on.get_by_role("button", name="Braille", exact=True)
    opened.click()
    page_on.get_by_label("What the sign says").fill("DECK 3")
    page_on.get_by_role("button", name="Put it into dots").click()
    expect(page_on.get_by_label("Cells")).to_have_text("⠙⠑⠉⠅⠀⠼⠉")
    expect(page_on.get_by_text("deck 3", exact=True)).to_be_visible()
    page_on.keyboard.press("v")
    page_on.get_by_role("button", name=re.compile("^From the foot")).click()
    field = page_on.get_by_role("textbox", name="From the foot")
    field.fill('1/2"')
    field.press("Enter")
    expect(page_on.get_by_role("button", name=re.compile("^From the foot"))).to_contain_text("12.70")
    page_on.reload()
    assert running.get(f"/api/designs/{design}").json()["document"]["braille"]["y_mm"] == 12.7
    page_on.get_by_role("button", name="Take it away").click()
    expect(page_on.get_by_label("Cells")).to_have_count(0)
