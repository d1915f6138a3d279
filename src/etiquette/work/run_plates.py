"""The print files of a run from RUN.json alone: designs read in the limited child, plates, finish lines, all in one folder."""

from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from shapely import Polygon, affinity

from etiquette.core.artwork.forms import form_of
from etiquette.core.artwork.line_rules import DEFAULT_RULES, sort_paths
from etiquette.core.artwork.raster import read_picture, width_mm_of
from etiquette.core.errors import JobError
from etiquette.core.finishing.bleed import bled, region_of
from etiquette.core.finishing.coverage import coverage, find_ground
from etiquette.core.finishing.lines import (
    EdgeSettings,
    FinishLine,
    areas_from_pixels,
    line_from_areas,
    line_from_pixels,
)
from etiquette.core.finishing.more_lines import joined
from etiquette.core.finishing.piece_outlines import outline_of
from etiquette.core.finishing.spot_areas import spot_area
from etiquette.core.geometry.polygons import offset
from etiquette.core.marking.codes import new_code
from etiquette.core.marking.frames import FramePlan, plan_frame, proof
from etiquette.core.marking.marks import printed_past_mm
from etiquette.core.planning.problem import Piece, Placement, placed_outline
from etiquette.core.printing.companion import with_lines
from etiquette.core.printing.placed_lines import placed_lines
from etiquette.core.printing.plates import (
    Art,
    FrameContent,
    PageArt,
    PictureArt,
    PlateWish,
    SpotArt,
    SpotInk,
    colour_plate,
    one_file,
    spot_plate,
)
from etiquette.files.contracts import LayoutFile, parse_file
from etiquette.files.line_rules import RulesFile
from etiquette.files.lines_svg import LinesFile, read_lines, write_lines
from etiquette.files.run_file import RunDesignFile, RunFile
from etiquette.files.vectors import read_areas, read_vectors
from etiquette.sandbox.art import read_art, separate

SPOTS: tuple[SpotInk, ...] = ("White", "Clear")


@dataclass(frozen=True)
class Design:
    """A design as it is printed and cut, in its own millimetres."""

    art: Art
    lines: list[FinishLine]
    outline: Polygon
    spots: dict[SpotInk, SpotArt]


def make_run(run: RunFile, folder: Path, out: Path) -> dict[str, Any]:
    """Write the files of every frame of `run` into `out`; paths in `run` start at `folder`. Returns the summary. Raises
    JobError."""
    layout = run.layout if isinstance(run.layout, LayoutFile) else parse_file(LayoutFile, _read(folder, run.layout), run.layout)  # fmt: skip
    placements = layout.to_placements()
    used = {one.id for one in placements}
    unknown = used - {one.id for one in run.designs}
    if unknown or not used:
        raise JobError(f"The layout names a design that the run does not have: {', '.join(sorted(unknown))}." if unknown else "The layout places nothing.", "layout", "Put the right designs and layout into the run.")  # fmt: skip
    designs = {one.id: _design(one, run, folder) for one in run.designs if one.id in used}
    _make_folder(out)
    frames = []
    for number, frame in enumerate(sorted({one.sheet for one in placements})):
        code = run.codes[number] if number < len(run.codes) else new_code()
        here = [one for one in placements if one.sheet == frame]
        frames.append(_frame(run, number, code, here, designs, folder, out))
    return {"out": str(out), "frames": frames, "pieces": len(placements)}


def _read(folder: Path, name: str) -> bytes:
    try:
        return (folder / name).read_bytes()
    except OSError as error:
        raise JobError(f"The file cannot be read: {error.strerror}.", name, "Check its name; paths start at the folder of the run.") from None  # fmt: skip


def _make_folder(out: Path) -> None:
    try:
        out.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise JobError(f"The folder cannot be made: {error.strerror}.", str(out), "Choose another place.") from None


