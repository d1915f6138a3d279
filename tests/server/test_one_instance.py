"""One Etiquette a data directory."""

import os
import subprocess
import sys
from pathlib import Path

import pytest

from etiquette.server.mariadb import url_of_running
from tests.conftest import RunningEtiquette


def test_a_second_instance_on_the_same_data_is_refused(running: RunningEtiquette) -> None:
    other = RunningEtiquette(running.data)
    with pytest.raises(AssertionError, match="already running"):
        other.start()
    assert running.get("/api/floor").status_code == 200


def test_no_process_tells_the_databases_password(running: RunningEtiquette) -> None:
    """Neither in its environment nor on its command line: what reads strangers' files is forked from these."""
    password = (running.data / "mariadb" / "password").read_bytes()
    assert len(password) > 20 and password in url_of_running(running.data / "mariadb").encode()
    pids = running.processes()
    assert len(pids) > 5
    for pid in pids:
        told = Path(f"/proc/{pid}/environ").read_bytes() + Path(f"/proc/{pid}/cmdline").read_bytes()
        assert password not in told, Path(f"/proc/{pid}/cmdline").read_bytes()


BEGUN = """
import contextlib, os
from etiquette.server.supervisor import _begun
from etiquette.settings import from_environment
with contextlib.ExitStack() as stack:
    _begun(from_environment(), stack)
    print(os.environ.get("XDG_CACHE_HOME", "in the home"))
"""


@pytest.mark.parametrize("home", ["there", "nowhere"])
def test_what_libraries_remember_goes_with_the_data_where_there_is_no_home(tmp_path: Path, home: str) -> None:
    (tmp_path / "there").mkdir()
    place = {"HOME": str(tmp_path / home), "ETIQUETTE_DATA": str(tmp_path / "data")}
    env = {name: value for name, value in os.environ.items() if not name.startswith("XDG_")} | place
    said = subprocess.run([sys.executable, "-c", BEGUN], env=env, capture_output=True, text=True, check=True)
    assert said.stdout.strip() == ("in the home" if home == "there" else str(tmp_path / "data" / "cache"))
