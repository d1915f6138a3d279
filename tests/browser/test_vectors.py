"""Vector art on the real interface: taken in, its lines shown, one more line, rules tried on it, newer art."""

import re
from pathlib import Path

import pytest
from playwright.sync_api import Page, Route, expect

from tests.conftest import RunningEtiquette, wait_until
from tests.vector_art import RINGS_SVG, SLEEVE_SVG, label_pdf, steps_pdf


def take_in(page: Page, folder: Path, name: str, content: bytes) -> None:
    (folder / name).write_bytes(content)
    page.keyboard.press("2")
    page.get_by_label("Art file", exact=True).set_input_files(folder / name)


def test_a_pdf_with_lines_is_ready_after_one_look(page_on: Page, tmp_path: Path) -> None:
    take_in(page_on, tmp_path, "river-label.pdf", label_pdf())
    expect(page_on.get_by_role("heading", name="River label")).to_be_visible()
    lines = page_on.get_by_role("main").get_by_test_id("finish-line")
    expect(lines).to_have_count(2)
    expect(page_on.get_by_text("PDF, vectors kept, 60.0 × 40.0 mm in the file")).to_be_visible()
    expect(page_on.get_by_text("1 kiss, 1 through")).to_be_visible()
    expect(page_on.get_by_text("left out: Old prices.")).to_be_visible()
    page_on.keyboard.press("l")
    expect(lines).to_have_count(3)
    page_on.get_by_role("button", name="Goes along the lines before it").click()
    page_on.get_by_role("radio", name="straight across").click()
    expect(page_on.get_by_role("button", name=re.compile("^From the left"))).to_be_visible()
    expect(lines).to_have_count(3)
    page_on.get_by_role("button", name="Take it out").click()
    expect(lines).to_have_count(2)


def test_paths_are_pressed_to_become_lines_and_all_that_are_like_them(page_on: Page, tmp_path: Path) -> None:
    take_in(page_on, tmp_path, "rings.svg", RINGS_SVG)
    page_on.get_by_role("heading", name="Rings", exact=True).wait_for()
    lines = page_on.get_by_role("main").get_by_test_id("finish-line")
    expect(lines).to_have_count(1)  # round the art
    page_on.get_by_role("button", name="Press paths to make them lines").click()
    art = page_on.locator("main svg image").first.bounding_box()
    assert art is not None
    page_on.mouse.click(art["x"] + art["width"] * 16 / 80, art["y"] + art["height"] / 2)  # the right of the first ring
    last = page_on.get_by_role("status", name="Pressed last")
    expect(last).to_contain_text("A kiss line now")
    expect(page_on.get_by_text("1 kiss", exact=True)).to_be_visible()
    last.get_by_role("button", name="All too").first.click()  # of its colour
    expect(lines).to_have_count(4)
    page_on.keyboard.press("Control+z")
    expect(lines).to_have_count(1)
    page_on.keyboard.press("p")
    expect(last).to_have_count(0)
    page_on.keyboard.press("r")
    page_on.keyboard.press("r")  # it is one already
    expect(page_on.get_by_role("button", name="Follows rectangle of the page")).to_be_visible()


def test_newer_art_takes_the_place_of_the_old_and_versions_are_kept(
    page_on: Page, running: RunningEtiquette, tmp_path: Path
) -> None:
    take_in(page_on, tmp_path, "wrap.pdf", label_pdf())
    lines = page_on.get_by_role("main").get_by_test_id("finish-line")
    expect(lines).to_have_count(2)
    (tmp_path / "wrap-two.pdf").write_bytes(steps_pdf())
    page_on.get_by_label("Newer version of the art").set_input_files(tmp_path / "wrap-two.pdf")
    expect(lines).to_have_count(4)
    page_on.get_by_role("button", name="Earlier versions").click()
    expect(page_on.get_by_text("newer art: wrap-two.pdf")).to_be_visible()
    page_on.get_by_role("button", name="Return to as taken in").click()
    expect(lines).to_have_count(2)
    expect(page_on.get_by_text("back to: as taken in")).to_be_visible()
    page_on.get_by_role("button", name="Back to the readings").click()
    expect(page_on.get_by_text("1 kiss, 1 through")).to_be_visible()


