"""Pages of browser tests: with patience, so that no test is found out by the clock; all in one window, which keeps what
it has compiled of the application."""

from collections.abc import Iterator

import pytest
from playwright.sync_api import Browser, BrowserContext, Page, expect

from tests.conftest import PATIENCE, RunningEtiquette

expect.set_options(timeout=PATIENCE * 1000)


@pytest.fixture(scope="session")
def window(browser: Browser, browser_context_args: dict[str, object]) -> Iterator[BrowserContext]:
    opened = browser.new_context(**browser_context_args)  # type: ignore[arg-type]
    yield opened
    opened.close()


@pytest.fixture
def page(window: BrowserContext) -> Iterator[Page]:
    """A page that remembers nothing of the one before."""
    opened = window.new_page()
    opened.set_default_timeout(PATIENCE * 1000)
    yield opened
    opened.evaluate("() => localStorage.clear()")
    opened.close()


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
    page.get_by_role("heading", name="Needs your hands").wait_for()  # keys work from here on
    yield page
    assert faults == []
