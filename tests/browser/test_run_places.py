"""Where a run lies and what it says, set on the real interface; the modes of its printer side by side."""

from playwright.sync_api import Page, expect

from tests.browser.test_run import new_run, shown, typed
from tests.conftest import RunningEtiquette


def test_a_run_on_sheets_is_turned_filled_and_named(page_on: Page, running: RunningEtiquette) -> None:
    run = new_run(running, "Bands on sheets", {"Ferry window band": 3})
    page_on.goto(f"{running.url}/run/{run}")
    page_on.get_by_role("button", name="Nest N").wait_for()
    page_on.get_by_role("button", name="Pieces are").click()
    page_on.get_by_role("radio", name="in a straight grid").click()
    page_on.get_by_role("button", name="Stock lies as").click()
    page_on.get_by_role("radio", name="sheets").click()
    typed(page_on, "Length of a sheet", "300")
    expect(page_on.get_by_role("button", name="Length of a sheet")).to_contain_text("300")
    page_on.get_by_role("button", name="Pieces turned").click()
    page_on.get_by_role("radiogroup", name="Pieces turned").get_by_role("radio", name="90°").click()
    # turned they hold fewer than upright or more: the offer goes to whichever is better, and there is none then
    offer = page_on.get_by_text("One quarter turn more fits")
    turned = page_on.get_by_role("button", name="Turn them")
    expect(page_on.get_by_role("button", name="Pieces turned")).to_contain_text("90°")
    if shown(running, run)["turned"] is None:
        page_on.get_by_role("radiogroup", name="Pieces turned").get_by_role("radio", name="not").click()
    expect(offer).to_be_visible()
    turned.click()
    expect(offer).to_have_count(0)
    page_on.get_by_role("button", name="The last sheet").click()
    page_on.get_by_role("radio", name="is filled").click()
    page_on.get_by_role("button", name="On its sheet").click()
    page_on.get_by_role("radio", name="at the tail").click()
    page_on.get_by_role("button", name="Across in the middle").click()
    page_on.get_by_role("radio", name="from the right edge").click()
    page_on.get_by_role("button", name="Lay the grid").click()
    expect(page_on.get_by_role("button", name="To the printer")).to_be_visible()
    expect(page_on.get_by_label("Room")).to_contain_text("on the sheets for")
    state = shown(running, run)
    document, plan = state["document"], state["plans"][0]  # type: ignore[index]
    assert document["items"][0]["count"] > 3 and document["along"] == "tail"  # type: ignore[index]
    assert plan["work"][2] > 700  # near the right edge of 760 mm
    page_on.get_by_role("button", name="Slug run, customer, date").click()
    page_on.get_by_role("radio", name="own words").click()
    words = page_on.get_by_role("textbox", name="Words of the slug")
    words.fill("window {job}")
    words.press("Enter")
    expect(page_on.get_by_text("It reads:")).to_contain_text("-1 window Ferry")
    page_on.get_by_role("button", name="Feed arrow").click()
    page_on.get_by_role("radio", name="on the right").click()
    expect(page_on.get_by_role("button", name="Feed arrow")).to_contain_text("on the right")
    after = shown(running, run)["plans"][0]  # type: ignore[index]
    assert after["slug_at"][0] < after["codes"][0]["x"] < after["arrow"][0][0]
    assert shown(running, run)["fresh"]  # words and arrow lay nothing anew


def test_modes_stand_side_by_side_with_what_the_run_takes(page_on: Page, running: RunningEtiquette) -> None:
    run = new_run(running, "Which mode", {"Radish decal": 4})
    page_on.goto(f"{running.url}/run/{run}")
    page_on.get_by_role("button", name="Nest N").click()
    page_on.get_by_role("button", name="To the printer").click()
    expect(page_on.get_by_role("img", name="colour plate, leading edge left")).to_be_visible()
    page_on.get_by_role("button", name="Mode").click()
    rows = page_on.get_by_role("row").filter(has=page_on.get_by_role("rowheader"))
    assert rows.count() >= 2
    costs = [row.split() for row in rows.all_inner_texts()]
    assert all(float(cells[-1]) > 0 and float(cells[-4]) > 0 for cells in costs)  # cost and minutes of each
    other = rows.filter(has=page_on.locator('[aria-pressed="false"]')).first
    name = other.get_by_role("button").inner_text()
    other.get_by_role("button").click()
    expect(page_on.get_by_role("button", name="Mode").first).to_contain_text(name)