def test_line_rules_are_tried_before_they_are_kept(page_on: Page, running: RunningEtiquette, tmp_path: Path) -> None:
    take_in(page_on, tmp_path, "folder.svg", SLEEVE_SVG)
    expect(page_on.get_by_text("One thin stroke looks like a line")).to_be_visible()
    page_on.get_by_role("link", name="Line rules").click()
    first = len(running.get("/api/rules").json()["rules"])
    slow: list[Route] = []

    def hold_first_change(route: Route) -> None:
        if route.request.method == "PUT" and not slow:
            slow.append(route)
        else:
            route.continue_()

    page_on.route("**/api/rules", hold_first_change)
    with page_on.expect_request(lambda asked: asked.method == "PUT"):
        page_on.get_by_role("button", name="Add a rule").click()
    page_on.get_by_role("button", name=re.compile("^By words")).click()
    page_on.get_by_role("radio", name="stroke colour").click()  # the server does not know the new rule yet
    with page_on.expect_response(lambda answer: '"by":"colour"' in (answer.request.post_data or "")):
        slow[0].continue_()
    page_on.unroute("**/api/rules")
    wait_until(lambda: len(running.get("/api/rules").json()["rules"]) == first + 1)
    page_on.get_by_label("Design to try the rules on").select_option(label="Folder")
    expect(page_on.get_by_role("status", name="Trial")).to_contain_text("2 paths as through")
    rules = running.get("/api/rules").json()["rules"]
    assert rules[0] == {"kind": "through", "by": "colour", "values": ["#ff00ff"]}
    page_on.get_by_role("button", name="Ask later").click()
    expect(page_on.get_by_role("heading", name="Rule 2")).to_be_visible()
    expect(page_on.get_by_role("status", name="Trial")).to_contain_text("1 path as kiss")
    with page_on.expect_download() as saved:
        page_on.get_by_role("link", name="Save as a file").click()
    file = tmp_path / "RULES.json"
    saved.value.save_as(file)
    page_on.get_by_role("button", name="Take out").click()
    wait_until(lambda: len(running.get("/api/rules").json()["rules"]) == len(rules) - 1)
    page_on.get_by_label("Rules file").set_input_files(file)
    wait_until(lambda: len(running.get("/api/rules").json()["rules"]) == len(rules))
    current = running.get("/api/rules").json()
    kept = [rule for rule in current["rules"] if rule["by"] != "colour"]
    with running.client() as client:  # as the other tests expect them
        assert client.put("/api/rules", json={"version": current["version"], "rules": kept}).status_code == 200


@pytest.mark.parametrize(
    ("name", "content", "words"),
    [("broken.pdf", b"%PDF-1.7 " + bytes(900), "damaged"), ("broken.svg", SLEEVE_SVG[:300], "damaged")],
)
def test_vector_art_that_cannot_be_read_is_a_sentence(
    page_on: Page, tmp_path: Path, name: str, content: bytes, words: str
) -> None:
    take_in(page_on, tmp_path, name, content)
    expect(page_on.get_by_text(words).first).to_be_visible()


def test_bleed_is_short_until_it_is_made(page_on: Page, running: RunningEtiquette) -> None:
    page_on.goto(f"{running.url}/lines/2")
    page_on.get_by_role("main").get_by_test_id("finish-line").first.wait_for()
    document = running.get("/api/designs/2").json()["document"]
    page_on.keyboard.press("o")
    page_on.get_by_label("Offset from the art", exact=True).fill("0")
    page_on.keyboard.press("Enter")
    short = page_on.locator("aside").get_by_role("button", name=re.compile(r"^\d+ mm$"))
    short.click()
    expect(page_on.get_by_test_id("bleed-short").first).to_be_visible()
    page_on.get_by_role("button", name=re.compile("^Past the line")).click()
    page_on.get_by_label("Past the line", exact=True).fill("1.5")
    page_on.keyboard.press("Enter")
    expect(page_on.get_by_text("nowhere")).to_be_visible()
    expect(page_on.get_by_test_id("bleed-short")).to_have_count(0)
    expect(page_on.get_by_test_id("bleed-full").first).to_be_visible()
    page_on.locator("main h1").click()
    page_on.keyboard.press("Control+z")
    page_on.keyboard.press("Control+z")
    wait_until(
        lambda: (
            running.get("/api/designs/2").json()["document"] == document | {"ready": False}
            or running.get("/api/designs/2").json()["document"] == document
        )
    )


def test_findings_are_gone_to_one_by_one_and_mended(page_on: Page, running: RunningEtiquette) -> None:
    page_on.goto(f"{running.url}/lines/2")
    page_on.get_by_role("main").get_by_test_id("finish-line").first.wait_for()
    heading = page_on.get_by_role("heading", name=re.compile("^To look at"))
    expect(heading).to_be_visible()
    callout = page_on.get_by_role("note", name="Tighter than the knife turns")
    expect(callout).to_have_count(0)
    page_on.keyboard.press("f")
    expect(callout).to_be_visible()
    art = page_on.get_by_role("group", name="Radish decal, lines")
    middle = art.bounding_box()
    ring = callout.locator("circle").first.bounding_box()
    assert middle is not None and ring is not None  # the place is brought to the middle
    assert abs(ring["x"] + ring["width"] / 2 - middle["x"] - middle["width"] / 2) < 3
    expect(page_on.get_by_text(re.compile("^1: "))).to_be_visible()
    page_on.keyboard.press("f")
    expect(page_on.get_by_text(re.compile("^2: "))).to_be_visible()
    page_on.keyboard.press("0")
    page_on.get_by_role("button", name="Round it", exact=True).click()
    wait_until(lambda: running.get("/api/designs/2").json()["document"]["corner_mm"] == 0.6)
    expect(heading).to_have_count(0)
    page_on.locator("main h1").click()
    page_on.keyboard.press("Control+z")
    expect(heading).to_be_visible()


