"""A simulated printer: an open directory for jobs, and a port to ask it things.

A job is NAME.pdf with its ticket NAME.json and lines NAME.svg beside it, and NAME.white.pdf and the like for further
plates. A ticket that asks for a scan leaves one, fine enough to see single nozzles. The ticket appears last and starts
the print. White and clear are checked and laid down, but do not show: the simulated stock is white. The PDF is rendered
with pdfium to pixels, band by band, so that progress shows; the length is taken off the roll, and the sheet goes on the
shelf of printed sheets.

python -m standins.printer ROOM FIRST_PORT"""

import base64
import json
import math
import shutil
import sys
import threading
import time
from pathlib import Path
from typing import Any

import numpy as np
import pypdfium2
from PIL import Image

from standins.judge import planned_lines, report
from standins.plotter_language import strokes
from standins.room import Room, chance, write_whole
from standins.wire import Refused, serve

DPI = 150
BANDS = 24
NOZZLES, SCAN_DPI = 320, 1200
"""Nozzles of the black ink, one a row of DPI, and what the scanner beside the printer sees."""
MACHINE = "PX-130 no. 0417"
FAULT_BAND = 9
"""What is asked to go wrong does so after this part of the print."""
FAULTS = {"jam": "The stock is jammed under the heads.", "out": "The stock ran out."}
LOOK_EVERY_SECONDS = 0.1


