"""Art from outside is read in a process of its own, with limits on processor time, memory and wall time.

The child gets a folder with the file and a note of what to do, and writes what Etiquette keeps into the same folder:
for pictures 8-bit sRGB with alpha as PNG; for vector art each page by itself, a picture of it, and its painted paths.
Whatever a hostile file does to a decoder, it does it there. Ghostscript (text to outlines) and librsvg (SVG to PDF) are
started by the child and share its limits.
"""

import contextlib
import json
import os
import resource
import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Mapping
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

from etiquette.core.artwork.arrangement import Arrangement
from etiquette.core.artwork.forms import Form, form_of
from etiquette.core.errors import JobError

if TYPE_CHECKING:
    from etiquette.core.artwork.raster import Picture
    from etiquette.core.artwork.spot_inks import ShopInk
    from etiquette.core.artwork.vectors import VectorPage

PICTURE_SECONDS, DRAWING_SECONDS = 60.0, 9.0
PICTURE_BYTES, DRAWING_BYTES = 4 << 30, 1800 << 20
"""200 million pixels of four bytes, the decoder's own copy, and room for one conversion; drawings need far less."""
WATCH_SECONDS = 0.03
THUMB_PIXELS = 480
DRAWING_PIXELS = 2400
MOST_DRAWING_DPI = 600.0


@dataclass(frozen=True)
class ArtRead:
    """One design's worth of art. `content` is the picture as sent or the page by itself; `picture` and `thumb` are PNG;
    `vectors` the painted paths of vector art (files.vectors), else None; the size in mm when the file says it."""

    form: Form
    page: int
    content: bytes
    picture: bytes
    thumb: bytes
    vectors: bytes | None
    width_px: int
    height_px: int
    natural_mm: tuple[float, float] | None
    width_mm: float | None


@dataclass(frozen=True)
class Separated:
    """Vector art without its finish lines: the page as PDF, a picture of it as PNG, its painted areas (files.vectors),
    and the areas of white and clear that its named colours mark."""

    pdf: bytes
    picture: bytes
    areas: bytes
    white: bytes | None = None
    clear: bytes | None = None
    left_out: tuple[str, ...] = ()
    """What was taken out of the file because it must not run or be fetched, in words."""


def read_art(content: bytes, name: str) -> list[ArtRead]:
    """Every picture or page in `content`. Raises JobError: what the readers raise, or that a limit was passed."""
    return _pages(content, {"do": "take in", "name": name})


def _pages(content: bytes, note: dict[str, Any]) -> list[ArtRead]:
    with tempfile.TemporaryDirectory(prefix="etq-art-") as folder:
        (Path(folder) / "art").write_bytes(content)
        notes = _in_child(Path(folder), note, form_of(content))["pages"]
        return [
            ArtRead(
                note["form"],
                note["page"],
                _written(folder, f"page-{number}") or content,
                (Path(folder) / f"picture-{number}.png").read_bytes(),
                (Path(folder) / f"thumb-{number}.png").read_bytes(),
                _written(folder, f"vectors-{number}"),
                note["width_px"],
                note["height_px"],
                tuple(note["natural_mm"]) if note["natural_mm"] else None,
                note["width_mm"],
            )
            for number, note in enumerate(notes)
        ]


def arrange(content: bytes, name: str, arrangement: Arrangement) -> ArtRead:
    """The one picture or page in `content` turned, mirrored and cropped; a DXF becomes an SVG. Raises JobError."""
    return _pages(content, {"do": "arrange", "name": name, "arrangement": asdict(arrangement)})[0]


def separate(
    content: bytes, name: str, removals: Mapping[int, str], inks: "Mapping[str, str | ShopInk] | None" = None
) -> Separated:
    """The page in `content` without the paths numbered in `removals` (all of one, or its stroke). `inks` says what spots
    mean: "white", "clear" or an ink of the shop. Raises JobError."""
    with tempfile.TemporaryDirectory(prefix="etq-art-") as folder:
        (Path(folder) / "art").write_bytes(content)
        meant = {spot: ink if isinstance(ink, str) else asdict(ink) for spot, ink in (inks or {}).items()}
        note = {"do": "separate", "name": name, "removals": {str(key): way for key, way in removals.items()}, "inks": meant}  # fmt: skip
        said = _in_child(Path(folder), note, form_of(content))
        return Separated(
            (Path(folder) / "print.pdf").read_bytes(),
            (Path(folder) / "picture-0.png").read_bytes(),
            (Path(folder) / "areas").read_bytes(),
            _written(folder, "areas-white"),
            _written(folder, "areas-clear"),
            tuple(said["left_out"]),
        )


