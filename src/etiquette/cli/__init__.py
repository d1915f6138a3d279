"""The command `etiquette`: files in, files out, one JSON object on stdout. Exit 0 done, 1 cannot be done, 2 wrong use.

Everything heavy is imported inside its command: importing it all costs seconds.
"""

import json
import re
from pathlib import Path
from typing import Annotated, Any, Literal

import typer

from etiquette.core.artwork.kinds import Kind
from etiquette.core.errors import JobError

app = typer.Typer(
    add_completion=False,
    no_args_is_help=True,
    help="Contours, nesting, fits and cuts for print-and-cut work.",
    pretty_exceptions_enable=False,
)
Around = Literal["edge", "hull", "box", "ellipse", "page"]
Out = Annotated[Path, typer.Option("-o", "--out", help="Where to write the result.")]


def main() -> None:
    """Run a command; errors of the job become one JSON object and exit code 1."""
    try:
        app(standalone_mode=True)
    except JobError as error:
        print(json.dumps({"error": {"what": error.what, "where": error.where, "do": error.do}}, ensure_ascii=False))
        raise SystemExit(1) from None


def _read(path: Path) -> bytes:
    try:
        return path.read_bytes()
    except OSError as error:
        raise JobError(f"The file cannot be read: {error.strerror}.", str(path), "Check its name and folder.") from None


def _write(path: Path, content: str | bytes) -> None:
    try:
        path.write_bytes(content.encode() if isinstance(content, str) else content)
    except OSError as error:
        raise JobError(f"The result cannot be written: {error.strerror}.", str(path), "Choose another place.") from None


def _say(summary: dict[str, Any]) -> None:
    print(json.dumps(summary, ensure_ascii=False))


