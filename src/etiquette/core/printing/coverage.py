"""How much ink a plate takes: the share of the page that each separation covers, told by Ghostscript's tiffsep device
from the PDF that is printed, with its pictures as coarse as the separations."""

import re
import subprocess
import tempfile
from dataclasses import dataclass
from io import BytesIO
from pathlib import Path

import numpy as np
import pikepdf
from numpy.typing import NDArray
from PIL import Image

from etiquette.core.errors import JobError
from etiquette.core.printing.coarser import coarser
from etiquette.core.units import MM_PER_INCH

DPI = 72
ENOUGH_PIXELS, FINEST_DPI = 1_500_000, 300
"""A small page is drawn finer: every dot that an edge touches counts as inked, half a dot too much all round."""
MOST_PIXELS = 40_000_000
MOST_BYTES = 500_000_000
"""Of the page as Ghostscript holds it; a larger one is drawn in bands."""
LEAST_SHARE = 1e-5
"""A separation that covers less is not told."""
SECONDS = 120
FULL = 255
"""Of an ink in a separation."""
MOST_ON_MM2 = 2.0
PROCESS = ("Cyan", "Magenta", "Yellow", "Black")


@dataclass(frozen=True)
class Coverage:
    """`shares`: of the page, 0 to 1, that each ink covers: the process inks and every spot with any; `most`: the most
    ink of the process together on any place of MOST_ON_MM2, 1 for each full ink."""

    shares: dict[str, float]
    most: float


def coverage(pdf: bytes, name: str, profile: bytes | None = None) -> Coverage:
    """How much ink the first page takes, converted by the CMYK `profile` of the inks, or as Ghostscript does without
    one. Raises JobError."""
    with tempfile.TemporaryDirectory(prefix="etq-ink-") as folder:
        with pikepdf.open(BytesIO(pdf)) as document:
            page = document.pages[0]
            width, height = (float(page.MediaBox[index]) * float(page.get("/UserUnit", 1)) / 72 for index in (2, 3))
            area = max(width * height, 1e-6)
            finer = min(FINEST_DPI, (ENOUGH_PIXELS / area) ** 0.5)
            dpi = min(max(DPI, finer), (MOST_PIXELS / area) ** 0.5)
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
            "-sCompression=pack",  # its own takes a third longer, for files that are read once
            f"-r{dpi:.3f}",
            *_by_profile(Path(folder), profile),
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
        together: NDArray[np.uint16] = np.zeros((1, 1), dtype=np.uint16)
        for file in Path(folder).glob("sep(*).tif"):
            ink = re.fullmatch(r"sep\((.*)\)\.tif", file.name)
            Image.MAX_IMAGE_PIXELS = None  # our own picture, bounded above
            with Image.open(file) as image:
                full = 255 - np.asarray(image.convert("L"))
            share = float(full.sum(dtype=np.int64)) / (FULL * full.size)
            if ink and ink.group(1) in PROCESS:
                together = together + full
            if ink and (ink.group(1) in PROCESS or share > LEAST_SHARE):
                shares[ink.group(1)] = max(0.0, share)
        return Coverage(shares, _most(together, dpi))


def _by_profile(folder: Path, profile: bytes | None) -> list[str]:
    """Numbers of inks in the art are those of the profile: they stay as they are."""
    if profile is None:
        return []
    held = folder / "inks.icc"
    held.write_bytes(profile)
    return [f"--permit-file-read={held}", f"-sOutputICCProfile={held}", f"-sDefaultCMYKProfile={held}"]


def _most(together: NDArray[np.uint16], dpi: float) -> float:
    """The most of `together`, FULL of each full ink, on at least MOST_ON_MM2: a pixel at an edge is no place."""
    pixels = max(1, round(MOST_ON_MM2 * (dpi / MM_PER_INCH) ** 2))
    if pixels >= together.size:
        return float(together.max()) / FULL
    counts = np.zeros(FULL * len(PROCESS) + 1, dtype=np.int64)
    for row in together:
        counts += np.bincount(row, minlength=len(counts))
    at_least = np.cumsum(counts[::-1])
    return float(len(counts) - 1 - np.searchsorted(at_least, pixels)) / FULL
