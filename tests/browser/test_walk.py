"""The whole job on the real interface with the simulated devices: art to line to run to print to cut."""

import re
from io import BytesIO
from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from playwright.sync_api import Page, expect

from tests.conftest import RunningEtiquette, wait_until


def nested_quickly(running: RunningEtiquette, run: int) -> None:
    """Nesting a new run is quick, and nothing better is looked for beside the tests that follow."""
    changes = {"seconds": 0.5, "improve_seconds": 0}
    with running.client() as client:
        revision = client.get(f"/api/runs/{run}").json()["revision"]
        asked = {"revision": revision, "words": "quick", "changes": changes}
        client.post(f"/api/runs/{run}/edits", json=asked).raise_for_status()


def ring_art(path: Path, transparent: bool) -> Path:
    """A ring of 20 mm outer and 10 mm inner radius in a 50 mm square of 500 px, with no resolution in the file."""
    fine = 4
    y, x = (np.mgrid[: 500 * fine, : 500 * fine] + 0.5) / fine - 250
    away = np.hypot(x, y)
    share = ((away < 200) & (away > 100)).reshape(500, fine, 500, fine).mean(axis=(1, 3))
    pixels = np.zeros((500, 500, 4), np.uint8)
    pixels[..., :3] = (30, 90, 140)
    pixels[..., 3] = np.round(share * 255)
    image = Image.fromarray(pixels)
    if not transparent:
        flat = Image.new("RGBA", image.size, (240, 238, 230, 255))
        flat.alpha_composite(image)
        image = flat.convert("RGB")
    image.save(path)
    return path


def test_the_floor_shows_what_needs_hands_and_jobs_by_day(page_on: Page, running: RunningEtiquette) -> None:
    hands = page_on.get_by_role("region", name="Needs your hands")
    asked = f"{running.url}/api/floor"
    first = page_on.request.get(asked).json()["hands"][0]["title"]
    expect(hands.get_by_role("link", name=first, exact=True).first).to_be_visible()
    today = page_on.get_by_role("region", name="Today", exact=True)
    expect(today.get_by_role("link", name=re.compile("^Kite club"))).to_be_visible()
    side = page_on.get_by_role("complementary", name="Today")
    expect(side.get_by_role("link", name="Cutter north")).to_be_visible()
    wait_until(lambda: page_on.evaluate("[...document.querySelectorAll('main img')].every(i => i.naturalWidth > 0)"))
    assert page_on.evaluate("document.documentElement.scrollHeight <= window.innerHeight")


@pytest.mark.parametrize("transparent", [True, False])
def test_lines_from_a_dropped_picture(
    page_on: Page, running: RunningEtiquette, tmp_path: Path, transparent: bool
) -> None:
    page_on.keyboard.press("2")
    art = ring_art(tmp_path / f"ring-{'clear' if transparent else 'plain'}.png", transparent)
    page_on.get_by_label("Art file").set_input_files(art)
    expect(page_on.get_by_role("heading", name=re.compile("Ring"))).to_be_visible()
    # the file does not say how large it is: it is asked for, never guessed
    expect(page_on.get_by_text("size not known")).to_be_visible()
    field = page_on.get_by_label("Width", exact=True)
    field.fill("two")
    field.press("Enter")
    expect(page_on.get_by_role("alert").filter(has_text="is not a length")).to_be_visible()
    field.fill('1 31/32"')  # 50.006 mm
    field.press("Enter")
    expect(page_on.get_by_role("main").get_by_test_id("finish-line")).to_have_count(1)
    expect(page_on.get_by_text("50.0 × 50.0")).to_be_visible()
    design = _design(page_on, running)
    page_on.get_by_role("button", name=re.compile("^Height")).click()
    page_on.get_by_label("Height", exact=True).fill("4 in")  # of a square picture
    page_on.keyboard.press("Enter")
    expect(page_on.get_by_text("101.6 × 101.6")).to_be_visible()
    page_on.locator("main h1").click()
    page_on.keyboard.press("Control+z")
    expect(page_on.get_by_text("50.0 × 50.0")).to_be_visible()
    wait_until(lambda: _design(page_on, running)["summary"] is not None)
    # a ring of radius 20 mm with the line 2 mm outside: 2π·22 mm, scaled by 50.00625 / 50
    assert design["summary"]["report"]["length_mm"] == pytest.approx(2 * np.pi * (20 * 50.00625 / 50 + 2), rel=0.001)
    page_on.get_by_role("button", name="Holes").click()
    page_on.get_by_role("radio", name="kept").click()
    expect(page_on.get_by_role("main").get_by_test_id("finish-line")).to_have_count(2)
    page_on.locator("main h1").click()
    page_on.keyboard.press("Control+z")
    expect(page_on.get_by_role("main").get_by_test_id("finish-line")).to_have_count(1)
    page_on.keyboard.press("Control+Shift+z")
    expect(page_on.get_by_role("main").get_by_test_id("finish-line")).to_have_count(2)
    page_on.reload()
    expect(page_on.get_by_role("main").get_by_test_id("finish-line")).to_have_count(2)
    page_on.keyboard.press("Enter")
    expect(page_on.get_by_text("✓ Ready for a run")).to_be_visible()


