"""One Etiquette a data directory."""

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
