"""A view that fails says so, leaves the rest of the page, and goes when another one is opened."""

from playwright.sync_api import Page, expect

from tests.conftest import RunningEtiquette


def test_a_view_that_fails_is_a_sentence_and_the_way_on(page_on: Page, running: RunningEtiquette) -> None:
    page_on.route("**/api/shelf", lambda route: route.fulfill(json={"nothing": "of what was expected"}))
    page_on.goto(f"{running.url}/shelf")
    broken = page_on.get_by_role("alert").filter(has_text="could not be shown")
    expect(broken).to_contain_text("What was saved is safe")
    page_on.keyboard.press("1")  # the bar and its keys are still there
    expect(page_on).to_have_url(f"{running.url}/floor")
    expect(broken).to_have_count(0)