def test_a_slider_shows_the_line_while_it_moves_and_settles_when_let_go(
    page_on: Page, running: RunningEtiquette
) -> None:
    page_on.goto(f"{running.url}/lines/2")
    line = page_on.get_by_role("main").get_by_test_id("finish-line").locator("path").first
    line.wait_for()
    settled = line.get_attribute("d")
    page_on.keyboard.press("o")
    slider = page_on.get_by_label("Offset from the art, slider")
    slider.scroll_into_view_if_needed()
    box = slider.bounding_box()
    assert box is not None and settled is not None
    before = _design(page_on, running)["revision"]
    page_on.mouse.move(box["x"] + box["width"] * 0.47, box["y"] + box["height"] / 2)
    page_on.mouse.down()
    page_on.mouse.move(box["x"] + box["width"] * 0.7, box["y"] + box["height"] / 2, steps=5)
    wait_until(lambda: line.get_attribute("d") != settled)  # the quick line, while the button is down
    assert _design(page_on, running)["revision"] == before
    page_on.mouse.up()
    wait_until(lambda: _design(page_on, running)["revision"] == before + 1)
    wait_until(lambda: _design(page_on, running)["lines"] is not None)
    offset = _design(page_on, running)["document"]["offset_mm"]
    assert 4 < offset < 7
    expect(page_on.get_by_label("Offset from the art", exact=True)).to_have_value(f"{offset:.1f}")
    page_on.locator("main h1").click()
    page_on.keyboard.press("Control+z")
    wait_until(lambda: _design(page_on, running)["document"]["offset_mm"] == 2.0)


def test_a_ground_is_picked_in_the_art(page_on: Page, running: RunningEtiquette, tmp_path: Path) -> None:
    page_on.keyboard.press("2")
    art = ring_art(tmp_path / "picked.png", transparent=False)
    page_on.get_by_label("Art file").set_input_files(art)
    page_on.get_by_label("Width", exact=True).fill("50")
    page_on.keyboard.press("Enter")
    line = page_on.get_by_role("main").get_by_test_id("finish-line")
    expect(line).to_have_count(1)
    page_on.get_by_role("button", name=re.compile("^Ground told")).click()
    page_on.get_by_role("button", name="Pick it in the art").click()
    art_box = page_on.locator("main svg image").first.bounding_box()
    assert art_box is not None
    page_on.mouse.click(art_box["x"] + art_box["width"] * 0.05, art_box["y"] + art_box["height"] * 0.05)
    expect(page_on.get_by_role("radio", name="#f0eee6")).to_be_visible()
    wait_until(lambda: _design(page_on, running)["document"]["ground"] == "#f0eee6")
    expect(line).to_have_count(1)


