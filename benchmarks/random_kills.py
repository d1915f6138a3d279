"""Whether anything physical happens twice: prints and cuts under random kills.

    python benchmarks/random_kills.py [--kills 200] [--seed 1]

A running Etiquette is filled from empty as a stranger would: a printer that speaks IPP (ippeveprinter of CUPS, which
nobody here wrote) and a cutter on a TCP port that follows HP-GL at its own pace and notes every stroke. Each round
prints a sheet and cuts it, and in the middle of one of them, at a random moment, one of these is killed: the web
server, the worker that speaks with machines, the database (kill -9 each), the line to the cutter, the cutter itself
(its line and what it was told are gone); or all of Etiquette is ended as it should be, and started again while the last
page is not out, where besides nobody may be asked what became of anything. In every twentieth round the printer is
suspended for 30 s instead. Then hands do what the screen says: what is unclear is asked of the printer, and where that
knows nothing of it (this one forgets a print a minute after its end) it is said whether it came out, and sent again if
it did not; lines in doubt are said to be cut, or spoiled, never cut again. Counted: strokes that were cut twice, prints
that were made twice, and sheets that were left without a way on. Asked for: none of any. Takes about ten seconds a
kill. Five are in ./check (tests/server/test_random_kills.py)."""

import argparse
import collections
import contextlib
import os
import random
import signal
import socket
import socketserver
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import httpx

sys.path.insert(0, str(Path(__file__).parents[1]))  # strangers are those of the tests

from benchmarks.several_machines import Shop
from etiquette.core.cutting.instructions import Pacer
from tests.let_in import let_in
from tests.strangers import EvePrinter, eve_printer

VICTIMS = ("web", "worker", "database", "line", "cutter", "end")
SUSPENDED_EVERY, SUSPENDED_SECONDS = 20, 30.0
QUICKER = 3.0
"""The cutter moves so many times as fast as it was told: a cut takes two seconds."""
STEP_SECONDS, STEPS = 0.4, 4
"""A print is held up at every page."""
LATEST_SECONDS = 2.0
"""Kills come within this after a print was sent, or a cut was asked for."""
PATIENCE_SECONDS = 120.0
PIECES = 12


class Stuck(Exception):
    """There is no way on."""


class NotingCutter:
    """Follows HP-GL on a port, and notes where each stroke with the knife down began and ended."""

    def __init__(self) -> None:
        self.strokes: collections.Counter[tuple[float, float, float, float]] = collections.Counter()
        self._links: set[socket.socket] = set()
        self._lock = threading.Lock()
        self._pacer = Pacer()
        outer = self

        class Connection(socketserver.BaseRequestHandler):
            request: socket.socket

            def handle(self) -> None:
                outer._links.add(self.request)
                held = b""
                with contextlib.suppress(OSError):
                    while data := self.request.recv(4096):
                        held += data.replace(b"\x1b.K", b"")
                        while (end := held.find(b";")) >= 0:
                            told, held = held[: end + 1], held[end + 1 :]
                            said = outer._follow(told)
                            if said:
                                self.request.sendall(said)
                outer._links.discard(self.request)

        class Server(socketserver.ThreadingTCPServer):
            daemon_threads = True
            allow_reuse_address = True

        self._server = Server(("127.0.0.1", 0), Connection)
        threading.Thread(target=self._server.serve_forever, daemon=True).start()
        self.address = f"socket://127.0.0.1:{self._server.server_address[1]}"

    def _follow(self, told: bytes) -> bytes:
        with self._lock:
            x, y = self._pacer.at
            answers = {b"OA;": f"{x:.0f},{y:.0f},0", b"OF;": "40,40", b"OE;": "0", b"OI;": "NOTER"}
            if told in answers:
                return answers[told].encode() + b"\r"
            for one in self._pacer.split(told.decode("ascii", "replace")):
                begun = self._pacer.at if not one.text.startswith("PD") else (x, y)
                time.sleep(one.seconds / QUICKER)
                if one.text.startswith("PD"):
                    self.strokes[(*map(float, begun), *map(float, one.end))] += 1
                x, y = one.end
            return b""

    def hang_up(self) -> None:
        """The line breaks; what was told goes on."""
        for link in list(self._links):
            with contextlib.suppress(OSError):
                link.shutdown(socket.SHUT_RDWR)

    def lose_power(self) -> None:
        """The line breaks, and the head stands where nobody had led it."""
        self.hang_up()
        with self._lock:
            self._pacer = Pacer()


