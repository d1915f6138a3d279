"""A database that does not answer for a while, as on a disk that hangs or a machine that was put to sleep: the page
says that there is no answer, and goes on by itself; what was pressed meanwhile is done once."""

import contextlib
import os
import signal
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from tests.conftest import RunningEtiquette


def database_of(running: RunningEtiquette) -> int:
    """The process of its private server."""
    found = []
    for pid in running.processes():
        with contextlib.suppress(OSError):
            if Path(os.fsdecode(Path(f"/proc/{pid}/cmdline").read_bytes().split(b"\0")[0])).name == "mariadbd":
                found.append(pid)
    (server,) = found
    return server


@pytest.fixture
def database(running: RunningEtiquette) -> Iterator[int]:
    """Stopped or not, it goes on after the test."""
    server = database_of(running)
    yield server
    os.kill(server, signal.SIGCONT)


def test_a_page_says_that_there_is_no_answer_and_goes_on(page_on: Page, database: int) -> None:
    said = page_on.get_by_text("No answer for")
    expect(said).to_have_count(0)
    os.kill(database, signal.SIGSTOP)
    page_on.keyboard.press("6")
    expect(said).to_be_visible()
    os.kill(database, signal.SIGCONT)
    expect(page_on.get_by_role("main", name="Shelf")).to_be_visible()
    expect(said).to_have_count(0)


def test_what_was_asked_meanwhile_is_done_once(running: RunningEtiquette, database: int) -> None:
    """Twelve change one job at the same moment: one of them is first, the others are told that they were not."""
    with running.client() as client, ThreadPoolExecutor(12) as pool:
        job = client.post("/api/jobs", json={"name": "Asked of a slow one"}).json()
        os.kill(database, signal.SIGSTOP)
        asked = {"version": job["version"], "changes": {"notes": "once"}}
        answers = [pool.submit(client.patch, f"/api/jobs/{job['id']}", json=asked) for _ in range(12)]
        assert client.get("/health/live").status_code == 200  # the server itself is there
        assert not any(one.done() for one in answers)
        os.kill(database, signal.SIGCONT)
        assert sorted(one.result().status_code for one in answers) == [200, *[409] * 11]
        assert client.get(f"/api/jobs/{job['id']}").json()["version"] == job["version"] + 1
