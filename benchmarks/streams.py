"""A shop at its busiest: fifty pages that follow what goes on, twenty of which ask for something all the time, and one
real browser.

    python benchmarks/streams.py [--seconds 60]

The demo runs as a user starts it. Fifty clients hold the stream of events; twenty of them ask, with a pause of half a
second to a second and a half between, for what pages ask for: the bar, the Floor, jobs, designs, a run, Print. Work is
put into the queue every two seconds, so that the streams have something to tell. Printed: how long reads take, beside
the same reads by one client alone in the same run, events told, and the memory of the web process. Asked for: 95 of 100
reads within 200 ms, no more than 400 MB."""

import argparse
import http.client
import os
import random
import selectors
import socket
import statistics
import subprocess
import sys
import tempfile
import threading
import time
from pathlib import Path

import httpx
from playwright.sync_api import sync_playwright

sys.path.insert(0, str(Path(__file__).parents[1]))  # how to come in is that of the tests

from tests.let_in import cookies_for, let_in

CLIENTS, ACTIVE = 50, 20
READS = ("/api/bar", "/api/floor", "/api/jobs", "/api/designs", "/api/runs/1", "/api/print/1")
FLAGS = ["--no-sandbox", "--disable-gpu", "--disable-background-networking", "--no-first-run"]


class Busy:
    """Asks with as little work of its own as can be: it runs beside the server, on the same processors."""

    def __init__(self, client: httpx.Client) -> None:
        self._made, at = client, client.base_url
        self._where = at.host, at.port or 80
        cookies = "; ".join(f"{name}={value}" for name, value in client.cookies.items())
        self._headers = {"Cookie": cookies, "Origin": str(at), "Accept-Encoding": "gzip"}
        self._over = threading.Event()
        self.taken: list[float] = []
        self.told = 0
        self.failed: list[str] = []

    def follow(self) -> None:
        """All streams, in one thread."""
        told = {**self._headers, "Host": self._made.base_url.netloc.decode()}
        head = "".join(f"{name}: {value}\r\n" for name, value in told.items())
        waiting = selectors.DefaultSelector()
        for _ in range(CLIENTS):
            line = socket.create_connection(self._where)
            line.sendall(f"GET /api/tasks/events HTTP/1.1\r\n{head}\r\n".encode())
            waiting.register(line, selectors.EVENT_READ)
        while not self._over.is_set():
            for key, _ in waiting.select(0.2):
                assert isinstance(key.fileobj, socket.socket)
                said = key.fileobj.recv(1 << 16)
                self.told += said.count(b"event: told")
                if not said and not self._over.is_set():
                    self.failed.append("a stream ended")
                    waiting.unregister(key.fileobj)

    def ask(self, seed: int, pause: tuple[float, float], count: int | None = None) -> None:
        chance, line = random.Random(seed), http.client.HTTPConnection(*self._where, timeout=60)
        while not self._over.is_set() and count != 0:
            path = chance.choice(READS)
            begun = time.perf_counter()
            line.request("GET", path, headers=self._headers)
            answer = line.getresponse()
            answer.read()
            self.taken.append(time.perf_counter() - begun)
            if answer.status != 200:
                self.failed.append(f"{path}: {answer.status}")
            count = None if count is None else count - 1
            self._over.wait(chance.uniform(*pause))

    def work(self) -> None:
        while not self._over.wait(2.0):
            design = self._made.get("/api/designs").json()[0]["id"]
            self._made.put(f"/api/designs/{design}/lines")

    def end(self) -> None:
        self._over.set()


def memory_mb(data: str) -> list[float]:
    """Of the web server, and of the one that reads beside it: what each has alone, and its part of what both share."""
    found = []
    for entry in Path("/proc").iterdir():
        if entry.name.isdigit():
            try:
                if b"etiquette.server.web" not in (entry / "cmdline").read_bytes():
                    continue
                if data.encode() not in (entry / "environ").read_bytes():
                    continue
                shares = (entry / "smaps_rollup").read_text()
            except OSError:
                continue
            found.append(int(shares.split("Pss:")[1].split()[0]) * 1024 / 1e6)
    return found


def told(name: str, taken: list[float]) -> None:
    parts = statistics.quantiles(taken, n=100)
    print(f"{name}: {len(taken)} reads, median {parts[49] * 1e3:.0f} ms, 95 of 100 within {parts[94] * 1e3:.0f} ms")


def main() -> None:
    asked = argparse.ArgumentParser()
    asked.add_argument("--seconds", type=float, default=60.0)
    seconds = asked.parse_args().seconds
    with tempfile.TemporaryDirectory() as data:
        command = [sys.executable, "-m", "etiquette.cli", "serve", "--demo", "--port", "8970"]
        server = subprocess.Popen(
            command, env={**os.environ, "ETIQUETTE_DATA": data}, stdout=subprocess.PIPE, text=True
        )
        try:
            assert server.stdout is not None
            client = let_in(server.stdout.readline())
            alone = Busy(client)
            alone.ask(0, (0.0, 0.01), 200)
            told("one client alone", alone.taken)
            busy = Busy(client)
            jobs = [threading.Thread(target=busy.follow, daemon=True)]
            jobs += [threading.Thread(target=busy.ask, args=(seed, (0.5, 1.5)), daemon=True) for seed in range(ACTIVE)]
            jobs.append(threading.Thread(target=busy.work, daemon=True))
            with sync_playwright() as playwright:
                browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
                context = browser.new_context()
                context.add_cookies(cookies_for(client))  # type: ignore[arg-type]
                page = context.new_page()
                page.goto(f"{client.base_url}/floor")
                for one in jobs:
                    one.start()
                page.wait_for_timeout(seconds * 1000)
                most = memory_mb(data)
                busy.end()
                browser.close()
            told(f"{CLIENTS} streams, {ACTIVE} clients that ask, one browser", busy.taken)
            print(f"{busy.told} events told; {len(busy.failed)} reads failed: {busy.failed[:3]}")
            print(f"the web server takes {' and '.join(f'{one:.0f}' for one in most)} MB, {sum(most):.0f} in all")
        finally:
            server.terminate()
            server.wait()


if __name__ == "__main__":
    main()
