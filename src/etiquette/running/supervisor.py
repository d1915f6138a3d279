"""Everything that has to run, started in order and ended in order."""

import contextlib
import ipaddress
import os
import signal
import sys
import threading
import time

from etiquette.running.children import Child
from etiquette.running.lock import AlreadyRunning, InstanceLock
from etiquette.running.mariadb import DatabaseDidNotStart, PrivateMariaDB, wait_for_port
from etiquette.running.ports import free_port
from etiquette.settings import ROOT, Settings, from_environment
from etiquette.stations.shop import Device, Shop, note_devices

LOOK_SECONDS = 0.3
DEVICES_PATIENCE_SECONDS = 30.0


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
    with contextlib.ExitStack() as stack:
        stack.callback(lambda: lock)
        end = threading.Event()
        for number in (signal.SIGINT, signal.SIGTERM):
            signal.signal(number, lambda *_: end.set())
        try:
            return _run(settings, demo, host, port, stack, end)
        except DatabaseDidNotStart as error:
            print(error, file=sys.stderr)
            return 1


def _run(
    settings: Settings, demo: bool, host: str, port: int, stack: contextlib.ExitStack, end: threading.Event
) -> int:
    url, tended = settings.database_url, []
    devices = _start_devices(settings, stack, tended) if demo else []
    if url is None:
        database = PrivateMariaDB(settings.data / "mariadb")
        stack.callback(database.stop)
        database.start()
        url = database.url
        tended.append(database.child)
    note_devices(settings, devices)
    shop = Shop.opened(settings, url)
    shop.database.migrate()
    shop.blobs.sweep_unfinished()
    if demo:
        from etiquette.demo.load import load_demo

        _wait_for(devices)
        load_demo(shop, with_devices=True)
    shop.database.close()
    if end.is_set():
        return 0
    web_port = free_port(port)
    environment = {"ETIQUETTE_DATABASE_URL": url, "ETIQUETTE_DATA": str(settings.data)}
    web = Child(
        "web server",
        [sys.executable, "-m", "etiquette.web", host, str(web_port)],
        settings.data / "log" / "web.log",
        environment,
    )
    web.start()
    stack.callback(web.stop)
    tended.append(web)
    if not wait_for_port(web_port, 60):
        print(f"The web server did not start. See {settings.data / 'log' / 'web.log'}.", file=sys.stderr)
        return 1
    print(f"http://{host}:{web_port}/", flush=True)
    while not end.wait(LOOK_SECONDS):
        for child in tended:
            child.tend()
    return 0


def _start_devices(settings: Settings, stack: contextlib.ExitStack, tended: list[Child]) -> list[Device]:
    """The simulated printer, laminator and cutter, each in its own process."""
    settings.room.mkdir(parents=True, exist_ok=True)
    found, port = [], 8740
    for kind, name in (("printer", "Printer east"), ("laminator", "Laminator"), ("cutter", "Cutter north")):
        port = free_port(port)
        environment = {"PYTHONPATH": str(ROOT)}
        child = Child(
            name,
            [sys.executable, "-m", f"standins.{kind}", str(settings.room), str(port)],
            settings.data / "log" / f"{kind}.log",
            environment,
        )
        child.start()
        stack.callback(child.stop)
        tended.append(child)
        found.append(Device(kind, name, port))
        port += 1
    return found


def _wait_for(devices: list[Device]) -> None:
    deadline = time.monotonic() + DEVICES_PATIENCE_SECONDS
    for device in devices:
        wait_for_port(device.port, max(0.1, deadline - time.monotonic()))


def _is_loopback(host: str) -> bool:
    if host == "localhost":
        return True
    with contextlib.suppress(ValueError):
        return ipaddress.ip_address(host).is_loopback
    return False