class Running:
    """An Etiquette of its own, and who of it can be killed."""

    def __init__(self, data: Path) -> None:
        self.data = data
        self.process, printed = self._started()
        self.client = let_in(printed, 60)

    def _started(self) -> tuple["subprocess.Popen[str]", str]:
        """The process, and the address that it prints."""
        command = [sys.executable, "-m", "etiquette.cli", "serve", "--port", "8960"]
        environment = {**os.environ, "ETIQUETTE_DATA": str(self.data)}
        process = subprocess.Popen(command, env=environment, stdout=subprocess.PIPE, text=True)
        assert process.stdout is not None
        return process, process.stdout.readline()

    def end_and_start(self) -> None:
        self.process.terminate()
        self.process.wait()
        self.process, _ = self._started()

    def pids(self, sign: bytes) -> list[int]:
        found = []
        for entry in Path("/proc").iterdir():
            with contextlib.suppress(OSError, ValueError):
                if sign in (entry / "cmdline").read_bytes() and str(self.data).encode() in (
                    (entry / "environ").read_bytes() + (entry / "cmdline").read_bytes()
                ):
                    found.append(int(entry.name))
        return found

    def kill(self, victim: str) -> None:
        """The worker is a child of the fork server of the web server, like those that compute: all of them go."""
        sign = {"web": b"etiquette.server.web\0", "database": b"mariadbd\0", "worker": b"etiquette.server.workers"}[
            victim
        ]
        pids = self.pids(sign)
        if victim == "worker":  # the fork server itself stays: its children are what works
            parents = {int(Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()[1]) for pid in pids}
            pids = [pid for pid in pids if pid not in parents]
        for pid in pids:
            with contextlib.suppress(ProcessLookupError):
                os.kill(pid, signal.SIGKILL)


def until(true: Callable[[], Any], what: str) -> Any:
    """What `true` gives once it gives something; a server that is away is waited for. Raises Stuck."""
    deadline, said = time.monotonic() + PATIENCE_SECONDS, ""
    while time.monotonic() < deadline:
        try:
            if found := true():
                return found
        except (httpx.HTTPError, RuntimeError) as error:
            said = str(error)[:200]
        time.sleep(0.1)
    raise Stuck(f"{what}: {said}")


