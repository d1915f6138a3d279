"""A child that stays for several jobs is held to the limits of each, and is another one after it has ended."""

import os
import signal
from pathlib import Path
from typing import Any

import pytest

from etiquette.core.errors import JobError
from etiquette.sandbox import staying
from etiquette.sandbox.door import Limits
from etiquette.sandbox.looks import Looking
from etiquette.sandbox.staying import Staying
from tests.conftest import wait_until
from tests.sandbox.jobs import live
from tests.sandbox.test_ways_in import picture

LIMITS = Limits(seconds=2, bytes=8 << 30)


class Shown:
    """The child of a Staying that does what is asked of `does`."""

    def __init__(self) -> None:
        self.staying = Staying("does", LIMITS)

    def __call__(self, how: str, content: bytes = b"a") -> dict[str, Any]:
        return self.staying.ask({"how": how}, {"in": content}, "owl.png")[0]


@pytest.fixture
def child(monkeypatch: pytest.MonkeyPatch) -> Shown:
    monkeypatch.setattr(staying, "_live", live)
    return Shown()


def test_one_child_does_one_after_the_other(child: Shown) -> None:
    said = [child("does it", content) for content in (b"first", b"second", b"third")]
    assert [one["read"] for one in said] == ["first", "second", "third"]
    assert len({one["pid"] for one in said}) == 1


def test_what_is_raised_is_raised_here_and_the_child_stays(child: Shown) -> None:
    before = child("does it")
    with pytest.raises(JobError, match="This is nothing"):
        child("raises")
    assert child("does it") == before


@pytest.mark.parametrize(
    ("how", "words"),
    [
        ("is killed", "ended from outside"),
        ("breaks", "breaks what reads"),
        ("has no memory", "the limits"),
        ("works for ever", "the limits"),
    ],
)
def test_after_one_that_ends_it_there_is_another(how: str, words: str, child: Shown) -> None:
    before = child("does it")
    with pytest.raises(JobError, match=words):
        child(how)
    after = child("does it", b"next")
    assert after["read"] == "next" and after["pid"] != before["pid"]
    assert not Path(f"/proc/{before['pid']}").exists()


def test_nothing_is_written_through_a_link_that_a_child_has_laid(child: Shown, tmp_path: Path) -> None:
    outside = tmp_path / "outside"
    outside.write_text("the shop's")
    child.staying.ask({"how": "does it", "links": str(outside)}, {"in": b"a"}, "owl.png")
    assert child("does it", b"next")["read"] == "next" and outside.read_text() == "the shop's"


def test_the_limit_is_one_for_each_job(child: Shown) -> None:
    """Five seconds of work in all, with a limit of two for each."""
    assert len({child("works a second")["pid"] for _ in range(5)}) == 1


def test_another_begins_after_so_many(child: Shown, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(staying, "MOST_JOBS", 2)
    pids = [child("does it")["pid"] for _ in range(4)]
    assert pids[0] == pids[1] != pids[2] == pids[3]


def test_it_is_over_when_nobody_holds_it(child: Shown) -> None:
    pid = child("does it")["pid"]
    child.staying = Staying("does", LIMITS)
    wait_until(lambda: not Path(f"/proc/{pid}").exists())


def test_a_child_that_was_ended_meanwhile_is_replaced(child: Shown) -> None:
    first = child("does it")["pid"]
    os.kill(first, signal.SIGKILL)
    wait_until(lambda: not Path(f"/proc/{first}").exists())
    assert child("does it")["pid"] != first


def test_pictures_of_one_eye_do_not_run_into_each_other() -> None:
    looking = Looking()
    seen = [looking.at(picture("PNG", size), "eye", 10**6, ("PNG", "JPEG")) for size in ((240, 180), (100, 60))]
    assert [one.grey.shape for one in seen if one.grey is not None] == [(180, 240), (60, 100)]
    with pytest.raises(JobError, match="too many pixels"):
        looking.at(picture("PNG"), "eye", 100, ("PNG",))
    with pytest.raises(JobError, match="no eye that can be read"):
        looking.at(b"nothing", "eye", 10**6, ("PNG",))
    assert looking.at(picture("JPEG"), "eye", 10**6, ("PNG", "JPEG")).form == "JPEG"
