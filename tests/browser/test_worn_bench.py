"""The Bench when a photo is taken, a card is cut and several sheets lie on one mat; after the plain walk."""

import re
from typing import Any

import pytest
from playwright.sync_api import Page, expect

from tests.browser.test_run import new_run
from tests.conftest import RunningEtiquette, wait_until


class Api:
    """What hands would do at other screens."""

    def __init__(self, running: RunningEtiquette) -> None:
        self._client = running.client()

    def ask(self, way: str, path: str, **more: Any) -> Any:
        answer = self._client.request(way, f"/api{path}", **more)
        answer.raise_for_status()
        return answer.json()

    def done(self, way: str, path: str, **more: Any) -> None:
        task = self.ask(way, path, **more)["task_id"]
        wait_until(lambda: self.ask("GET", f"/tasks/{task}")["state"] == "done")

    def put_in(self, tool: str) -> None:
        """Say on the Shelf what is in the cutter's holder."""
        cutter = self.ask("GET", "/shelf")["cutter"][0]
        changes = {"version": cutter["version"], "changes": {"holder": tool}}
        self.ask("POST", f"/shelf/cutter/{cutter['id']}", json=changes)

    def filmed(self, run: int) -> dict[str, Any]:
        """A sheet of the run, printed and with its film on."""
        self.done("PUT", f"/print/{run}/plate")
        self.ask("POST", f"/room/runs/{run}/roll")
        shown = self.ask("GET", f"/print/{run}")
        plate, revision = shown["plates"][0]["id"], shown["settings"]["revision"]
        before = {one["id"] for one in self.ask("GET", "/sheets")}
        self.done("POST", f"/plates/{plate}/send", json={"revision": revision, "key": f"sheet of {run}"})
        (sheet,) = [one for one in self.ask("GET", "/sheets") if one["id"] not in before]
        self.done("POST", f"/room/sheets/{sheet['id']}/film?anyway=true")
        return dict(sheet)


@pytest.fixture(scope="module")
def api(running: RunningEtiquette) -> Api:
    return Api(running)


@pytest.fixture(scope="module")
def sheets(running: RunningEtiquette, api: Api) -> list[dict[str, Any]]:
    """Two sheets on the shelf, and none else that waits."""
    for sheet in api.ask("GET", "/sheets"):
        if sheet["state"] == "laminated":
            api.ask("POST", f"/room/sheets/{sheet['id']}/lay", json={"end": "head"})
    api.put_in("45° blade")
    made = []
    for name in ("First on the mat", "Second on the mat"):
        run = new_run(running, name, {"Spark decal": 6})
        api.done("PUT", f"/runs/{run}/nest")
        made.append(api.filmed(run))
    return made


def test_marks_are_read_from_a_photo(
    page_on: Page, running: RunningEtiquette, api: Api, sheets: list[dict[str, Any]]
) -> None:
    sheet = sheets[1]
    page_on.goto(f"{running.url}/bench/{sheet['id']}")
    page_on.get_by_role("button", name="Load tail first").click()
    expect(page_on.get_by_text("loaded tail first")).to_be_visible()
    page_on.get_by_role("button", name="Read marks M").last.wait_for()
    page_on.keyboard.press("p")
    expect(page_on.get_by_role("status", name="Verdict")).to_contain_text("lands within")
    expect(page_on.get_by_text("Read from photos")).to_be_visible()
    reading = api.ask("GET", f"/bench/{sheet['id']}")["reading"]
    assert reading["by"] == "photo" and reading["end"] == "tail" and all(one["measured"] for one in reading["marks"])


def test_cut_files_are_written_for_a_laser(
    page_on: Page, running: RunningEtiquette, sheets: list[dict[str, Any]]
) -> None:
    page_on.goto(f"{running.url}/bench/{sheets[1]['id']}")
    page_on.get_by_role("button", name="As HP-GL for the cutter").click()
    page_on.get_by_role("radio", name="SVG for a laser").click()
    page_on.get_by_role("button", name="Write both cut files").click()
    links = page_on.get_by_role("status", name="Cut files").get_by_role("link")
    expect(links).to_have_count(2)
    with page_on.expect_download() as told:
        links.first.click()
    drawing = told.value.path().read_text()
    assert told.value.suggested_filename.endswith("-H.svg") and drawing.count("<path data-kind=") == 6


def test_sheets_on_one_mat_are_cut_one_after_the_other(
    page_on: Page, running: RunningEtiquette, api: Api, sheets: list[dict[str, Any]]
) -> None:
    api.ask(
        "POST", "/room/sheets/1/lay", json={"end": "head"}
    )  # something else lies there: both are on the shelf again
    page_on.goto(f"{running.url}/bench/{sheets[0]['id']}")
    page_on.get_by_role("button", name="Cut 2 sheets on one mat").click()
    page_on.get_by_role("button", name="They lie on the mat").click()
    log = page_on.get_by_role("list", name="Log of the Bench")
    expect(log).to_contain_text("The mat is through: 2 cut, 0 set aside.")
    for sheet in sheets:
        shown = api.ask("POST", f"/room/sheets/{sheet['id']}/look")
        assert shown["sheet"]["state"] == "cut" and shown["report"]["cut"]["worst_mm"] <= 0.3


def test_a_knife_card_is_cut_read_by_camera_and_set(page_on: Page, running: RunningEtiquette, api: Api) -> None:
    api.put_in("45° blade")
    page_on.keyboard.press("6")
    page_on.get_by_role("button", name="Knife offset").click()
    page_on.get_by_role("button", name="Cut this card").click()
    steps = page_on.get_by_role("list", name="Steps of the card").get_by_role("listitem")
    expect(steps).to_have_count(8)
    steps.nth(6).get_by_role("button", name="sharpest").click()
    row = page_on.get_by_role("button", name="Square with the sharpest corners")
    expect(row).to_contain_text("7")
    page_on.get_by_role("button", name="Read it by camera").click()
    expect(row).to_contain_text(re.compile(r"corners(4\.[6-9]|5\.[0-1])"))
    page_on.get_by_role("button", name="Set by this card").click()
    history = page_on.get_by_role("list", name="Earlier readings")
    # the stand-in's blade is 0.3 mm behind its pivot
    expect(history).to_contain_text(re.compile(r"Knife offset set to 0\.(29|3)"))