@app.command()
def contour(
    art: Path,
    out: Out,
    width_mm: Annotated[float | None, typer.Option(help="Real width of the art; overrides its resolution.")] = None,
    dpi: Annotated[float | None, typer.Option(help="Resolution of the art; overrides the file's own.")] = None,
    ground: Annotated[str, typer.Option(help="auto, alpha or #rrggbb: what counts as background.")] = "auto",
    distance: Annotated[float, typer.Option(help="Colour distance within which a pixel is ground.")] = 10.0,
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

    if tolerance_mm <= 0 or distance < 0 or min_area_mm2 < 0 or merge_mm < 0 or corner_mm < 0:
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
    content = _read(art)
    if form_of(content) == "picture":
        picture = read_picture(content, str(art))
        width = width_mm_of(picture, width_mm, dpi)
        lines, report = line_from_pixels(picture, width, settings)
        height = width * picture.height_px / picture.width_px
    else:
        lines, report, width, height = _round_vectors(content, str(art), width_mm, settings)
    _write(out, write_lines(LinesFile(lines, width, height)))
    _say({"out": str(out), "width_mm": round(width, 4), "height_mm": round(height, 4), **asdict(report)})


def _round_vectors(content: bytes, name: str, width_mm: float | None, settings: Any) -> tuple[Any, Any, float, float]:
    """Lines round what vector art paints (its first page; paths that line rules catch are no art), their report, and
    the
    size of the art."""
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
        return *line_round_page(width, height, settings), width, height
    caught = sort_paths(read_vectors(page.vectors or b"").paths).caught
    separated = separate(page.content, name, {one.path.number: one.removal for one in caught})
    scale = width / own_width
    areas = [affinity.scale(area, scale, scale, origin=(0, 0)) for area in read_areas(separated.areas)]
    return *line_from_areas(areas, settings), width, height


@app.command()
def lines(
    art: Path,
    out: Out,
    rules: Annotated[Path | None, typer.Option(help="Line rules, RULES.json; else the default ones.")] = None,
    page_number: Annotated[int, typer.Option("--page", min=1, help="Page of a PDF.")] = 1,
) -> None:
    """Find the finish lines that vector art (PDF, SVG, DXF) already carries, by line rules."""
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

    content = _read(art)
    form = form_of(content)
    if form == "picture":
        raise JobError("A picture has no lines of its own.", str(art), "Use the contour command.")
    if form == "pdf":
        pdf = open_pdf(content, str(art))
        if page_number > len(pdf.pages):
            raise JobError(f"The PDF has {len(pdf.pages)} pages.", str(art), "Give --page one of them.")
        page = read_page(open_pdf(single_page(pdf, page_number - 1), str(art)), 0, str(art))
    else:
        page = SvgArt(content, str(art)).page() if form == "svg" else read_dxf(content, str(art))
    chosen = parse_file(RulesFile, _read(rules), str(rules)).to_rules() if rules else DEFAULT_RULES
    found = sort_paths(page.paths, chosen)
    every = joined([FinishLine(one.kind, path) for one in found.caught for path in one.path.paths])
    if not every:
        raise JobError(
            "The line rules catch nothing in this art.", str(art), "Use other rules, or the contour command."
        )
    _write(out, write_lines(LinesFile(every, page.width_mm, page.height_mm)))
    _say(
        {
            "out": str(out),
            "width_mm": round(page.width_mm, 4),
            "height_mm": round(page.height_mm, 4),
            "size_known": page.size_known,
            "caught": dict(Counter(one.kind for one in found.caught)),
            "lines": len(every),
            "suspects": len(found.suspects),
            "hidden_layers": list(page.hidden),
        }
    )


@app.command()
def nest(
    problem: Path, out: Out, svg: Annotated[Path | None, typer.Option(help="Also draw the layout.")] = None
) -> None:
    """Nest pieces on a roll or on sheets."""
    from etiquette.core.planning.nesting import nest as solve
    from etiquette.files.contracts import LayoutFile, ProblemFile, parse_file
    from etiquette.files.layout_svg import layout_picture

    given = parse_file(ProblemFile, _read(problem), str(problem)).to_problem()
    layout = solve(given)
    file = LayoutFile.of(layout)
    _write(out, file.model_dump_json(by_alias=True, indent=1))
    if svg:
        _write(svg, layout_picture(given, layout))
    _say(
        {
            "out": str(out),
            "length_mm": file.length_mm,
            "utilisation": file.utilisation,
            "seconds": file.seconds,
            "stopped": file.stopped,
            "placed": len(file.placements),
            "unplaced": sum(u.count for u in file.unplaced),
            "reasons": [f"{u.id}: {u.reason}" for u in file.unplaced],
        }
    )


@app.command()
def plates(run: Path, out: Annotated[Path, typer.Option("-o", "--out", help="The folder for the files.")]) -> None:
    """Make the print files and the finish lines of every frame of a run."""
    from etiquette.cli.run_plates import make_run
    from etiquette.files.contracts import parse_file
    from etiquette.files.run_file import RunFile

    _say(make_run(parse_file(RunFile, _read(run), str(run)), run.parent, out))


@app.command()
def align(marks: Path, out: Out) -> None:
    """Solve the fit from read marks."""
    import numpy as np

    from etiquette.core.aligning.fitting import fit_marks
    from etiquette.files.contracts import FitFile, MarksFile, parse_file

    given = parse_file(MarksFile, _read(marks), str(marks))
    probe = np.array(given.probe, dtype=float).reshape(-1, 2)
    fit = FitFile.of(fit_marks(given.to_marks(), given.tolerance_mm, given.model, probe if len(probe) else None))
    _write(out, fit.model_dump_json(indent=1))
    _say(
        {
            "out": str(out),
            "model": fit.model,
            "load": fit.load,
            "verdict": fit.verdict,
            "rms_mm": fit.rms_mm,
            "reasons": fit.reasons,
            "predicted_error_mm": fit.predicted_error_mm.model_dump(),
        }
    )


@app.command()
def cut(
    lines: Path,
    out: Out,
    device: Annotated[
        str, typer.Option(help="Device profile: knife, fine-knife, arc-knife, two-tool-table, laser or web-cutter.")
    ],
    tools: Annotated[Path | None, typer.Option(help="Tool cards by kind, JSON.")] = None,
    fit: Annotated[Path | None, typer.Option(help="A FIT.json: bend the cut to the sheet.")] = None,
    marks: Annotated[
        Path | None, typer.Option(help="A MARKS.json: draw its marks where the profile wants them.")
    ] = None,
    mark_mm: Annotated[float, typer.Option(min=0.5, max=50, help="Diameter of the marks that are drawn.")] = 6.0,
    kinds: Annotated[str | None, typer.Option(help="Only these kinds of line, with commas between.")] = None,
    stroke_mm: Annotated[
        float | None, typer.Option(min=0.0001, max=10, help="Width of the lines in a drawing.")
    ] = None,
    colour: Annotated[str | None, typer.Option(help="One colour for all lines of a drawing, #rrggbb.")] = None,
    inset_mm: Annotated[float | None, typer.Option(min=0, max=10, help="Draw closed lines so far inside.")] = None,
) -> None:
    """Turn finish lines into data for a cutter."""
    from etiquette.core.artwork.kinds import KINDS
    from etiquette.core.cutting.insets import inset
    from etiquette.core.cutting.motion import plan_motion
    from etiquette.core.cutting.profiles import profile_named, styled
    from etiquette.core.cutting.writers import WRITERS
    from etiquette.core.marking.marks import MarkRecipe, mark_paths
    from etiquette.files.contracts import FitFile, MarksFile, parse_file
    from etiquette.files.lines_svg import read_lines
    from etiquette.files.tool_cards import read_tools

    wanted = [kind.strip() for kind in kinds.split(",")] if kinds else list(KINDS)
    if unknown := [kind for kind in wanted if kind not in KINDS]:
        raise typer.BadParameter(f"{', '.join(unknown)}: the kinds are {', '.join(KINDS)}")
    if out.suffix not in WRITERS:
        raise typer.BadParameter(f"the result is one of {', '.join(WRITERS)}")
    if colour is not None and not re.fullmatch(r"#[0-9a-f]{6}", colour):
        raise typer.BadParameter("the colour is written #rrggbb, in small letters")
    profile = styled(profile_named(device), stroke_mm, colour, inset_mm)
    cards = read_tools(_read(tools), str(tools)) if tools else {}
    given = read_lines(_read(lines), str(lines))
    carry = parse_file(FitFile, _read(fit), str(fit)).transform.to_transform() if fit else (lambda points: points)
    chosen = [line for line in given.lines if line.kind in wanted]
    if not chosen:
        raise JobError(
            "None of the lines is of a kind that is asked for.",
            str(lines),
            "Ask for other kinds, or leave --kinds out.",
        )
    drawn = []
    if marks:
        places = [mark.nominal for mark in parse_file(MarksFile, _read(marks), str(marks)).marks]
        recipe = MarkRecipe(size_mm=mark_mm)
        drawn = [path.mapped(carry) for x, y in places for path in mark_paths(recipe, x, y, (1, 1))]
    motion = plan_motion(inset(chosen, profile.style.inset_mm), profile, cards, carry)
    _write(out, WRITERS[out.suffix](motion, profile, cards, drawn))
    _say(
        {
            "out": str(out),
            "strokes": len(motion.strokes),
            "cut_mm": round(motion.cut_mm, 1),
            "travel_mm": round(motion.travel_mm, 1),
            "seconds": round(motion.seconds, 1),
            "tools": [
                {"kind": turn.kind, "seconds": round(turn.seconds, 1), "change_before": turn.change}
                for turn in motion.turns
            ],
        }
    )


@app.command()
def serve(
    demo: Annotated[
        bool, typer.Option("--demo", help="Load the demo into an empty database and start the simulated devices.")
    ] = False,
    host: Annotated[str, typer.Option(help="Loopback addresses only, until accounts exist.")] = "127.0.0.1",
    port: Annotated[int, typer.Option(help="The first port to try.")] = 8700,
) -> None:
    """Start the database, the workers, the web server and, for the demo, the simulated devices."""
    import os
    import sys

    # a process without what this command has imported: it stays for as long as the rest
    more = ["--demo"] if demo else []
    os.execv(sys.executable, [sys.executable, "-m", "etiquette.server.supervisor", host, str(port), *more])