def test_an_edge_is_looked_for_in_a_part_of_the_picture(
    page_on: Page, running: RunningEtiquette, tmp_path: Path
) -> None:
    page_on.keyboard.press("2")
    page_on.get_by_label("Art file", exact=True).set_input_files(ring_art(tmp_path / "half.png", transparent=True))
    page_on.get_by_label("Width", exact=True).fill("50")
    page_on.keyboard.press("Enter")
    expect(page_on.get_by_role("main").get_by_test_id("finish-line")).to_have_count(1)
    page_on.get_by_role("button", name="whole picture: choose a part").click()
    art = page_on.locator("main svg image").first.bounding_box()
    assert art is not None
    middle = art["x"] + art["width"] / 2
    page_on.mouse.move(art["x"] - 10, art["y"] - 10)
    page_on.mouse.down()
    page_on.mouse.move(middle, art["y"] + art["height"] + 10, steps=4)
    page_on.mouse.up()
    wait_until(lambda: _design(page_on, running)["document"]["area"] is not None)
    area = _design(page_on, running)["document"]["area"]
    assert area[0] + area[2] == pytest.approx(25, abs=0.3), (area, art)
    wait_until(lambda: _design(page_on, running)["summary"] is not None)
    # half of the ring: its outer and inner rim and two ends of 10 mm; two millimetres outside, the outer rim gains what
    # the inner one loses, and four corners become quarter circles of 2 mm
    half = np.pi * 20 + np.pi * 10 + 2 * 10 + 2 * np.pi * 2
    assert _design(page_on, running)["summary"]["report"]["length_mm"] == pytest.approx(half, rel=0.01)
    page_on.get_by_role("button", name="Whole picture", exact=True).click()
    wait_until(lambda: _design(page_on, running)["document"]["area"] is None)
    # and by keys: the left half, from corner to corner
    page_on.get_by_role("button", name="whole picture: choose a part").press("Enter")
    expect(page_on.get_by_role("button", name="Sight at 25.0 · 25.0 mm")).to_be_focused()
    for key in ["Shift+ArrowLeft", "Shift+ArrowUp"] * 3 + ["Enter"]:
        page_on.keyboard.press(key)
    for key in ["Shift+ArrowRight"] * 2 + ["ArrowRight"] * 5 + ["Shift+ArrowDown"] * 6 + ["Enter"]:
        page_on.keyboard.press(key)
    wait_until(lambda: _design(page_on, running)["document"]["area"] == [0, 0, 25, 50])


def _design(page: Page, running: RunningEtiquette) -> dict:  # type: ignore[type-arg]
    number = page.url.rsplit("/", 1)[1]
    found: dict = running.get(f"/api/designs/{number}").json()  # type: ignore[type-arg]
    return found


def test_art_that_cannot_be_read_is_a_sentence(page_on: Page, tmp_path: Path) -> None:
    page_on.keyboard.press("2")
    bad = tmp_path / "bad.png"
    whole = BytesIO()
    Image.new("RGB", (300, 300), "red").save(whole, "PNG")
    bad.write_bytes(whole.getvalue()[:200])
    page_on.get_by_label("Art file").set_input_files(bad)
    expect(page_on.get_by_text("damaged or was cut short")).to_be_visible()


