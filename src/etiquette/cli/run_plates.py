"""The print files of a run from RUN.json alone: designs read in the limited child, then made by the producer, in one
folder."""

from collections.abc import Mapping
from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from shapely import Polygon

from etiquette.core.artwork.forms import form_of
from etiquette.core.artwork.line_rules import DEFAULT_RULES, sort_paths
from etiquette.core.artwork.raster import read_picture, width_mm_of
from etiquette.core.errors import JobError
from etiquette.core.finishing.lines import FinishLine
from etiquette.core.finishing.piece_outlines import outline_of
from etiquette.core.marking.codes import new_code
from etiquette.core.marking.frames import FramePlan
from etiquette.core.marking.marks import printed_past_mm
from etiquette.core.planning.problem import Piece, Placement, placed_outline
from etiquette.core.printing.art_forms import Art, PageArt, PictureArt
from etiquette.core.printing.converted import Converted
from etiquette.core.printing.plates import PlateWish
from etiquette.core.printing.profiles import ProofWish
from etiquette.core.production.colours import changes_of
from etiquette.core.production.designs import ReadyDesign, ready_page, ready_picture
from etiquette.core.production.frames import (
    FrameDesign,
    FrameFiles,
    RunEquipment,
    frame_design,
    frame_files,
    frame_plan,
    frame_title,
    placed_on,
    refuse_faults,
    spots_of,
    to_pdfx4,
    weed_strokes,
    work_of,
)
from etiquette.files.contracts import LayoutFile, parse_file
from etiquette.files.line_rules import RulesFile
from etiquette.files.lines_svg import LinesFile, read_lines, write_lines
from etiquette.files.run_file import RunDesignFile, RunFile
from etiquette.files.vectors import read_areas, read_vectors, write_areas
from etiquette.sandbox.art import ArtRead, read_art, separate
from etiquette.sandbox.parts import parts_of
from etiquette.sandbox.profiles import facts_of


def make_run(run: RunFile, folder: Path, out: Path) -> dict[str, Any]:
    """Write the files of every frame of `run` into `out`; paths in `run` start at `folder`. Returns the summary. Raises
    JobError."""
    layout = (
        run.layout
        if isinstance(run.layout, LayoutFile)
        else parse_file(LayoutFile, read_beside(folder, run.layout), run.layout)
    )
    placements = layout.to_placements()
    used = {one.id for one in placements}
    unknown = used - {one.id for one in run.designs}
    if unknown or not used:
        raise JobError(
            f"The layout names a design that the run does not have: {', '.join(sorted(unknown))}."
            if unknown
            else "The layout places nothing.",
            "layout",
            "Put the right designs and layout into the run.",
        )
    profile = read_beside(folder, run.output_profile) if run.output_profile else None
    converted = _converted(run, profile)
    designs = {one.id: _design(one, run, folder, converted) for one in run.designs if one.id in used}
    make_folder(out)
    wish = PlateWish(
        run.half_turn,
        run.stock.ground != "white",
        run.stock.primer,
        profile,
        run.output_profile or "sRGB",
        run.intent if profile else None,
        run.black_point,
    )
    sheets = sorted({one.sheet for one in placements})
    frames = []
    for number, sheet in enumerate(sheets, 1):
        code = run.codes[number - 1] if number <= len(run.codes) else new_code()
        here = [one for one in placements if one.sheet == sheet]
        plan, files = _frame(run, number, len(sheets), code, here, designs, wish)
        names = {
            suffix: write_file(out / f"frame-{number}.{suffix}", made) for suffix, made in _named(plan, files).items()
        }
        frames.append({"frame": number, "code": code, "files": names, "pieces": len(here), **_summary(plan)})
    return {"out": str(out), "frames": frames, "pieces": len(placements)}


def _converted(run: RunFile, profile: bytes | None) -> Converted | None:
    """Raises JobError."""
    if profile is None:
        return None
    name = run.output_profile or "the profile"
    space = facts_of(profile, name).space
    if not run.converts:
        return None
    if space != "CMYK":
        do = "Give another profile, or leave it to the printer."
        raise JobError("RGB is converted by a CMYK profile only.", name, do)
    return Converted(ProofWish(profile, space, run.intent, run.black_point), run.keep_black)


def _frame(
    run: RunFile,
    number: int,
    count: int,
    code: str,
    nested: list[Placement],
    designs: Mapping[str, FrameDesign],
    wish: PlateWish,
) -> tuple[FramePlan, FrameFiles]:
    pieces = {name: Piece(name, one.outline, 1, (0.0,)) for name, one in designs.items()}
    recipe = run.recipe()
    equipment = RunEquipment(
        run.slug_fields(), run.stock.width_mm, recipe, run.reach(), run.strip, run.slug, run.arrow_side
    )
    work = work_of([placed_outline(pieces[one.id], one).bounds for one in nested])
    plan = frame_plan(equipment, number, code, work, run.where(number - 1))
    placements, title = placed_on(plan, nested), frame_title(run.name, number, count)
    refuse_faults(designs, placements, plan, recipe, title)
    weed = weed_strokes(
        [placed_outline(pieces[one.id], one) for one in placements], run.weed.to_wish(), run.marks.clear_mm
    )
    made = frame_files(
        designs, placements, plan, recipe, title, wish, weed, run.files == "one", run.companion, run.line_names
    )
    return plan, to_pdfx4(made, title, datetime.now(UTC)) if run.standard == "pdf/x-4" else made


