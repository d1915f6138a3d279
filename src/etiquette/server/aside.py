"""What is only read need not wait behind other requests: a second process reads it. One process of Python answers one
request at a time, however many processors there are.

It is forked from the web server when all is loaded and nothing is answered yet, so that it takes little memory of its
own. It looks into the database and does nothing else: whatever changes anything, reads a file or speaks with a machine
is for the web server alone. It ends with the web server; when it ends before, the web server answers all itself."""

import asyncio
import contextlib
import itertools
import os
import pickle
import re
import signal
import socket
from dataclasses import dataclass
from typing import Any

import structlog
from fastapi import FastAPI
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from etiquette.server.children import dies_with
from etiquette.server.metrics import path_format
from etiquette.stations.floor.lamps import Lamps, LampWatcher

READS = re.compile(r"/api/(bar|floor|jobs|jobs/\d+|designs|designs/\d+|runs|runs/\d+|print/\d+|bench/\d+|sheets|shelf)")
SCOPE = ("type", "asgi", "http_version", "method", "scheme", "path", "raw_path", "query_string", "root_path", "headers")
SCOPE_OF_LINE = ("client", "server")
LENGTH_BYTES = 8
FAILED = 500
log = structlog.stdlib.get_logger(__name__)


@dataclass(frozen=True)
class Asked:
    number: int
    scope: Scope
    lamps: Lamps | None


@dataclass(frozen=True)
class Answer:
    number: int
    messages: list[Message]
    path_format: str
    """As a route of Starlette has it: requests are measured by it."""


class Reader:
    """The other process, as the web server sees it."""

    def __init__(self, line: socket.socket) -> None:
        self._line, self._numbers = line, itertools.count()
        self._waiting: dict[int, asyncio.Future[Answer]] = {}
        self._writer: asyncio.StreamWriter | None = None

    async def open(self) -> None:
        reader, self._writer = await asyncio.open_connection(sock=self._line)
        self._hears = asyncio.create_task(self._hear(reader))

    def close(self) -> None:
        """It ends when it hears of nobody any more."""
        if self._writer:
            self._hears.cancel()
            self._writer.close()

    @property
    def busy(self) -> int | None:
        """How many requests it has in hand; None: it is gone."""
        return len(self._waiting) if self._writer else None

    async def answer(self, scope: Scope, lamps: Lamps | None) -> Answer | None:
        """None: it is gone, or could not."""
        assert self._writer
        number = next(self._numbers)
        self._waiting[number] = asyncio.get_running_loop().create_future()
        told = {name: scope[name] for name in (*SCOPE, *SCOPE_OF_LINE)}
        _say(self._writer, Asked(number, told, lamps))
        try:
            answer = await self._waiting[number]
        except ConnectionError:
            return None
        finally:
            del self._waiting[number]
        return answer if answer.messages and answer.messages[0]["status"] < FAILED else None

    async def _hear(self, reader: asyncio.StreamReader) -> None:
        with contextlib.suppress(OSError, asyncio.IncompleteReadError):
            while True:
                answer = await _heard(reader)
                if (waits := self._waiting.get(answer.number)) and not waits.done():
                    waits.set_result(answer)
        log.warning("nobody reads beside the web server any more")
        self._writer = None
        for one in self._waiting.values():
            one.set_exception(ConnectionResetError())


class Aside:
    """Hands a read to the other process when that has less in hand than this one."""

    def __init__(self, app: ASGIApp, lamps: LampWatcher | None) -> None:
        self._app, self._lamps, self._busy = app, lamps, 0

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http" or scope["path"].endswith("/events"):
            await self._app(scope, receive, send)
            return
        reader: Reader | None = scope["app"].state.reader
        if reader and self._lamps and scope["method"] == "GET" and READS.fullmatch(scope["path"]):
            busy = reader.busy
            if busy is not None and busy < self._busy:
                answer = await reader.answer(scope, self._lamps.last)
                if answer:
                    scope["route"] = answer
                    for message in answer.messages:
                        await send(message)
                    return
        self._busy += 1
        try:
            await self._app(scope, receive, send)
        finally:
            self._busy -= 1


def forked(app: FastAPI, listens: int) -> Reader:
    """Starts the other process. Call once, before this one has any thread or connection; `listens` is the socket at
    which only the web server listens."""
    here, there = socket.socketpair()
    web = os.getpid()
    if os.fork():
        there.close()
        return Reader(here)
    code = 1
    try:
        here.close()
        os.close(listens)
        dies_with(web, signal.SIGKILL)()
        for number in (signal.SIGINT, signal.SIGTERM):
            signal.signal(number, signal.SIG_IGN)  # the web server is told, and closes the line
        asyncio.run(read(app, there))
        code = 0
    except Exception:
        log.exception("nobody reads beside the web server")
    finally:
        os._exit(code)


async def read(app: FastAPI, line: socket.socket) -> None:
    """The life of the other process."""
    reader, writer = await asyncio.open_connection(sock=line)
    at_work = set[asyncio.Task[None]]()
    with contextlib.suppress(OSError, asyncio.IncompleteReadError):
        while True:
            asked: Asked = await _heard(reader)
            app.state.lamps.last = asked.lamps
            work = asyncio.create_task(_answered(app, asked, writer))
            at_work.add(work)
            work.add_done_callback(at_work.discard)


async def _answered(app: FastAPI, asked: Asked, writer: asyncio.StreamWriter) -> None:
    messages = list[Message]()

    async def sending(message: Message) -> None:
        messages.append(message)

    came: list[Message] = [{"type": "http.request", "body": b"", "more_body": False}]

    async def receive() -> Message:
        return came.pop() if came else await asyncio.get_running_loop().create_future()

    with contextlib.suppress(Exception):  # the application has logged it, and answered that it failed
        await app(asked.scope, receive, sending)
    _say(writer, Answer(asked.number, messages, path_format(asked.scope)))


def _say(writer: asyncio.StreamWriter, said: Asked | Answer) -> None:
    packed = pickle.dumps(said)
    writer.write(len(packed).to_bytes(LENGTH_BYTES) + packed)


async def _heard(reader: asyncio.StreamReader) -> Any:
    length = int.from_bytes(await reader.readexactly(LENGTH_BYTES))
    return pickle.loads(await reader.readexactly(length))  # of our own other half
