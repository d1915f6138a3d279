"""Rows into plates: a text, a serial and a Data Matrix on a page each, by `etiquette fill`, beside a plain loop of
reportlab that draws the same; then every code read from the pages, worn, by zxing-cpp (some of them by dmtxread too).

    python -m benchmarks.rows [--rows 10000] [--reference 200] [--read 10000] [--dmtx 50]

The reference is asked for fewer rows, because it works out its codes in Python: its figures are per page."""

import argparse
import json
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from random import Random

import numpy as np
import pypdfium2 as pdfium
import zxingcpp
from PIL import Image, ImageFilter
from reportlab.graphics import renderPDF
from reportlab.graphics.barcode import createBarcodeDrawing
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont
from reportlab.pdfgen import canvas

from etiquette.core.variable.fonts import FOLDER

MM = 72 / 25.4
SIZE = (60.0, 30.0)
DPI = 300
NAMES = ("Ann Hale", "Öz Gürsel", "Bo Lind", "Cy Dale", "Zoë Marsh", "Ed Tern")


def name(number: int) -> str:
    return f"{NAMES[number % len(NAMES)]} {number}"


def serial(number: int) -> str:
    return f"E{number:07}"


def make_files(folder: Path, rows: int) -> None:
    Image.new("RGB", (600, 300), (244, 240, 228)).save(folder / "label.png", dpi=(254, 254))
    fields = [
        {"what": "text", "name": "Name", "x_mm": 3, "y_mm": 16, "width_mm": 32, "height_mm": 8, "says": "{Name}"},
        {"what": "text", "name": "No", "x_mm": 3, "y_mm": 6, "width_mm": 32, "height_mm": 6, "says": "No. {Serial}"},
        {"what": "code", "name": "Code", "x_mm": 36, "y_mm": 4, "width_mm": 22, "height_mm": 22, "says": "{Serial}",
         "unique": True, "least_module_mm": 4 * 25.4 / DPI - 1e-9},
    ]  # fmt: skip
    file = {"name": "Labels", "art": "label.png", "width_mm": SIZE[0], "dpi": DPI, "fields": fields,
            "serials": [{"name": "Serial", "width": 7, "prefix": "E"}]}  # fmt: skip
    (folder / "FIELDS.json").write_text(json.dumps(file))
    lines = [f"{name(number)}\n" for number in range(1, rows + 1)]
    (folder / "rows.csv").write_text("Name\n" + "".join(lines))


def ours(folder: Path) -> tuple[float, float, int]:
    """Seconds, megabytes at most, bytes of the file."""
    command = ["/usr/bin/env", "time", "-f", "%M", sys.executable, "-m", "etiquette.cli", "fill",
               str(folder / "FIELDS.json"), str(folder / "rows.csv"), "-o", str(folder / "out")]  # fmt: skip
    start = time.perf_counter()
    said = subprocess.run(command, capture_output=True, text=True)
    if said.returncode:
        raise SystemExit(said.stdout + said.stderr)
    seconds = time.perf_counter() - start
    return seconds, int(said.stderr.split()[-1]) / 1024, (folder / "out" / "colour.pdf").stat().st_size


def reference(folder: Path, rows: int) -> tuple[float, int]:
    start, path = time.perf_counter(), folder / "reference.pdf"
    pdfmetrics.registerFont(TTFont("Sans", str(FOLDER / "NotoSans-Regular.ttf")))
    page = canvas.Canvas(str(path), pageCompression=1)
    for number in range(1, rows + 1):
        page.setPageSize((SIZE[0] * MM, SIZE[1] * MM))
        page.drawImage(str(folder / "label.png"), 0, 0, SIZE[0] * MM, SIZE[1] * MM)
        page.setFont("Sans", 10)
        page.drawString(3 * MM, 18 * MM, name(number))
        page.drawString(3 * MM, 8 * MM, f"No. {serial(number)}")
        code = createBarcodeDrawing("ECC200DataMatrix", value=serial(number), barWidth=MM)
        renderPDF.draw(code, page, 36 * MM, 4 * MM)
        page.showPage()
    page.save()
    return time.perf_counter() - start, path.stat().st_size


def worn(page: Image.Image, random: Random) -> Image.Image:
    """Stretched by 0.3 % one way, blurred by σ 0.7 dot."""
    wide, high = page.size
    size = (round(wide * 1.003), high) if random.random() < 0.5 else (wide, round(high * 1.003))
    return page.resize(size, Image.Resampling.BICUBIC).filter(ImageFilter.GaussianBlur(0.7))


def read_back(pdf: Path, count: int, dmtx: int) -> tuple[int, int]:
    """How many codes each reader says rightly."""
    random, good, also = Random(7), 0, 0
    document = pdfium.PdfDocument(pdf)
    for number in range(1, count + 1):
        held = document[number - 1]
        page = worn(held.render(scale=DPI / 72).to_pil().convert("L"), random)
        held.close()
        found = zxingcpp.read_barcode(np.asarray(page))
        good += found is not None and found.text == serial(number)
        if number <= dmtx:
            file = pdf.parent / "page.png"
            page.save(file)
            said = subprocess.run(["dmtxread", "-N1", "-m4000", str(file)], capture_output=True, text=True).stdout
            also += said == serial(number)
    document.close()
    return good, also


def main() -> None:
    asked = argparse.ArgumentParser()
    for flag, count in (("rows", 10_000), ("reference", 200), ("read", 10_000), ("dmtx", 50)):
        asked.add_argument(f"--{flag}", type=int, default=count)
    wish = asked.parse_args()
    with tempfile.TemporaryDirectory(prefix="etq-rows-") as place:
        folder = Path(place)
        make_files(folder, wish.rows)
        seconds, megabytes, size = ours(folder)
        print(f"{wish.rows} rows: {seconds:.1f} s, {megabytes:.0f} MB, {size / wish.rows:.0f} bytes a page")
        if wish.reference:
            took, held = reference(folder, wish.reference)
            a_page = held / wish.reference
            print(
                f"reportlab, {wish.reference} rows: {took / wish.reference * 1000:.1f} ms and {a_page:.0f} bytes a page"
            )
            print(f"ours beside it: time × {seconds / wish.rows / (took / wish.reference):.3f}, "
                  f"size × {size / wish.rows / a_page:.2f}")  # fmt: skip
        if wish.read:
            good, also = read_back(folder / "out" / "colour.pdf", min(wish.read, wish.rows), wish.dmtx)
            print(f"read after stretch and blur: zxing-cpp {good} of {min(wish.read, wish.rows)}, "
                  f"dmtxread {also} of {wish.dmtx}")  # fmt: skip


if __name__ == "__main__":
    main()
