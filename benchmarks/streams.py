"""A shop at its busiest: fifty pages that follow what goes on, twenty of which ask for something all the time, and one
real browser.

    python benchmarks/streams.py [--seconds 60]

The demo runs as a user starts it. Fifty clients hold the stream of events; twenty of them ask, with a pause of half a
second to a second and a half between, for what pages ask for: the bar, the Floor, jobs, designs, a run, Print. Work is
put into the queue every two seconds, so that the streams have something to tell. Printed: how long reads take, beside
the same reads by one client alone in the same run, events told, and the memory of the web process. Asked for: 95 of 100
reads within 200 ms, no more than 400 MB."""

import argparse
import os
import random
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
    def __init__(self, client: httpx.Client) -> None:
        self._url, self._cookies = str(client.base_url), dict(client.cookies)
        self._over = threading.Event()
        self.taken: list[float] = []
        self.told = 0
        self.failed: list[str] = []

    def client(self) -> httpx.Client:
        return httpx.Client(base_url=self._url, cookies=self._cookies, headers={"Origin": self._url}, timeout=60)

    def follow(self) -> None:
        try:
            with self.client() as client, client.stream("GET", "/api/tasks/events") as stream:
                for line in stream.iter_lines():
                    self.told += line.startswith("data:")
        except httpx.HTTPError as error:
            if not self._over.is_set():  # else the server was ended
                self.failed.append(f"stream: {error}")

    def ask(self, seed: int, pause: tuple[float, float], count: int | None = None) -> None:
        chance = random.Random(seed)
        with self.client() as client:
            while not self._over.is_set() and count != 0:
                path = chance.choice(READS)
                begun = time.perf_counter()
                answer = client.get(path)
                self.taken.append(time.perf_counter() - begun)
                if answer.status_code != 200:
                    self.failed.append(f"{path}: {answer.status_code}")
                count = None if count is None else count - 1
                self._over.wait(chance.uniform(*pause))

    def work(self) -> None:
        with self.client() as client:
            while not self._over.wait(2.0):
                design = client.get("/api/designs").json()[0]["id"]
                client.put(f"/api/designs/{design}/lines")

    def end(self) -> None:
        self._over.set()


def memory_mb(data: str) -> float:
    """Of the web process."""
    for entry in Path("/proc").iterdir():
        if entry.name.isdigit():
            try:
                if b"etiquette.server.web" not in (entry / "cmdline").read_bytes():
                    continue
                if data.encode() not in (entry / "environ").read_bytes():
                    continue
                pages = int((entry / "statm").read_text().split()[1])
            except OSError:
                continue
            return pages * os.sysconf("SC_PAGE_SIZE") / 1e6
    raise RuntimeError("There is no web process.")


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
            jobs = [threading.Thread(target=busy.follow, daemon=True) for _ in range(CLIENTS)]
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
            print(f"the web process takes {most:.0f} MB")
        finally:
            server.terminate()
            server.wait()


if __name__ == "__main__":
    main()
