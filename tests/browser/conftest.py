"""Pages of browser tests: with patience, so that no test is found out by the clock."""

from collections.abc import Iterator

import pytest
from playwright.sync_api import Page, expect

from tests.conftest import PATIENCE, RunningEtiquette

expect.set_options(timeout=PATIENCE * 1000)


@pytest.fixture
def page(page: Page) -> Page:
    page.set_default_timeout(PATIENCE * 1000)
    return page


@pytest.fixture
def page_on(page: Page, running: RunningEtiquette) -> Iterator[Page]:
    """A page that fails the test on any error in it and any request that leaves the machine."""
    faults: list[str] = []
    page.on("pageerror", lambda error: faults.append(f"the page failed: {error}"))
    page.on(
        "request",
        lambda request: (
            None
            if request.url.startswith((running.url, "data:", "blob:"))
            else faults.append(f"left the machine: {request.url}")
        ),
    )
    page.goto(running.url)
    page.get_by_role("heading", name="Needs lines").wait_for()  # keys work from here on
    yield page
    assert faults == []
