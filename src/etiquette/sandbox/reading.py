"""What a child of the door does with art: read, convert, write into its folder. Ghostscript (text to outlines,
PostScript to PDF) and librsvg (SVG to PDF) are started by the child and share its limits."""

import contextlib
import re
import subprocess
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from etiquette.core.artwork.arrangement import Arrangement
from etiquette.core.artwork.forms import Form, form_of
from etiquette.core.errors import JobError

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray
    from shapely import Polygon

    from etiquette.core.artwork.pdf_gathered import Removal
    from etiquette.core.artwork.raster import Picture
    from etiquette.core.artwork.spot_inks import Marked
    from etiquette.core.artwork.svg_reader import SvgArt
    from etiquette.core.artwork.vectors import PaintedPath, VectorPage

REACHED = "reached"
"""The file in which a child says how many pages of how many it has read."""
PAGES_AT_ONCE = 20
"""Of a document within one set of limits: a second a page."""
THUMB_PIXELS = 480
DRAWING_PIXELS = 2400
MOST_DRAWING_DPI = 600.0
GHOSTSCRIPT = ("gs", "-dSAFER", "-dBATCH", "-dNOPAUSE", "-sDEVICE=pdfwrite")
MOST_FONTS, MOST_LETTERS = 20, 60
"""Of those that are named as lacking, and of each name: a stranger wrote them."""
REPLACED_FONT = re.compile(r"^Substituting (?:CID )?font /?\S+ for /?([^\s,]+?)[.,]?(?:\s|$)", re.MULTILINE)
"""What Ghostscript says of a font that a program names and does not bring along."""


def take_in(folder: Path, note: dict[str, Any]) -> dict[str, Any]:
    content, name = (folder / "art").read_bytes(), note["name"]
    form = form_of(content)
    if form == "picture":
        from etiquette.core.artwork.raster import read_picture

        return {"pages": [_take_in_picture(folder, read_picture(content, name))], "count": 1}
    if form == "postscript":
        content, form = _postscript_to_pdf(folder, content, name), "pdf"
    if form == "pdf":
        return _take_in_pdf(folder, content, name, note["first"])
    return {"pages": [_take_in_drawing(folder, content, name, form)], "count": 1}


def _take_in_picture(folder: Path, picture: "Picture") -> dict[str, Any]:
    from etiquette.core.units import MM_PER_INCH

    _keep_picture(folder, 0, picture.pixels)
    width = round(picture.width_px / picture.dpi * MM_PER_INCH, 4) if picture.dpi else None
    note = _note("picture", 0, (picture.width_px, picture.height_px), None, width)
    return {**note, "ground_told": _ground_is_told(picture)}


def _take_in_pdf(folder: Path, content: bytes, name: str, first: int) -> dict[str, Any]:
    """A few pages, from page `first` on."""
    from etiquette.core.artwork.pdf_reader import open_pdf, read_page, single_page

    pages = []
    document = open_pdf(content, name)
    count = len(document.pages)
    for number in range(first, min(first + PAGES_AT_ONCE, count)):
        alone = single_page(document, number)
        page = read_page(open_pdf(alone, name), 0, name)
        (folder / f"page-{number}").write_bytes(alone)
        pages.append(_take_in_page(folder, number, "pdf", page, alone))
        _tell(folder, number + 1, count)
    return {"pages": pages, "count": count}


def _tell(folder: Path, page: int, pages: int) -> None:
    """For whoever waits outside: so far it has come."""
    (folder / "reached.new").write_text(f"{page} {pages}")
    (folder / "reached.new").replace(folder / REACHED)


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


def arrange(folder: Path, note: dict[str, Any]) -> dict[str, Any]:
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
        return {"pages": [_take_in_picture(folder, picture)], "count": 1}
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
    return {"pages": [_take_in_page(folder, 0, form, page, pdf)], "count": 1}


