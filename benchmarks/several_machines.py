"""Whether machines at work keep a line from being found: three cutters and two printers at once, beside an idle shop.

    python benchmarks/several_machines.py

A shop is filled from empty as a stranger would: two folder printers, three cutters on TCP ports that answer when the
motion they were told would be over. Each cutter cuts a sheet that was printed elsewhere and pointed out by hand. The
machines only take bytes, so no rendering is measured. Asked for: a line is found in at most 1.2 times what it takes in
the idle shop. Takes about two minutes, most of them nesting.
"""

import contextlib
import json
import os
import socketserver
import statistics
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import httpx

from etiquette.core.cutting.instructions import Pacer
from etiquette.demo.art import art_file
from tests.let_in import let_in

LINES = 11


class Cutter:
    """Takes HP-GL on a port and answers OA and OF when the motion before would be over."""

    def __init__(self) -> None:
        outer = self
        self.answered = 0

        class Connection(socketserver.BaseRequestHandler):
            def handle(self) -> None:
                pacer, held = Pacer(), b""
                while data := self.request.recv(4096):
                    held += data
                    while (end := held.find(b";")) >= 0:
                        told, held = held[: end + 1], held[end + 1 :]
                        if told in (b"OA;", b"OF;", b"OE;"):
                            x, y = pacer.at
                            said = {b"OA;": f"{x:.0f},{y:.0f},0", b"OF;": "40,40", b"OE;": "0"}[told]
                            self.request.sendall(said.encode() + b"\r")
                            outer.answered += 1
                        else:
                            time.sleep(sum(one.seconds for one in pacer.split(told.decode())))

        class Server(socketserver.ThreadingTCPServer):
            daemon_threads = True

        self._server = Server(("127.0.0.1", 0), Connection)
        threading.Thread(target=self._server.serve_forever, daemon=True).start()
        self.address = f"socket://127.0.0.1:{self._server.server_address[1]}"


class Shop:
    def __init__(self, client: httpx.Client) -> None:
        self._client = client

    def ask(self, method: str, path: str, **more: Any) -> Any:
        answer = self._client.request(method, f"/api{path}", **more)
        if answer.status_code >= 400:
            raise RuntimeError(f"{path}: {answer.text}")
        return answer.json()

    def done(self, method: str, path: str, **more: Any) -> dict[str, Any]:
        task = self.ask(method, path, **more)["task_id"]
        while (told := self.ask("GET", f"/tasks/{task}"))["state"] in ("waiting", "running"):
            time.sleep(0.05)
        if told["state"] != "done":
            raise RuntimeError(json.dumps(told["problem"]))
        return dict(told["result"])

    def add(self, kind: str, changes: dict[str, Any] | None = None, **asked: Any) -> int:
        made = self.ask("POST", f"/shelf/{kind}", json=asked)
        if changes:
            row = next(one for one in made["shelf"][kind] if one["id"] == made["id"])
            self.ask(
                "POST",
                f"/shelf/{kind}/{row['id']}",
                json={"version": row["version"], "changes": changes, "reason": "set up"},
            )
        return int(made["id"])

    def take_in(self, art: str) -> int:
        """A design with its line found."""
        name, content = art_file(art)
        design = int(self.ask("POST", "/designs", files={"file": (name, content)})["ids"][0])
        self.done("PUT", f"/designs/{design}/lines")
        return design

    def find_line(self) -> float:
        """Seconds for one line of a picture, as the browser waits for it; each time with another offset."""
        self.offset = getattr(self, "offset", 1.0) + 0.01
        shown = self.ask("GET", f"/designs/{self.tried}")
        self.ask(
            "POST",
            f"/designs/{self.tried}/edits",
            json={"revision": shown["revision"], "words": "offset", "changes": {"offset_mm": self.offset}},
        )
        begun = time.perf_counter()
        self.done("PUT", f"/designs/{self.tried}/lines")
        return time.perf_counter() - begun


