"""Handling a layout on the real interface: piece by piece, side by side, with weed lines, on another machine."""

import re

from playwright.sync_api import Page, expect

from tests.browser.test_walk import nested_quickly
from tests.conftest import RunningEtiquette, wait_until


def new_run(running: RunningEtiquette, name: str, counts: dict[str, int]) -> int:
    """A run, nested quickly and without the background."""
    with running.client() as client:
        designs = {one["name"]: one["id"] for one in client.get("/api/designs").json()}
        items = [{"design_id": designs[one], "count": count} for one, count in counts.items()]
        run: int = client.post("/api/runs", json={"name": name, "items": items}).json()["id"]
    nested_quickly(running, run)
    return run


def typed(page: Page, label: str, text: str) -> None:
    """A figure typed into its row, which is opened for it."""
    page.get_by_role("button", name=label).click()
    field = page.get_by_role("textbox", name=label)
    field.fill(text)
    field.press("Enter")


def shown(running: RunningEtiquette, run: int) -> dict[str, object]:
    answer: dict[str, object] = running.get(f"/api/runs/{run}").json()
    return answer


def test_layouts_side_by_side_weed_lines_and_a_narrower_printer(page_on: Page, running: RunningEtiquette) -> None:
    run = new_run(running, "By hand", {"Radish decal": 9, "Spark decal": 5})
    page_on.goto(f"{running.url}/run/{run}")
    page_on.get_by_role("button", name="Nest N").wait_for()
    page_on.keyboard.press("n")
    pieces = page_on.get_by_role("list", name="Pieces on the roll").get_by_role("button")
    expect(pieces).to_have_count(14)
    page_on.keyboard.press("k")
    expect(page_on.get_by_text("1 of 4 set aside.")).to_be_visible()
    page_on.get_by_role("button", name="Pieces are").click()
    page_on.get_by_role("radio", name="in a straight grid").click()
    lay = page_on.get_by_role("button", name="Lay the grid")
    lay.click()
    expect(page_on.get_by_role("button", name="To the printer")).to_be_visible()
    page_on.keyboard.press("c")
    rows = page_on.get_by_role("region", name="Layouts side by side").get_by_role("img")
    expect(rows).to_have_count(2)
    page_on.get_by_role("button", name="Take it").click()
    expect(page_on.get_by_role("button", name="Nest again")).to_be_visible()
    page_on.keyboard.press("c")
    page_on.get_by_role("button", name="Cross lines").click()
    page_on.get_by_role("radio", name="both ways").click()
    page_on.get_by_role("button", name="A strip").click()
    strip = page_on.get_by_role("textbox", name="A strip")
    strip.fill("1 1/2in")
    strip.press("Enter")
    expect(page_on.get_by_role("button", name="A strip")).to_contain_text("38.1 mm")
    state = shown(running, run)
    assert state["fresh"] and len(state["weed"][0]) >= 2  # type: ignore[index]
    # a narrower printer: nested anew at once, designs and counts as they were
    with running.client() as client:
        printer = client.get("/api/shelf").json()["printer"][0]
        told = {"version": printer["version"], "changes": {"print_width_mm": 300}}
        client.post(f"/api/shelf/printer/{printer['id']}", json=told).raise_for_status()
        try:
            page_on.get_by_role("button", name="Laminator").click()
            page_on.get_by_role("radiogroup", name="Laminator").get_by_role("radio", name="none").click()
            expect(page_on.get_by_text("To use across, by Printer east")).to_be_visible()
            expect(pieces).to_have_count(14)
            after = shown(running, run)
            marks = [mark["x"] for mark in after["plans"][0]["marks"]]  # type: ignore[index]
            assert after["fresh"] and max(marks) - min(marks) <= 300 - 12
            assert after["document"]["items"] == state["document"]["items"]  # type: ignore[index]
        finally:
            told = {"version": printer["version"] + 1, "changes": {"print_width_mm": printer["print_width_mm"]}}
            client.post(f"/api/shelf/printer/{printer['id']}", json=told).raise_for_status()


def test_pieces_are_doubled_aligned_and_the_gaps_filled(page_on: Page, running: RunningEtiquette) -> None:
    run = new_run(running, "Filled", {"Spark decal": 3, "Ferry window band": 1})
    page_on.goto(f"{running.url}/run/{run}")
    page_on.get_by_role("button", name="Nest N").wait_for()
    page_on.keyboard.press("n")
    pieces = page_on.get_by_role("list", name="Pieces on the roll").get_by_role("button")
    expect(pieces).to_have_count(4)
    pieces.first.evaluate("button => button.click()")
    page_on.keyboard.press("d")
    expect(pieces).to_have_count(5)
    page_on.get_by_role("group", name="Align").get_by_role("button", name="right").click()
    expect(page_on.get_by_role("button", name="Undo")).to_have_attribute("title", re.compile("Undo aligned by hand"))
    page_on.keyboard.press("Escape")
    page_on.get_by_role("button", name="Fill the gaps").click()
    wait_until(lambda: pieces.count() > 5)
    page_on.keyboard.press("Control+z")
    expect(pieces).to_have_count(5)