def _written(folder: str, name: str) -> bytes | None:
    file = Path(folder) / name
    return file.read_bytes() if file.exists() else None


def _in_child(folder: Path, note: dict[str, Any], form: Form) -> dict[str, Any]:
    """Run the child on `folder` and return what it says. Raises JobError."""
    (folder / "note").write_text(json.dumps(note))
    seconds = PICTURE_SECONDS if form == "picture" else DRAWING_SECONDS
    child = subprocess.Popen(
        [sys.executable, "-m", "etiquette.work.art_reader", str(folder), form],
        stdout=subprocess.PIPE,
        stderr=subprocess.DEVNULL,
        stdin=subprocess.DEVNULL,
        cwd=folder,
        start_new_session=True,
        env={
            "PATH": os.environ.get("PATH", ""),
            "PYTHONPATH": os.environ.get("PYTHONPATH", ""),
            "OPENBLAS_NUM_THREADS": "1",
            "HOME": str(folder),
        },
    )
    try:
        _watch(child, note["name"], seconds, PICTURE_BYTES if form == "picture" else DRAWING_BYTES)
    finally:
        _end_group(child)
    out = child.stdout.read() if child.stdout else b""
    if child.returncode not in (0, 1) or not out:
        raise JobError(
            "The file could not be read within the limits set for art.",
            note["name"],
            "Save it again from the program it came from, or make it smaller.",
        )
    answer: dict[str, Any] = json.loads(out)
    if "error" in answer:
        raise JobError(**answer["error"])
    return answer


def _end_group(child: "subprocess.Popen[bytes]") -> None:
    """End whatever the child started, too."""
    with contextlib.suppress(ProcessLookupError):
        os.killpg(child.pid, signal.SIGKILL)
    child.wait()


def _watch(child: "subprocess.Popen[bytes]", name: str, seconds: float, most_bytes: int) -> None:
    """Wait for `child`; raises JobError when it takes too long or too much memory."""
    deadline = time.monotonic() + seconds
    while child.poll() is None:
        if time.monotonic() > deadline or _memory(child.pid) > most_bytes:
            raise JobError(
                "The file takes too long or too much memory to read.",
                name,
                "Simplify it, make it smaller, or save it as a plain picture.",
            )
        time.sleep(WATCH_SECONDS)


def _memory(pid: int) -> int:
    """Bytes in use by a process and all that it started."""
    try:
        own = int(Path(f"/proc/{pid}/statm").read_text().split()[1]) * os.sysconf("SC_PAGE_SIZE")
        children = Path(f"/proc/{pid}/task/{pid}/children").read_text().split()
    except (FileNotFoundError, ProcessLookupError, IndexError):
        return 0
    return own + sum(_memory(int(child)) for child in children)


# --- the child


def _limit(form: str) -> None:
    seconds = int(PICTURE_SECONDS if form == "picture" else DRAWING_SECONDS)
    resource.setrlimit(resource.RLIMIT_CPU, (seconds, seconds))
    resource.setrlimit(resource.RLIMIT_FSIZE, (2 << 30, 2 << 30))
    resource.setrlimit(resource.RLIMIT_NOFILE, (256, 256))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    # libraries reserve far more than they use; what is used is watched from outside
    resource.setrlimit(resource.RLIMIT_AS, (12 << 30, 12 << 30))


def _take_in(folder: Path, note: dict[str, Any]) -> dict[str, Any]:
    content, name = (folder / "art").read_bytes(), note["name"]
    form = form_of(content)
    if form == "picture":
        from etiquette.core.artwork.raster import read_picture

        return {"pages": [_take_in_picture(folder, read_picture(content, name))]}
    if form == "pdf":
        return {"pages": _take_in_pdf(folder, content, name)}
    return {"pages": [_take_in_drawing(folder, content, name, form)]}


def _take_in_picture(folder: Path, picture: "Picture") -> dict[str, Any]:
    from PIL import Image

    from etiquette.core.units import MM_PER_INCH

    _keep_picture(folder, 0, Image.fromarray(picture.pixels))
    width = round(picture.width_px / picture.dpi * MM_PER_INCH, 4) if picture.dpi else None
    return _note("picture", 0, (picture.width_px, picture.height_px), None, width)


