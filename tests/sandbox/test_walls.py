"""Behind the walls there is no network, nothing of the shop, and nothing to write to but the own folder."""

import json
import platform
import subprocess
import sys
from pathlib import Path
from typing import Any

import pytest

from etiquette.core.errors import JobError
from etiquette.demo.art import art_file
from etiquette.sandbox import walls
from etiquette.sandbox.art import PICTURES
from etiquette.sandbox.door import ask, bare_environment

TRY = """
import json, os, socket, subprocess, sys
from pathlib import Path
from etiquette.sandbox import walls
own, other = Path(sys.argv[1]), Path(sys.argv[2])
listener = socket.create_server(("127.0.0.1", 0))
def tried(what):
    try:
        what()
    except OSError as error:
        return type(error).__name__
    return "done"
raised = walls.stand([own], [other / "shown"])
print(json.dumps({
    "raised": raised,
    "write own": tried(lambda: (own / "a").write_text("a")),
    "write other": tried(lambda: (other / "a").write_text("a")),
    "read other": tried((other / "secret").read_text),
    "read what is shown": tried((other / "shown").read_text),
    "remove other": tried((other / "secret").unlink),
    "read environment": tried(Path(f"/proc/{os.getppid()}/environ").read_bytes),
    "signal": tried(lambda: os.kill(os.getppid(), 0)),
    "socket": tried(lambda: socket.socket()),
    "program": tried(lambda: subprocess.run(["rsvg-convert", "--version"], check=True, capture_output=True)),
    "child reads other": subprocess.run(["cat", str(other / "secret")], capture_output=True).returncode,
}))
"""


@pytest.fixture(scope="module")
def behind(tmp_path_factory: pytest.TempPathFactory) -> dict[str, Any]:
    own, other = tmp_path_factory.mktemp("own"), tmp_path_factory.mktemp("other")
    (other / "secret").write_text("the shop's")
    (other / "shown").write_text("to be drawn")
    done = subprocess.run([sys.executable, "-c", TRY, str(own), str(other)], capture_output=True, text=True, check=True)
    assert (other / "secret").read_text() == "the shop's" and not (other / "a").exists()
    said: dict[str, Any] = json.loads(done.stdout)
    return said


def test_the_walls_that_this_kernel_has_stand(behind: dict[str, Any]) -> None:
    assert ("landlock" in behind["raised"]) == (walls.landlock_version() > 0)
    assert ("seccomp" in behind["raised"]) == (platform.machine() in walls.REFUSED)
    assert behind["write own"] == "done" and behind["program"] == behind["read what is shown"] == "done"


@pytest.mark.skipif(walls.landlock_version() == 0, reason="this kernel has no Landlock")
def test_nothing_but_its_own_folder_is_there(behind: dict[str, Any]) -> None:
    for what in ("write other", "read other", "remove other", "read environment"):
        assert behind[what] == "PermissionError", what
    assert behind["child reads other"] != 0
    if walls.landlock_version() >= 6:
        assert behind["signal"] == "PermissionError"


@pytest.mark.skipif(platform.machine() not in walls.REFUSED, reason="no list of calls for this machine")
def test_there_is_no_network(behind: dict[str, Any]) -> None:
    assert behind["socket"] == "PermissionError"


def test_no_key_is_in_its_environment() -> None:
    has = {"PATH": "/usr/bin", "LC_ALL": "C.UTF-8", "NUMBA_CACHE_DIR": "/kept", "LANGUAGE": "de"}
    more = {
        "AWS_SECRET_ACCESS_KEY": "s",
        "ETIQUETTE_BROKER": "redis://:s@127.0.0.1/0",
        "ETIQUETTE_DATABASE_URL": "mysql://s",
        "LD_PRELOAD": "/other.so",
        "HOME": "/somebody",
    }
    assert bare_environment({**has, **more}) == has


@pytest.mark.skipif(walls.landlock_version() == 0, reason="this kernel has no Landlock")
def test_the_door_raises_them_before_it_reads(tmp_path: Path) -> None:
    """The same picture, once in the child's folder and once only pointed to from there."""
    outside, within, pointed = tmp_path / "outside.png", tmp_path / "within", tmp_path / "pointed"
    content = art_file("spark")[1]
    outside.write_bytes(content)
    for folder in (within, pointed):
        folder.mkdir()
    (within / "art").write_bytes(content)
    (pointed / "art").symlink_to(outside)
    assert len(ask("take in", within, {"name": "spark.png"}, PICTURES, "spark.png")["pages"]) == 1
    with pytest.raises(JobError, match="cannot be read"):
        ask("take in", pointed, {"name": "spark.png"}, PICTURES, "spark.png")
