"""A stranger's machines: the Shelf is filled on the screen, and a cutter without an eye is shown its marks by hand."""

import re
from pathlib import Path

from playwright.sync_api import Page, expect

from tests.browser.test_run import new_run
from tests.browser.test_worn_bench import Api
from tests.conftest import RunningEtiquette
from tests.strangers import eve_printer


def test_a_printer_that_nobody_here_wrote_is_added_asked_and_taken_away(
    page_on: Page, running: RunningEtiquette, tmp_path: Path
) -> None:
    page_on.goto(f"{running.url}/shelf")
    readings = page_on.get_by_role("complementary", name="Readings")
    page_on.get_by_role("button", name="Add a printer").click()
    name = readings.get_by_label("Name of the printer")
    expect(name).to_have_value(re.compile("Printer"))
    name.fill("Printer west")
    name.press("Enter")
    expect(page_on.get_by_role("main").get_by_role("button", name="Printer west")).to_be_visible()
    address = readings.get_by_label("How is it connected?")
    address.fill("10.0.0.7")
    address.press("Enter")
    expect(page_on.get_by_text("“10.0.0.7” is no address of a printer.")).to_be_visible()
    with eve_printer(tmp_path) as stranger:
        address.fill(stranger.uri)
        address.press("Enter")
        readings.get_by_role("button", name="Ask it who it is").click()
        expect(readings.get_by_role("status", name="Who answers")).to_contain_text("Example Printer")
    readings.get_by_role("button", name="Ask it who it is").click()
    expect(readings.get_by_role("status", name="Who answers")).to_contain_text("is not listening")
    readings.get_by_role("button", name="Put this printer away").click()
    expect(page_on.get_by_role("main").get_by_role("button", name="Printer west")).to_have_count(0)
    page_on.get_by_role("button", name="Show what is put away").click()
    page_on.get_by_role("main").get_by_role("button", name="Printer west").click()
    readings.get_by_role("button", name="Delete this printer").click()
    asking = readings.get_by_role("alertdialog")
    expect(asking).to_be_in_viewport(ratio=1)
    asking.get_by_role("button", name="Delete it").click()
    expect(page_on.get_by_role("main").get_by_role("button", name="Printer west")).to_have_count(0)


def test_a_cutter_without_an_eye_is_shown_each_mark_and_cuts(page_on: Page, running: RunningEtiquette) -> None:
    api = Api(running)
    run = new_run(running, "By hand", {"Spark decal": 12})
    api.done("PUT", f"/runs/{run}/nest")
    sheet = api.filmed(run)
    api.put_in("45° blade")
    cutter = api.ask("GET", "/shelf")["cutter"][0]
    eyes = {"eye": cutter["eye"], "table_eye": cutter["table_eye"]}

    def set_eyes(changes: dict[str, str]) -> None:
        version = api.ask("GET", "/shelf")["cutter"][0]["version"]
        api.ask("POST", f"/shelf/cutter/{cutter['id']}", json={"version": version, "changes": changes})

    set_eyes(dict.fromkeys(eyes, ""))
    try:
        page_on.goto(f"{running.url}/bench/{sheet['id']}")
        # nothing here reads a code: whoever loads it says which end goes first
        expect(page_on.get_by_text("say which one does")).to_be_visible()
        page_on.get_by_role("button", name="Load head first").click()
        by_hand = page_on.get_by_role("region", name="Marks by hand")
        total = len(api.ask("GET", f"/bench/{sheet['id']}")["plan"]["marks"])
        for taken in range(total):
            expect(by_hand).to_contain_text(f"{taken} of {total} taken")
            expect(page_on.locator("[data-asked]")).to_have_count(1)
            by_hand.get_by_role("button", name="Lead it there as hands can").click()
            by_hand.get_by_role("button", name="1 mm right", exact=True).wait_for()
            expect(by_hand.get_by_role("button", name="Lead it there as hands can")).to_be_enabled()
            by_hand.get_by_role("button", name="Take this mark").click()
        expect(by_hand).to_have_count(0)
        expect(page_on.get_by_role("status", name="Verdict")).to_contain_text("lands within")
        assert api.ask("GET", f"/bench/{sheet['id']}")["reading"]["by"] == "hand"
    finally:
        set_eyes(eyes)
    # it is cut by what its eye reads, and waits nowhere any more
    api.ask("POST", f"/room/sheets/{sheet['id']}/lay", json={"end": "head"})
    api.done("POST", f"/bench/{sheet['id']}/read", json={"by": "head"})
    api.done("POST", f"/bench/{sheet['id']}/cut", json={})
    assert api.ask("GET", f"/bench/{sheet['id']}")["sheet"]["state"] == "cut"