def _design(wish: RunDesignFile, run: RunFile, folder: Path, converted: Converted | None) -> FrameDesign:
    content = read_beside(folder, wish.art)
    pages = read_art(content, wish.art)
    if wish.page > len(pages):
        raise JobError(f"The file has {len(pages)} pages.", wish.art, "Give one of them.")
    given = read_lines(read_beside(folder, wish.lines), wish.lines).lines if wish.lines else None
    page = pages[wish.page - 1]
    if form_of(content) == "picture":
        art, ready, size = from_picture(wish, page, content, given)
    else:
        art, ready, size = from_vectors(wish, page, folder, given)
    if not ready.lines:
        raise JobError("The design has no finish line.", wish.id, "Give it a lines file.")
    # as the files that a station keeps say it: rounded, so that both ways give the same plates
    lines = read_lines(write_lines(LinesFile(ready.lines, *size)).encode(), wish.id).lines
    areas = {plate: read_areas(write_areas(list(made))) for plate, made in ready.spots.items()}
    spots = spots_of(areas, wish.clear_raised)
    made = frame_design(art, lines, outline_of(lines), spots, printed_past_mm(run.gap_mm))
    replaced, corrections = [one.to_replaced() for one in wish.replaced], (wish.correction(), run.correction())
    return replace(made, changes=changes_of(replaced, corrections, converted))


def from_picture(
    wish: RunDesignFile, page: ArtRead, content: bytes, given: list[FinishLine] | None
) -> tuple[Art, ReadyDesign, tuple[float, float]]:
    picture = read_picture(page.picture, wish.art)
    width = wish.width_mm or page.width_mm or width_mm_of(picture)
    size = (width, width * picture.height_px / picture.width_px)
    ready = ready_picture(picture, width, wish.to_settings(), {}, given)
    if ready.picture is None:
        return PictureArt(picture, *size, Polygon(), source=content), ready, size
    return PictureArt(ready.picture, *size, Polygon(), ready.bleed.place), ready, size


def from_vectors(
    wish: RunDesignFile, page: ArtRead, folder: Path, given: list[FinishLine] | None
) -> tuple[Art, ReadyDesign, tuple[float, float]]:
    if page.vectors is None or page.natural_mm is None:
        raise JobError("The file holds no drawing.", wish.art, "Use a PDF, SVG or DXF.")
    width = wish.width_mm or page.width_mm
    if width is None:
        raise JobError("The file does not say how large it is.", wish.art, "Give its width.")
    rules = (
        parse_file(RulesFile, read_beside(folder, wish.rules), wish.rules).to_rules() if wish.rules else DEFAULT_RULES
    )
    vectors = read_vectors(page.vectors)
    found = sort_paths(vectors.paths, rules)
    separated = separate(page.content, wish.art, {one.path.number: one.removal for one in found.caught})
    own = bool(found.caught) and given is None
    settings = wish.to_settings(own_lines_only=own)
    ready = ready_page(parts_of(vectors, found, separated, wish.art), width, settings, {}, given)
    size = (width, page.natural_mm[1] * width / page.natural_mm[0])
    under = PictureArt(ready.under, *size, Polygon(), ready.bleed.place) if ready.under else None
    return PageArt(separated.pdf, *size, Polygon(), under), ready, size


def _named(plan: FramePlan, files: FrameFiles) -> dict[str, bytes]:
    """The files of a frame by what is put behind its name."""
    spots = {f"{ink.lower()}.pdf": made for ink, made in files.spots.items() if made}
    companion = {"companion.pdf": files.companion} if files.companion else {}
    lines = write_lines(LinesFile.of_frame(plan, files.lines)).encode()
    return {"pdf": files.colour, **spots, **companion, "lines.svg": lines}


def read_beside(folder: Path, name: str) -> bytes:
    try:
        return (folder / name).read_bytes()
    except OSError as error:
        raise JobError(
            f"The file cannot be read: {error.strerror}.", name, "Check its name; paths start at the folder of the run."
        ) from None


def make_folder(out: Path) -> None:
    try:
        out.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise JobError(f"The folder cannot be made: {error.strerror}.", str(out), "Choose another place.") from None


def write_file(file: Path, content: bytes) -> str:
    try:
        file.write_bytes(content)
    except OSError as error:
        raise JobError(f"The result cannot be written: {error.strerror}.", str(file), "Choose another place.") from None
    return file.name


def _summary(plan: FramePlan) -> dict[str, Any]:
    """Where things are on the print, for whoever cuts it: all in run millimetres."""
    return {
        "width_mm": round(plan.width_mm, 4),
        "length_mm": round(plan.length_mm, 4),
        "marks": [{"id": one.id, "x": round(one.x, 4), "y": round(one.y, 4)} for one in plan.marks],
        "codes": [
            {
                "payload": one.code.payload,
                "end": one.code.end,
                "x": round(one.centre[0], 4),
                "y": round(one.centre[1], 4),
            }
            for one in plan.codes
        ],
        "work": [round(value, 4) for value in plan.work],
        "shift": [round(value, 4) for value in plan.shift],
    }
