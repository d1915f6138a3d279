"""A simulated printer: it speaks IPP, and has a port of its own for what hands do in the room.

A job is a PDF for the colour, and others named white and clear; HP-GL in it is for the printer's own knife. The first
word of its name names the sheet. White and clear are checked and laid down, but do not show: the simulated stock is
white. The PDF is rendered with pdfium to pixels, band by band, so that progress shows; the length is taken off the
roll, and the sheet goes on the shelf of printed sheets, or every blank of a bed by itself. Cards also lie under a
scanner, fine enough to see nozzles.

python -m standins.printer ROOM FIRST_PORT"""

import base64
import json
import math
import re
import shutil
import sys
import threading
from io import BytesIO
from pathlib import Path
from typing import Any

import numpy as np
import pikepdf
import pypdfium2
from PIL import Image

from standins.cuts import Cuts
from standins.ipp_printer import ABORTED, CANCELLED, COMPLETED, HPGL, PROCESSING, STOPPED, IppJobs, Job, serve_ipp
from standins.plotter_language import strokes
from standins.room import Room, chance, write_whole
from standins.wire import Refused, keep_port, kept_port, serve

DPI = 150
BANDS = 24
NOZZLES, SCAN_DPI = 320, 1200
"""Nozzles of the black ink, one a row of DPI, and what the scanner beside the printer sees."""
MACHINE = "Quillmere PX-130"
FAULT_BAND = 9
"""What is asked to go wrong does so after this part of the print."""
FAULTS = {"jam": "The stock is jammed under the heads.", "out": "The stock ran out."}
WAITS = {"empty": "media-empty-error"}
"""What stops the printer until hands have mended it; the job goes on then."""
CARD = "CARD-"
LOOK_EVERY_SECONDS = 1.0
IDLE, BUSY, HALTED = 3, 4, 5
Box = tuple[float, float, float, float]


class Cancelled(Exception):
    """The job is not wanted any more."""