class Round:
    """One sheet, printed and cut, with one kill in the middle of one of both."""

    def __init__(
        self, shop: Shop, etiquette: Running, printer: EvePrinter, cutter: NotingCutter, run: int, number: int
    ) -> None:
        self._shop, self._etiquette, self._printer, self._cutter = shop, etiquette, printer, cutter
        self._run, self._number = run, number
        self.asked = 0
        """How often hands had to say what became of something."""

    def done(self, victim: str, during: str, after: float) -> None:
        self._timer, self._during = threading.Timer(after, self._kill, (victim,)), during
        self._awaits_start = (victim, during) == ("end", "print")
        sheet = self._printed()
        self._cut(sheet)
        self._timer.join()

    def _kill(self, victim: str) -> None:
        if victim == "line":
            self._cutter.hang_up()
        elif victim == "cutter":
            self._cutter.lose_power()
        elif victim == "end":
            self._etiquette.end_and_start()
        elif victim == "printer":
            assert self._printer.process is not None
            self._printer.process.send_signal(signal.SIGSTOP)
            time.sleep(SUSPENDED_SECONDS)
            self._printer.process.send_signal(signal.SIGCONT)
        else:
            self._etiquette.kill(victim)

    def _sheets(self) -> list[dict[str, Any]]:
        """The prints of the run as Print shows them: those that came to nothing, too."""
        return list(self._shop.ask("GET", f"/print/{self._run}")["sheets"])

    def _sheet(self, sheet: int) -> dict[str, Any]:
        return dict(until(lambda: next((one for one in self._sheets() if one["id"] == sheet), None), "list"))

    def _printed(self) -> int:
        shown = until(lambda: self._shop.ask("GET", f"/print/{self._run}"), "Print")
        plate, self._sends = shown["plates"][0]["id"], 0

        def send() -> int:
            """The same press, as a browser would send it again after a lost answer."""
            key = f"kill round {self._number}, {self._sends}"
            body = {"revision": shown["settings"]["revision"], "key": key}
            until(lambda: self._shop.ask("POST", f"/plates/{plate}/send", json=body), "send")
            self._sends += 1
            return int(max(one["id"] for one in until(self._sheets, "sheets")))

        for step in range(1, STEPS + 1):
            (self._printer.folder / f"step.{step}").unlink(missing_ok=True)
        before = self._printer.printed
        sheet = send()
        if self._during == "print":
            self._timer.start()
        for step in range(1, STEPS + 1):
            time.sleep(STEP_SECONDS)
            if step == STEPS and self._awaits_start:
                self._timer.join()
            self._printer.step(step)

        asked = False

        def printed() -> bool:
            nonlocal sheet, asked
            state = self._sheet(sheet)["state"]
            if state == "unclear":
                # the printer knows nothing of it, and hands see what came out
                self.asked += 1
                seen = "nothing" if self._printer.printed == before else "printed"
                how = seen if asked else "ask"
                self._shop.ask("POST", f"/sheets/{sheet}/settle", json={"how": how})
                asked = True
            if state == "failed":
                if self._printer.printed != before:
                    raise Stuck("a print that was made counts as not printed")
                sheet, asked = send(), False
            return bool(state == "printed")

        until(printed, "a print that ends")
        return sheet

    def _cut(self, sheet: int) -> None:
        bench = until(lambda: self._shop.ask("POST", f"/bench/{sheet}/load", json={"end": "head"}), "load")
        self._point(sheet, bench)

        def cut() -> bool:
            bench = self._shop.ask("GET", f"/bench/{sheet}")
            state = bench["sheet"]["state"]
            if state == "cut":
                return True
            if any(piece["state"] == "doubtful" for piece in bench["pieces"]):
                self.asked += 1
                how = random.choice(("cut", "spoiled"))
                self._shop.ask("POST", f"/bench/{sheet}/doubt", json={"how": how})
                return False
            if state in ("printed", "laminated"):
                self._point(sheet, self._shop.ask("POST", f"/bench/{sheet}/load", json={"end": "head"}))
                return False
            if state == "loaded":
                self._point(sheet, bench)
                return False
            if self._during == "cut" and not self._timer.is_alive() and not self._timer.finished.is_set():
                self._timer.start()
            task = self._shop.ask("POST", f"/bench/{sheet}/cut", json={"ready": bench["tools"][0]["tool"]})["task_id"]
            while self._shop.ask("GET", f"/tasks/{task}")["state"] in ("waiting", "running"):
                time.sleep(0.05)
            return False

        until(cut, "a cut that ends")

    def _point(self, sheet: int, bench: dict[str, Any]) -> None:
        for mark in bench["plan"]["marks"]:
            where = {"mark_id": mark["id"], "x": mark["x"], "y": mark["y"]}
            with contextlib.suppress(RuntimeError, httpx.HTTPError):  # it may be taken though the answer was lost
                self._shop.ask("POST", f"/bench/{sheet}/take", json=where)


