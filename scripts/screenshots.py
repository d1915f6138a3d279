"""Take the pictures of docs/screenshots from a freshly loaded demo: python scripts/screenshots.py LINK, the address
that its start printed."""

import re
import sys
from pathlib import Path

from playwright.sync_api import Page, expect, sync_playwright

TARGET = Path(__file__).parents[1] / "docs" / "screenshots"
FLAGS = (
    "--no-sandbox --disable-gpu --enable-unsafe-swiftshader --disable-background-networking "
    "--disable-component-update --disable-sync "
    "--no-first-run"
)


def main() -> None:
    url = sys.argv[1].partition("/enter")[0]
    TARGET.mkdir(parents=True, exist_ok=True)
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS.split())
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.on("pageerror", lambda error: print("the page failed:", error, file=sys.stderr))
        page.goto(sys.argv[1])
        page.get_by_role("heading", name="Needs your hands").wait_for()
        for name in ("floor", "run", "shelf"):
            page.goto(f"{url}/{name}")
            keep(page, name)
        page.goto(f"{url}/floor/job/4")
        keep(page, "job")
        page.goto(f"{url}/set-up")
        page.get_by_role("group", name="The way of the work").get_by_role("button").last.click()
        keep(page, "set-up")
        page.goto(f"{url}/shelf")
        page.get_by_role("region", name="Line rules").get_by_role("button", name="Crease").click()
        page.get_by_role("button", name="Knife offset").click()
        page.get_by_role("button", name="Cut this card").click()
        expect(page.get_by_role("button", name="Read it by camera")).to_be_visible(timeout=60_000)
        page.get_by_role("button", name="Read it by camera").click()
        expect(page.get_by_role("button", name=re.compile(r"sharpest corners.*\."))).to_be_visible(timeout=60_000)
        page.get_by_role("button", name="Set by this card").click()
        expect(page.get_by_role("list", name="Earlier readings")).to_be_visible()
        keep(page, "shelf-cards")
        page.goto(f"{url}/lines/2")
        expect(page.get_by_role("main").get_by_test_id("finish-line")).to_have_count(1)
        page.keyboard.press("f")
        keep(page, "lines")
        colour = page.get_by_role("button", name="Colour", exact=True)
        colour.click()
        page.get_by_role("button", name="Seen as on").click()
        page.get_by_role("radio", name="Gloss white vinyl 760, everyday").click()
        page.get_by_role("button", name="Replace a colour").scroll_into_view_if_needed()
        page.keyboard.press("0")
        keep(page, "lines-colour")
        colour.click()
        page.goto(f"{url}/lines/job/4")
        page.get_by_role("button", name="All", exact=True).click()
        expect(page.get_by_role("list", name="Designs").get_by_role("listitem")).to_have_count(4)
        keep(page, "lines-job")
        page.goto(f"{url}/run/1")
        pieces = page.get_by_role("list", name="Pieces on the roll").get_by_role("button")
        expect(pieces).to_have_count(102)
        page.keyboard.press("k")
        expect(page.get_by_text("1 of 4 set aside.")).to_be_visible()
        page.get_by_role("button", name="Pieces are").click()
        page.get_by_role("radio", name="in a straight grid").click()
        page.get_by_role("button", name="Lay the grid").click()
        expect(page.get_by_role("button", name="To the printer")).to_be_visible(timeout=60_000)
        page.keyboard.press("k")
        expect(page.get_by_text("2 of 4 set aside.")).to_be_visible()
        page.keyboard.press("c")
        page.get_by_role("region", name="Layouts side by side").get_by_role("button", name="Take it").first.click()
        label_web(page, url)
        filled_from_rows(page, url)
        page.goto(f"{url}/print/1")
        expect(page.get_by_role("button", name="Send to printer")).to_be_enabled(timeout=60_000)
        keep(page, "print")
        page.keyboard.press("s")
        expect(page.get_by_text("As the profile Quillmere inks on white vinyl has it")).to_be_visible(timeout=60_000)
        page.get_by_role("img", name="colour plate, leading edge left").click()
        expect(page.get_by_role("region", name="Colour here")).to_contain_text("on the stock", timeout=60_000)
        keep(page, "print-proof")
        page.get_by_role("button", name="Close the colour").click()
        page.get_by_role("button", name="Send to printer").click()
        page.get_by_role("button", name="Put film on").click(timeout=60_000)
        page.get_by_role("button", name="Take it to the cutter").click(timeout=60_000)
        page.get_by_role("button", name="Load tail first").wait_for()
        keep(page, "bench-load")
        page.get_by_role("button", name="Load tail first").click()
        page.get_by_role("button", name="Read marks M").last.click()
        expect(page.get_by_role("status", name="Verdict")).to_be_visible(timeout=60_000)
        keep(page, "bench")
        page.get_by_role("button", name="Cut frame 1").click()
        cut, change = (
            page.get_by_role("status", name="Cut", exact=True),
            page.get_by_role("status", name="Change of tool"),
        )
        expect(cut.or_(change)).to_be_visible(timeout=120_000)
        while change.is_visible():
            page.get_by_role("button", name=re.compile("^The .* is in$")).click()
            expect(change).to_have_count(0)
            expect(cut.or_(change)).to_be_visible(timeout=120_000)
        page.get_by_role("button", name="Show what moved").click()
        for piece in (9, 31, 60):
            page.locator(f"[data-piece='{piece}']").click()
        expect(page.get_by_role("button", name="Print 3 again")).to_be_visible()
        keep(page, "bench-cut")
        in_tiles(page, url)
        page.goto(f"{url}/lines/10/fold")
        expect(page.locator("canvas[data-drawn]")).to_be_visible(timeout=60_000)
        page.wait_for_timeout(1500)  # its art is on it
        keep(page, "folded")
        people(page, url)
        browser.close()