class Printer:
    def __init__(self, room: Room) -> None:
        self._room = room
        self._rolls = room.jobs / "roll.state"
        self._fault: str | None = None
        self._mended = threading.Event()
        self._mended.set()
        self._waits = ""
        self._blocked, self._back_mm = list[int](), 0.0
        self._last: str | None = None
        """The sheet that lies under the knife: the last one printed, until it is cut off."""
        self._busy, self._length_mm = False, 0.0
        self.queue = IppJobs(MACHINE, self._about)

    def _about(self) -> tuple[int, tuple[str, ...], tuple[str, float, float]]:
        roll = self._roll()
        state = HALTED if self._waits else BUSY if self._busy else IDLE
        return state, (self._waits,) if self._waits else (), (roll["name"], roll["width_mm"], roll["left_mm"])

    def answer(self, request: dict[str, Any]) -> dict[str, Any]:
        """What hands do."""
        wanted = request.get("ask")
        if wanted == "load roll":
            self._keep_roll(
                {
                    "name": str(request["name"]),
                    "width_mm": float(request["width_mm"]),
                    "left_mm": float(request["left_mm"]),
                }
            )
            return {"roll": self._roll()}
        if wanted == "state":
            return {"roll": self._roll()}
        if wanted == "fault":
            self._fault = str(request["kind"])
            return {"fault": self._fault}
        if wanted == "mend":
            self._waits = ""
            self._mended.set()
            return {}
        if wanted == "scan":
            file = self._room.folder(str(request.get("name"))) / "scan.png"
            if not file.exists():
                raise Refused("That print was not laid under the scanner.")
            return {"png": base64.b64encode(file.read_bytes()).decode(), "mm_per_px": 25.4 / SCAN_DPI}
        if wanted == "wear":
            return self._wear(request.get("seed"), bool(request.get("mended")))
        if wanted == "forget":
            self.queue.forget()
            self._fault = None
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
        """Print one job at a time, oldest first."""
        while True:
            job = self.queue.next_job(LOOK_EVERY_SECONDS)
            if job is not None:
                self.work(job)

    def work(self, job: Job) -> None:
        """A job fails by itself, and the printer goes on: the reason is told with the job."""
        name = self._sheet_of(job)
        self._busy, job.state, job.begun = True, PROCESSING, job.created
        try:
            self._print(name, job)
        except Cancelled:
            job.end(CANCELLED, "job-canceled-by-user")
        except Exception as error:
            job.end(ABORTED, "aborted-by-system", str(error))
        else:
            job.percent = 100
            job.end(COMPLETED, "job-completed-successfully")
        finally:
            self._busy = False
            if job.state != COMPLETED:
                self._take_off(job.percent / 100 * self._length_mm)
                shutil.rmtree(self._room.folder(name), ignore_errors=True)

    def _sheet_of(self, job: Job) -> str:
        """The first word of the name, while it names no sheet yet."""
        name = job.name.split(" ")[0]
        if not re.fullmatch(r"[A-Za-z0-9-]{1,50}", name) or (self._room.shelf / name).exists():
            return f"J{job.id}-{job.uuid[-8:]}"
        return name

    def _print(self, name: str, job: Job) -> None:
        plates = {plate: content for plate, form, content in job.documents if form != HPGL}
        cut = next((content for _, form, content in job.documents if form == HPGL), None)
        self._length_mm = 0.0
        if not plates:
            if cut is None:
                raise Refused("The job has no file.")
            self._cut(self._last, cut)
            return
        colour = plates.get("colour") or next(iter(plates.values()))
        document = pypdfium2.PdfDocument(colour)
        page = document[0]
        width_mm, length_mm = (size * 25.4 / 72 for size in page.get_size())
        self._check_plates(plates, page.get_size())
        roll = self._roll()
        if width_mm > roll["width_mm"] + 0.5:
            raise Refused(f"The print is {width_mm:.0f} mm wide, the roll on the printer {roll['width_mm']:.0f} mm.")
        if length_mm > roll["left_mm"]:
            raise Refused(f"The print needs {length_mm:.0f} mm; {roll['left_mm']:.0f} mm are left on the roll.")
        if self._fault == "refuse":
            self._fault = None
            raise Refused("The print was refused at its panel.")
        self._length_mm = length_mm
        pixels = self._render(job, page)
        mm_per_px = width_mm / pixels.shape[1], length_mm / pixels.shape[0]
        blanks = blanks_on(colour)
        if name.startswith(CARD):
            self._room.folder(name).mkdir(exist_ok=True)
            Image.fromarray(self._scan(page)).save(self._room.folder(name) / "scan.png")
        for own, box in blanks.items() or [(name, (0.0, 0.0, width_mm, length_mm))]:
            self._lay_by(own, pixels, box, mm_per_px, roll["name"])
        document.close()
        self._take_off(length_mm)
        self._last = None if job.sever or blanks else name
        self._room.clear_away()
        if cut is not None:
            self._cut(name, cut)

    def _lay_by(self, name: str, pixels: np.ndarray, box: Box, mm_per_px: tuple[float, float], stock: str) -> None:
        """What of the print lies in `box` (x0, y0, x1, y1, mm from the left and the leading edge) is a sheet by
        itself."""
        (left, low, right, high), (across, along) = box, mm_per_px
        rows, columns = pixels.shape[:2]
        top, bottom = max(0, rows - round(high / along)), rows - round(low / along)
        own = pixels[top:bottom, max(0, round(left / across)) : min(columns, round(right / across))]
        self._room.folder(name).mkdir(exist_ok=True)
        self._room.write_pixels(name, own)
        note = {"name": name, "width_mm": right - left, "length_mm": high - low, "state": "printed", "stock": stock}
        # the note appears last: a sheet without one is not there yet
        size = [(right - left) / own.shape[1], (high - low) / own.shape[0]]
        self._room.write_note(name, {**note, "mm_per_px": size})

    def _cut(self, sheet: str | None, told: bytes) -> None:
        """Cut with the machine's own knife the sheet that still lies under it; what was cut is kept with the sheet."""
        if sheet is None:
            raise Refused("No print lies under the knife any more.")
        cuts = Cuts.kept_in(self._room.folder(sheet) / "cuts.json")
        for stroke in strokes(told.decode()):
            cuts.add(stroke.pen, stroke.points, "through")
        cuts.keep_in(self._room.folder(sheet) / "cuts.json")
        self._room.write_note(sheet, {**self._room.note(sheet), "state": "cut"})

    @staticmethod
    def _check_plates(plates: dict[str, bytes], size: tuple[float, float]) -> None:
        """Every further plate has to be of the colour's size, or they would not register."""
        for plate, content in plates.items():
            document = pypdfium2.PdfDocument(content)
            other = document[0].get_size()
            document.close()
            if max(abs(one - two) for one, two in zip(size, other, strict=True)) > 0.1:
                raise Refused(f"The {plate} plate is not of the size of the colour plate.")

    def _render(self, job: Job, page: pypdfium2.PdfPage) -> np.ndarray:
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
            job.percent = round(100 * (height - top) / height)
            if self._fault and number >= FAULT_BAND:
                kind, self._fault = self._fault, None
                if kind not in WAITS:
                    raise Refused(FAULTS[kind])
                self._waits, job.state, job.reasons = WAITS[kind], STOPPED, ("printer-stopped",)
                self._mended.clear()
            self._mended.wait()
            if "processing-to-stop-point" in job.reasons:
                raise Cancelled
            job.state, job.reasons = PROCESSING, ("job-printing",)
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


def blanks_on(pdf: bytes) -> dict[str, Box]:
    """The blanks of a bed that one page prints, by their names: its named viewports (ISO 32000-1, 12.9), mm. None on
    other prints."""
    with pikepdf.open(BytesIO(pdf)) as file:
        page = file.pages[0].obj
        mm = float(page.get("/UserUnit", 1)) * 25.4 / 72
        boxes = {str(one.Name): [float(value) * mm for value in one.BBox] for one in page.get("/VP", [])}
    return {name: (box[0], box[1], box[2], box[3]) for name, box in boxes.items()}


def main() -> None:
    room, first = Path(sys.argv[1]), int(sys.argv[2])
    printer = Printer(Room(room))
    threading.Thread(target=printer.watch, daemon=True).start()
    serve_ipp(printer.queue, kept_port(room / "printer.ipp", first))
    keep_port(room / "printer.ipp", int(printer.queue.uri.split(":")[2].split("/")[0]))
    serve(first, room / "printer.port", printer.answer)


if __name__ == "__main__":
    main()
