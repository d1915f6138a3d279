"""The web server is started before the database is prepared, and begins nothing until it is."""

import socket
import subprocess
import sys
from pathlib import Path

from etiquette.server.prepared import PREPARED, wait_for_it


def test_the_word_stays_for_whoever_is_started_again() -> None:
    tells, hears = socket.socketpair()
    with tells, hears:
        tells.send(PREPARED)
        assert wait_for_it(hears.fileno()) and wait_for_it(hears.fileno())


def test_without_a_supervisor_nothing_is_begun(tmp_path: Path) -> None:
    """The web server ends by itself when the other end is closed before the word came: it has asked no database (there
    is none at this address) and answered nobody."""
    tells, hears = socket.socketpair()
    with socket.create_server(("127.0.0.1", 0)) as listener, hears:
        handles = [listener.fileno(), hears.fileno()]
        asked = {"ETIQUETTE_DATA": str(tmp_path), "ETIQUETTE_DATABASE_URL": "mysql+pymysql://nobody@127.0.0.1:1/none"}
        command = [sys.executable, "-m", "etiquette.server.web", *map(str, handles)]
        with subprocess.Popen(command, env=asked, pass_fds=handles, stderr=subprocess.PIPE, text=True) as web:
            tells.close()
            assert web.communicate()[1] == "" and web.returncode == 0
