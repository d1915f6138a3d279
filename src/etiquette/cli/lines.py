"""`contour` and `lines`: finish lines found round art, and those it carries."""

from pathlib import Path
from typing import Annotated, Any, Literal

import typer

from etiquette.cli.files import Out, read, say, write
from etiquette.core.artwork.kinds import Kind
from etiquette.core.errors import JobError

Around = Literal["edge", "hull", "box", "ellipse", "page"]


def contour(
    art: Path,
    out: Out,
    width_mm: Annotated[float | None, typer.Option(help="Real width of the art; overrides its resolution.")] = None,
    dpi: Annotated[float | None, typer.Option(help="Resolution of the art; overrides the file's own.")] = None,
    ground: Annotated[str, typer.Option(help="auto, alpha or #rrggbb: what counts as background.")] = "auto",
    distance: Annotated[
        float | None, typer.Option(help="Colour distance within which a pixel is ground; else found from the rim.")
    ] = None,
    offset_mm: Annotated[float, typer.Option(help="Distance of the line from the art: + outside, − inside.")] = 2.0,
    min_area_mm2: Annotated[float, typer.Option(help="Specks under this area are left out.")] = 4.0,
    holes: Annotated[Literal["keep", "fill"], typer.Option(help="What becomes of holes in the art.")] = "fill",
    follow: Annotated[Around, typer.Option(help="What the line goes round; page: the whole picture or page.")] = "edge",
    merge_mm: Annotated[float, typer.Option(help="Islands nearer than this become one.")] = 0.0,
    corner_mm: Annotated[float, typer.Option(help="Round corners to this radius.")] = 0.0,
    area: Annotated[str | None, typer.Option(help="X,Y,W,H in mm from the top left: work in this part only.")] = None,
    tolerance_mm: Annotated[float, typer.Option(help="How closely the line follows the edge.")] = 0.05,
    kind: Annotated[Kind, typer.Option(help="Kind of finish line.")] = "kiss",
) -> None:
    """Find a finish line round the art in a picture, or round what vector art paints."""
    from dataclasses import asdict

    from etiquette.core.artwork.forms import form_of
    from etiquette.core.artwork.raster import read_picture, width_mm_of
    from etiquette.core.finishing.lines import EdgeSettings, line_from_pixels
    from etiquette.files.lines_svg import LinesFile, write_lines

    if tolerance_mm <= 0 or (distance or 0) < 0 or min_area_mm2 < 0 or merge_mm < 0 or corner_mm < 0:
        raise typer.BadParameter("tolerance must be above 0; distance, min-area, merge and corner cannot be negative")
    part = None
    if area is not None:
        numbers = (
            [float(value) for value in area.split(",")]
            if area.replace(",", "").replace(".", "").replace("-", "").isdigit()
            else []
        )
        if len(numbers) != 4:
            raise typer.BadParameter("--area takes X,Y,W,H in mm")
        part = (numbers[0], numbers[1], numbers[2], numbers[3])
    settings = EdgeSettings(
        kind, ground, distance, offset_mm, min_area_mm2, holes, merge_mm, corner_mm, tolerance_mm, follow, area=part
    )  # type: ignore[arg-type]
    content = read(art)
    if form_of(content) == "picture":
        picture = read_picture(content, str(art))
        width = width_mm_of(picture, width_mm, dpi)
        lines, report, *_ = line_from_pixels(picture, width, settings)
        height = width * picture.height_px / picture.width_px
    else:
        (lines, report, *_), width, height = _round_vectors(content, str(art), width_mm, settings)
    write(out, write_lines(LinesFile(lines, width, height)))
    say({"out": str(out), "width_mm": round(width, 4), "height_mm": round(height, 4), **asdict(report)})


def _round_vectors(content: bytes, name: str, width_mm: float | None, settings: Any) -> tuple[Any, float, float]:
    """Lines round what vector art paints (its first page; paths that line rules catch are no art), and the size of the
    art."""
    from shapely import affinity

    from etiquette.core.artwork.line_rules import sort_paths
    from etiquette.core.finishing.lines import line_from_areas, line_round_page
    from etiquette.files.vectors import read_areas, read_vectors
    from etiquette.sandbox.art import read_art, separate

    page = read_art(content, name)[0]
    own_width, own_height = page.natural_mm or (0.0, 0.0)
    if width_mm is None and page.width_mm is None:
        raise JobError("The file does not say how large it is.", name, "Give --width-mm.")
    width = width_mm or own_width
    height = width * own_height / own_width
    if settings.follow == "page":
        return line_round_page(width, height, settings), width, height
    caught = sort_paths(read_vectors(page.vectors or b"").paths).caught
    separated = separate(page.content, name, {one.path.number: one.removal for one in caught})
    scale = width / own_width
    areas = [affinity.scale(area, scale, scale, origin=(0, 0)) for area in read_areas(separated.areas)]
    return line_from_areas(areas, settings), width, height


def lines(
    art: Path,
    out: Out,
    rules: Annotated[Path | None, typer.Option(help="Line rules, RULES.json; else the default ones.")] = None,
    page_number: Annotated[int, typer.Option("--page", min=1, help="Page of a PDF.")] = 1,
) -> None:
    """Find the finish lines that vector art (PDF, EPS, SVG, DXF) already carries, by line rules."""
    from collections import Counter

    from etiquette.core.artwork.dxf_reader import read_dxf
    from etiquette.core.artwork.forms import form_of
    from etiquette.core.artwork.line_rules import DEFAULT_RULES, sort_paths
    from etiquette.core.artwork.pdf_reader import open_pdf, read_page, single_page
    from etiquette.core.artwork.svg_reader import SvgArt
    from etiquette.core.finishing.lines import FinishLine
    from etiquette.core.finishing.more_lines import joined
    from etiquette.files.contracts import parse_file
    from etiquette.files.line_rules import RulesFile
    from etiquette.files.lines_svg import LinesFile, write_lines
    from etiquette.sandbox.art import pdf_of_postscript

    content = read(art)
    form = form_of(content)
    if form == "picture":
        raise JobError("A picture has no lines of its own.", str(art), "Use the contour command.")
    if form in ("pdf", "postscript"):
        pdf = open_pdf(content if form == "pdf" else pdf_of_postscript(content, str(art)), str(art))
        if page_number > len(pdf.pages):
            raise JobError(f"The file has {len(pdf.pages)} pages.", str(art), "Give --page one of them.")
        page = read_page(open_pdf(single_page(pdf, page_number - 1), str(art)), 0, str(art))
    else:
        page = SvgArt(content, str(art)).page() if form == "svg" else read_dxf(content, str(art))
    chosen = parse_file(RulesFile, read(rules), str(rules)).to_rules() if rules else DEFAULT_RULES
    found = sort_paths(page.paths, chosen)
    every = joined([FinishLine(one.kind, path) for one in found.caught for path in one.path.paths])
    if not every:
        raise JobError("The line rules catch nothing here.", str(art), "Use other rules, or the contour command.")
    write(out, write_lines(LinesFile(every, page.width_mm, page.height_mm)))
    say(
        {
            "out": str(out),
            "width_mm": round(page.width_mm, 4),
            "height_mm": round(page.height_mm, 4),
            "size_known": page.size_known,
            "caught": dict(Counter(one.kind for one in found.caught)),
            "lines": len(every),
            "suspects": len(found.suspects),
            "hidden_layers": list(page.hidden),
            "undrawn": list(page.undrawn),
        }
    )