def test_run_print_film_bench_cut(page_on: Page, running: RunningEtiquette) -> None:
    """Steps 4 to 6: nest, print, film, load tail first, read, cut."""
    page_on.goto(f"{running.url}/run?new")
    page_on.get_by_role("main", name="New run").get_by_role("button", name="Make one run").click()
    expect(page_on.get_by_text("Nothing is nested yet. Press N.")).to_be_visible()
    nested_quickly(running, int(page_on.url.rsplit("/", 1)[1]))
    page_on.reload()
    expect(page_on.get_by_text("Nothing is nested yet. Press N.")).to_be_visible()
    page_on.keyboard.press("n")
    to_printer = page_on.get_by_role("button", name="To the printer")
    expect(to_printer).to_be_visible()
    run = running.get(f"/api/runs/{page_on.url.rsplit('/', 1)[1]}").json()
    placed = page_on.get_by_role("list", name="Pieces on the roll").get_by_role("listitem")
    expect(placed).to_have_count(sum(item["count"] for item in run["document"]["items"]))
    assert len(run["plans"][0]["marks"]) >= 4 and {code["end"] for code in run["plans"][0]["codes"]} == {"head", "tail"}
    page_on.keyboard.press("Control+z")
    expect(to_printer).to_have_count(0)
    page_on.keyboard.press("Control+Shift+z")
    to_printer.click()
    send = page_on.get_by_role("button", name="Send to printer")
    expect(send).to_be_enabled()
    _proof_is_looked_at(page_on)
    before = run["roll_left_mm"]
    send.click()
    page_on.get_by_role("button", name="Put film on").click()
    page_on.get_by_role("button", name="Take it to the cutter").click()
    after = running.get(f"/api/runs/{run['id']}").json()["roll_left_mm"]
    assert before - after == pytest.approx(run["plans"][0]["length_mm"], abs=0.01)
    _cut_the_sheet(page_on, running, "tail")


def _proof_is_looked_at(page_on: Page) -> None:
    """The plate as on its stock, and the colours of the place in its middle."""
    page_on.keyboard.press("s")
    expect(page_on.get_by_text("As the profile Quillmere inks on white vinyl has it")).to_be_visible()
    page_on.get_by_role("img", name="colour plate, leading edge left").click()
    here = page_on.get_by_role("region", name="Colour here")
    expect(here).to_contain_text("on the stock")
    expect(here).to_contain_text(re.compile(r"C \d+\s+M \d+\s+Y \d+\s+K \d+"))
    here.get_by_role("button", name="Close the colour").click()
    expect(here).to_have_count(0)
    page_on.keyboard.press("c")  # without a pointer
    sight = page_on.get_by_role("button", name=re.compile("^Sight at"))
    expect(sight).to_be_focused()
    page_on.keyboard.press("Enter")
    expect(here).to_contain_text("on the stock")
    page_on.keyboard.press("c")
    expect(sight).to_have_count(0)


def test_the_demo_sheet_loaded_head_first(page_on: Page, running: RunningEtiquette) -> None:
    page_on.goto(f"{running.url}/bench/1")
    page_on.get_by_role("link", name=re.compile("Kite club badges")).first.click()
    _cut_the_sheet(page_on, running, "head")


def _cut_the_sheet(page: Page, running: RunningEtiquette, end: str) -> None:
    page.get_by_role("button", name=f"Load {end} first").click()
    expect(page.get_by_text(f"loaded {end} first")).to_be_visible()
    page.get_by_role("button", name="Read marks M").last.wait_for()
    page.keyboard.press("m")
    verdict = page.get_by_role("status", name="Verdict")
    expect(verdict).to_contain_text("Go")
    expect(page.get_by_text(f"loaded {end} first")).to_be_visible()
    if end == "head":  # one piece first, a look at it, then the rest
        page.keyboard.press("o")
        begun, change = (
            page.get_by_role("button", name="Go on with the rest"),
            page.get_by_role("status", name="Change of tool"),
        )
        expect(begun.or_(change)).to_be_visible()
        if change.is_visible():  # whatever was cut before has left another tool in
            page.get_by_role("button", name=re.compile("^The .* is in$")).click()
        expect(page.get_by_role("button", name="Go on with the rest")).to_be_visible()
        expect(page.get_by_role("listitem").filter(has_text="kiss · 1 of")).to_be_visible()
    cut, change = page.get_by_role("status", name="Cut", exact=True), page.get_by_role("status", name="Change of tool")
    page.keyboard.press("Enter")
    for _ in range(
        5
    ):  # the sheet may need several tools; each is put in and said to be in, by a button and not by a key
        expect(cut.or_(change)).to_be_visible()
        if cut.is_visible():
            break
        page.get_by_role("button", name=re.compile("^The .* is in$")).click()
        expect(change).to_have_count(0)
    expect(cut).to_contain_text("worst miss")
    page.get_by_role("button", name="Show what moved").click()
    for piece in (2, 3):
        page.locator(f"[data-piece='{piece}']").click()
    expect(page.get_by_role("button", name="Print 2 again")).to_be_visible()
    expect(page.get_by_role("list", name="Log of the Bench")).to_contain_text("is cut")
    shown = running.get(f"/api/bench/{page.url.rsplit('/', 1)[1]}").json()
    assert shown["reading"]["end"] == end and shown["reading"]["fit"]["load"] == end
    assert shown["report"]["cut"]["worst_mm"] <= 0.3
    assert shown["report"]["without"]["worst_mm"] >= 1.0


