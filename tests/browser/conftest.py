"""Pages of browser tests: with patience, so that no test is found out by the clock; all in one window, which keeps what
it has compiled of the application."""

from collections.abc import Iterator

import pytest
from playwright.sync_api import Browser, BrowserContext, Error, Page, Request, expect

from tests.conftest import PATIENCE, RunningEtiquette

expect.set_options(timeout=PATIENCE * 1000)


@pytest.fixture(scope="session")
def window(browser: Browser, browser_context_args: dict[str, object]) -> Iterator[BrowserContext]:
    opened = browser.new_context(**browser_context_args)  # type: ignore[arg-type]
    yield opened
    opened.close()


@pytest.fixture(scope="session")
def held(window: BrowserContext) -> Page:
    """One page for all tests: to open one takes as long as all that many of them do with it."""
    opened = window.new_page()
    opened.set_default_timeout(PATIENCE * 1000)
    return opened


@pytest.fixture
def page(held: Page) -> Iterator[Page]:
    """It remembers nothing of the test before."""
    yield held
    held.unroute_all()
    held.evaluate("() => localStorage.clear()")
    held.goto("about:blank")  # nothing is asked of the server any more


@pytest.fixture
def page_on(page: Page, running: RunningEtiquette) -> Iterator[Page]:
    """A page that fails the test on any error in it and any request that leaves the machine."""
    faults: list[str] = []

    def failed(error: Error) -> None:
        faults.append(f"the page failed: {error}")

    def asked(request: Request) -> None:
        if not request.url.startswith((running.url, "data:", "blob:")):
            faults.append(f"left the machine: {request.url}")

    page.on("pageerror", failed)
    page.on("request", asked)
    running.let_in(page)
    page.goto(running.url)
    page.get_by_role("heading", name="Needs your hands").wait_for()  # keys work from here on
    yield page
    page.remove_listener("pageerror", failed)
    page.remove_listener("request", asked)
    assert faults == []
