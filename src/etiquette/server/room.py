"""The simulated devices: each a process of its own that takes its port itself and says which."""

import contextlib
import sys
import time
from pathlib import Path

from etiquette.server.children import Child
from etiquette.settings import ROOT, Device, Settings

PATIENCE_SECONDS = 60.0
KINDS = (("printer", "Printer east"), ("laminator", "Laminator"), ("cutter", "Cutter north"))
FIRST_PORT = 8740


def start_devices(
    settings: Settings, stack: contextlib.ExitStack, tended: list[Child], first_port: int = FIRST_PORT
) -> list[Device]:
    """Start the three and wait until they listen, on the first free ports from `first_port` on (0: any)."""
    settings.room.mkdir(parents=True, exist_ok=True)
    started = []
    for kind, name in KINDS:
        said = settings.room / f"{kind}.port"
        said.unlink(missing_ok=True)
        command = [sys.executable, "-m", f"standins.{kind}", str(settings.room), str(first_port)]
        child = Child(name, command, settings.data / "log" / f"{kind}.log", {"PYTHONPATH": str(ROOT)})
        child.start()
        stack.callback(child.stop)
        tended.append(child)
        started.append((kind, name, said, child))
    return [Device(kind, name, _port(said, child)) for kind, name, said, child in started]


def _port(said: Path, child: Child) -> int:
    """The port that a device says it listens on; 0, which refuses every connection, when it does not come up."""
    deadline = time.monotonic() + PATIENCE_SECONDS
    while not said.exists():
        if child.has_ended or time.monotonic() > deadline:
            print(f"{child.name} did not start.", file=sys.stderr)
            return 0
        time.sleep(0.05)
    return int(said.read_text())
