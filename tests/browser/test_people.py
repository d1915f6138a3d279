"""Who is at work: let in by a link, signed in, handed over at a shared screen, out again; and the trail of it."""

from collections.abc import Iterator

import pytest
from playwright.sync_api import Browser, BrowserContext, Page, expect

from tests.conftest import PATIENCE, RunningEtiquette

WORDS = "heron basalt 93 quay"


@pytest.fixture(autouse=True)
def nobody_stays(running: RunningEtiquette) -> Iterator[None]:
    """The shop is that of other tests, too: with an owner who has a password, a start of it prints no link."""
    yield
    with running.client() as client:
        for one in client.get("/api/people/accounts").raise_for_status().json():
            if not one["demo"] and not one["away"]:
                client.patch(f"/api/people/accounts/{one['id']}", json={"away": True}).raise_for_status()
        assert client.get("/api/people/start").json()["owner"] is False


def visitor(browser: Browser) -> BrowserContext:
    """Somebody's browser that was never here."""
    opened = browser.new_context(viewport={"width": 1280, "height": 800})
    opened.set_default_timeout(PATIENCE * 1000)
    return opened


def choose_password(page: Page, link: str) -> None:
    page.goto(link)
    page.get_by_label("Password: eight").fill("12345678")
    page.get_by_role("button", name="Begin").click()
    expect(page.get_by_role("alert")).to_contain_text("would be guessed")
    page.get_by_label("Password: eight").fill(WORDS)
    page.keyboard.press("Enter")
    page.get_by_role("heading", name="Needs your hands").wait_for()


def let_in(page: Page, running: RunningEtiquette, name: str, role: str) -> str:
    """The link that the owner is shown."""
    page.goto(f"{running.url}/people")
    page.get_by_role("button", name="Let somebody in").click()
    page.get_by_label("Name, as it stands beside what is done").fill(name)
    page.get_by_role("radio", name=role).click()
    page.get_by_role("button", name="Make the account").click()
    return page.get_by_text("/enter#").inner_text()


def test_somebody_is_let_in_works_under_the_own_name_and_hands_the_screen_over(
    page_on: Page, running: RunningEtiquette, browser: Browser
) -> None:
    link = let_in(page_on, running, "Tansy", "Operator")
    expect(page_on.get_by_role("button", name="Tansy Operator, has not come in yet")).to_be_visible()
    theirs = visitor(browser)
    page = theirs.new_page()
    page.goto(f"{running.url}/run")
    expect(page.get_by_role("heading", name="Open the link that was printed")).to_be_visible()
    choose_password(page, link)
    page.get_by_role("button", name="Tansy is at work here").click()
    page.get_by_role("link", name="Your account").click()
    page.get_by_role("button", name="PIN").click()
    page.get_by_label("PIN, four digits or more").fill("2907")
    page.get_by_label("Your password").fill(WORDS)
    page.get_by_role("button", name="Set the PIN").click()
    expect(page.get_by_role("button", name="PIN set")).to_be_visible()
    page.get_by_role("button", name="Tansy is at work here").click()
    page.get_by_role("button", name="Sign out").click()
    page.goto(link)
    expect(page.get_by_role("alert")).to_contain_text("This link was used")
    theirs.close()

    link = let_in(page_on, running, "Yarrow", "Owner")
    both = visitor(browser)
    page = both.new_page()
    choose_password(page, link)
    page.get_by_role("button", name="Yarrow is at work here").click()
    page.get_by_role("button", name="Sign out").click()
    page.get_by_label("Name").fill("Yarrow")
    page.get_by_label("Password").fill("not this one")
    page.get_by_label("Several people work at this screen").check()
    page.get_by_role("button", name="Sign in").click()
    expect(page.get_by_role("alert")).to_contain_text("The name or the password is not right.")
    page.get_by_label("Password").fill(WORDS)
    page.keyboard.press("Enter")
    page.get_by_role("button", name="Yarrow is at work here").click()
    page.get_by_role("button", name="Tansy", exact=True).click()
    page.get_by_label("PIN of Tansy").fill("2908")
    page.keyboard.press("Enter")
    expect(page.get_by_role("alert")).to_contain_text("The badge or the PIN is not right.")
    page.get_by_label("PIN of Tansy").fill("2907")
    page.get_by_role("button", name="Tansy goes on").click()
    page.get_by_role("button", name="Tansy is at work here").wait_for()
    page.get_by_role("heading", name="Needs your hands").wait_for()

    page_on.goto(f"{running.url}/people")
    page_on.get_by_role("button", name="Tansy Operator").click()
    page_on.get_by_role("button", name="Sign out everywhere").click()
    expect(page_on.get_by_role("button", name="Sign out everywhere")).to_have_count(0)
    page.get_by_role("link", name="Shelf").click()  # the next thing that is asked shows the door
    page.get_by_role("heading", name="Sign in").wait_for()
    both.close()
    trail = page_on.get_by_role("region", name="What was done")
    trail.get_by_label("Find in what was done").fill("change person")
    expect(trail.get_by_role("row")).to_contain_text(["When", "Tansy", "change person: refused"])


def test_who_may_only_look_looks(page_on: Page, running: RunningEtiquette, browser: Browser) -> None:
    link = let_in(page_on, running, "Sedge", "May only look")
    theirs = visitor(browser)
    page = theirs.new_page()
    choose_password(page, link)
    page.goto(f"{running.url}/lines/1")
    page.get_by_role("main").get_by_test_id("finish-line").first.wait_for()
    expect(page.get_by_text("you may look, not change")).to_be_visible()
    expect(page.get_by_role("button", name="Not ready")).to_be_disabled()
    page.get_by_role("button", name="Width", exact=False).first.click()
    expect(page.get_by_role("textbox", name="Width")).to_be_disabled()
    page.get_by_role("button", name="Earlier versions").click()  # looking, which changes nothing
    expect(page.get_by_role("heading", name="Earlier versions")).to_be_visible()
    page.keyboard.press(",")  # turns the art: a key is answered with the reason
    expect(page.get_by_text("Sedge may not prepare work.")).to_be_visible()
    page.goto(f"{running.url}/people")
    expect(page.get_by_text("Where you are signed in")).to_be_visible()
    expect(page.get_by_role("region", name="What was done")).to_have_count(0)
    theirs.close()
