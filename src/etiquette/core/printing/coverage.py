"""How much ink a plate takes: the share of the page that each separation covers, told by Ghostscript's tiffsep device
from the very PDF that is printed."""

import re
import subprocess
import tempfile
from pathlib import Path

import numpy as np
import pikepdf
from PIL import Image

from etiquette.core.errors import JobError

DPI = 72
MOST_PIXELS = 40_000_000
LEAST_SHARE = 1e-5
"""A separation that covers less is not told."""
SECONDS = 120
PROCESS = ("Cyan", "Magenta", "Yellow", "Black")


def coverage(pdf: bytes, name: str) -> dict[str, float]:
    """The share of the first page, 0 to 1, that each ink covers: the process inks and every spot with any. Raises
    JobError."""
    with tempfile.TemporaryDirectory(prefix="etq-ink-") as folder:
        (Path(folder) / "plate.pdf").write_bytes(pdf)
        with pikepdf.open(Path(folder) / "plate.pdf") as document:
            page = document.pages[0]
            width, height = (float(page.MediaBox[index]) * float(page.get("/UserUnit", 1)) / 72 for index in (2, 3))
        dpi = min(DPI, (MOST_PIXELS / max(width * height, 1e-6)) ** 0.5)
        command = [
            "gs",
            "-q",
            "-dSAFER",
            "-dBATCH",
            "-dNOPAUSE",
            "-dLastPage=1",
            "-sDEVICE=tiffsep",
            f"-r{dpi:.3f}",
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