def _take_in_pdf(folder: Path, content: bytes, name: str) -> list[dict[str, Any]]:
    from etiquette.core.artwork.pdf_reader import open_pdf, read_page, single_page

    pages = []
    document = open_pdf(content, name)
    for number in range(len(document.pages)):
        alone = single_page(document, number)
        page = read_page(open_pdf(alone, name), 0, name)
        (folder / f"page-{number}").write_bytes(alone)
        pages.append(_take_in_page(folder, number, "pdf", page, alone))
    return pages


def _take_in_page(folder: Path, number: int, form: Form, page: "VectorPage", pdf: bytes) -> dict[str, Any]:
    from etiquette.files.vectors import write_vectors

    (folder / f"vectors-{number}").write_bytes(write_vectors(page))
    size = _render(folder, number, pdf, page.width_mm)
    return _note(form, number, size, (page.width_mm, page.height_mm), page.width_mm if page.size_known else None)


def _take_in_drawing(folder: Path, content: bytes, name: str, form: Form) -> dict[str, Any]:
    from etiquette.core.artwork.dxf_reader import drawing_pdf, read_dxf
    from etiquette.core.artwork.svg_reader import SvgArt

    if form == "svg":
        art = SvgArt(content, name)
        page = art.page()
        pdf = _svg_to_pdf(folder, art.content(), name)
    else:
        page = read_dxf(content, name)
        pdf = drawing_pdf(page)
    return _take_in_page(folder, 0, form, page, pdf)


def _arrange(folder: Path, note: dict[str, Any]) -> dict[str, Any]:
    from etiquette.core.artwork.arranging import arranged_pdf, arranged_pixels, arranged_svg, drawing_svg, inside_page
    from etiquette.core.artwork.dxf_reader import read_dxf
    from etiquette.core.artwork.pdf_reader import open_pdf, read_page
    from etiquette.core.artwork.raster import Picture, png_of, read_picture
    from etiquette.core.artwork.svg_reader import SvgArt

    content, name = (folder / "art").read_bytes(), note["name"]
    wish = note["arrangement"]
    arrangement = Arrangement(tuple(wish["crop"]), wish["mirror"], wish["turn"])
    form = form_of(content)
    if form == "picture":
        came = read_picture(content, name)
        picture = Picture(arranged_pixels(came.pixels, arrangement), came.dpi)
        (folder / "page-0").write_bytes(png_of(picture))
        return {"pages": [_take_in_picture(folder, picture)]}
    if form == "pdf":
        pdf = made = arranged_pdf(content, arrangement, name)
        page = inside_page(read_page(open_pdf(pdf, name), 0, name))
    else:
        drawing = drawing_svg(read_dxf(content, name)) if form == "dxf" else content
        made, form = arranged_svg(drawing, arrangement, name), "svg"
        art = SvgArt(made, name)
        page = inside_page(art.page())
        pdf = _svg_to_pdf(folder, art.content(), name)
    (folder / "page-0").write_bytes(made)
    return {"pages": [_take_in_page(folder, 0, form, page, pdf)]}


def _note(form: Form, page: int, size: tuple[int, int], natural: tuple[float, float] | None, width: float | None) -> dict[str, Any]:  # fmt: skip
    return {
        "form": form,
        "page": page,
        "width_px": size[0],
        "height_px": size[1],
        "natural_mm": natural,
        "width_mm": round(width, 4) if width else None,
    }


def _keep_picture(folder: Path, number: int, image: Any) -> None:
    image.save(folder / f"picture-{number}.png", compress_level=3)
    image.thumbnail((THUMB_PIXELS, THUMB_PIXELS))
    image.save(folder / f"thumb-{number}.png")


def _render(folder: Path, number: int, pdf: bytes, width_mm: float) -> tuple[int, int]:
    """A picture of the first page on a transparent ground; returns its size in pixels."""
    import pypdfium2

    from etiquette.core.units import MM_PER_POINT

    document = pypdfium2.PdfDocument(pdf)
    page = document[0]
    longest = max(page.get_size())
    scale = min(DRAWING_PIXELS / longest, MOST_DRAWING_DPI / 72 * (width_mm / (page.get_width() * MM_PER_POINT)))
    image = page.render(scale=scale, fill_color=(255, 255, 255, 0), maybe_alpha=True, rev_byteorder=True).to_pil()
    image = image.convert("RGBA")
    _keep_picture(folder, number, image.copy())
    return image.size


