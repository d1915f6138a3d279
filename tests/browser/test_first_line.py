"""What is dropped has its first line looked for while its page is still being opened, once."""

import re
from urllib.parse import urlsplit

import pytest
from playwright.sync_api import Page, Request, Route, expect

from etiquette.demo.art import art_file
from tests.conftest import RunningEtiquette, wait_until


@pytest.mark.parametrize(("late", "offset"), [(False, "5"), (True, "6")])
def test_a_picture_that_is_dropped_has_one_search_for_its_line(
    page_on: Page, running: RunningEtiquette, late: bool, offset: str
) -> None:
    """Also where the page is so late that its line is there before it. Lines of an offset that were found for the one
    picture are there for the other at once: each has an offset of its own."""

    def has_lines(address: str) -> bool:
        return bool(running.get(address).json()["lines"])

    def hold(route: Route) -> None:
        wait_until(lambda: has_lines(urlsplit(route.request.url).path))
        route.continue_()

    searched: list[str] = []

    def note(request: Request) -> None:
        if request.method == "PUT" and request.url.endswith("/lines"):
            searched.append(request.url)

    page_on.on("request", note)
    page_on.keyboard.press("2")
    page_on.wait_for_url(re.compile(r"/lines/\d+"))  # of another design
    if late:
        page_on.route(re.compile(r"/api/designs/\d+$"), hold)
    with page_on.expect_response(lambda one: one.request.method == "POST" and one.url.endswith("/designs")) as made:
        page_on.get_by_label("Art file", exact=True).set_input_files(
            {"name": "spark.png", "mimeType": "image/png", "buffer": art_file("spark")[1]}
        )
    design = made.value.json()["ids"][0]
    page_on.wait_for_url(f"**/lines/{design}")
    wait_until(lambda: page_on.wait_for_timeout(50) or has_lines(f"/api/designs/{design}"))
    line = page_on.get_by_role("main").get_by_test_id("finish-line").first
    expect(line).to_be_visible()
    assert searched == []  # the page follows what the drop has begun
    page_on.unroute_all()
    was = line.inner_html()
    page_on.keyboard.press("o")
    page_on.get_by_label("Offset from the art", exact=True).fill(
        offset
    )  # another state of it is looked for by the page
    page_on.keyboard.press("Enter")
    wait_until(lambda: page_on.wait_for_timeout(50) or len(searched) == 1)
    page_on.reload()  # in the middle
    expect(line).to_be_visible()
    wait_until(lambda: page_on.wait_for_timeout(50) or line.inner_html() != was)
