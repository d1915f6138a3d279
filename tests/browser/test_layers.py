"""Layers on the screen: a decal for both sides of a window with a special ink, its stack, its print."""

import re

from playwright.sync_api import Page, expect

from etiquette.demo.art import art_file
from tests.browser.test_run import new_run, typed
from tests.conftest import RunningEtiquette


def test_a_decal_for_both_sides_is_made_stacked_and_sent(page_on: Page, running: RunningEtiquette) -> None:
    with running.client() as client:
        art = {"file": ("otter-window.png", art_file("band")[1])}
        (design,) = client.post("/api/designs", files=art).raise_for_status().json()["ids"]
    page_on.goto(f"{running.url}/lines/{design}")
    page_on.get_by_role("button", name=re.compile("^Seen from both sides")).click()
    page_on.get_by_role("radio", name="the same art").click()
    expect(page_on.get_by_role("button", name="Seen from both sides")).to_contain_text("the same art")
    # white comes along, or each side would show through the other
    expect(page_on.get_by_role("button", name=re.compile("^White all inside the line"))).to_be_visible()
    typed(page_on, "Blocker stands back by", "0.5")
    page_on.get_by_role("button", name=re.compile("^Special inks")).click()
    page_on.get_by_role("complementary").get_by_role("button", name="Tinsel silver", exact=True).click()
    ink = page_on.get_by_role("group", name="Tinsel silver", exact=True)
    ink.get_by_role("button", name=re.compile("where the art prints")).click()
    ink.get_by_role("radio", name="in a rectangle").click()
    typed(page_on, "Tinsel silver, width", '1 1/2"')
    expect(ink.get_by_role("button", name="Tinsel silver, width")).to_contain_text("38.1 mm")
    held = running.get(f"/api/designs/{design}").json()
    assert held["document"]["both_sides"] == {"other": None, "blocker": True, "blocker_choke_mm": 0.5}
    assert held["document"]["specials"][0]["area"][2] == 38.1
    # its areas are looked at like white and clear
    page_on.get_by_role("main").get_by_role("button", name="Tinsel silver", exact=True).click()
    expect(page_on.get_by_test_id(f"special {held['specials'][0]['ink']}-area")).to_be_visible()

    run = new_run(running, "Otter windows", {"Otter window": 2})
    page_on.goto(f"{running.url}/run/{run}")
    page_on.get_by_role("button", name="Nest N").click()
    page_on.get_by_role("button", name="To the printer").click()
    stack = page_on.get_by_role("list", name="Layers, the last one laid down first")
    layers = stack.get_by_role("listitem")
    expect(layers).to_have_text(
        [
            re.compile(f"^{name}")
            for name in ("colour", "Tinsel silver", "white again", "blocker", "white", "other side")
        ]
    )
    expect(page_on.get_by_text("is not clear: one side of Otter window is not seen through it")).to_be_visible()
    page_on.get_by_role("radio", name="other side").click()
    expect(page_on.get_by_role("img", name="other side plate, leading edge left")).to_be_visible()
    page_on.get_by_role("button", name="colour further down").click()
    expect(layers.nth(1)).to_have_text(re.compile("^colour"))
    page_on.get_by_role("button", name="colour further down").click()
    expect(page_on.get_by_text("The colour cannot be seen: white again lies before it")).to_be_visible()
    page_on.get_by_role("button", name="Lay them down as is usual").click()
    expect(layers.first).to_have_text(re.compile("^colour"))
    expect(page_on.get_by_text("The colour cannot be seen")).to_have_count(0)
    page_on.get_by_role("button", name=re.compile("^Send to printer")).click()
    expect(page_on.get_by_role("button", name="Film on")).to_be_visible()