def on_a_bed_of_two(page_on: Page, running: RunningEtiquette, name: str, count: int) -> int:
    """A run on a bed of two blanks, shown."""
    run = new_run(running, name, {"Radish decal": count})
    page_on.goto(f"{running.url}/run/{run}")
    page_on.get_by_role("button", name="Nest N").wait_for()
    page_on.get_by_role("button", name="Pieces are").click()
    page_on.get_by_role("radio", name="on the places of a bed").click()
    typed(page_on, "Blanks beside each other", "2")
    typed(page_on, "Rows of blanks", "1")
    expect(page_on.get_by_text("2 places fit on one bed.")).to_be_visible()
    return run


def test_blanks_are_set_down_measured_and_kept_as_a_holder(page_on: Page, running: RunningEtiquette) -> None:
    on_a_bed_of_two(page_on, running, "Tray of discs", 2)
    page_on.get_by_role("button", name="Blanks lie").click()
    page_on.get_by_role("radio", name="where they are set down").click()
    bed = page_on.get_by_role("group", name="Bed with 2 blanks")
    expect(bed).to_be_visible()
    second = page_on.get_by_role("button", name="Blank 2, any design")
    second.focus()
    second.press("ArrowDown")
    expect(page_on.get_by_role("button", name="From the left edge")).to_contain_text("106.0 mm")  # 100 + 5 + 1
    typed(page_on, "From the near edge", "1 1/2in")
    expect(page_on.get_by_role("button", name="From the near edge")).to_contain_text("38.1 mm")
    # dragged onto the first one it is told, and undone
    box = second.bounding_box()
    first = page_on.get_by_role("button", name="Blank 1, any design").bounding_box()
    assert box and first
    page_on.mouse.move(box["x"] + 12, box["y"] + 12)
    page_on.mouse.down()
    page_on.mouse.move(box["x"] + 12, first["y"] + 40, steps=4)
    page_on.mouse.up()
    expect(page_on.get_by_text("It lies on blank 1, so nothing is put on it.")).to_be_visible()
    page_on.get_by_role("button", name="Undo").click()
    expect(page_on.get_by_text("It lies on blank 1")).to_have_count(0)
    page_on.get_by_role("button", name="Lay the bed plan").click()
    expect(page_on.get_by_role("button", name="To the printer")).to_be_visible()
    expect(page_on.get_by_role("list", name="Pieces on the roll").get_by_role("button")).to_have_count(2)
    name = page_on.get_by_role("textbox", name="Name of the holder")
    name.fill("Disc tray")
    name.press("Enter")
    page_on.get_by_role("button", name="Keep as a holder").click()
    page_on.get_by_role("link", name="Holders on the Shelf").click()
    expect(page_on.get_by_role("img", name="Disc tray with 2 openings")).to_be_visible()
    page_on.get_by_role("button", name="Make a design of it").click()
    expect(page_on.get_by_role("heading", name="Disc tray")).to_be_visible()
    expect(page_on.get_by_text("through").first).to_be_visible()


def test_blanks_with_their_own_marks_are_printed_at_once_and_go_their_own_ways(
    page_on: Page, running: RunningEtiquette
) -> None:
    run = on_a_bed_of_two(page_on, running, "Door panels", 3)
    page_on.get_by_role("button", name="Marks stand").click()
    page_on.get_by_role("radio", name="on each blank").click()
    page_on.get_by_role("button", name="Lay the bed plan").click()
    expect(page_on.get_by_text("the marks of a place leave")).to_be_visible()  # 100 mm is too small for them
    typed(page_on, "A blank is wide", "180")
    typed(page_on, "and long", "7 1/2in")
    page_on.get_by_role("button", name="Lay the bed plan").click()
    expect(page_on.get_by_text("3 blanks, each with its marks")).to_be_visible()
    overview = page_on.get_by_label("Overview")
    expect(overview.get_by_text("bed 1")).to_be_visible()
    expect(overview.get_by_text("bed 2")).to_be_visible()
    page_on.get_by_role("button", name="To the printer").click()
    send = page_on.get_by_role("button", name="Send all 2 beds: 3 blanks")
    expect(send).to_be_enabled()  # when the printer was asked what lies on it
    page_on.keyboard.press("Enter")
    expect(page_on.get_by_text("printed, waits for film").first).to_be_visible()
    names = running.get(f"/api/print/{run}").json()["sheets"]
    assert len(names) == 3 and {one["width_mm"] for one in names} == {180}