def test_keys_find_and_units(page_on: Page) -> None:
    page_on.keyboard.press("?")
    expect(page_on.get_by_role("dialog", name="Keys")).to_be_visible()
    page_on.keyboard.press("Escape")
    page_on.keyboard.press("Control+k")
    page_on.get_by_role("dialog", name="Find anything").wait_for()
    page_on.keyboard.type("radish")
    page_on.get_by_role("option", name=re.compile("Radish decal")).wait_for()
    page_on.keyboard.press("Enter")
    expect(page_on.get_by_role("heading", name="Radish decal")).to_be_visible()
    page_on.get_by_role("button", name="Units: mm").click()
    expect(page_on.get_by_text("1.573 × 2.833")).to_be_visible()  # 472 × 850 px at 300 dpi
    page_on.get_by_role("button", name="Units: in").click()


def test_the_shelf_is_edited_with_units(page_on: Page) -> None:
    page_on.keyboard.press("6")
    page_on.get_by_role("button", name=re.compile("^Discs of 6 mm")).click()
    field = page_on.get_by_label("Clear zone")
    field.fill("0.3cm+1")
    field.press("Enter")
    expect(page_on.get_by_text("disc of 6.0 mm, 4.0 mm kept clear")).to_be_visible()
    field.fill("3")
    field.press("Enter")
    expect(page_on.get_by_text("disc of 6.0 mm, 3.0 mm kept clear")).to_be_visible()


def test_pieces_are_dragged_turned_pinned_and_brought_back(page_on: Page, running: RunningEtiquette) -> None:
    page_on.goto(f"{running.url}/run/2")
    pieces = page_on.get_by_role("list", name="Pieces on the roll").get_by_role("button")
    expect(pieces).to_have_count(52)
    chosen = pieces.filter(has_text="Spark decal").first
    chosen.press("Enter")  # the list is for keyboard and screen reader: it is not seen
    heading = page_on.get_by_role("heading", name="Piece: Spark decal")
    expect(heading).to_be_visible()
    place = page_on.get_by_text("From the left · along").locator("..")
    before = place.inner_text()
    page_on.keyboard.press("p")
    expect(page_on.get_by_role("button", name="Let go P")).to_be_visible()
    page_on.keyboard.press("p")
    expect(page_on.get_by_role("button", name="Pin P")).to_be_visible()
    page_on.keyboard.press("d")
    expect(pieces).to_have_count(53)
    page_on.keyboard.press("Delete")
    expect(pieces).to_have_count(52)
    page_on.keyboard.press("Control+z")
    expect(pieces).to_have_count(53)
    page_on.keyboard.press("Control+z")
    expect(pieces).to_have_count(52)
    chosen.press("Enter")
    page_on.keyboard.press(",")
    expect(page_on.get_by_role("button", name="Undo")).to_have_attribute("title", re.compile("turned by hand"))
    page_on.keyboard.press("Control+z")
    expect(place).to_have_text(before.replace("\n", ""))
