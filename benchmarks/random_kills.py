"""Whether anything physical happens twice: prints and cuts under random kills.

    python benchmarks/random_kills.py [--kills 300] [--seed 1] [--minutes 60]

A running Etiquette is filled from empty as a stranger would: a printer that speaks IPP (ippeveprinter of CUPS, which
nobody here wrote) and a cutter on a TCP port that follows HP-GL at its own pace and notes every stroke. Each round
prints a sheet and cuts it, and in the middle of one of them, at a random moment, one of these is killed: the web
server, the worker that speaks with machines, the database (kill -9 each), the line to the cutter, the cutter itself
(its line and what it was told are gone); all of Etiquette at once, as when the power goes (kill -9); or all of
Etiquette is ended as it should be, and started again while the last page is not out; or the clock of all of it jumps an
hour on, the next time back (libfaketime). After the last two nobody may be asked what became of anything. In every
twentieth round the printer is suspended for 30 s instead. Then hands do what the screen says: what is unclear is asked
of the printer, and where that knows nothing of it (this one forgets a print a minute after its end) it is said whether
it came out, and sent again if it did not; lines in doubt are said to be cut, or spoiled, never cut again. Counted:
strokes that were cut twice, prints that were made twice, and sheets that were left without a way on. All the while
somebody works at the desk (desk_work.py): what was confirmed there is looked for at the end, and `etiquette check`
looks at the rest. Asked for: none of any. Takes about half a minute a kill. Six are in
./check (tests/server/test_random_kills.py)."""

import argparse
import collections
import contextlib
import itertools
import random
import signal
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

from benchmarks.desk_work import DeskWork
from benchmarks.killable import NotingCutter, Running
from benchmarks.several_machines import Shop
from tests.strangers import EvePrinter, eve_printer

VICTIMS = ("web", "worker", "database", "line", "cutter", "all", "end", "clock")
UNNOTICED = ("end", "clock")
"""After these nobody may be asked what became of anything."""
JUMP_SECONDS = 3600
"""The clock goes on by so much, the next time back."""
SUSPENDED_EVERY, SUSPENDED_SECONDS = 20, 30.0
STEP_SECONDS, STEPS = 0.4, 4
"""A print is held up at every page."""
LATEST_SECONDS = 2.0
"""Kills come within this after a print was sent, or a cut was asked for."""
PATIENCE_SECONDS = 300.0
"""As long as the tests have: a start beside heavy work takes a minute and more."""
LOOK_SECONDS = 0.3
"""Hands look no oftener: what they ask is work for the same processors."""
PIECES = 12


class Stuck(Exception):
    """There is no way on."""


def until(true: Callable[[], Any], what: str) -> Any:
    """What `true` gives once it gives something; a server that is away is waited for. Raises Stuck."""
    deadline, said = time.monotonic() + PATIENCE_SECONDS, ""
    while time.monotonic() < deadline:
        try:
            if found := true():
                return found
        except (httpx.HTTPError, RuntimeError) as error:
            said = str(error)[:200]
        time.sleep(LOOK_SECONDS)
    raise Stuck(f"{what}: {said}")