class Printer:
    def __init__(self, room: Room) -> None:
        self._room = room
        self._status: dict[str, dict[str, Any]] = {}
        self._rolls = room.jobs / "roll.state"
        self._fault: str | None = None
        self._blocked, self._back_mm = list[int](), 0.0
        self._last: str | None = None
        """The sheet that lies under the knife: the last one printed, until it is cut off."""

    def answer(self, request: dict[str, Any]) -> dict[str, Any]:
        wanted = request.get("ask")
        if wanted == "state":
            return {"machine": MACHINE, "roll": self._roll(), "jobs": self._status}
        if wanted == "job":
            name = str(request.get("name"))
            if name not in self._status and (self._room.shelf / name / "sheet.json").exists():
                return {"state": "done", "share": 1.0}
            return self._status.get(name, {"state": "unknown", "share": 0.0})
        if wanted == "thumb":
            file = self._room.folder(str(request.get("name"))) / "thumb.png"
            if not file.exists():
                raise Refused("There is no such sheet.")
            return {"png": base64.b64encode(file.read_bytes()).decode()}
        if wanted == "load roll":
            self._keep_roll(
                {
                    "name": str(request["name"]),
                    "width_mm": float(request["width_mm"]),
                    "left_mm": float(request["left_mm"]),
                }
            )
            return {"roll": self._roll()}
        if wanted == "fault":
            self._fault = str(request["kind"])
            return {"fault": self._fault}
        if wanted == "scan":
            file = self._room.folder(str(request.get("name"))) / "scan.png"
            if not file.exists():
                raise Refused("That print was not laid under the scanner.")
            return {"png": base64.b64encode(file.read_bytes()).decode(), "mm_per_px": 25.4 / SCAN_DPI}
        if wanted == "wear":
            return self._wear(request.get("seed"), bool(request.get("mended")))
        if wanted == "forget":  # the list of jobs is cleared at the panel
            self._status, self._fault = {}, None
            return {}
        raise Refused(f"The printer does not know “{wanted}”.")

    def _wear(self, seed: int | None, mended: bool) -> dict[str, Any]:
        """Nozzles are blocked and the way back prints aside; nobody is told."""
        random = chance(seed)
        count = 0 if mended else int(random.integers(2, 12))
        self._blocked = sorted(random.choice(NOZZLES, count, replace=False).tolist())
        self._back_mm = 0.0 if mended else float(random.choice([-1, 1]) * random.uniform(0.06, 0.3))
        return {}

    def _scan(self, page: pypdfium2.PdfPage) -> np.ndarray:
        """The print under a fine scanner: what the nozzles of each swath laid down, every second swath on the way
        back."""
        grey = np.array(page.render(scale=SCAN_DPI / 72, grayscale=True).to_numpy()).reshape(
            -1, math.ceil(page.get_width() * SCAN_DPI / 72)
        )
        rows = (np.arange(grey.shape[0])[::-1] * DPI) // SCAN_DPI  # from the leading edge, which is the lower one
        grey[np.isin(rows % NOZZLES, self._blocked)] = 255
        back = (rows // NOZZLES) % 2 == 1
        grey[back] = np.roll(grey[back], round(self._back_mm / 25.4 * SCAN_DPI), axis=1)
        return grey

    def watch(self) -> None:
        """Print what appears in the directory, one job at a time, oldest first."""
        while True:
            for ticket in sorted(self._room.jobs.glob("*.json"), key=lambda file: file.stat().st_mtime):
                name = ticket.stem
                try:
                    self._print(name, json.loads(ticket.read_text()))
                except Exception as error:  # the job failed, the printer goes on; the reason is shown at the station
                    used = self._status.get(name, {}).get("used_mm", 0.0)
                    self._status[name] = {"state": "failed", "share": 0.0, "why": str(error), "used_mm": used}
                    self._take_off(used)
                    shutil.rmtree(self._room.folder(name), ignore_errors=True)
                    self._clear(name)
            time.sleep(LOOK_EVERY_SECONDS)

    def _print(self, name: str, ticket: dict[str, Any]) -> None:
        pdf = self._room.jobs / f"{name}.pdf"
        document = pypdfium2.PdfDocument(pdf)
        page = document[0]
        width_mm, length_mm = (size * 25.4 / 72 for size in page.get_size())
        self._check_plates(name, ticket, page.get_size())
        way = ticket.get("way", "print")
        if way == "cut":
            self._cut(name, self._last)
            return
        roll = self._roll()
        if width_mm > roll["width_mm"] + 0.5:
            raise Refused(f"The print is {width_mm:.0f} mm wide, the roll on the printer {roll['width_mm']:.0f} mm.")
        if length_mm > roll["left_mm"]:
            raise Refused(f"The print needs {length_mm:.0f} mm; {roll['left_mm']:.0f} mm are left on the roll.")
        if self._fault == "refuse":
            self._fault = None
            raise Refused("The print was refused at its panel.")
        self._status[name] = {"state": "printing", "share": 0.0}
        pixels = self._render(name, page)
        folder = self._room.folder(name)
        folder.mkdir(exist_ok=True)
        self._room.write_pixels(name, pixels)
        lines = self._room.jobs / f"{name}.svg"
        if lines.exists():
            shutil.copy(lines, folder / "lines.svg")
        if ticket.get("scan"):
            Image.fromarray(self._scan(page)).save(folder / "scan.png")
        document.close()
        self._take_off(length_mm)
        # the note appears last: a sheet without one is not there yet
        self._room.write_note(
            name,
            {
                "name": name,
                "width_mm": width_mm,
                "length_mm": length_mm,
                "mm_per_px": [width_mm / pixels.shape[1], length_mm / pixels.shape[0]],
                "state": "printed",
                "stock": roll["name"],
            },
        )
        self._last = None if ticket.get("sever") else name
        if way == "both":
            self._cut(name, name)
            return
        self._clear(name)
        self._status[name] = {"state": "done", "share": 1.0, "length_mm": length_mm}

    def _cut(self, name: str, sheet: str | None) -> None:
        """Cut with the machine's own knife the sheet that still lies under it, and say how far the knife strayed."""
        if sheet is None:
            raise Refused("No print lies under the knife any more.")
        self._status[name] = {"state": "printing", "share": 0.99, "used_mm": 0.0}
        made = strokes((self._room.jobs / f"{name}.plt").read_text())
        lines = self._room.folder(sheet) / "lines.svg"
        said = report([stroke.points for stroke in made], planned_lines(lines)) if lines.exists() else {}
        self._room.write_note(sheet, {**self._room.note(sheet), "state": "cut", "cut": said})
        self._clear(name)
        self._status[name] = {"state": "done", "share": 1.0, "cut": said, "strokes": len(made)}

    def _check_plates(self, name: str, ticket: dict[str, Any], size: tuple[float, float]) -> None:
        """Every further plate the ticket names has to be there and of the colour's size, or they would not register."""
        for plate in ticket.get("plates", ["colour"]):
            file = self._room.jobs / f"{name}.{plate}.pdf"
            if plate == "colour":
                continue
            if not file.exists():
                raise Refused(f"The {plate} plate did not come with the job.")
            document = pypdfium2.PdfDocument(file)
            other = document[0].get_size()
            document.close()
            if max(abs(one - two) for one, two in zip(size, other, strict=True)) > 0.1:
                raise Refused(f"The {plate} plate is not of the size of the colour plate.")

    def _clear(self, name: str) -> None:
        for file in self._room.jobs.glob(f"{name}.*"):
            file.unlink(missing_ok=True)

    def _render(self, name: str, page: pypdfium2.PdfPage) -> np.ndarray:
        """The page at DPI in bands across the feed, as a printer lays it down."""
        scale = DPI / 72
        # pdfium stretches the page to whole pixels; the note of the sheet says by how much
        width, height = (math.ceil(size * scale) for size in page.get_size())
        pixels = np.full((height, width, 3), 255, dtype=np.uint8)
        edges = np.linspace(0, height, BANDS + 1).astype(int)
        for number in range(BANDS):
            # the leading edge is at the bottom of the page and leaves the printer first
            top, bottom = height - edges[number + 1], height - edges[number]
            # a quarter pixel less, because pdfium's wrapper rounds margins up
            crop = (0, (height - bottom - 0.25) / scale, 0, (top - 0.25) / scale)
            band = page.render(scale=scale, crop=crop, rev_byteorder=True).to_numpy()[..., :3]
            rows, columns = min(bottom - top, band.shape[0]), min(width, band.shape[1])
            pixels[top : top + rows, :columns] = band[:rows, :columns]
            used = (height - top) / scale * 25.4 / 72
            self._status[name] = {"state": "printing", "share": (number + 1) / BANDS, "used_mm": used}
            if self._fault and number >= FAULT_BAND:
                kind, self._fault = self._fault, None
                raise Refused(FAULTS[kind])
        return pixels

    def _roll(self) -> dict[str, Any]:
        if self._rolls.exists():
            roll: dict[str, Any] = json.loads(self._rolls.read_text())
            return roll
        return {"name": "unknown stock", "width_mm": 1600.0, "left_mm": 50_000.0}

    def _take_off(self, length_mm: float) -> None:
        roll = self._roll()
        self._keep_roll({**roll, "left_mm": max(0.0, roll["left_mm"] - length_mm)})

    def _keep_roll(self, roll: dict[str, Any]) -> None:
        write_whole(self._rolls, json.dumps(roll).encode())


def main() -> None:
    printer = Printer(Room(Path(sys.argv[1])))
    threading.Thread(target=printer.watch, daemon=True).start()
    serve(int(sys.argv[2]), Path(sys.argv[1]) / "printer.port", printer.answer)


if __name__ == "__main__":
    main()
