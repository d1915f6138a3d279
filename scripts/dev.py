"""Etiquette for those who work on it: the demo, a web server that starts again when its sources change, and Vite with
hot modules, behind one address. ./dev sets up and calls it."""

import os
import signal
import subprocess
import sys
from pathlib import Path

from watchfiles import watch

ROOT = Path(__file__).parents[1]
PORT = "8700"
DATA = ROOT / "var" / "dev"


def main() -> None:
    signal.signal(signal.SIGTERM, lambda *_: sys.exit(0))
    served = subprocess.Popen(
        [sys.executable, "-m", "etiquette.cli", "serve", "--demo", "--port", "8710"],
        stdout=subprocess.PIPE, text=True, env={**os.environ, "ETIQUETTE_DATA": str(DATA)},
    )  # fmt: skip
    assert served.stdout is not None
    address = served.stdout.readline().strip().rstrip("/")
    if not address:
        raise SystemExit(f"Etiquette did not start. See {DATA / 'log'}.")
    vite = ["node_modules/.bin/vite", "--port", PORT, "--host", "127.0.0.1", "--clearScreen", "false"]
    front = subprocess.Popen(vite, cwd=ROOT / "front", env={**os.environ, "ETIQUETTE_API": address})
    try:
        for _ in watch(ROOT / "src", ROOT / "standins", raise_interrupt=False):
            again(served.pid)
    finally:
        for one in (front, served):
            one.terminate()
        for one in (front, served):
            one.wait()


def again(supervisor: int) -> None:
    """End the web server, which its supervisor starts again, and make the types of the front anew."""
    for pid in Path(f"/proc/{supervisor}/task/{supervisor}/children").read_text().split():
        if b"etiquette.server.web\0" in Path(f"/proc/{pid}/cmdline").read_bytes():
            os.kill(int(pid), 15)
    described = [sys.executable, "-m", "etiquette.server.openapi", str(ROOT / "var" / "openapi.json")]
    if subprocess.run(described, check=False).returncode == 0:
        subprocess.run(["npm", "run", "--silent", "types"], cwd=ROOT / "front", check=False, stdout=subprocess.DEVNULL)


if __name__ == "__main__":
    main()