def test_a_line_is_clicked_changed_and_taken_out(page_on: Page, running: RunningEtiquette, tmp_path: Path) -> None:
    take_in(page_on, tmp_path, "clicked.pdf", steps_pdf())
    lines = page_on.get_by_role("main").get_by_test_id("finish-line")
    expect(lines).to_have_count(4)
    number = page_on.url.rsplit("/", 1)[1]

    def kinds() -> list[str]:
        shown = running.get(f"/api/designs/{number}").json()["lines"] or []
        return [line["kind"] for line in shown]

    crease = lines.nth(2).locator("path").last.bounding_box()
    assert crease is not None
    page_on.mouse.click(crease["x"] + crease["width"] / 2, crease["y"] + crease["height"] * 0.25)
    expect(page_on.get_by_role("heading", name="This line")).to_be_visible()
    page_on.get_by_role("button", name="Kind of the chosen line crease").click()
    page_on.get_by_role("radio", name="score").click()
    wait_until(lambda: kinds() == ["through", "kiss", "score", "crease"])
    page_on.get_by_role("button", name="Take this line out").click()
    wait_until(lambda: kinds() == ["through", "kiss", "crease"])
    page_on.locator("main h1").click()
    page_on.keyboard.press("Control+z")
    wait_until(lambda: kinds() == ["through", "kiss", "score", "crease"])


BOX_SVG = b"""<svg xmlns="http://www.w3.org/2000/svg" width="80mm" height="40mm" viewBox="0 0 80 40">
<rect x="10" y="5" width="60" height="30" fill="#285"/><g fill="none" stroke="#f0f" stroke-width=".2">
<g id="Cut"><path d="M8 3H72V37H8V3.7"/></g><g id="Score"><path d="M40 3V37"/></g></g></svg>"""


def test_score_is_asked_once_a_gap_is_closed_and_a_line_dragged(page_on: Page, tmp_path: Path) -> None:
    take_in(page_on, tmp_path, "two-fold.svg", BOX_SVG)
    expect(page_on.get_by_text("1 through, 1 score")).to_be_visible()
    page_on.get_by_role("group", name="What score means").get_by_role("button", name="A crease").click()
    expect(page_on.get_by_text("1 through, 1 crease")).to_be_visible()
    expect(page_on.get_by_role("group", name="What score means")).to_have_count(0)
    page_on.get_by_role("button", name="Close it", exact=True).click()
    expect(page_on.get_by_text("To look at")).to_have_count(0)
    # the crease stands upright in the middle of the art: drag it 5 mm to the right
    art = page_on.get_by_role("group", name=re.compile("Two fold")).bounding_box()
    assert art is not None
    middle = (art["x"] + art["width"] / 2, art["y"] + (art["height"] - 24) / 2)
    page_on.mouse.click(*middle)
    expect(page_on.get_by_role("heading", name="This line")).to_be_visible()
    # the box of a line has the stroke in it by which it is pressed, as wide as the crease's
    outline, crease = (page_on.get_by_test_id("finish-line").nth(number).bounding_box() for number in (0, 1))
    assert outline and crease
    per_mm = (outline["width"] - crease["width"]) / 64
    page_on.mouse.move(*middle)
    page_on.mouse.down()
    page_on.mouse.move(middle[0] + 5 * per_mm, middle[1], steps=6)
    page_on.mouse.up()
    moved = page_on.get_by_role("button", name=re.compile(r"Moved to the right by"))
    expect(moved).to_contain_text(re.compile(r"\+(4\.[89]|5\.[012])"))


def test_art_is_turned_cropped_and_given_white_by_hand(page_on: Page, tmp_path: Path) -> None:
    take_in(page_on, tmp_path, "plain-box.svg", BOX_SVG)
    expect(page_on.get_by_text("80.0 × 40.0mm")).to_be_visible()
    page_on.keyboard.press(".")
    expect(page_on.get_by_text("40.0 × 80.0mm")).to_be_visible()
    page_on.get_by_role("button", name="Crop").click()
    art = page_on.get_by_role("group", name=re.compile("Plain box")).bounding_box()
    assert art is not None
    page_on.mouse.move(art["x"] + 5, art["y"] + 5)
    page_on.mouse.down()
    page_on.mouse.move(art["x"] + art["width"] - 5, art["y"] + (art["height"] - 24) / 2, steps=6)
    page_on.mouse.up()
    expect(page_on.get_by_text(re.compile(r"^40\.0 × (39|40)\.\d.?mm"))).to_be_visible()
    page_on.get_by_role("button", name="White none").click()
    page_on.get_by_role("radio", name="under the art").click()
    page_on.get_by_role("main").get_by_role("button", name="White").click()
    expect(page_on.get_by_test_id("white-area")).to_be_visible()
    page_on.get_by_role("button", name="Clear from the art nothing").click()
    page_on.get_by_role("button", name="#228855").click()
    page_on.get_by_role("main").get_by_role("button", name="Clear").click()
    expect(page_on.get_by_test_id("clear-area")).to_be_visible()
    for _ in range(3):
        page_on.keyboard.press("Control+z")
    expect(page_on.get_by_text("40.0 × 80.0mm")).to_be_visible()
