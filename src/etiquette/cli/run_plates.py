"""The print files of a run from RUN.json alone, made by the producer, in one folder."""

from collections.abc import Mapping
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from etiquette.cli.folders import make_folder, read_beside, write_file
from etiquette.cli.run_designs import designs_of
from etiquette.core.errors import JobError
from etiquette.core.marking.codes import new_code
from etiquette.core.marking.frame_plans import FramePlan
from etiquette.core.planning.problem import Piece, Placement, placed_outline
from etiquette.core.printing.converted import Converted
from etiquette.core.printing.plates import PlateWish
from etiquette.core.printing.profiles import ProofWish
from etiquette.core.production.frames import (
    FrameDesign,
    FrameFiles,
    RunEquipment,
    frame_files,
    frame_plan,
    frame_title,
    laid_down,
    placed_on,
    plate_of,
    refuse_faults,
    to_pdfx4,
    weed_strokes,
    work_of,
)
from etiquette.files.contracts import LayoutFile, parse_file
from etiquette.files.lines_svg import LinesFile, write_lines
from etiquette.files.run_file import RunFile
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
    designs = designs_of(run, folder, used, _converted(run, profile))
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
        order = laid_down(designs, files, run.special_inks(), run.name)
        frames.append(
            {"frame": number, "code": code, "files": names, "order": order, "pieces": len(here), **_summary(plan)}
        )
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
        designs,
        placements,
        plan,
        recipe,
        title,
        wish,
        weed,
        run.files == "one",
        run.companion,
        run.line_names,
        specials=run.special_inks(),
    )
    return plan, to_pdfx4(made, title, datetime.now(UTC)) if run.standard == "pdf/x-4" else made


def _named(plan: FramePlan, files: FrameFiles) -> dict[str, bytes]:
    """The files of a frame by what is put behind its name."""
    spots = {f"{plate_of(ink)}.pdf": made for ink, made in files.spots.items() if made}
    more = {"other side.pdf": files.other, "companion.pdf": files.companion}
    lines = write_lines(LinesFile.of_frame(plan, files.lines)).encode()
    return {"pdf": files.colour, **spots, **{name: made for name, made in more.items() if made}, "lines.svg": lines}


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