def in_tiles(page: Page, url: str) -> None:
    """The window band as wide as a ferry, a tile lifted off, a window drawn; last, since nothing else has it so."""
    origin = {"Origin": url}

    def asked(path: str, words: str, changes: dict[str, object]) -> None:
        revision = page.request.get(f"{url}/api/designs/4").json()["revision"]
        body = {"revision": revision, "words": words, "changes": changes}
        page.request.post(f"{url}/api/{path}/edits", data=body, headers=origin)

    asked("designs/4", "as wide as the ferry", {"width_mm": 2600})
    revision = page.request.get(f"{url}/api/designs/4").json()["revision"]
    page.request.post(f"{url}/api/tiles/4", data={"revision": revision}, headers=origin)
    asked("tiles/4", "one lifted off", {"off": [3], "openings": [[1150, 60, 300, 150]]})
    page.goto(f"{url}/lines/4/tiles")
    page.get_by_role("button", name=re.compile("^Tile 1, ")).wait_for()
    keep(page, "tiles")


OWNERS = ("Ann Hale", "Öz Gürsel", "Bo Lind", "Zoë Marsh", "Mina Tran", "Ed Tern")
TABLE = "Owner,Tower,Cast\n" + "".join(
    f"{OWNERS[row % 6]},Tower {row % 4 + 1},{row % 28 + 1}.{row % 12 + 1}.2026\n" for row in range(240)
)


