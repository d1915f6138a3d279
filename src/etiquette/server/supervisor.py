"""Everything that has to run, started in order and ended in order. Imports nothing heavy: it stays for as long as the
rest."""

import contextlib
import http.client
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
from etiquette.server.prepared import PREPARED
from etiquette.server.room import no_room, start_room
from etiquette.settings import LINK_FILE, Network, Settings, from_environment

LOOK_SECONDS = 0.3
WEB_LOOKS = 600
STOP_SECONDS = 90.0
"""A machine that moves is brought to where it can stand before the server ends (tasks/local.py)."""


def run(demo: bool, host: str, port: int) -> int:
    """Start all, print one address, wait for Ctrl-C, end all. Returns the exit code."""
    os.environ["ETIQUETTE_HOST"] = "127.0.0.1" if host == "localhost" else host
    settings = from_environment()
    os.environ.pop("ETIQUETTE_DATABASE_URL", None)  # its password is for those alone who need it
    if wrong := _wrong_with(settings.network) or _wrong_between(settings):
        print(wrong, file=sys.stderr)
        return 2
    with contextlib.ExitStack() as stack:
        end = _begun(settings, stack)
        if end is None:
            return 1
        try:
            return _run(settings, demo, port, stack, end)
        except DatabaseDidNotStart as error:
            print(error, file=sys.stderr)
            return 1


def work(computing: int, devices: bool, machines: str) -> int:
    """Start workers of a shop on several machines, wait for Ctrl-C, end them. Returns the exit code."""
    settings = from_environment()
    if wrong := _wrong_between(settings):
        print(wrong, file=sys.stderr)
        return 2
    if not settings.broker:
        print("Workers of their own need a broker: set ETIQUETTE_BROKER.", file=sys.stderr)
        return 2
    with contextlib.ExitStack() as stack:
        end = _begun(settings, stack)
        if end is None:
            return 1
        tended = []
        host = socket.gethostname()
        lanes = [("computing", f"{host} {number}", "") for number in range(1, computing + 1)]
        for lane, name, wanted in [*lanes, *([("devices", host, machines)] if devices else [])]:
            command = [sys.executable, "-m", "etiquette.server.working", lane, name.replace(" ", "-"), wanted]
            child = Child(f"worker {name}", command, settings.data / "log" / f"{lane}.log")
            child.start()
            stack.callback(child.stop, STOP_SECONDS)
            tended.append(child)
        print(f"{computing} workers compute here, {'one moves' if devices else 'none moves'} machines.", flush=True)
        while not end.wait(LOOK_SECONDS):
            for child in tended:
                child.tend()
    return 0


def _begun(settings: Settings, stack: contextlib.ExitStack) -> threading.Event | None:
    """This data directory is held, its folder for a moment is empty, and signals set what is returned; None: another
    one holds it."""
    os.environ.setdefault("NUMBA_CACHE_DIR", str(settings.data / "numba"))
    if not os.access(os.path.expanduser("~"), os.W_OK):  # a service's user has no home, where libraries keep theirs
        os.environ.setdefault("XDG_CACHE_HOME", str(settings.data / "cache"))
    try:
        lock = InstanceLock(settings.data)
    except AlreadyRunning as error:
        print(error, file=sys.stderr)
        return None
    stack.callback(lambda: lock)
    shutil.rmtree(settings.tmp, ignore_errors=True)  # what a kill left there; the lock says that nobody uses it
    settings.tmp.mkdir(mode=0o700, parents=True)  # not there any more: nobody else can have made it
    os.environ["TMPDIR"] = str(settings.tmp)
    end = threading.Event()
    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, lambda *_: end.set())
    return end


def _run(settings: Settings, demo: bool, port: int, stack: contextlib.ExitStack, end: threading.Event) -> int:
    tended = list[Child]()
    if settings.database_url is None:
        database = PrivateMariaDB(settings.data / "mariadb")
        stack.callback(database.stop)
        database.start()
        tended.append(database.child)
    environment = {"ETIQUETTE_DATA": str(settings.data)}
    if settings.database_url:
        environment["ETIQUETTE_DATABASE_URL"] = settings.database_url
    try:
        listener = listening(port, settings.network.host)
    except OSError as error:
        print(f"Etiquette cannot listen at {settings.network.host}: {error}", file=sys.stderr)
        return 1
    stack.callback(listener.close)
    web, tells = _begun_web(settings, listener, environment, stack)
    if demo:
        start_room(settings, stack, tended)
    else:
        no_room(settings)
    link = settings.data / LINK_FILE
    link.unlink(missing_ok=True)  # of a start that was cut off
    if end.is_set() or not _prepare(demo, environment):
        return 0 if end.is_set() else 1
    tells.send(PREPARED)
    tended.append(web)
    if not _answers(web, listener, settings.network.certificate is not None):
        print(f"The web server did not start. See {web.log}.", file=sys.stderr)
        return 1
    address = _address(settings.network, listener)
    (settings.data / "address").write_text(address)
    opens = link.read_text() if link.exists() else ""
    link.unlink(missing_ok=True)
    print(f"{address}{opens or '/'}", flush=True)
    while not end.wait(LOOK_SECONDS):
        for child in tended:
            child.tend()
    return 0


