"""A label web on the screen: figures are changed on the drawing, what is wrong is said, files are made."""

import re

from playwright.sync_api import Page, expect

from etiquette.demo.art import art_file
from tests.conftest import RunningEtiquette


def typed(page: Page, figure: str, text: str) -> None:
    """A figure of the drawing pressed and typed over."""
    page.get_by_role("button", name=re.compile(f"^{figure}, ")).click()
    field = page.get_by_role("form", name=figure).get_by_role("textbox")
    field.fill(text)
    field.press("Enter")
    expect(page.get_by_role("form", name=figure)).to_have_count(0)


def test_a_web_is_drawn_put_right_and_made(page_on: Page, running: RunningEtiquette) -> None:
    with running.client() as client:
        art = {"file": ("quince-tea.png", art_file("serial-plate")[1])}
        client.post("/api/designs", files=art).raise_for_status()
    page_on.goto(f"{running.url}/run/web")
    page_on.get_by_role("button", name=re.compile("Quince tea")).click()
    page_on.get_by_role("button", name="Begin a web of this label").click()
    page_on.get_by_role("heading", name="Quince tea").wait_for()
    number = int(page_on.url.rsplit("/", 1)[1])
    page_on.get_by_role("button", name=re.compile("^Rows")).click()
    rows = page_on.get_by_role("textbox", name="Rows")
    rows.fill("2")
    rows.press("Enter")
    page_on.get_by_role("img", name="One repeat with 2 labels").wait_for()
    typed(page_on, "Bleed", "3")
    expect(page_on.get_by_text("The bleeds of labels behind each other overlap by 2.00 mm.")).to_be_visible()
    make = page_on.get_by_role("button", name="Make print and cut file")
    expect(make).to_be_disabled()
    typed(page_on, "Gap along", '1/4"')  # 6.35 mm: wide enough for 3 mm on each side
    expect(page_on.get_by_text("overlap by")).to_have_count(0)
    make.click()
    page_on.get_by_text("Both files match").wait_for()
    for name in ("print.pdf", "cut.pdf", "cut.dxf"):
        expect(page_on.get_by_role("link", name=name)).to_be_visible()
    page_on.reload()  # what is set and made is there again
    page_on.get_by_text("Both files match").wait_for()
    assert running.get(f"/api/webs/{number}").json()["document"]["gap_along_mm"] == 6.35
    page_on.keyboard.press("Control+z")
    expect(page_on.get_by_text("The files below are of the web as it was.")).to_be_visible()


def test_labels_are_cut_as_the_line_of_their_art_goes(page_on: Page, running: RunningEtiquette) -> None:
    with running.client() as client:
        art = {"file": ("sorrel-star.png", art_file("spark")[1])}
        (design,) = client.post("/api/designs", files=art).raise_for_status().json()["ids"]
    page_on.goto(f"{running.url}/lines/{design}")
    expect(page_on.get_by_role("main").get_by_test_id("finish-line")).to_have_count(1)
    page_on.goto(f"{running.url}/run/web")
    page_on.get_by_role("button", name=re.compile("Sorrel star")).click()
    page_on.get_by_role("button", name="Begin a web of this label").click()
    page_on.get_by_role("heading", name="Sorrel star").wait_for()
    drawing = page_on.get_by_role("img", name="One repeat with 1 labels")
    expect(drawing.locator("polygon.stroke-kiss")).to_have_count(1)
    shape = page_on.get_by_role("button", name=re.compile("^Labels are cut"))
    expect(shape).to_contain_text("in a shape of their own")
    shape.click()
    page_on.get_by_role("radio", name="by size and corners").click()
    expect(drawing.locator("polygon.stroke-kiss")).to_have_count(0)
    page_on.get_by_role("radio", name="as the line of the art goes").click()
    expect(drawing.locator("polygon.stroke-kiss")).to_have_count(1)
    page_on.get_by_role("button", name="Make print and cut file").click()
    page_on.get_by_text("Both files match").wait_for()
