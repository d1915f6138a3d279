"""No view has a fault that axe-core finds (source: the rules of axe-core, WCAG 2 levels A and AA and its best
practices)."""

import pytest
from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import Page, expect

from tests.browser.test_worn_bench import Api
from tests.conftest import RunningEtiquette, wait_until

NOTHING_FADES = """() => {
  const held = new CSSStyleSheet();
  held.replaceSync("[data-sonner-toast] { opacity: 1 !important } "
    + "[data-sonner-toast], [data-sonner-toast] * { transition: none !important; animation: none !important }");
  document.adoptedStyleSheets = [held];
}"""
"""What is said for a while fades in and out, also while axe-core looks: half gone it has no contrast, and nobody is to
read it."""


def faults(page: Page) -> list[str]:
    page.evaluate(NOTHING_FADES)
    found = Axe().run(page).response["violations"]
    return [f"{one['id']}: {node['html'][:120]}" for one in found for node in one["nodes"]]


TABLET = {"width": 820, "height": 1180}
"""One that is held upright: common practice at a cutter, no published source."""


def cut_off(page: Page) -> list[str]:
    """Buttons and links that reach past the side of a tablet's screen, what can be scrolled to left out."""
    before = page.viewport_size
    page.set_viewport_size(TABLET)  # type: ignore[arg-type]
    wait_until(lambda: page.evaluate("() => innerWidth") == TABLET["width"])
    found: list[str] = page.evaluate("""() => [...document.querySelectorAll("button, a, input")]
      .filter((one) => one.checkVisibility() && !one.closest(".overflow-x-auto, .sr-only"))
      .filter((one) => one.getBoundingClientRect().right > innerWidth + 1)
      .map((one) => one.textContent || one.title || one.outerHTML.slice(0, 100))""")
    assert before
    page.set_viewport_size(before)  # the page is that of all tests
    return found


@pytest.mark.parametrize(
    "view",
    [
        "floor",
        "floor/jobs",
        "floor/job",
        "floor/records",
        "lines",
        "lines/job",
        "rows",
        "tiles",
        "fold",
        "lines/forms",
        "run",
        "run/web",
        "web",
        "print",
        "bench",
        "shelf",
        "people",
    ],
)
def test_nothing_is_found_on_any_view(page_on: Page, running: RunningEtiquette, view: str) -> None:
    api = Api(running)
    first = {
        "floor/job": "/1",
        "lines/job": "/1",
        "lines": f"/{api.ask('GET', '/designs')[0]['id']}",
        "run": f"/{api.ask('GET', '/runs')[-1]['id']}",
        "print": f"/{api.ask('GET', '/runs')[-1]['id']}",
        "bench": f"/{api.ask('GET', '/sheets')[0]['id']}",
    }
    if view == "web":
        web = api.ask("POST", "/webs", json={"designs": [api.ask("GET", "/designs")[0]["id"]]})
        view = f"run/web/{web['id']}"
    if view == "rows":
        design = api.ask("GET", "/designs")[0]["id"]
        field = {"what": "text", "name": "Word", "says": "{Row}", "width_mm": 20, "height_mm": 5}
        changes = {"changes": {"rows": {"fields": [field]}}, "words": "a text"}
        revision = api.ask("GET", f"/designs/{design}")["revision"]
        api.ask("POST", f"/designs/{design}/edits", json={"revision": revision, **changes})
        view = f"lines/{design}/rows"
    if view == "tiles":
        design = api.ask("GET", "/designs")[0]["id"]
        revision = api.ask("GET", f"/designs/{design}")["revision"]
        if api.ask("GET", f"/tiles/{design}")["document"] is None:
            api.ask("POST", f"/tiles/{design}", json={"revision": revision})
        view = f"lines/{design}/tiles"
    if view == "fold":
        sleeve = next(one["id"] for one in api.ask("GET", "/designs") if one["name"] == "Bell sleeve")
        view = f"lines/{sleeve}/fold"
    page_on.goto(f"{running.url}/{view}{first.get(view, '')}")
    page_on.get_by_role("main").wait_for()
    page_on.get_by_role("heading").first.wait_for()
    assert faults(page_on) == []
    assert cut_off(page_on) == []


@pytest.mark.parametrize(("key", "name"), [("?", "Keys"), ("Control+k", "Find")])
def test_nothing_is_found_on_the_sheets(page_on: Page, key: str, name: str) -> None:
    page_on.keyboard.press(key)
    page_on.get_by_role("dialog").wait_for()
    assert faults(page_on) == []


def test_help_opens_beside_the_work_and_is_searched(page_on: Page, running: RunningEtiquette) -> None:
    page_on.goto(f"{running.url}/shelf")
    page_on.get_by_role("heading", name="Stocks").wait_for()
    page_on.get_by_label("Find on the Shelf").focus()
    page_on.keyboard.press("F1")  # also while something is typed
    help_page = page_on.get_by_role("complementary", name="Help")
    help_page.get_by_text("A new machine").wait_for()
    assert faults(page_on) == []
    help_page.get_by_label("Search the help").fill("nobody knows")
    help_page.get_by_text("Ask the printer.").wait_for()
    page_on.keyboard.press("Escape")
    expect(help_page).to_have_count(0)
