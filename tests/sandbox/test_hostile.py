"""Every damaged or hostile file ends in a sentence or in a design, within the limits, and nothing outside is read."""

import itertools
import os
import re
import signal
from collections import deque
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from functools import cache
from pathlib import Path
from typing import Any

import pytest

from etiquette.core.artwork.svg_reader import SvgArt
from etiquette.core.errors import JobError
from etiquette.sandbox import art, door
from etiquette.sandbox.door import Limits
from tests.hostile import hostile


@cache
def every() -> list[tuple[str, bytes]]:
    """Made once, and not before a test wants one: it takes seconds."""
    return hostile()


def files() -> dict[str, bytes]:
    return dict(every())


STILL_GOOD = {
    "bomb of 196 million pixels.png",
    "jpeg called png.png",
    "profile of nonsense.png",
    "script and launch.pdf",
    "script.svg",
    "picture outside.svg",
    "picture of a file.svg",
    "style outside.svg",
    "entities outside.svg",
    "operators 9 9 l S.pdf",
    "operators Q Q Q 0 0 m 9 9 l .pdf",
    "turned by 45.pdf",
    "use of itself.svg",
    "use of its own parent.svg",
    "huge blur.svg",
    "compressed.svg",
}
"""What a mistake or an attack has left usable: these are taken in, without the mischief."""
REFUSED = {
    "empty.png": "empty",
    "400 million pixels.png": "400 million pixels",
    "bomb in a text.png": "damaged",
    "locked.pdf": "password",
    "300 pages.pdf": "300 pages",
    "form of itself.pdf": "contains itself",
    "forms of four forms, thirty deep.pdf": "contains itself",
    "600 MB of commands.pdf": "million bytes of commands",
    "operators nan 0 m 5 5 l S.pdf": "make no sense",
    "a million layers.pdf": "make no sense",
    "a million paths.pdf": "500 000 commands",
    "a million saves.pdf": "500 000 commands",
    "one path of a million points.pdf": "500 000 commands",
    "path of a million points.svg": "600 000 coordinates",
    "300 000 lines.dxf": "150 000 entities",
    "unit of a billion.pdf": "cannot be printed",
    "entity bomb.svg": "damaged",
    "entity of a file.svg": "entities",
    "uses of eight uses.svg": "without end",
    "a million paths.svg": "400 000 elements",
    "path M1e999 0L9 9.svg": "not a number",
    "size width=1e300mm height=1mm.svg": "cannot be printed",
    "coordinates of nonsense.dxf": "make no sense",
    "nothing in it.dxf": "nothing that can be drawn",
}


@pytest.fixture(scope="module")
def read() -> dict[str, JobError | int]:
    """What became of each file: the error, or the number of designs. Two at a time, as two people might send them."""

    def one(name: str) -> JobError | int:
        try:
            return len(art.read_art(files()[name], name))
        except JobError as error:
            return error

    with ThreadPoolExecutor(2) as two:
        return dict(zip(files(), two.map(one, files()), strict=True))


def test_there_are_more_than_a_hundred_files() -> None:
    assert len(files()) >= 100 and len(files()) == len(every())  # no two have one name


def test_each_ends_in_a_sentence_or_a_design(read: dict[str, JobError | int]) -> None:
    for name, result in read.items():
        if isinstance(result, JobError):
            assert result.where == name
            assert re.match(r"[A-Z].{10,}\.$", result.what) and len(result.do) > 10, (name, result.what, result.do)
            for leak in ("Traceback", "object at", "argument", "__", "self._", "etiquette/"):
                assert leak not in result.what + result.do, (name, result.do)


@pytest.mark.parametrize(("name", "words"), REFUSED.items())
def test_the_sentence_says_what_is_wrong(read: dict[str, JobError | int], name: str, words: str) -> None:
    result = read[name]
    assert isinstance(result, JobError), f"{name} was taken in"
    assert words in result.what


@pytest.mark.parametrize("name", sorted(STILL_GOOD))
def test_what_is_still_good_is_taken_in(read: dict[str, JobError | int], name: str) -> None:
    assert read[name] == 1, read[name]


@pytest.mark.parametrize(
    "name",
    [
        "picture outside.svg",
        "picture of a file.svg",
        "style outside.svg",
        "script.svg",
        "page inside.svg",
        "entities outside.svg",
    ],
)
def test_nothing_outside_the_file_is_left_in_it(name: str) -> None:
    content = SvgArt(files()[name], name).content()
    for reference in (b"127.0.0.1", b"passwd", b"file:", b"<script", b"onload", b"foreignObject", b"@import"):
        assert reference not in content, (name, reference)


def test_a_child_that_takes_too_long_or_too_much_is_ended(monkeypatch: pytest.MonkeyPatch) -> None:
    name = "bomb of 196 million pixels.png"
    monkeypatch.setattr(art, "PICTURES", Limits(seconds=0.02, bytes=8 << 30))
    with pytest.raises(JobError, match="takes too long"):
        art.read_art(files()[name], name)
    monkeypatch.setattr(art, "PICTURES", Limits(seconds=600, bytes=100 << 20))
    with pytest.raises(JobError, match="too much memory"):
        art.read_art(files()[name], name)


ENDS: dict[str, Callable[[], object]] = {
    "as a system without memory ends it": lambda: os.kill(os.getpid(), signal.SIGKILL),
    "in a fault of a decoder": lambda: os.kill(os.getpid(), signal.SIGSEGV),
    "by leaving": lambda: os._exit(3),
    "at its limit of processor time": lambda: deque(itertools.count(), maxlen=0),
    "without more memory": lambda: None,  # what a MemoryError leaves: no answer
}


def _ending(folder: str, job: str, note: dict[str, Any], limits: Limits, name: str, reads: list[Path]) -> None:
    """The life of a child that ends in the way of `ENDS` that is called `job`."""
    os.setsid()
    door._limit(limits)
    ENDS[job]()


@pytest.mark.parametrize(
    ("how", "words"),
    zip(
        ENDS, ["ended from outside", "breaks what reads", "breaks what reads", "the limits", "the limits"], strict=True
    ),
)
def test_how_a_child_ended_is_told(how: str, words: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(door, "_live", _ending)
    with pytest.raises(JobError, match=words):
        door.ask(how, tmp_path, {}, Limits(seconds=1, bytes=8 << 30), "owl.png")
