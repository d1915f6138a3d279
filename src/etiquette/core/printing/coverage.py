"""How much ink a plate takes: the share of the page that each separation covers, told by Ghostscript's tiffsep device
from the PDF that is printed, with its pictures as coarse as the separations."""

import re
import subprocess
import tempfile
from io import BytesIO
from pathlib import Path

import numpy as np
import pikepdf
from PIL import Image

from etiquette.core.errors import JobError
from etiquette.core.printing.coarser import coarser

DPI = 72
MOST_PIXELS = 40_000_000
MOST_BYTES = 500_000_000
"""Of the page as Ghostscript holds it; a larger one is drawn in bands."""
LEAST_SHARE = 1e-5
"""A separation that covers less is not told."""
SECONDS = 120
PROCESS = ("Cyan", "Magenta", "Yellow", "Black")


def coverage(pdf: bytes, name: str) -> dict[str, float]:
    """The share of the first page, 0 to 1, that each ink covers: the process inks and every spot with any. Raises
    JobError."""
    with tempfile.TemporaryDirectory(prefix="etq-ink-") as folder:
        with pikepdf.open(BytesIO(pdf)) as document:
            page = document.pages[0]
            width, height = (float(page.MediaBox[index]) * float(page.get("/UserUnit", 1)) / 72 for index in (2, 3))
            dpi = min(DPI, (MOST_PIXELS / max(width * height, 1e-6)) ** 0.5)
            coarser(document, dpi * float(page.get("/UserUnit", 1)))
            document.save(Path(folder) / "plate.pdf")
        command = [
            "gs",
            "-q",
            "-dSAFER",
            "-dBATCH",
            "-dNOPAUSE",
            "-dLastPage=1",
            "-sDEVICE=tiffsep",
            f"-r{dpi:.3f}",
            f"-dMaxBitmap={MOST_BYTES}",  # at once: in bands every placement is worked for every band
            "-o",
            "sep.tif",
            "plate.pdf",
        ]
        try:
            done = subprocess.run(command, cwd=folder, capture_output=True, check=False, timeout=SECONDS)
        except subprocess.TimeoutExpired:
            raise JobError(
                "The ink could not be told in time.", name, "Print without knowing it, or simplify the art."
            ) from None
        if done.returncode:
            raise JobError("The ink could not be told: the plate cannot be separated.", name, "Look at the preview.")
        shares = {}
        for file in Path(folder).glob("sep(*).tif"):
            ink = re.fullmatch(r"sep\((.*)\)\.tif", file.name)
            Image.MAX_IMAGE_PIXELS = None  # our own picture, bounded above
            with Image.open(file) as image:
                share = 1 - float(np.asarray(image.convert("L"), dtype=np.float32).mean()) / 255
            if ink and (ink.group(1) in PROCESS or share > LEAST_SHARE):
                shares[ink.group(1)] = max(0.0, share)
        return shares
