"""Everything that has to run, started in order and ended in order. Imports nothing heavy: it stays for as long as the
rest."""

import contextlib
import http.client
import ipaddress
import os
import shutil
import signal
import socket
import subprocess
import sys
import threading

from etiquette.server.children import Child
from etiquette.server.lock import AlreadyRunning, InstanceLock
from etiquette.server.mariadb import DatabaseDidNotStart, PrivateMariaDB
from etiquette.server.ports import listening
from etiquette.server.room import no_room, start_room
from etiquette.settings import Settings, from_environment

LOOK_SECONDS = 0.3
WEB_LOOKS = 600


def run(demo: bool, host: str, port: int) -> int:
    """Start all, print one address, wait for Ctrl-C, end all. Returns the exit code."""
    if not _is_loopback(host):
        print("Etiquette listens on this machine only, until it has accounts. Use --host 127.0.0.1.", file=sys.stderr)
        return 2
    settings = from_environment()
    os.environ.setdefault("NUMBA_CACHE_DIR", str(settings.data / "numba"))
    try:
        lock = InstanceLock(settings.data)
    except AlreadyRunning as error:
        print(error, file=sys.stderr)
        return 1
    shutil.rmtree(settings.tmp, ignore_errors=True)  # what a kill left there; the lock says that nobody uses it
    settings.tmp.mkdir(mode=0o700, parents=True)  # not there any more: nobody else can have made it
    os.environ["TMPDIR"] = str(settings.tmp)
    with contextlib.ExitStack() as stack:
        stack.callback(lambda: lock)
        end = threading.Event()
        for number in (signal.SIGINT, signal.SIGTERM):
            signal.signal(number, lambda *_: end.set())
        try:
            return _run(settings, demo, port, stack, end)
        except DatabaseDidNotStart as error:
            print(error, file=sys.stderr)
            return 1


def _run(settings: Settings, demo: bool, port: int, stack: contextlib.ExitStack, end: threading.Event) -> int:
    url, tended = settings.database_url, list[Child]()
    if url is None:
        database = PrivateMariaDB(settings.data / "mariadb")
        stack.callback(database.stop)
        database.start()
        url = database.url
        tended.append(database.child)
    if demo:
        start_room(settings, stack, tended)
    else:
        no_room(settings)
    environment = {"ETIQUETTE_DATABASE_URL": url, "ETIQUETTE_DATA": str(settings.data)}
    if end.is_set() or not _prepare(demo, environment):
        return 0 if end.is_set() else 1
    listener = listening(port)
    stack.callback(listener.close)
    log = settings.data / "log" / "web.log"
    handle = listener.fileno()
    web = Child("web server", [sys.executable, "-m", "etiquette.server.web", str(handle)], log, environment, [handle])
    web.start()
    stack.callback(web.stop)
    tended.append(web)
    if not _answers(web, listener):
        print(f"The web server did not start. See {log}.", file=sys.stderr)
        return 1
    print(f"http://127.0.0.1:{listener.getsockname()[1]}/", flush=True)
    while not end.wait(LOOK_SECONDS):
        for child in tended:
            child.tend()
    return 0


def _prepare(demo: bool, environment: dict[str, str]) -> bool:
    command = [sys.executable, "-m", "etiquette.server.prepare", *(["--demo"] if demo else [])]
    return subprocess.run(command, env={**os.environ, **environment}, check=False).returncode == 0


def _answers(web: Child, listener: socket.socket) -> bool:
    """Wait until the web server answers. False when it has ended, or does not answer for minutes."""
    for _ in range(WEB_LOOKS):
        if web.has_ended:
            return False
        connection = http.client.HTTPConnection("127.0.0.1", listener.getsockname()[1], timeout=LOOK_SECONDS)
        with contextlib.suppress(OSError, http.client.HTTPException), contextlib.closing(connection):
            connection.request("GET", "/api/tasks/0")  # any answer will do
            connection.getresponse()
            return True
    return False


def _is_loopback(host: str) -> bool:
    if host == "localhost":
        return True
    with contextlib.suppress(ValueError):
        return ipaddress.ip_address(host).is_loopback
    return False


if __name__ == "__main__":
    raise SystemExit(run("--demo" in sys.argv, sys.argv[1], int(sys.argv[2])))