def pixels(folder: Path, note: dict[str, Any]) -> dict[str, Any]:
    """A picture as it is, not squeezed once more: of a large one that takes longer than all else."""
    import numpy as np

    from etiquette.core.artwork.raster import read_picture

    picture = read_picture((folder / "art").read_bytes(), note["name"])
    np.save(folder / "pixels.npy", picture.pixels)
    return {"dpi": picture.dpi}


def cut_up(folder: Path, note: dict[str, Any]) -> dict[str, Any]:
    """Parts of a picture, each as an arranged one would be: it is decoded once for all of them."""
    from etiquette.core.artwork.arranging import arranged_pixels
    from etiquette.core.artwork.raster import read_picture
    from etiquette.core.units import MM_PER_INCH

    came = read_picture((folder / "art").read_bytes(), note["name"])
    pages = []
    for number, crop in enumerate(note["crops"]):
        part = arranged_pixels(came.pixels, Arrangement(tuple(crop)))
        _keep_picture(folder, number, part, came.dpi)
        width = round(part.shape[1] / came.dpi * MM_PER_INCH, 4) if came.dpi else None
        pages.append(_note("picture", number, (part.shape[1], part.shape[0]), None, width))
        _tell(folder, number + 1, len(note["crops"]))
    return {"pages": pages, "count": len(pages)}


def _ground_is_told(picture: "Picture") -> bool:
    """Whether art can be told from its ground; a photograph that fills its frame has none."""
    from etiquette.core.finishing.coverage import find_ground

    try:
        find_ground(picture, "auto")
    except JobError:
        return False
    return True


def _note(
    form: Form, page: int, size: tuple[int, int], natural: tuple[float, float] | None, width: float | None
) -> dict[str, Any]:
    return {
        "form": form,
        "page": page,
        "width_px": size[0],
        "height_px": size[1],
        "natural_mm": natural,
        "width_mm": round(width, 4) if width else None,
    }


def _keep_picture(folder: Path, number: int, pixels: "NDArray[np.uint8]", dpi: float | None = None) -> None:
    """The picture and its thumbnail, side by side: somebody waits for both."""
    from etiquette.core.artwork.raster import drawn, save_png

    with ThreadPoolExecutor(1) as beside:
        kept = beside.submit(save_png, pixels, folder / f"picture-{number}.png", dpi)
        image = drawn(pixels)
        image.thumbnail((THUMB_PIXELS, THUMB_PIXELS))
        image.save(folder / f"thumb-{number}.png")
        kept.result()


def _render(folder: Path, number: int, pdf: bytes, width_mm: float) -> tuple[int, int]:
    """A picture of the first page on a transparent ground; returns its size in pixels."""
    import numpy as np
    import pypdfium2

    from etiquette.core.units import MM_PER_POINT

    document = pypdfium2.PdfDocument(pdf)
    page = document[0]
    longest = max(page.get_size())
    scale = min(DRAWING_PIXELS / longest, MOST_DRAWING_DPI / 72 * (width_mm / (page.get_width() * MM_PER_POINT)))
    image = page.render(scale=scale, fill_color=(255, 255, 255, 0), maybe_alpha=True, rev_byteorder=True).to_pil()
    _keep_picture(folder, number, np.asarray(image.convert("RGBA")))
    return image.width, image.height


def _svg_to_pdf(folder: Path, svg: bytes, name: str) -> bytes:
    """The drawing as a PDF page, vectors kept, by librsvg. It reads nothing but the file itself."""
    (folder / "drawing.svg").write_bytes(svg)
    _run(["rsvg-convert", "--format=pdf", "--output", "drawing.pdf", "drawing.svg"], name, "The SVG cannot be drawn.")
    return (folder / "drawing.pdf").read_bytes()


def _families_lacking(art: "SvgArt", name: str) -> list[str]:
    """What text asks for and gets another one of: librsvg has the families that fontconfig lists, and names are alike
    whatever their case and blanks."""
    from etiquette.core.artwork.svg_fonts import families_asked

    def plain(family: str) -> str:
        return "".join(family.split()).casefold()

    asked = families_asked(art.root)
    if not asked:
        return []
    said = _run(["fc-list", "--format", "%{family}\n"], name, "The fonts of this machine cannot be listed.")
    here = {plain(family) for line in said.splitlines() for family in line.split(",")}
    return [family for family in sorted(asked) if plain(family) not in here]


