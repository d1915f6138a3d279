"""The simulated room: each machine a process of its own that takes its ports itself and says which."""

import contextlib
import json
import sys
import time
from pathlib import Path
from typing import Any

from etiquette.server.children import Child
from etiquette.settings import ROOT, Settings

PATIENCE_SECONDS = 60.0
KINDS = (("printer", "Printer east"), ("laminator", "Laminator"), ("cutter", "Cutter north"))
FIRST_PORT = 8740


def start_room(
    settings: Settings, stack: contextlib.ExitStack, tended: list[Child], first_port: int = FIRST_PORT
) -> None:
    """Start the three on the first free ports from `first_port` on (0: any), wait until they listen, note where."""
    settings.room.mkdir(parents=True, exist_ok=True)
    started = []
    for kind, name in KINDS:
        for file in settings.room.glob(f"{kind}.*"):
            file.unlink()  # of a former start: others may have those ports by now
        command = [sys.executable, "-m", f"standins.{kind}", str(settings.room), str(first_port)]
        child = Child(name, command, settings.data / "log" / f"{kind}.log", {"PYTHONPATH": str(ROOT)})
        child.start()
        stack.callback(child.stop)
        tended.append(child)
        started.append((kind, name, child))
    _note(settings, [_stands(settings.room, kind, name, child) for kind, name, child in started])


def no_room(settings: Settings) -> None:
    """Nothing is simulated this time."""
    settings.data.mkdir(parents=True, exist_ok=True)
    _note(settings, [])


def _note(settings: Settings, machines: list[dict[str, Any]]) -> None:
    (settings.data / "room.json").write_text(json.dumps(machines))


def _stands(room: Path, kind: str, name: str, child: Child) -> dict[str, Any]:
    """What the room's client is told (demo/room.py): the port for hands, and the addresses of the machine."""
    told: dict[str, Any] = {"kind": kind, "name": name, "port": _port(room / f"{kind}.port", child)}
    if kind == "printer":
        told["address"] = f"ipp://127.0.0.1:{_port(room / 'printer.ipp', child)}/ipp/print"
    if kind == "cutter":
        eyes = f"http://127.0.0.1:{_port(room / 'cutter.eyes', child)}"
        told["address"] = f"socket://127.0.0.1:{_port(room / 'cutter.hpgl', child)}"
        told.update(eye=f"{eyes}/head", table_eye=f"{eyes}/table")
    return told


def _port(said: Path, child: Child) -> int:
    """The port that a machine says it listens on; 0, which refuses every connection, when it does not come up."""
    deadline = time.monotonic() + PATIENCE_SECONDS
    while not said.exists():
        if child.has_ended or time.monotonic() > deadline:
            print(f"{child.name} did not start.", file=sys.stderr)
            return 0
        time.sleep(0.05)
    return int(said.read_text())
