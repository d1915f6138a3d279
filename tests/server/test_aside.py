"""What is only read is read by two processes: the same answers, and one of the two may be lost."""

import asyncio
import contextlib
import os
import signal
import socket
from collections.abc import AsyncIterator, Coroutine
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from types import SimpleNamespace

import httpx
import pytest
from fastapi import FastAPI, Request

from etiquette.server.aside import Aside, Reader, read
from etiquette.server.metrics import Measured, RequestTimes
from tests.conftest import RunningEtiquette, wait_until

LIT = [("Cutter north", "cutter", True)]


class Side:
    """One of both processes: says who it is, when it is let."""

    def __init__(self, name: str, lamps: list[tuple[str, str, bool]] | None) -> None:
        self.name, self.let, self.came = name, asyncio.Event(), 0
        self.app = FastAPI()
        self.app.state.reader, self.app.state.lamps = None, SimpleNamespace(last=lamps)
        self.app.get("/api/jobs")(self.answer)
        self.app.get("/api/jobs/{number}")(self.answer)
        self.app.get("/api/rows")(self.answer)
        self.app.get("/api/designs")(self.fail)
        self.app.post("/api/jobs")(self.answer)

    async def answer(self, request: Request) -> dict[str, object]:
        self.came += 1
        await self.let.wait()
        return {"by": self.name, "asks": request.headers["asks"], "from": request.url.hostname, "lamps": self.lamps()}

    async def fail(self) -> str:
        if self.name == "reader":
            raise OSError("this file is for the web server alone")
        return self.name

    def lamps(self) -> object:
        return self.app.state.lamps.last


class Both:
    def __init__(self) -> None:
        self.times = RequestTimes()
        self.web, self.reader = Side("web", LIT), Side("reader", None)
        self.web.app.add_middleware(Aside, lamps=self.web.app.state.lamps)
        self.web.app.add_middleware(Measured, times=self.times)
        here, self._there = socket.socketpair()
        self.line = self.web.app.state.reader = Reader(here)
        self.asked = httpx.AsyncClient(transport=httpx.ASGITransport(self.web.app), base_url="http://shop.test")

    @contextlib.asynccontextmanager
    async def running(self) -> AsyncIterator[None]:
        await self.line.open()
        self.life = asyncio.create_task(read(self.reader.app, self._there))
        yield
        self.line.close()
        await self.life
        await self.asked.aclose()

    def ask(self, path: str, asks: str = "", method: str = "GET") -> asyncio.Task[httpx.Response]:
        return asyncio.create_task(self.asked.request(method, path, headers={"asks": asks}))

    async def until(self, web: int, reader: int) -> None:
        """So many requests have come to each."""
        while (self.web.came, self.reader.came) != (web, reader):
            await asyncio.sleep(0)


def run(tried: Coroutine[None, None, None]) -> None:
    """In a thread of its own: a test with a browser leaves its loop running in the thread of the tests."""
    with ThreadPoolExecutor(1) as beside:
        beside.submit(asyncio.run, tried).result()


def test_a_read_goes_to_whoever_has_less_in_hand_and_a_change_never() -> None:
    async def tried() -> None:
        both = Both()
        async with both.running():
            first = both.ask("/api/jobs", "first")
            await both.until(1, 0)
            second = both.ask("/api/jobs/7", "second")
            await both.until(1, 1)
            others = [both.ask("/api/jobs", method="POST"), both.ask("/api/rows")]  # only listed reads leave
            await both.until(3, 1)
            more = [both.ask("/api/jobs", str(number)) for number in range(2)]
            await both.until(3, 3)
            both.reader.let.set()
            here = {"by": "reader", "from": "shop.test", "lamps": [list(one) for one in LIT]}
            assert (await second).json() == {**here, "asks": "second"}
            assert [(await one).json() for one in more] == [{**here, "asks": "0"}, {**here, "asks": "1"}]
            both.web.let.set()
            assert {(await one).json()["by"] for one in [first, *others]} == {"web"}
        of_route = {"method": "GET", "route": "/api/jobs/{number}", "status": "200"}
        assert both.times.registry.get_sample_value("etiquette_request_seconds_count", of_route) == 1

    run(tried())


def test_what_the_reader_cannot_answer_the_web_server_answers() -> None:
    async def tried() -> None:
        both = Both()
        async with both.running():
            waits = both.ask("/api/jobs")
            await both.until(1, 0)
            assert (await both.ask("/api/designs")).json() == "web"
            at_reader = both.ask("/api/jobs", "again")
            await both.until(1, 1)
            both.life.cancel()  # the process is lost with what it had in hand
            both._there.close()
            await both.until(2, 1)
            both.web.let.set()
            assert (await at_reader).json()["by"] == (await waits).json()["by"] == "web"
            assert both.line.busy is None
            with contextlib.suppress(asyncio.CancelledError):
                await both.life
            both.life = asyncio.create_task(asyncio.sleep(0))

    run(tried())


@pytest.mark.skipif(len(os.sched_getaffinity(0)) < 2, reason="one processor has nothing to share")
def test_in_a_running_shop_it_answers_alike_and_may_be_lost(tmp_path: Path) -> None:
    etiquette = RunningEtiquette(tmp_path / "shop")
    etiquette.start()
    try:
        web, reader = etiquette.web_servers()
        paths = ["/api/jobs", "/api/designs", "/api/runs", "/api/runs/1", "/api/print/1", "/api/shelf"] * 4
        alone = {path: etiquette.get(path).json() for path in paths}
        threads = Path(f"/proc/{reader}/task")
        assert len(list(threads.iterdir())) == 1  # nothing was asked of it yet

        def asked_at_once() -> None:
            with ThreadPoolExecutor(8) as pool:
                answers = list(pool.map(etiquette.get, paths))
            assert [one.json() for one in answers] == [alone[path] for path in paths]
            with httpx.Client(base_url=etiquette.url) as stranger, ThreadPoolExecutor(8) as pool:
                assert {one.status_code for one in pool.map(stranger.get, paths)} == {401}

        def it_has_answered() -> bool:
            asked_at_once()
            return len(list(threads.iterdir())) > 1

        wait_until(it_has_answered)
        os.kill(reader, signal.SIGKILL)
        asked_at_once()
        assert etiquette.web_servers() == [web]
    finally:
        etiquette.end()
