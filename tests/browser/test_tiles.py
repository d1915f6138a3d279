"""Tiles on the screen: a graphic is taken apart, a seam is moved, a tile lifted off, a window drawn, and the run of all
begins."""

import re
from io import BytesIO

import numpy as np
from PIL import Image
from playwright.sync_api import Page, expect

from tests.conftest import RunningEtiquette


def hull() -> bytes:
    """A hull of 500 × 150 pixels with something busy in its middle."""
    pixels = np.full((150, 500, 3), (120, 160, 190), np.uint8)
    pixels[50:100, 225:275:3] = (250, 245, 230)
    out = BytesIO()
    Image.fromarray(pixels).save(out, "PNG")
    return out.getvalue()


def test_a_graphic_is_taken_apart(page_on: Page, running: RunningEtiquette) -> None:
    with running.client() as client:
        (design,) = (
            client.post("/api/designs", files={"file": ("tern-hull.png", hull())}).raise_for_status().json()["ids"]
        )
        now = client.get(f"/api/designs/{design}").json()["revision"]
        asked = {"revision": now, "words": "size", "changes": {"width_mm": 1500, "due_count": 1}}
        client.post(f"/api/designs/{design}/edits", json=asked).raise_for_status()
    page_on.goto(f"{running.url}/lines/{design}")
    page_on.get_by_role("link", name="Larger than the stock").click()
    page_on.get_by_role("button", name="Take it apart").click()
    page_on.get_by_role("button", name=re.compile("^Tile 2, ")).wait_for()
    width = page_on.get_by_role("button", name=re.compile("^A tile is at most"))
    width.click()
    field = page_on.get_by_role("textbox", name="A tile is at most")
    field.fill('35 1/2"')  # 901.7 mm
    field.press("Enter")
    stage = page_on.get_by_role("group", name="Tern hull in 2 tiles")
    stage.wait_for()
    page_on.get_by_role("button", name=re.compile("^A tile is at most.*901.7")).wait_for()
    page_on.get_by_role("button", name="Where least is cut").click()  # off what is busy in the middle
    expect(page_on.get_by_role("button", name="Where least is cut")).to_have_attribute("aria-pressed", "true")
    told = running.get(f"/api/tiles/{design}").json()
    assert len(told["across"]) == 1 and not 660 <= told["across"][0] <= 840
    # a seam is dragged, then a tile lifted off and put back
    line = stage.get_by_text(re.compile(r"^[\d\u2009 ]+\.\d$")).first
    box = line.bounding_box()
    assert box is not None
    page_on.mouse.move(box["x"] + box["width"] / 2, box["y"] - 40)
    page_on.mouse.down()
    inward = -8 if told["across"][0] > 750 else 8  # the other way a tile would be too wide
    page_on.mouse.move(box["x"] + box["width"] / 2 + inward, box["y"] - 40, steps=3)
    page_on.mouse.up()
    expect(page_on.get_by_role("button", name="Undo")).to_have_attribute("title", re.compile("seam moved"))
    page_on.get_by_role("button", name=re.compile("^Tile 2, ")).click()
    expect(page_on.get_by_role("button", name="lifted off")).to_be_visible()
    page_on.get_by_role("button", name="Make the tiles").click()
    expect(page_on.get_by_text("All tiles are made as they stand here.")).to_be_visible()
    page_on.keyboard.press("Control+z")  # the making, then the lifting
    page_on.keyboard.press("Control+z")
    expect(page_on.get_by_role("button", name="lifted off")).to_have_count(0)
    page_on.get_by_role("button", name="Make the tiles again").click()
    expect(page_on.get_by_text("All tiles are made as they stand here.")).to_be_visible()
    page_on.reload()
    page_on.get_by_role("button", name="Make the run").click()
    page_on.get_by_role("heading", name="Tern hull, tiles").wait_for()
    expect(page_on.get_by_text("Tern hull, tile 2")).to_be_visible()


def test_a_window_is_drawn_and_typed(page_on: Page, running: RunningEtiquette) -> None:
    with running.client() as client:
        (design,) = (
            client.post("/api/designs", files={"file": ("gull-wall.png", hull())}).raise_for_status().json()["ids"]
        )
        now = client.get(f"/api/designs/{design}").json()["revision"]
        asked = {"revision": now, "words": "size", "changes": {"width_mm": 1000, "due_count": 1}}
        now = client.post(f"/api/designs/{design}/edits", json=asked).raise_for_status().json()["revision"]
        client.post(f"/api/tiles/{design}", json={"revision": now}).raise_for_status()
    page_on.goto(f"{running.url}/lines/{design}/tiles")
    stage = page_on.get_by_role("group", name=re.compile("^Gull wall in"))
    stage.wait_for()
    page_on.keyboard.press("w")
    box = stage.bounding_box()
    assert box is not None
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page_on.mouse.move(x, y)
    page_on.mouse.down()
    page_on.mouse.move(x + 60, y + 30, steps=3)
    page_on.mouse.up()
    page_on.get_by_role("group", name="Opening 1").wait_for()
    wide = page_on.get_by_role("textbox", name="Opening 1, wide")
    wide.fill("150")
    wide.press("Enter")
    expect(wide).to_have_value("150.0")
    (opening,) = running.get(f"/api/tiles/{design}").json()["document"]["openings"]
    assert opening[2] == 150 and 300 < opening[0] < 700
