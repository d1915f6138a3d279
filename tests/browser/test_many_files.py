"""Many files dropped at once: a folder with what strangers leave in it, beside other work; an answer that does not
come; a stop in the middle."""

import re
from collections.abc import Callable
from io import BytesIO
from pathlib import Path

from PIL import Image
from playwright.sync_api import Locator, Page, Route, expect

from etiquette.demo.art import art_file
from tests.browser.test_accessibility import faults
from tests.conftest import RunningEtiquette

ART = art_file("spark")[1]


def drop(page: Page, path: Path) -> None:
    """A folder or file let go over the page, as the browser hears it of the system."""
    box = page.get_by_role("main", name="Floor").bounding_box()
    assert box
    at = {"x": box["x"] + box["width"] / 2, "y": box["y"] + box["height"] / 2}
    data = {"items": [], "files": [str(path)], "dragOperationsMask": 1}
    session = page.context.new_cdp_session(page)
    for kind in ("dragEnter", "dragOver", "drop"):
        session.send("Input.dispatchDragEvent", {"type": kind, **at, "data": data})
    session.detach()


def strip(page: Page) -> Locator:
    return page.get_by_role("region", name="Taking in art")


def chosen(page: Page, names: list[str]) -> None:
    files = [{"name": name, "mimeType": "image/png", "buffer": ART} for name in names]
    page.get_by_label("Art file", exact=True).set_input_files(files)  # type: ignore[arg-type]


def route_sent(page: Page, route: Callable[[Route], None]) -> None:
    """Only what is sent; lists are asked for under the same address."""
    page.route("**/api/designs", lambda one: route(one) if one.request.method == "POST" else one.continue_())


def job_named(running: RunningEtiquette, name: str) -> list[str]:
    with running.client() as client:
        (job,) = [one for one in client.get(f"/api/jobs?text={name}").json()["jobs"] if one["name"] == name]
        return [part["name"] for part in client.get(f"/api/jobs/{job['id']}").json()["parts"]]