class Round:
    """One sheet, printed and cut, with one kill in the middle of one of both."""

    def __init__(
        self, shop: Shop, etiquette: Running, printer: EvePrinter, cutter: NotingCutter, run: int, number: int
    ) -> None:
        self._shop, self._etiquette, self.printer, self.cutter = shop, etiquette, printer, cutter
        self._run, self.number = run, number
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
            self.cutter.hang_up()
        elif victim == "cutter":
            self.cutter.lose_power()
        elif victim == "end":
            self._etiquette.end_and_start()
        elif victim == "all":
            self._etiquette.kill_all()
        elif victim == "clock":
            self._etiquette.jump(JUMP_SECONDS)
        elif victim == "printer":
            assert self.printer.process is not None
            self.printer.process.send_signal(signal.SIGSTOP)
            time.sleep(SUSPENDED_SECONDS)
            self.printer.process.send_signal(signal.SIGCONT)
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
            key = f"kill round {self.number}, {self._sends}"
            body = {"revision": shown["settings"]["revision"], "key": key}
            until(lambda: self._shop.ask("POST", f"/plates/{plate}/send", json=body), "send")
            self._sends += 1
            return int(max(one["id"] for one in until(self._sheets, "sheets")))

        for step in range(1, STEPS + 1):
            (self.printer.folder / f"step.{step}").unlink(missing_ok=True)
        before = self.printer.printed
        sheet = send()
        if self._during == "print":
            self._timer.start()
        for step in range(1, STEPS + 1):
            time.sleep(STEP_SECONDS)
            if step == STEPS and self._awaits_start:
                self._timer.join()
            self.printer.step(step)

        asked = False

        def printed() -> bool:
            nonlocal sheet, asked
            state = self._sheet(sheet)["state"]
            if state == "unclear":
                # the printer knows nothing of it, and hands see what came out
                seen = "nothing" if self.printer.printed == before else "printed"
                how = seen if asked else "ask"
                self._shop.ask("POST", f"/sheets/{sheet}/settle", json={"how": how})
                self.asked += 1
                asked = True
            if state == "failed":
                if self.printer.printed != before:
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
                how = random.choice(("cut", "spoiled"))
                self._shop.ask("POST", f"/bench/{sheet}/doubt", json={"how": how})
                self.asked += 1  # it was for hands to say: while a cut is under way that is refused
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
                time.sleep(LOOK_SECONDS)
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
    """Times that people were asked what became of something, although all was ended as it should be, or only the clock
    jumped."""
    confirmed: int = 0
    """Designs that were taken in at the desk meanwhile."""
    refused: int = 0
    """How often there was no answer at the desk."""
    lost: list[str] = field(default_factory=list)
    """What of that is not there, and what `etiquette check` finds."""


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
            with DeskWork(etiquette.client) as desk:
                for number, (victim, during) in enumerate(rounds, 1):
                    one = Round(shop, etiquette, printer, cutter, run, number)
                    _count(counted, one, victim, during)
                    if number % 10 == 0:
                        print(f"{number} kills in {time.monotonic() - begun:.0f} s", flush=True)
            counted.confirmed, counted.refused = len(desk.designs), desk.refused
            counted.lost += desk.lost()
        finally:
            etiquette.process.terminate()
            etiquette.process.wait()
    counted.lost += [f"check: {one}" for one in etiquette.check()]
    return counted


def _count(counted: Counted, one: Round, victim: str, during: str) -> None:
    words = f"round {one.number}, {victim} during {during}"
    one.cutter.strokes.clear()
    before = one.printer.printed
    try:
        one.done(victim, during, random.uniform(0.0, LATEST_SECONDS))
        if victim in UNNOTICED and one.asked:
            counted.disturbed += one.asked
            print(f"{words}: hands were asked", flush=True)
    except Stuck as error:
        counted.stuck += 1
        print(f"{words}: no way on ({error})", flush=True)
    again = [stroke for stroke, times in one.cutter.strokes.items() if times > 1]
    if again:
        print(f"{words}: {len(again)} strokes twice", flush=True)
    made = one.printer.printed - before
    if made != 1:
        print(f"{words}: {made} prints", flush=True)
    counted.twice += len(again)
    counted.prints += max(0, made - 1)
    counted.strokes += len(one.cutter.strokes)
    counted.rounds[f"{victim} during {during}"] += 1


def main() -> None:
    asked = argparse.ArgumentParser()
    asked.add_argument("--kills", type=int, default=300)
    asked.add_argument("--minutes", type=float, default=float("inf"), help="no new round is begun after so long")
    asked.add_argument("--seed", type=int, default=1)
    wanted = asked.parse_args()
    random.seed(wanted.seed)
    # ended like that, too, it leaves no Etiquette and no printer behind
    signal.signal(signal.SIGTERM, lambda *_: sys.exit(143))
    with tempfile.TemporaryDirectory() as place:
        over = time.monotonic() + 60 * wanted.minutes
        made = killed(Path(place), itertools.takewhile(lambda _: time.monotonic() < over, chosen(wanted.kills)))
    print(", ".join(f"{words}: {times}" for words, times in sorted(made.rounds.items())))
    print(
        f"{made.strokes} strokes: {made.twice} cut twice; {made.prints} prints made twice; {made.stuck} sheets without "
        f"a way on; {made.disturbed} questions after an end as it should be or a jump of the clock"
    )
    print(f"{made.confirmed} designs at the desk, {made.refused} times no answer; lost: {made.lost or 'nothing'}")


if __name__ == "__main__":
    main()
