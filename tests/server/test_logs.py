"""The log: a line an event, JSON where it goes to a file, with the task it is about."""

import json
import subprocess
import sys

SAYS = """
import logging
from structlog.contextvars import bind_contextvars
from etiquette.server.logs import set_up_logs
import structlog
set_up_logs()
bind_contextvars(task=7, machine="cutter")
structlog.stdlib.get_logger("etiquette.tasks.work").warning("a task stopped", why="kein Blatt – «leer»")
logging.getLogger("of.a.library").error("it has %d words", 3)
structlog.stdlib.get_logger("quiet").info("nobody asked")
try:
    1 / 0
except ZeroDivisionError as error:
    structlog.stdlib.get_logger("loud").error("a task failed", exc_info=error)
"""


def test_every_line_is_json_and_says_what_it_is_about() -> None:
    told = subprocess.run([sys.executable, "-c", SAYS], capture_output=True, text=True, check=True).stderr
    stopped, library, failed = [json.loads(line) for line in told.splitlines()]
    assert stopped["event"] == "a task stopped" and stopped["why"] == "kein Blatt – «leer»"
    assert stopped["task"] == 7 and stopped["machine"] == "cutter" and stopped["level"] == "warning"
    assert stopped["timestamp"].endswith("Z") and stopped["logger"] == "etiquette.tasks.work"
    assert library["event"] == "it has 3 words" and library["logger"] == "of.a.library" and library["task"] == 7
    assert "ZeroDivisionError" in failed["exception"]