def test_the_plate_is_looked_at_closely_held_and_sent(page_on: Page, running: RunningEtiquette) -> None:
    run = new_run(running, "Held", {"Spark decal": 4})
    page_on.goto(f"{running.url}/run/{run}")
    page_on.get_by_role("button", name="Nest N").wait_for()
    page_on.keyboard.press("n")
    page_on.get_by_role("button", name="To the printer").click()
    expect(page_on.get_by_role("button", name="Send to printer")).to_be_enabled()
    expect(page_on.get_by_text("Marks and codes inside the stock, clear of every piece and its bleed")).to_be_visible()
    expect(page_on.get_by_text(re.compile(r"Coarse on screen only"))).to_be_visible()
    plate = page_on.get_by_role("img", name="white plate, leading edge left")
    page_on.keyboard.press("v")
    expect(plate.or_(page_on.get_by_role("img", name="colour plate, leading edge left"))).to_be_visible()
    page_on.keyboard.press("l")
    expect(page_on.get_by_role("main").get_by_test_id("finish-line")).to_have_count(1)  # all of a kind in one path
    box = page_on.get_by_role("img", name=re.compile("plate, leading edge left")).bounding_box()
    assert box is not None
    page_on.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    for _ in range(4):
        page_on.mouse.wheel(0, -300)
    with page_on.expect_response(re.compile("/part")) as answer:
        expect(page_on.get_by_test_id("real pixels")).to_be_attached()
    assert answer.value.status == 200
    expect(page_on.get_by_text(re.compile(r"Coarse on screen only"))).to_have_count(0)
    page_on.keyboard.press("h")
    expect(page_on.get_by_text("held, not sent yet")).to_be_visible()
    page_on.get_by_role("button", name="Send it").click()
    expect(page_on.get_by_role("button", name="Put film on")).to_be_visible()
    page_on.get_by_role("button", name="Mode").click()
    page_on.get_by_role("button", name="fine").click()
    expect(page_on.get_by_text(re.compile("12 passes, one way"))).to_be_visible()


def test_another_roll_on_the_printer_stands_in_the_way(page_on: Page, running: RunningEtiquette) -> None:
    run = new_run(running, "Paper", {"Spark decal": 2})
    page_on.goto(f"{running.url}/run/{run}")
    page_on.get_by_role("button", name="Stock Gloss").click()
    page_on.get_by_role("radio", name="Matt paper label 330").click()
    expect(page_on.get_by_role("main", name="Run")).to_contain_text("Matt paper label 330")  # the change has come back
    page_on.keyboard.press("n")
    page_on.get_by_role("button", name="To the printer").click()
    expect(
        page_on.get_by_text(re.compile("holds Gloss white vinyl 760, roll A; this run is on Matt paper"))
    ).to_be_visible()
    expect(page_on.get_by_role("button", name="Send to printer")).to_be_disabled()
    page_on.get_by_role("button", name="Matt paper label 330, roll A is on it now").click()
    expect(page_on.get_by_role("button", name="Send to printer")).to_be_enabled()
    with running.client() as client:
        client.post("/api/room/runs/1/roll").raise_for_status()  # as the other tests expect it


def test_all_frames_are_sent_at_once_and_one_of_them_is_held(page_on: Page, running: RunningEtiquette) -> None:
    run = new_run(running, "Three sheets", {"Spark decal": 250})
    api = running.client()
    api.post(
        f"/api/runs/{run}/edits", json={"revision": 2, "words": "sheets", "changes": {"sheet_mm": 300}}
    ).raise_for_status()
    page_on.goto(f"{running.url}/run/{run}")
    page_on.get_by_role("button", name="Nest N").click()
    page_on.get_by_role("button", name="To the printer").click()
    everything = page_on.get_by_role("button", name="Send all")
    expect(everything).to_be_visible()
    api.post(f"/api/room/runs/{run}/roll").raise_for_status()
    page_on.reload()
    expect(everything).to_be_enabled()
    everything.click()
    queue = page_on.get_by_role("list", name="Queue")
    queue.get_by_role("button", name="Hold").last.click()
    # the others are printed one after the other, and the one that was held waits to be sent
    sheets = page_on.get_by_role("complementary", name="Readings")
    expect(sheets.get_by_text("held, not sent yet")).to_be_visible()
    expect(queue).to_have_count(0)

    def states() -> list[str]:
        return [one["state"] for one in api.get(f"/api/print/{run}").json()["sheets"]]

    wait_until(lambda: "printing" not in states())
    assert sorted(set(states())) == ["held", "printed"] and states().count("held") == 1


def test_a_run_that_waits_is_sent_with_the_next_one(page_on: Page, running: RunningEtiquette) -> None:
    """Its files are made from here; then both go in one action. And a label that nobody made is refused in place."""
    one, other = (new_run(running, name, {"Spark decal": 2}) for name in ("Sent first", "Sent along"))
    with running.client() as client:
        for run in (one, other):
            tasks = [client.put(f"/api/runs/{run}/nest").json()["task_id"]]
            wait_until(lambda: client.get(f"/api/tasks/{tasks[0]}").json()["state"] == "done")  # noqa: B023
        client.post(f"/api/room/runs/{one}/roll").raise_for_status()
        page_on.goto(f"{running.url}/print/{one}")
        others = page_on.get_by_role("list", name="Runs that can be sent together")
        others.get_by_role("button", name="Make the print files of Sent along").click()
        others.get_by_role("checkbox", name="Sent along").check()
        page_on.get_by_role("textbox", name="Scan the label").fill("ROLLXXXXXXX")
        page_on.keyboard.press("Enter")
        expect(page_on.get_by_text("No roll has the label")).to_be_visible()
        page_on.get_by_role("button", name="Send this one and that run").click()
        for run in (one, other):
            wait_until(lambda: [s["state"] for s in client.get(f"/api/print/{run}").json()["sheets"]] == ["printed"])  # noqa: B023
    expect(others.get_by_text("Sent along")).to_have_count(0)