def _fonts_noted(pdf: bytes, replaced: list[str], name: str) -> bytes:
    from etiquette.core.artwork.pdf_reader import open_pdf
    from etiquette.core.printing.pdf_parts import with_fonts_replaced

    return with_fonts_replaced(open_pdf(pdf, name), replaced) if replaced else pdf


def _postscript_to_pdf(folder: Path, content: bytes, name: str) -> bytes:
    """The pages of a PostScript program as PDF, an EPS cropped to its box; vectors and named colours stay."""
    from etiquette.core.artwork.forms import postscript_of
    from etiquette.core.artwork.pdf_reader import open_pdf

    (folder / "program.ps").write_bytes(postscript_of(content))
    for shown in ((), ("-c", "showpage")):  # an EPS need not show the page that it paints
        how = ("-dEPSCrop", "-dAutoRotatePages=/None", "-o", "program.pdf", "-f", "program.ps", *shown)
        said = _run([*GHOSTSCRIPT, *how], name, "The PostScript cannot be drawn.")
        pdf = (folder / "program.pdf").read_bytes()
        with contextlib.suppress(JobError):
            open_pdf(pdf, name)
            return _fonts_noted(pdf, REPLACED_FONT.findall(said), name)
    raise JobError("The PostScript paints nothing.", name, "Save it again from the program it came from, or as a PDF.")


def postscript(folder: Path, note: dict[str, Any]) -> dict[str, Any]:
    _postscript_to_pdf(folder, (folder / "art").read_bytes(), note["name"])
    return {}


def _text_as_outlines(folder: Path, pdf: bytes, name: str) -> bytes:
    """The page with its text as filled paths, by Ghostscript."""
    (folder / "text.pdf").write_bytes(pdf)
    command = [*GHOSTSCRIPT, "-q", "-dNoOutputFonts", "-o", "outlines.pdf", "text.pdf"]
    _run(command, name, "The text in the file cannot be made into outlines.")
    return (folder / "outlines.pdf").read_bytes()


def _run(command: list[str], name: str, what: str) -> str:
    """Run a program; what it said."""
    done = subprocess.run(command, capture_output=True, check=False)
    if done.returncode != 0:
        words = done.stderr.decode(errors="replace").strip().splitlines()
        why = f" ({words[-1][:160]})" if words else ""
        raise JobError(what, name, f"Save it again from the program it came from{why}.")
    return done.stdout.decode(errors="replace")


