"""On the screen: choices are kept as a recipe and used for other art in one press; a folder is watched, and what is put
into it ends at Print; care that is due is given from the Floor."""

import re
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from etiquette.demo.art import art_file
from tests.browser.test_accessibility import faults
from tests.conftest import RunningEtiquette, wait_until


def taken_in(running: RunningEtiquette, name: str) -> int:
    with running.client() as client:
        (design,) = client.post("/api/designs", files={"file": (name, art_file("spark")[1])}).json()["ids"]
        return int(design)


def test_choices_are_kept_and_used_for_other_art_in_one_press(page_on: Page, running: RunningEtiquette) -> None:
    one, other = taken_in(running, "kept.png"), taken_in(running, "used.png")
    page_on.goto(f"{running.url}/lines/{one}")
    page_on.get_by_role("button", name=re.compile("^Offset from the art")).click()
    offset = page_on.get_by_label("Offset from the art", exact=True)
    offset.fill('1/16"')
    offset.press("Enter")
    wait_until(lambda: running.get(f"/api/designs/{one}").json()["document"]["offset_mm"] == pytest.approx(1.5875))
    page_on.get_by_role("button", name="Recipe", exact=True).click()
    page_on.get_by_label("Keep these choices as").fill("Sixteenth")
    page_on.get_by_role("button", name="Keep", exact=True).click()
    expect(page_on.get_by_role("group", name="Use a recipe").get_by_role("button", name="Sixteenth")).to_be_visible()

    page_on.goto(f"{running.url}/lines/{other}")
    page_on.get_by_role("group", name="Use a recipe").get_by_role("button", name="Sixteenth").click()
    expect(page_on.get_by_role("button", name=re.compile(r"^Offset from the art \+1\.6"))).to_be_visible()
    page_on.keyboard.press("Control+z")
    expect(page_on.get_by_role("button", name=re.compile(r"^Offset from the art \+2\.0"))).to_be_visible()

    page_on.keyboard.press("Control+k")
    page_on.get_by_placeholder("A job").fill("sixteenth")
    page_on.get_by_role("option", name=re.compile("Sixteenth")).click()
    expect(page_on.get_by_label("Name of the recipe")).to_have_value("Sixteenth")
    assert faults(page_on) == []
    page_on.get_by_role("button", name="Leave offset open").click()
    expect(page_on.get_by_text("It chooses nothing yet.")).to_be_visible()


def test_what_is_put_into_a_folder_ends_at_print(page_on: Page, running: RunningEtiquette, tmp_path: Path) -> None:
    page_on.goto(f"{running.url}/shelf")
    page_on.get_by_role("button", name="Watch a folder").click()
    page_on.get_by_label("Name", exact=True).fill("Counter")
    page_on.get_by_label("Path on the machine").fill("orders")
    page_on.get_by_role("button", name="Watch it", exact=True).click()
    expect(page_on.get_by_text("The path has to be a whole one")).to_be_visible()
    page_on.get_by_label("Path on the machine").fill(str(tmp_path))
    page_on.get_by_role("button", name="Watch it", exact=True).click()
    pattern = page_on.get_by_label("How names are read")
    pattern.fill("{name} {count}x")
    pattern.press("Enter")
    page_on.get_by_label("Try a name").fill("Comet 9x.png")
    expect(page_on.get_by_role("status").filter(has_text="Comet · 9 pieces")).to_be_visible()
    (tmp_path / "Comet 9x.png").write_bytes(art_file("spark")[1])
    (tmp_path / "list.txt").write_text("nine comets")
    expect(page_on.get_by_text("held at Print")).to_be_visible()
    expect(page_on.get_by_text("This is not a picture")).to_be_visible()
    assert faults(page_on) == []
    page_on.get_by_role("link", name="Comet 9x.png").click()
    page_on.wait_for_url(re.compile(r"/print/\d+$"))
    expect(page_on.get_by_role("heading", name=re.compile("Comet"))).to_be_visible()
    assert sorted(one.name for one in (tmp_path / "refused").iterdir()) == ["list.txt", "list.txt.txt"]


def test_care_that_is_due_is_given_from_the_floor(page_on: Page, running: RunningEtiquette) -> None:
    with running.client() as client:
        wish = {"name": "Wipe the wheels", "every_days": 0.000001}
        client.post("/api/machines/cutter/1/care", json=wish).raise_for_status()
    page_on.goto(f"{running.url}/floor")
    hands = page_on.get_by_role("region", name="Needs your hands")
    expect(hands.get_by_role("link", name="Wipe the wheels")).to_be_visible()
    page_on.get_by_role("link", name="Wipe the wheels").click()
    page_on.get_by_role("heading", name="Care", exact=True).wait_for()  # the Floor has a button of that name too
    page_on.get_by_role("button", name="Wipe the wheels due", exact=True).click()
    page_on.get_by_role("button", name=re.compile("^By days")).click()
    days = page_on.get_by_label("By days", exact=True)
    days.fill("30")
    days.press("Enter")
    expect(page_on.get_by_role("button", name=re.compile("Wipe the wheels 30"))).to_be_visible()
    page_on.goto(f"{running.url}/floor")
    page_on.get_by_role("heading", name="Needs your hands").wait_for()
    expect(page_on.get_by_role("link", name="Wipe the wheels")).to_have_count(0)