@contextlib.contextmanager
def running() -> Iterator[Shop]:
    with tempfile.TemporaryDirectory() as data:
        command = [sys.executable, "-m", "etiquette.cli", "serve", "--port", "8950"]
        environment = {**os.environ, "ETIQUETTE_DATA": data}
        with subprocess.Popen(command, env=environment, stdout=subprocess.PIPE, text=True) as process:
            assert process.stdout is not None
            try:
                yield Shop(let_in(process.stdout.readline(), 60))
            finally:
                process.terminate()


def planned(shop: Shop, name: str, changes: dict[str, Any]) -> int:
    items = [{"design_id": shop.design, "count": 60}]
    run = shop.ask("POST", "/runs", json={"name": name, "items": items})
    edit = {"revision": shop.ask("GET", f"/runs/{run['id']}")["revision"], "words": "machines", "changes": changes}
    shop.ask("POST", f"/runs/{run['id']}/edits", json=edit)
    shop.done("PUT", f"/runs/{run['id']}/nest")
    shop.done("PUT", f"/print/{run['id']}/plate")
    return int(run["id"])


def pointed_out(shop: Shop, run: int) -> int:
    """A sheet that was printed elsewhere, gets no film, and whose marks were typed from the panel."""
    shown = shop.ask("GET", f"/print/{run}")
    body = {"revision": shown["settings"]["revision"], "key": f"elsewhere {run}"}
    sheet = shop.ask("POST", f"/plates/{shown['plates'][0]['id']}/elsewhere", json=body)["sheet_id"]
    bench = shop.ask("POST", f"/bench/{sheet}/load", json={"end": "head"})
    for mark in bench["plan"]["marks"]:
        where = {"mark_id": mark["id"], "x": mark["x"], "y": mark["y"]}
        bench = shop.ask("POST", f"/bench/{sheet}/take", json=where)
    return int(sheet)


def main() -> None:
    with running() as shop, tempfile.TemporaryDirectory() as folders:
        printers = []
        for number in (1, 2):
            folder = Path(folders) / f"printer {number}"
            folder.mkdir()
            printers.append(shop.add("printer", {"address": f"folder:{folder}", "print_width_mm": 1300}))
        machines = [Cutter() for _ in range(3)]
        cutters = [shop.add("cutter", {"address": one.address, "reach_along_mm": 3000}) for one in machines]
        stock = shop.add("stock", {"takes_film": False, "tolerance_mm": 5})
        for _ in range(2):
            shop.add("roll", stock_id=stock)
        shop.add("mark_set")
        shop.design, shop.tried = shop.take_in("jar-label"), shop.take_in("radish")
        shop.find_line()
        to_cut = [planned(shop, f"Cut {one}", {"cutter_id": one}) for one in cutters]
        to_print = [planned(shop, f"Print {one}", {"printer_id": one}) for one in printers]
        sheets = [pointed_out(shop, run) for run in to_cut]
        idle = [shop.find_line() for _ in range(LINES)]
        tasks = []
        for sheet in sheets:
            tool = shop.ask("GET", f"/bench/{sheet}")["tools"][0]["tool"]
            tasks.append(shop.ask("POST", f"/bench/{sheet}/cut", json={"ready": tool})["task_id"])
        for run in to_print:
            shown = shop.ask("GET", f"/print/{run}")
            body = {"revision": shown["settings"]["revision"], "key": f"printed {run}"}
            tasks.append(shop.ask("POST", f"/plates/{shown['plates'][0]['id']}/send", json=body)["task_id"])
        time.sleep(2)
        states = [shop.ask("GET", f"/tasks/{task}")["state"] for task in tasks]
        busy = [shop.find_line() for _ in range(LINES)]
        after = [shop.ask("GET", f"/tasks/{task}")["state"] for task in tasks]
        answers = [one.answered for one in machines]
    print(f"at work before and after: {states} {after}; answers of the cutters {answers}")
    one, other = statistics.median(idle), statistics.median(busy)
    print(
        f"a line: idle {one:.2f} s, with three cutters and two printers at work {other:.2f} s, {other / one:.2f} times"
    )


if __name__ == "__main__":
    main()