def _svg_to_pdf(folder: Path, svg: bytes, name: str) -> bytes:
    """The drawing as a PDF page, vectors kept, by librsvg. It reads nothing but the file itself."""
    (folder / "drawing.svg").write_bytes(svg)
    _run(["rsvg-convert", "--format=pdf", "--output", "drawing.pdf", "drawing.svg"], name, "The SVG cannot be drawn.")
    return (folder / "drawing.pdf").read_bytes()


def _text_as_outlines(folder: Path, pdf: bytes, name: str) -> bytes:
    """The page with its text as filled paths, by Ghostscript."""
    (folder / "text.pdf").write_bytes(pdf)
    command = ["gs", "-q", "-dSAFER", "-dBATCH", "-dNOPAUSE", "-dNoOutputFonts", "-sDEVICE=pdfwrite", "-o", "outlines.pdf", "text.pdf"]  # fmt: skip
    _run(command, name, "The text in the file cannot be made into outlines.")
    return (folder / "outlines.pdf").read_bytes()


def _run(command: list[str], name: str, what: str) -> None:
    done = subprocess.run(command, capture_output=True, check=False)
    if done.returncode != 0:
        words = done.stderr.decode(errors="replace").strip().splitlines()
        why = f" ({words[-1][:160]})" if words else ""
        raise JobError(what, name, f"Save it again from the program it came from{why}.")


def _separate(folder: Path, note: dict[str, Any]) -> dict[str, Any]:
    from etiquette.core.artwork.dxf_reader import drawing_pdf, read_dxf
    from etiquette.core.artwork.pdf_reader import open_pdf, read_page, without
    from etiquette.core.artwork.spot_inks import ShopInk, part_taken, plate_areas, recolour
    from etiquette.core.artwork.svg_reader import SvgArt
    from etiquette.core.artwork.vectors import VectorPage, painted_area
    from etiquette.files.vectors import write_areas

    content, name = (folder / "art").read_bytes(), note["name"]
    removals = {int(number): way for number, way in note["removals"].items()}
    form = form_of(content)
    left_out: list[str] = []
    if form == "pdf":
        document = open_pdf(content, name)
        plates = {spot: meant for spot, meant in note["inks"].items() if isinstance(meant, str)}
        shop = {spot: ShopInk(meant["name"], tuple(meant["cmyk"])) for spot, meant in note["inks"].items() if not isinstance(meant, str)}  # fmt: skip
        if plates:
            paths = [path for path in read_page(document, 0, name).paths if path.number not in removals]
            for plate, marked in plate_areas(paths, plates).items():
                (folder / f"areas-{plate}").write_bytes(write_areas(marked))
        page = without(document, 0, name, lambda path: removals.get(path.number) or part_taken(path, plates))
        recolour(document, shop)
        document.save(folder / "print.pdf", deterministic_id=True)
        width = page.width_mm
    elif form == "svg":
        art = SvgArt(content, name)
        (folder / "print.pdf").write_bytes(_svg_to_pdf(folder, art.without(removals), name))
        width, left_out = art.size()[0], art.left_out
    else:
        whole = read_dxf(content, name)
        left = tuple(path for path in whole.paths if path.number not in removals)
        page = VectorPage(whole.width_mm, whole.height_mm, whole.size_known, left)
        (folder / "print.pdf").write_bytes(drawing_pdf(page))
        width = page.width_mm
    pdf = (folder / "print.pdf").read_bytes()
    _render(folder, 0, pdf, width)
    left_over = read_page(open_pdf(pdf, name), 0, name)
    if left_over.texts:
        left_over = read_page(open_pdf(_text_as_outlines(folder, pdf, name), name), 0, name)
    (folder / "areas").write_bytes(write_areas(painted_area(left_over)))
    return {"left_out": left_out}


def main() -> int:
    """The child: read, convert, write, say."""
    folder, form = Path(sys.argv[1]), sys.argv[2]
    _limit(form)
    note = json.loads((folder / "note").read_text())
    try:
        ways = {"take in": _take_in, "separate": _separate, "arrange": _arrange}
        answer = ways[note["do"]](folder, note)
    except JobError as error:
        print(json.dumps({"error": {"what": error.what, "where": error.where, "do": error.do}}))
        return 1
    except MemoryError:
        return 2
    except Exception as error:  # whatever a decoder did: the parent says it in words, and nothing of it stays
        what = {"what": "The file cannot be read.", "where": note["name"], "do": f"Save it again from the program it came from ({type(error).__name__}: {error})."[:300]}  # fmt: skip
        print(json.dumps({"error": what}))
        return 1
    print(json.dumps(answer))
    return 0


if __name__ == "__main__":
    raise SystemExit(main())
