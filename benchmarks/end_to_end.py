"""The worst true miss from the page to the cut, through the stand-ins: python benchmarks/end_to_end.py [TIMES]

The demo shop is started; each of its nested runs, TIMES (2) as many of every design, is nested, printed, laminated and
cut in frames of 700 mm at most, every frame head first and, from another print, tail first. The judge of the stand-ins,
who alone knows what the film did, says how far the cut lies from the print; beside it the same cut placed by one mark
without the fit."""

import os
import subprocess
import sys
import tempfile
import time
from typing import Any

import httpx

from tests.let_in import let_in

PORT = 8761
FRAME_MM = 700
CLIENTS: list[httpx.Client] = []
"""Who was let in to the Etiquette that runs."""


def ask(path: str, body: Any = None, method: str | None = None) -> Any:
    way = method or ("GET" if body is None else "POST")
    answer = CLIENTS[-1].request(way, f"/api{path}", json=None if way == "GET" else body or {})
    if answer.status_code >= 400:
        raise SystemExit(f"{path}: {answer.text}")
    return answer.json()


def done(made: dict[str, int]) -> dict[str, Any]:
    """The result of a task, waited for."""
    while True:
        task = ask(f"/tasks/{made['task_id']}")
        if task["state"] == "done":
            return dict(task["result"] or {})
        if task["state"] not in ("waiting", "running", "queued"):
            raise SystemExit(f"{task['name']}: {task['problem']}")
        time.sleep(0.2)


def change(path: str, words: str, changes: dict[str, Any]) -> None:
    ask(f"{path}/edits", {"revision": ask(path)["revision"], "words": words, "changes": changes})


def cut(run: int, times: int) -> None:
    document = ask(f"/runs/{run}")["document"]
    more = [{**item, "count": item["count"] * times} for item in document["items"]]
    change(f"/runs/{run}", "more of each", {"items": more, "improve_seconds": 0})
    done(ask(f"/runs/{run}/nest", method="PUT"))
    done(ask(f"/print/{run}/plate", method="PUT"))
    ask(f"/room/runs/{run}/roll", {})
    plates = ask(f"/print/{run}")["plates"]
    for end in ("head", "tail"):
        for number, plate in enumerate(plates, 1):
            before = {sheet["id"] for sheet in ask("/sheets")}
            asked = {"revision": ask(f"/runs/{run}")["revision"], "key": f"{run} {end} {plate['id']} print"}
            done(ask(f"/plates/{plate['id']}/send", asked))
            (sheet,) = [one for one in ask("/sheets") if one["id"] not in before]
            done(ask(f"/room/sheets/{sheet['id']}/film?anyway=true", {}))
            ask(f"/room/sheets/{sheet['id']}/lay", {"end": end})
            done(ask(f"/bench/{sheet['id']}/read", {}))
            expected = ask(f"/bench/{sheet['id']}")["reading"]["fit"]["predicted_error_mm"]["max"]
            made = done(ask(f"/bench/{sheet['id']}/cut", {}))
            while made["state"] == "tool":
                made = done(ask(f"/bench/{sheet['id']}/cut", {"ready": made["waits_for"]}))
            report = ask(f"/room/sheets/{sheet['id']}/look", {})["report"]
            print(
                f"run {run}, {end} first, frame {number} of {len(plates)}: {sheet['pieces']} pieces on "
                f"{sheet['length_mm']:.0f} mm,"
                f" expected {expected:.2f}, worst {report['cut']['worst_mm']:.3f}, without the fit "
                f"{report['without']['worst_mm']:.1f} mm",
                flush=True,
            )


def main() -> None:
    times = int(sys.argv[1]) if len(sys.argv) > 1 else 2
    with tempfile.TemporaryDirectory() as data:
        shop = subprocess.Popen(
            [sys.executable, "-m", "etiquette.cli", "serve", "--demo", "--port", str(PORT)],
            stdout=subprocess.PIPE, text=True, env={**os.environ, "ETIQUETTE_DATA": data},
        )  # fmt: skip
        try:
            assert shop.stdout is not None
            CLIENTS.append(let_in(shop.stdout.readline()))
            (cutter,) = [one for one in ask("/shelf")["cutter"] if one["printer_id"] is None]
            ask(
                f"/shelf/cutter/{cutter['id']}", {"version": cutter["version"], "changes": {"reach_along_mm": FRAME_MM}}
            )
            for run in sorted(one["id"] for one in ask("/runs")):
                cut(run, times)
        finally:
            shop.terminate()
            shop.wait(60)


if __name__ == "__main__":
    main()