def _design(wish: RunDesignFile, run: RunFile, folder: Path) -> Design:
    content = _read(folder, wish.art)
    made = _from_picture(wish, content) if form_of(content) == "picture" else _from_vectors(wish, content, folder)
    art, found, areas, width, height = made
    lines = read_lines(_read(folder, wish.lines), wish.lines).lines if wish.lines else found
    if not lines:
        raise JobError("The design has no finish line.", wish.id, "Give it a lines file.")
    outline = outline_of(lines)
    clip = offset(outline, printed_past_mm(run.gap_mm))
    if wish.bleed_mm:
        art = _with_bleed(art, lines, wish, width)
    extents = {"White": (wish.white, wish.white_choke_mm), "Clear": (wish.clear, wish.clear_choke_mm)}
    spots: dict[SpotInk, SpotArt] = {}
    for ink in SPOTS:
        extent, choke = extents[ink]
        spots[ink] = SpotArt(tuple(spot_area(extent, areas() if extent == "art" else (), lines, choke)), clip)
    return Design(_clipped(art, clip), lines, outline, spots)


def _clipped(art: Art, clip: Polygon) -> Art:
    from dataclasses import replace

    if isinstance(art, PageArt) and art.under:
        return replace(art, clip=clip, under=replace(art.under, clip=clip))
    return replace(art, clip=clip)


def _from_picture(wish: RunDesignFile, content: bytes) -> tuple[Art, list[FinishLine], Any, float, float]:
    picture = read_picture(content, wish.art)
    width = width_mm_of(picture, wish.width_mm, None)
    height = width * picture.height_px / picture.width_px
    settings = EdgeSettings()
    lines = [] if wish.lines else line_from_pixels(picture, width, settings)[0]
    art = PictureArt(picture, width, height, Polygon(), source=content)
    return art, lines, lambda: areas_from_pixels(picture, width, settings), width, height


def _from_vectors(wish: RunDesignFile, content: bytes, folder: Path) -> tuple[Art, list[FinishLine], Any, float, float]:
    pages = read_art(content, wish.art)
    if wish.page > len(pages):
        raise JobError(f"The file has {len(pages)} pages.", wish.art, "Give one of them.")
    read = pages[wish.page - 1]
    if read.vectors is None or read.natural_mm is None:
        raise JobError("The file holds no drawing.", wish.art, "Use a PDF, SVG or DXF.")
    if wish.width_mm is None and read.width_mm is None:
        raise JobError("The file does not say how large it is.", wish.art, "Give its width.")
    page = read_vectors(read.vectors)
    rules = parse_file(RulesFile, _read(folder, wish.rules), wish.rules).to_rules() if wish.rules else DEFAULT_RULES
    found = sort_paths(page.paths, rules)
    parts = separate(read.content, wish.art, {one.path.number: one.removal for one in found.caught})
    width = wish.width_mm or read.width_mm or 0.0
    scale = width / read.natural_mm[0]
    height = read.natural_mm[1] * scale
    areas = [affinity.scale(area, scale, scale, origin=(0, 0)) for area in read_areas(parts.areas)]
    lines = joined([FinishLine(one.kind, path.mapped(lambda p: p * scale)) for one in found.caught for path in one.path.paths])  # fmt: skip
    if not lines and not wish.lines:
        lines = line_from_areas(areas, EdgeSettings())[0]
    return PageArt(parts.pdf, width, height, Polygon()), lines, lambda: areas, width, height


def _with_bleed(art: Art, lines: list[FinishLine], wish: RunDesignFile, width: float) -> Art:
    from dataclasses import replace

    region = region_of(lines, wish.bleed_mm)
    if isinstance(art, PictureArt):
        share = coverage(art.picture, find_ground(art.picture, "auto"), EdgeSettings().distance)
        made = bled(art.picture, share, region, width)
        return replace(art, picture=made.picture, place=made.box, source=None)
    from etiquette.core.printing.previews import rendered

    picture = rendered(art.pdf, width)
    made = bled(picture, picture.alpha, region, width, under=True)
    return replace(art, under=PictureArt(made.picture, art.width_mm, art.height_mm, art.clip, made.box))


