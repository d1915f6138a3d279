"""A page with marks of its own: they are found, pointed at and let go on the screen, and it is a run as it came."""

import re
from pathlib import Path

from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import Page, expect

from tests.conftest import RunningEtiquette
from tests.pages import EIGHT, HIGH_MM, WIDE_MM, page_svg

OTHER_WAY = {"ArrowRight": "ArrowLeft", "ArrowUp": "ArrowDown"}


def led(page: Page, way: str, mm: float) -> None:
    """The sight is led by `mm`, in tens, in ones, in tenths."""
    key, tenths = (way if mm > 0 else OTHER_WAY[way]), round(abs(mm) * 10)
    for held, count in (("Shift+", tenths // 100), ("", tenths // 10 % 10), ("Alt+", tenths % 10)):
        for _ in range(count):
            page.keyboard.press(f"{held}{key}")


def test_marks_of_a_page_are_found_and_pointed_at(page_on: Page, running: RunningEtiquette, tmp_path: Path) -> None:
    file = tmp_path / "harbour fair.svg"
    file.write_bytes(page_svg())
    page_on.keyboard.press("2")
    page_on.get_by_label("Art file").set_input_files(file)
    page_on.get_by_role("heading", name="Harbour fair", exact=True).wait_for()
    page_on.get_by_role("button", name="Marks it brings along").click()
    page_on.get_by_role("button", name="Find its marks").click()
    marks = page_on.get_by_role("list", name="Its marks").get_by_role("listitem")
    rings = page_on.get_by_test_id("own-mark")
    expect(marks).to_have_count(len(EIGHT))
    expect(rings).to_have_count(len(EIGHT))
    assert [one["id"] for one in Axe().run(page_on).response["violations"]] == []
    x, y = map(float, re.findall(r"[\d.]+", marks.first.inner_text().split("\n", 1)[1])[:2])
    assert min(abs(x - at[0]) + abs(y - at[1]) for at in EIGHT) < 0.3
    # the first is let go by its ring on the art, the last by its button: two are left out
    page_on.get_by_role("button", name="Point at one").click()
    middle = rings.first.locator("circle").first.bounding_box()
    assert middle is not None
    page_on.mouse.click(middle["x"] + middle["width"] / 2, middle["y"] + middle["height"] / 2)
    expect(marks).to_have_count(len(EIGHT) - 1)
    page_on.get_by_role("button", name=f"Mark {len(EIGHT) - 1} is none").press("Enter")
    expect(marks).to_have_count(len(EIGHT) - 2)
    page_on.keyboard.press("Control+z")
    expect(marks).to_have_count(len(EIGHT) - 1)
    # it is pointed at again, by keys: it comes with all that look like it
    page_on.get_by_role("button", name="Point at one").press("Enter")
    sight = page_on.get_by_role("button", name="Sight at")
    expect(sight).to_be_focused()
    led(page_on, "ArrowRight", x - WIDE_MM / 2)
    led(page_on, "ArrowUp", y - HIGH_MM / 2)
    expect(sight).to_have_accessible_name(re.compile(f"Sight at {x:.1f} · {y:.1f} mm"))
    assert [one["id"] for one in Axe().run(page_on).response["violations"]] == []
    page_on.keyboard.press("Enter")
    expect(marks).to_have_count(len(EIGHT))
    design = int(page_on.url.rsplit("/", 1)[1])
    with running.client() as client:
        made = client.post(
            "/api/runs", json={"name": "As it came", "items": [{"design_id": design, "count": 1}]}
        ).json()
    page_on.goto(f"{running.url}/run/{made['id']}")
    page_on.get_by_role("button", name="Lay the pages").wait_for()
    page_on.keyboard.press("n")
    expect(page_on.get_by_text("as the page came, without a code")).to_be_visible()
    shown = running.get(f"/api/runs/{made['id']}").json()
    assert [len(plan["marks"]) for plan in shown["plans"]] == [len(EIGHT)]
    assert abs(shown["plans"][0]["length_mm"] - HIGH_MM) < 0.01
