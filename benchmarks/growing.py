"""A part of the day of a large shop on several machines: what goes through with one worker process and with two.

    python benchmarks/growing.py [--designs 40] [--runs 10]

One server, a database, redis-server and a bucket (moto), and `etiquette work` with one process that computes, then with
two, each time in a shop that was empty. A day is 2,000 designs taken in, their lines found, 500 runs nested and their
plates made; a share of it is done here, and every kind of work is timed by itself, from the first that is asked for to
the last that is done. Printed: seconds a piece, how much quicker two are than one, and what a day would take. A nest is
given one second, so that it says what the rest costs. The reference is the same work with one process in the same run;
how much two can be quicker is bounded by the cores that the server, the database and the store leave them."""

import argparse
import os
import sys
import tempfile
import time
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

import httpx

sys.path.insert(0, str(Path(__file__).parents[1]))  # the shop on several machines is that of the tests

from benchmarks.several_machines import Shop
from etiquette.demo.art import art_file
from tests.several import several

ART = ("spark", "kite", "trueing-disc")
DAY = {"taken in": 2000, "lines found": 2000, "nested": 500, "plates made": 500}
PATIENCE_SECONDS = 600.0
COPIES = 12


def all_done(shop: Shop, tasks: Sequence[int]) -> None:
    left = list(tasks)
    while left:
        left = [task for task in left if shop.ask("GET", f"/tasks/{task}")["state"] in ("waiting", "running")]
        time.sleep(0.05)
    for task in tasks:
        state = shop.ask("GET", f"/tasks/{task}")
        assert state["state"] == "done", state


def timed(count: int, work: Callable[[], Any]) -> tuple[float, Any]:
    """Seconds a piece, and what was made."""
    begun = time.perf_counter()
    made = work()
    return (time.perf_counter() - begun) / count, made


def taken_in(client: httpx.Client, shop: Shop, number: int) -> int:
    name, content = art_file(ART[number % len(ART)])
    answer = client.post("/api/designs", files={"file": (f"{number} {name}", content)})
    answer.raise_for_status()
    design = int(answer.json()["ids"][0])
    # of its own size: lines of the same art and size are found once
    settings = {"width_mm": 30 + number * 0.1, "due_count": COPIES, "ready": True}
    revision = shop.ask("GET", f"/designs/{design}")["revision"]
    body = {"revision": revision, "words": "size", "changes": settings}
    shop.ask("POST", f"/designs/{design}/edits", json=body)
    return design


def part_of_a_day(processes: int, designs: int, runs: int) -> dict[str, float]:
    """Seconds a piece of every kind of work."""
    with tempfile.TemporaryDirectory() as place, several(Path(place), PATIENCE_SECONDS) as machines:
        client = machines.server("server")
        machines.workers("worker", computing=processes)
        shop = Shop(client)
        stock, printer, cutter = shop.add("stock"), shop.add("printer"), shop.add("cutter")
        shop.add("roll", {"remaining_mm": 900_000, "length_mm": 900_000}, stock_id=stock)
        shop.add("mark_set")
        warm = taken_in(client, shop, 9999)  # the first of each kind loads what computes
        all_done(shop, [shop.ask("PUT", f"/designs/{warm}/lines")["task_id"] for _ in range(processes)])
        cost = {}
        cost["taken in"], made = timed(designs, lambda: [taken_in(client, shop, one) for one in range(designs)])

        def lines() -> None:
            all_done(shop, [shop.ask("PUT", f"/designs/{design}/lines")["task_id"] for design in made])

        def planned(number: int) -> int:
            items = [{"design_id": made[(number + at) % designs], "count": COPIES} for at in range(3)]
            run = int(shop.ask("POST", "/runs", json={"name": f"Run {number}", "items": items})["id"])
            settings = {"printer_id": printer, "cutter_id": cutter, "seconds": 1.0, "improve_seconds": 0}
            shop.ask("POST", f"/runs/{run}/edits", json={"revision": 1, "words": "so", "changes": settings})
            return run

        cost["lines found"], _ = timed(designs, lines)
        numbers = [planned(number) for number in range(runs + processes)]
        for work, path in (("nested", "/runs/{}/nest"), ("plates made", "/print/{}/plate")):
            all_done(shop, [shop.ask("PUT", path.format(run))["task_id"] for run in numbers[runs:]])
            tasks = lambda path=path: [shop.ask("PUT", path.format(run))["task_id"] for run in numbers[:runs]]  # noqa: E731
            cost[work], _ = timed(runs, lambda tasks=tasks: all_done(shop, tasks()))
        return cost


def main() -> None:
    asked = argparse.ArgumentParser()
    asked.add_argument("--designs", type=int, default=40)
    asked.add_argument("--runs", type=int, default=10)
    wanted = asked.parse_args()
    one, two = (part_of_a_day(processes, wanted.designs, wanted.runs) for processes in (1, 2))
    print(f"{os.cpu_count()} cores; {wanted.designs} designs, {wanted.runs} runs of {3 * COPIES} pieces")
    for work, count in DAY.items():
        print(
            f"{work}: {one[work]:.2f} s a piece with one process, {two[work]:.2f} s with two "
            f"({one[work] / two[work]:.2f} times as quick); a day of {count}: {one[work] * count / 60:.0f} min, "
            f"{two[work] * count / 60:.0f} min"
        )
    computed = {work: one[work] * count for work, count in DAY.items() if work != "taken in"}
    total, server = sum(computed.values()), one["taken in"] * DAY["taken in"]
    print(
        f"on paper: {total / 60:.0f} min of computing, {server / 60:.0f} min of taking in a day. Ten machines of two "
        f"processes: {total / 20 / 60:.1f} min of computing, if nothing stands in the way; ten servers: "
        f"{server / 10 / 60:.1f} min of taking in"
    )


if __name__ == "__main__":
    main()