def _frame(
    run: RunFile,
    number: int,
    code: str,
    nested: list[Placement],
    designs: Mapping[str, Design],
    folder: Path,
    out: Path,
) -> dict[str, Any]:
    pieces = {name: Piece(name, one.outline, 1, (0.0,)) for name, one in designs.items()}
    every = np.array([placed_outline(pieces[one.id], one).bounds for one in nested])
    work = (*every[:, :2].min(axis=0).tolist(), *every[:, 2:].max(axis=0).tolist())
    slug = " · ".join(part for part in (f"{code}-{number + 1} {run.name}", run.customer, run.date) if part)
    recipe = run.recipe()
    plan = plan_frame(work, run.stock.width_mm, recipe, run.reach(), code, slug, run.where(number))
    placements = [Placement(p.id, p.copy, 0, p.x_mm + plan.shift[0], p.y_mm + plan.shift[1], p.rotation_deg) for p in nested]  # fmt: skip
    arts = {name: one.art for name, one in designs.items()}
    spots = {ink: {name: one.spots[ink] for name, one in designs.items()} for ink in SPOTS}
    title = f"{run.name}, frame {number + 1}"
    content = FrameContent(arts, spots, placements, plan, recipe, title)
    _refuse_faults(content, designs)
    profile = _read(folder, run.output_profile) if run.output_profile else None
    wish = PlateWish(run.half_turn, run.stock.ground != "white", profile, run.output_profile or "sRGB")
    written = _plates(run, content, wish)
    lines = placed_lines({name: one.lines for name, one in designs.items()}, placements)
    if run.companion:
        written["companion.pdf"] = with_lines(colour_plate(content, wish), lines, run.half_turn)
    x0, y0, x1, y1 = plan.work
    written["lines.svg"] = write_lines(LinesFile(lines, x1 - x0, y1 - y0, (x0, y0))).encode()
    names = {}
    for suffix, made in written.items():
        file = out / f"frame-{number + 1}.{suffix}"
        try:
            file.write_bytes(made)
        except OSError as error:
            raise JobError(f"The result cannot be written: {error.strerror}.", str(file), "Choose another place.") from None  # fmt: skip
        names[suffix] = file.name
    return {"frame": number + 1, "code": code, "files": names, "pieces": len(placements), **_told(plan)}


def _refuse_faults(content: FrameContent, designs: Mapping[str, Design]) -> None:
    clips = {name: Piece(name, one.art.clip, 1, (0.0,)) for name, one in designs.items()}
    faults = proof(content.plan, content.recipe, [placed_outline(clips[one.id], one) for one in content.placements])
    if faults:
        raise JobError(faults[0], content.title, "Make the clear zone or the margins larger, or the gap smaller.")


def _plates(run: RunFile, content: FrameContent, wish: PlateWish) -> dict[str, bytes]:
    if run.files == "one":
        return {"pdf": one_file(content, wish)}
    written = {"pdf": colour_plate(content, wish)}
    for ink in SPOTS:
        plate = spot_plate(content, ink, wish)
        if plate:
            written[f"{ink.lower()}.pdf"] = plate
    return written


def _told(plan: FramePlan) -> dict[str, Any]:
    """Where things are on the print, for whoever cuts it: all in run millimetres."""
    return {
        "width_mm": round(plan.width_mm, 4),
        "length_mm": round(plan.length_mm, 4),
        "marks": [{"id": one.id, "x": round(one.x, 4), "y": round(one.y, 4)} for one in plan.marks],
        "codes": [{"payload": one.code.payload, "end": one.code.end, "x": round(one.centre[0], 4), "y": round(one.centre[1], 4)} for one in plan.codes],
        "work": [round(value, 4) for value in plan.work],
        "shift": [round(value, 4) for value in plan.shift],
    }  # fmt: skip