def filled_from_rows(page: Page, url: str) -> None:
    """The sleeve with an owner, a number and a code on every copy; its last row is looked at."""
    at, origin = f"{url}/api/rows/10", {"Origin": url}
    design = page.request.get(f"{url}/api/designs/10").json()
    table = {"name": "Bells.csv", "mimeType": "text/csv", "buffer": TABLE.encode()}
    form = {"file": table, "revision": str(design["revision"])}
    design = page.request.put(f"{at}/table", multipart=form, headers=origin).json()
    text = {"what": "text", "width_mm": 32, "height_mm": 8, "align": "centre", "x_mm": 6}
    fields = [
        {**text, "name": "Owner", "says": "{Owner}", "y_mm": 42, "size_pt": 14},
        {**text, "name": "Tower", "says": "{upper(Tower)}", "y_mm": 32, "size_pt": 11, "tracking": 80},
        {**text, "name": "Cast", "says": "cast {show_day(Cast, 'DD.MM.YYYY')}", "y_mm": 22, "size_pt": 10},
        {"what": "code", "name": "Code", "kind": "qr", "says": "{Serial}", "ground": True, "unique": True, "x_mm": 98,
         "y_mm": 34, "width_mm": 14.5, "height_mm": 14.5},
        {**text, "name": "Number", "says": "No. {Serial}", "x_mm": 97.5, "width_mm": 15.5, "y_mm": 26, "size_pt": 7},
    ]  # fmt: skip
    serial = {"name": "Serial", "start": 2401, "width": 5, "prefix": "B", "check": "mod 37,36"}
    rows = {**design["document"]["rows"], "fields": fields, "serials": [serial]}
    asked = {"revision": design["revision"], "words": "fields", "changes": {"rows": rows}}
    page.request.post(f"{url}/api/designs/10/edits", data=asked, headers=origin)
    page.goto(f"{url}/lines/10/rows")
    page.get_by_role("button", name="Check every row").click()
    expect(page.get_by_text("All 240 rows can be printed.")).to_be_visible(timeout=60_000)
    page.get_by_role("button", name="Longest").click()
    keep(page, "rows")


def label_web(page: Page, url: str) -> None:
    """A web of the jar label, with its mark and its files."""
    page.goto(f"{url}/run/web")
    page.get_by_role("button", name=re.compile("^Jar label")).click()
    page.get_by_role("button", name="Begin a web of this label").click()
    page.get_by_role("heading", name="Jar label").wait_for()
    number = int(page.url.rsplit("/", 1)[1])
    web = page.request.get(f"{url}/api/webs/{number}").json()
    rules = {"width_mm": [3, 6], "height_mm": [3, 6], "left_mm": [5, 20], "bottom_mm": [0, 0], "right_of_mark_mm": 1}
    changes = {"columns": 2, "rows": 2, "gap_across_mm": 5, "gap_along_mm": 5, "width_mm": 180,
               "mark": {"rules": rules}, "label": {"width_mm": 56, "height_mm": 56, "corner_mm": 28}, "bleed_mm": 1.5,
               "rolls": {"count": 4000, "per_roll": 1000, "leader_mm": 800, "thickness_mm": 0.16}}  # fmt: skip
    asked = {"revision": web["revision"], "words": "two beside each other", "changes": changes}
    page.request.post(f"{url}/api/webs/{number}/edits", data=asked, headers={"Origin": url})
    page.reload()
    page.get_by_role("button", name="Make print and cut file").click()
    page.get_by_text("Both files match").wait_for(timeout=60_000)
    keep(page, "web")


def people(page: Page, url: str) -> None:
    page.goto(f"{url}/people")
    for name, role in (("Tansy", "Operator"), ("Yarrow", "Owner"), ("Sedge", "May only look")):
        page.get_by_role("button", name="Let somebody in").click()
        page.get_by_label("Name, as it stands beside what is done").fill(name)
        page.get_by_role("radio", name=role).click()
        page.get_by_role("button", name="Make the account").click()
        page.get_by_text("/enter#").wait_for()
    page.get_by_role("button", name="Tansy Operator").click()
    page.reload()
    page.get_by_role("button", name="Tansy Operator").click()
    keep(page, "people")


def keep(page: Page, name: str) -> None:
    page.wait_for_load_state("load")
    page.evaluate("document.fonts.ready")
    while not page.evaluate("[...document.images].every((one) => one.complete)"):
        page.wait_for_timeout(100)
    page.wait_for_timeout(1500)  # the canvas fetches its art by itself
    page.screenshot(path=TARGET / f"{name}.png")


if __name__ == "__main__":
    main()