def planned(shop: Shop, printer: int, cutter: int) -> int:
    """A run that all rounds print and cut."""
    lying = shop.ask("POST", f"/shelf/printer/{printer}/ask")["loaded"]
    names = {str(printer): lying[0]["name"]} if lying else {}
    stock = shop.add("stock", {"takes_film": False, "tolerance_mm": 5, "names": names})
    shop.add("roll", {"remaining_mm": 900_000, "length_mm": 900_000}, stock_id=stock)
    shop.add("mark_set")
    items = [{"design_id": shop.take_in("spark"), "count": PIECES}]
    run = int(shop.ask("POST", "/runs", json={"name": "Killed", "items": items})["id"])
    edit = {
        "revision": 1,
        "words": "machines",
        "changes": {"printer_id": printer, "cutter_id": cutter, "seconds": 0.5, "improve_seconds": 0},
    }
    shop.ask("POST", f"/runs/{run}/edits", json=edit)
    shop.done("PUT", f"/runs/{run}/nest")
    shop.done("PUT", f"/print/{run}/plate")
    return run


@dataclass
class Counted:
    """What became of the rounds: of all but `rounds` and `strokes` there are to be none."""

    rounds: collections.Counter[str] = field(default_factory=collections.Counter)
    strokes: int = 0
    twice: int = 0
    """Strokes that were cut twice."""
    prints: int = 0
    """Prints that were made twice."""
    stuck: int = 0
    """Sheets without a way on."""
    disturbed: int = 0
    """Times that people were asked what became of something, although all was ended as it should be."""


def chosen(kills: int) -> Iterator[tuple[str, str]]:
    """Who is killed during what, as chance has it."""
    for number in range(1, kills + 1):
        victim, during = random.choice(VICTIMS), random.choice(("print", "cut"))
        if victim in ("line", "cutter"):
            during = "cut"
        yield ("printer", "print") if number % SUSPENDED_EVERY == 0 else (victim, during)


def killed(place: Path, rounds: Iterable[tuple[str, str]]) -> Counted:
    """Fills an empty Etiquette in `place`, then prints and cuts a sheet in each of the rounds, with a kill in it."""
    counted = Counted()
    with eve_printer(place) as printer:
        etiquette, cutter = Running(place / "data"), NotingCutter()
        try:
            shop = Shop(etiquette.client)
            run = planned(
                shop,
                shop.add("printer", {"address": printer.uri}),
                shop.add("cutter", {"address": cutter.address, "reach_along_mm": 3000}),
            )
            begun = time.monotonic()
            for number, (victim, during) in enumerate(rounds, 1):
                cutter.strokes.clear()
                before = printer.printed
                words = f"{victim} during {during}"
                try:
                    one = Round(shop, etiquette, printer, cutter, run, number)
                    one.done(victim, during, random.uniform(0.0, LATEST_SECONDS))
                    if victim == "end" and one.asked:
                        counted.disturbed += one.asked
                        print(f"round {number}, {words}: hands were asked", flush=True)
                except Stuck as error:
                    counted.stuck += 1
                    print(f"round {number}, {words}: no way on ({error})", flush=True)
                again = [stroke for stroke, times in cutter.strokes.items() if times > 1]
                if again:
                    print(f"round {number}, {words}: {len(again)} strokes twice", flush=True)
                made = printer.printed - before
                if made != 1:
                    print(f"round {number}, {words}: {made} prints", flush=True)
                counted.twice += len(again)
                counted.prints += max(0, made - 1)
                counted.strokes += len(cutter.strokes)
                counted.rounds[words] += 1
                if number % 10 == 0:
                    print(f"{number} kills in {time.monotonic() - begun:.0f} s", flush=True)
        finally:
            etiquette.process.terminate()
            etiquette.process.wait()
    return counted


def main() -> None:
    asked = argparse.ArgumentParser()
    asked.add_argument("--kills", type=int, default=200)
    asked.add_argument("--seed", type=int, default=1)
    wanted = asked.parse_args()
    random.seed(wanted.seed)
    with tempfile.TemporaryDirectory() as place:
        made = killed(Path(place), chosen(wanted.kills))
    print(", ".join(f"{words}: {times}" for words, times in sorted(made.rounds.items())))
    print(
        f"{made.strokes} strokes: {made.twice} cut twice; {made.prints} prints made twice; {made.stuck} sheets without "
        f"a way on; {made.disturbed} questions after an end as it should be"
    )


if __name__ == "__main__":
    main()