def _begun_web(
    settings: Settings, listener: socket.socket, environment: dict[str, str], stack: contextlib.ExitStack
) -> tuple[Child, socket.socket]:
    """The web server, which loads what it needs and then waits for PREPARED on the other end of what is returned."""
    tells, hears = socket.socketpair()
    for one in (tells, hears):  # kept for whoever is started again
        stack.callback(one.close)
    handles = [listener.fileno(), hears.fileno()]
    command = [sys.executable, "-m", "etiquette.server.web", *map(str, handles)]
    web = Child("web server", command, settings.data / "log" / "web.log", environment, handles)
    web.start()
    stack.callback(web.stop, STOP_SECONDS)
    return web, tells


def _wrong_with(network: Network) -> str | None:
    """Why nothing can be started so."""
    if bool(network.certificate) != bool(network.key):
        return "A certificate and its key go together: give --certificate and --key."
    if network.off_loopback and not (network.certificate or network.proxy):
        return (
            f"At {network.host} Etiquette is reached from other machines: there it speaks TLS only. Give --certificate "
            "and --key, or with --proxy the address of the one that ends TLS before it."
        )
    for file in (network.certificate, network.key):
        if file and not os.access(file, os.R_OK):
            return f"{file} cannot be read. Look whether it is there, and whose it is."
    return None


def _wrong_between(settings: Settings) -> str | None:
    """Why it cannot be one of several machines so."""
    if settings.broker and not settings.database_url:
        return "Several machines share one database: set ETIQUETTE_DATABASE_URL with ETIQUETTE_BROKER."
    if not (settings.broker or settings.files_url):
        return None
    from importlib.util import find_spec

    needs = {"celery": settings.broker, "s3fs": settings.files_url}
    missing = [name for name, wanted in needs.items() if wanted and find_spec(name) is None]
    return f"{' and '.join(missing)} must be installed for that: pip install 'etiquette[several]'." if missing else None


def _address(network: Network, listener: socket.socket) -> str:
    """How it is opened: by the first of its names, if it has any."""
    kind = "https" if network.certificate else "http"
    port = listener.getsockname()[1]
    if network.off_loopback and network.names:
        return f"https://{network.names[0]}{'' if network.proxy else f':{port}'}"
    host = "127.0.0.1" if network.host in ("0.0.0.0", "::") else network.host
    return f"{kind}://{f'[{host}]' if ':' in host else host}:{port}"


def _prepare(demo: bool, environment: dict[str, str]) -> bool:
    command = [sys.executable, "-m", "etiquette.server.prepare", *(["--demo"] if demo else [])]
    return subprocess.run(command, env={**os.environ, **environment}, check=False).returncode == 0


def _answers(web: Child, listener: socket.socket, encrypted: bool) -> bool:
    """Wait until the web server answers. False when it has ended, or does not answer for minutes."""
    for _ in range(WEB_LOOKS):
        if web.has_ended:
            return False
        connection = _connection(listener, encrypted)
        with contextlib.suppress(OSError, http.client.HTTPException), contextlib.closing(connection):
            connection.request("GET", "/")  # any answer will do
            connection.getresponse()
            return True
    return False


def _connection(listener: socket.socket, encrypted: bool) -> http.client.HTTPConnection:
    """To our own child, by the socket that it was given: whose certificate it shows is not looked at."""
    host, port = listener.getsockname()[:2]
    host = {"0.0.0.0": "127.0.0.1", "::": "::1"}.get(host, host)
    if not encrypted:
        return http.client.HTTPConnection(host, port, timeout=LOOK_SECONDS)
    import ssl

    context = ssl.create_default_context()
    context.check_hostname, context.verify_mode = False, ssl.CERT_NONE
    return http.client.HTTPSConnection(host, port, timeout=LOOK_SECONDS, context=context)


if __name__ == "__main__":
    if sys.argv[1] == "work":
        raise SystemExit(work(int(sys.argv[2]), "--devices" in sys.argv, sys.argv[3]))
    raise SystemExit(run("--demo" in sys.argv, sys.argv[1], int(sys.argv[2])))