def test_a_strangers_folder_becomes_one_job_and_says_what_it_could_not_read(
    page_on: Page, running: RunningEtiquette, tmp_path: Path
) -> None:
    folder = tmp_path / "Lantern walk"
    (folder / "tins").mkdir(parents=True)
    for name in ("Sign 2.png", "Sign 10.png", "Jar.png", "tins/Jar.png", "tins/Jar-white.png"):
        (folder / name).write_bytes(ART)
    (folder / "order.txt").write_text("forty of each, please")
    (folder / "half.png").write_bytes(ART[: len(ART) // 2])
    for name in (".hidden", "Thumbs.db"):
        (folder / name).write_bytes(b"of the computer")
    drop(page_on, folder)
    page_on.wait_for_url(re.compile(r"/lines/\d+$"))  # the first is opened while the others follow
    page_on.keyboard.press("1")
    expect(strip(page_on)).to_contain_text("4 designs were taken in. 2 files were refused.")
    assert faults(page_on) == []
    strip(page_on).get_by_role("button", name="2 refused").click()
    refused = page_on.get_by_role("dialog", name="Files that were refused")
    expect(refused.get_by_role("listitem")).to_have_count(2)
    expect(refused.get_by_role("listitem").filter(has_text="Lantern walk/order.txt")).to_contain_text("not a picture")
    expect(refused.get_by_role("listitem").filter(has_text="Lantern walk/half.png")).to_contain_text("cut short")
    page_on.keyboard.press("Escape")
    strip(page_on).get_by_role("button", name="Look over all of it").click()
    expect(strip(page_on)).to_have_count(0)
    # their lines were found for that view: nobody opened the other three
    over = page_on.get_by_role("main", name="Lines of a job").get_by_role("checkbox", checked=True)
    expect(over).to_have_count(4)
    assert job_named(running, "Lantern walk") == ["Jar", "Sign 2", "Sign 10", "Jar"]


def test_an_answer_that_does_not_come_is_asked_for_again_by_the_operator(
    page_on: Page, running: RunningEtiquette
) -> None:
    page_on.keyboard.press("2")
    asked: list[Route] = []

    def away_once(route: Route) -> None:
        asked.append(route)
        if len(asked) == 2:
            route.abort()
        else:
            route.continue_()

    route_sent(page_on, away_once)
    chosen(page_on, ["Kelp one.png", "Kelp two.png", "Kelp three.png"])
    expect(strip(page_on).get_by_role("alert")).to_contain_text("Stopped at Kelp two.png. Etiquette is not answering.")
    strip(page_on).get_by_role("button", name="Send it again").click()
    expect(page_on.get_by_text("3 designs were taken in.")).to_be_visible()
    expect(page_on.get_by_role("button", name="Look over all of it")).to_be_visible()
    expect(strip(page_on)).to_have_count(0)
    assert job_named(running, "Kelp one") == ["Kelp one", "Kelp two", "Kelp three"] and len(asked) == 4

    # from line to line by one key; the job, whose next step is its run, after the last
    for name, after in (
        ("Kelp one", "Check Kelp two"),
        ("Kelp two", "Check Kelp three"),
        ("Kelp three", "Go to Kelp one"),
    ):
        page_on.get_by_role("heading", name=name, exact=True).wait_for()
        expect(page_on.get_by_role("button", name="Ready for a run")).to_be_enabled()
        page_on.keyboard.press("Enter")
        expect(page_on.get_by_role("button", name=after)).to_be_enabled()
        page_on.keyboard.press("Enter")
    expect(page_on.get_by_role("button", name="Make a run of 36 pieces")).to_be_visible()


def test_what_was_not_sent_when_it_was_stopped_is_named(page_on: Page, running: RunningEtiquette) -> None:
    page_on.keyboard.press("2")
    held: list[Route] = []

    def hold_the_second(route: Route) -> None:
        held.append(route)
        if len(held) == 1:
            route.continue_()

    route_sent(page_on, hold_the_second)
    chosen(page_on, ["Moss one.png", "Moss two.png", "Moss three.png"])
    expect(strip(page_on)).to_contain_text("Taking in art: 1 of 3")
    expect(strip(page_on)).to_contain_text("Moss two.png")
    strip(page_on).get_by_role("button", name="Stop").click()
    expect(strip(page_on)).to_contain_text("1 design was taken in. 2 files were not sent, from Moss two.png on")
    strip(page_on).get_by_role("button", name="Close").click()
    assert job_named(running, "Moss one") == ["Moss one"]


def test_what_was_copied_elsewhere_is_taken_in_but_not_while_somebody_types(
    page_on: Page, running: RunningEtiquette
) -> None:
    paste = """([where, drawing]) => {
      const held = new DataTransfer();
      held.setData("text/plain", drawing);
      document.querySelector(where).dispatchEvent(new ClipboardEvent("paste", { clipboardData: held, bubbles: true }));
    }"""
    drawing = (
        '<svg xmlns="http://www.w3.org/2000/svg" width="30mm" height="20mm"><circle cx="50" cy="40" r="30"/></svg>'
    )
    page_on.keyboard.press("Control+k")
    asked: list[str] = []
    page_on.on("request", lambda request: asked.append(request.url) if request.method == "POST" else None)
    page_on.get_by_placeholder("A job").wait_for()
    page_on.evaluate(paste, ["input", drawing])
    page_on.keyboard.press("Escape")
    page_on.get_by_placeholder("A job").wait_for(state="hidden")
    page_on.evaluate(paste, ["main", drawing])
    page_on.get_by_role("heading", name="Pasted", exact=True).wait_for()
    assert len([url for url in asked if url.endswith("/api/designs")]) == 1
    design = int(page_on.url.rsplit("/", 1)[1])
    assert running.get(f"/api/designs/{design}").json()["natural_width_mm"] == 30


def test_a_width_that_is_typed_once_is_given_to_the_others(page_on: Page, running: RunningEtiquette) -> None:
    shades = {f"token-{name}.png": (40 * number, 90, 120) for number, name in enumerate(("ash", "elm", "oak"))}
    page_on.goto(f"{running.url}/lines")
    page_on.get_by_label("Art file", exact=True).set_input_files(
        [{"name": name, "mimeType": "image/png", "buffer": sizeless(shade)} for name, shade in shades.items()]  # type: ignore[list-item]
    )
    page_on.get_by_role("heading", name="Token ash", exact=True).wait_for()
    width = page_on.get_by_label("Width", exact=True)
    width.fill("45")
    width.press("Enter")
    page_on.get_by_role("button", name="The same for 2 others").click()
    expect(page_on.get_by_label("Width 45.0 mm")).to_be_checked()
    assert faults(page_on) == []
    page_on.get_by_role("button", name="Set it for them").click()
    expect(page_on.get_by_text("They have the same settings already.")).to_be_visible()
    first = int(page_on.url.rsplit("/", 1)[1])
    with running.client() as client:
        job = client.get(f"/api/designs/{first}").json()["job_id"]
        parts = client.get(f"/api/jobs/{job}").json()["parts"]
        held = [client.get(f"/api/designs/{part['id']}").json()["document"] for part in parts]
    assert [one["width_mm"] for one in held] == [45.0] * 3 and not any(one["ready"] for one in held)


def sizeless(shade: tuple[int, int, int]) -> bytes:
    out = BytesIO()
    Image.new("RGB", (300, 200), shade).save(out, "PNG")
    return out.getvalue()
