"""The first minutes of a new user: an empty shop is put together on one page, with machines that nobody here wrote."""

from collections.abc import Iterator
from pathlib import Path

import httpx
import pytest
from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import Page, expect

from tests.conftest import RunningEtiquette
from tests.strangers import SlowPlotter, eve_printer


@pytest.fixture(scope="module")
def bare(tmp_path_factory: pytest.TempPathFactory) -> Iterator[RunningEtiquette]:
    etiquette = RunningEtiquette(tmp_path_factory.mktemp("bare"), demo=False)
    etiquette.start()
    yield etiquette
    etiquette.end()


def typed(page: Page, label: str, text: str) -> None:
    field = page.get_by_label(label, exact=True)
    field.fill(text)
    field.press("Enter")


def test_an_empty_shop_is_set_up_left_and_found_again(page: Page, bare: RunningEtiquette, tmp_path: Path) -> None:
    bare.let_in(page)
    page.goto(bare.url)
    page.get_by_role("link", name="Set up the shop").click()
    way = page.get_by_role("group", name="The way of the work").get_by_role("button")
    still = page.get_by_role("complementary", name="What is open")
    expect(still.get_by_role("button")).to_have_text(
        [
            "A printerput it on",
            "A stockput it on",
            "Film, or nonedecide",
            "A cutter, or only printdecide",
            "Take a shop from a file",
        ]
    )
    with eve_printer(tmp_path) as stranger, SlowPlotter() as plotter:
        # what is asked first is answered, and the rest of it is asked in the same place
        page.get_by_role("button", name="Network it says").click()
        expect(page.get_by_label("Address of Printer", exact=True)).to_be_visible()
        expect(page.get_by_role("button", name="Next: A stock")).to_be_visible()
        # in another order than the work goes: the cutter first
        way.nth(3).click()
        page.get_by_role("button", name="Cable").click()
        typed(page, "Address of Cutter", f"serial:{plotter.path}?baud=9600")
        page.get_by_role("button", name="Ask it who it is").click()
        expect(page.get_by_role("status", name="Who answers")).to_contain_text("Found")
        page.get_by_role("button", name="For a camera put it on").click()
        expect(way.nth(3)).to_contain_text("cable · led by hand")
        way.nth(0).click()
        page.get_by_role("button", name="Network it says").click()
        typed(page, "Address of Printer", stranger.uri)
        page.get_by_role("button", name="Ask it who it is").click()
        expect(page.get_by_role("status", name="Who answers")).to_contain_text("Example Printer")
    # left and found again, after a reload: what is there was kept as it was put on
    page.goto(f"{bare.url}/lines")
    page.goto(f"{bare.url}/floor")
    page.get_by_role("link", name="Set it up").click()
    way.nth(1).click()
    page.get_by_role("button", name="Put a stock on").click()
    typed(page, "What you call it", "Gloss white 30 in")
    typed(page, "How wide it is", "30in")
    expect(page.get_by_label("How wide it is", exact=True)).to_have_value("762")
    way.nth(2).click()
    page.get_by_role("button", name="No film").click()
    expect(way.nth(2)).to_contain_text("from the printer to the cutter")
    expect(still.get_by_role("button")).to_have_text(["A test sheetlater", "Take a shop from a file"])
    assert [one["id"] for one in Axe().run(page).response["violations"]] == []
    still.get_by_role("button", name="A test sheet").click()
    page.get_by_role("button", name="Knife force").click()
    expect(still.get_by_role("heading", name="Knife force")).to_be_visible()
    shelf = bare.get("/api/shelf").json()
    assert [one["width_mm"] for one in shelf["stock"]] == [762] and not shelf["stock"][0]["takes_film"]
    assert shelf["cutter"][0]["address"].startswith("serial:") and shelf["printer"][0]["address"].startswith("ipp:")
    with bare.client() as client:
        made = client.post("/api/runs", json={"name": "First", "items": []})
    assert made.status_code == 200  # the shop can work


def test_a_shop_comes_from_a_file(page: Page, bare: RunningEtiquette, tmp_path: Path) -> None:
    bare.let_in(page)
    file = tmp_path / "SHELF.json"
    saved = bare.get("/api/shelf/file").json()
    saved["ink_colour"] = [{"name": "Bell bronze", "cyan": 20, "magenta": 45, "yellow": 80, "black": 20}]
    file.write_text(httpx.Response(200, json=saved).text)
    page.goto(f"{bare.url}/shelf")
    page.get_by_role("button", name="Take in a file").click()
    chooser = page.get_by_label("Choose a SHELF.json")
    (tmp_path / "holiday.json").write_text("{")
    chooser.set_input_files(tmp_path / "holiday.json")
    expect(page.get_by_role("alert")).to_contain_text("holiday.json is not as it should be")
    chooser.set_input_files(file)
    expect(page.get_by_role("checkbox", name="Bell bronze")).to_be_checked()
    page.get_by_role("button", name="Take in 1").click()
    expect(page.get_by_role("main").get_by_role("button", name="Bell bronze")).to_be_visible()