def separate(folder: Path, note: dict[str, Any]) -> dict[str, Any]:
    import pikepdf

    from etiquette.core.artwork.dxf_reader import drawing_pdf, read_dxf
    from etiquette.core.artwork.pdf_reader import open_pdf, read_page, without
    from etiquette.core.artwork.spot_inks import Marked, ShopInk, part_taken, recolour
    from etiquette.core.artwork.svg_reader import SvgArt
    from etiquette.core.printing.pdf_parts import fonts_not_in_file, fonts_replaced, is_see_through
    from etiquette.files.vectors import write_areas

    content, name = (folder / "art").read_bytes(), note["name"]
    removals = {int(number): way for number, way in note["removals"].items()}
    inks: dict[str, Any] = note["inks"]
    marked = Marked({spot: meant for spot, meant in inks.items() if isinstance(meant, str)}, **note["marked"])
    form = form_of(content)
    left_out: list[str] = []
    if form == "pdf":
        document = open_pdf(content, name)
        if marked:
            _keep_marked(folder, read_page(document, 0, name), marked, removals)
        page = without(document, 0, name, lambda path: removals.get(path.number) or part_taken(path, marked))
        shop = {
            spot: ShopInk(one["name"], tuple(one["cmyk"])) for spot, one in inks.items() if not isinstance(one, str)
        }
        recolour(document, shop)
        document.save(folder / "print.pdf", deterministic_id=True)
        width = page.width_mm
    elif form == "svg":
        art = SvgArt(content, name)
        gone = _keep_marked(folder, art.page(), marked, removals) if marked else {}
        drawn = _svg_to_pdf(folder, art.without({**gone, **removals}), name)
        (folder / "print.pdf").write_bytes(_fonts_noted(drawn, _families_lacking(art, name), name))
        width, left_out = art.size()[0], art.left_out
    else:
        whole = read_dxf(content, name)
        gone = {**_keep_marked(folder, whole, marked, removals), **removals}
        page = replace(whole, paths=tuple(left for path in whole.paths if (left := _left(path, gone.get(path.number)))))
        (folder / "print.pdf").write_bytes(drawing_pdf(page))
        width = page.width_mm
    pdf = (folder / "print.pdf").read_bytes()
    if note["draw"]:
        _render(folder, 0, pdf, width)
    printed = page if form == "pdf" else read_page(open_pdf(pdf, name), 0, name)
    (folder / "areas").write_bytes(write_areas(_painted(folder, pdf, printed, name)))
    with pikepdf.open(folder / "print.pdf") as made:
        lacking = sorted({font[:MOST_LETTERS] for font in (*fonts_not_in_file(made), *fonts_replaced(made))})
        return {"left_out": left_out, "fonts_lacking": lacking[:MOST_FONTS], "glass": is_see_through(made)}


def _keep_marked(
    folder: Path, page: "VectorPage", marked: "Marked", removals: dict[int, "Removal"]
) -> dict[int, "Removal"]:
    """Write the areas of plates that the art marks; returns what goes from the colour for it, by path."""
    from etiquette.core.artwork.spot_inks import part_taken, plate_areas
    from etiquette.files.vectors import write_plates

    paths = [path for path in page.paths if path.number not in removals]
    (folder / "marked").write_bytes(write_plates(plate_areas(paths, marked)))
    taken = {path.number: part_taken(path, marked) for path in paths}
    return {number: part for number, part in taken.items() if part != "keep"}


def _left(path: "PaintedPath", gone: "Removal | None") -> "PaintedPath | None":
    if gone is None:
        return path
    left = replace(path, fill=None if gone == "fill" else path.fill, stroke=None if gone == "stroke" else path.stroke)
    return left if gone != "all" and (left.fill or left.stroke) else None


def _painted(folder: Path, pdf: bytes, page: "VectorPage", name: str) -> "list[Polygon]":
    """What the first page of `pdf`, which is `page`, paints, its text as outlines, what is seen in part only as it is
    seen."""
    from etiquette.core.artwork.pdf_reader import open_pdf, read_page
    from etiquette.core.artwork.vectors import painted_area, veiled_places
    from etiquette.core.finishing.veiled import veiled_areas

    if page.texts:
        outlined = read_page(open_pdf(_text_as_outlines(folder, pdf, name), name), 0, name)
        # a damaged picture is drawn as far as it goes, and Ghostscript would make a smaller one of it
        pictures = () if page.clips_by_text else page.images
        page = replace(outlined, images=(*outlined.images, *pictures))
    places = veiled_places(page)
    traced = veiled_areas(_without_ground(pdf, page, name), page, places) if places else []
    return painted_area(page, traced=traced)


def _without_ground(pdf: bytes, page: "VectorPage", name: str) -> bytes:
    """`pdf`, whose first page is `page`, without a white ground: before one nothing would be seen through."""
    from io import BytesIO

    from etiquette.core.artwork.pdf_reader import open_pdf, without
    from etiquette.core.artwork.vectors import is_white_ground

    document, out = open_pdf(pdf, name), BytesIO()
    without(document, 0, name, lambda path: "all" if is_white_ground(path, page) else "keep")
    document.save(out)
    return out.getvalue()
