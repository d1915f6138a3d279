"""`align` and `cut`: marks that were read, and lines for a cutter."""

import re
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from etiquette.cli.files import Out, read, say, write
from etiquette.core.errors import JobError

if TYPE_CHECKING:
    from etiquette.core.cutting.motion import Motion


def align(marks: Path, out: Out) -> None:
    """Solve the fit from read marks."""
    import numpy as np

    from etiquette.core.aligning.fitting import fit_marks
    from etiquette.files.contracts import FitFile, MarksFile, parse_file

    given = parse_file(MarksFile, read(marks), str(marks))
    probe = np.array(given.probe, dtype=float).reshape(-1, 2)
    fit = FitFile.of(fit_marks(given.to_marks(), given.tolerance_mm, given.model, probe if len(probe) else None))
    write(out, fit.model_dump_json(indent=1))
    say(
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

    wanted = [kind.strip() for kind in (kinds or ",".join(KINDS)).split(",")]
    if unknown := [kind for kind in wanted if kind not in KINDS]:
        raise typer.BadParameter(f"{', '.join(unknown)}: the kinds are {', '.join(KINDS)}")
    if out.suffix not in WRITERS:
        raise typer.BadParameter(f"the result is one of {', '.join(WRITERS)}")
    if colour is not None and not re.fullmatch(r"#[0-9a-f]{6}", colour):
        raise typer.BadParameter("the colour is written #rrggbb, in small letters")
    profile = styled(profile_named(device), stroke_mm, colour, inset_mm)
    cards = read_tools(read(tools), str(tools)) if tools else {}
    given = read_lines(read(lines), str(lines))
    carry = parse_file(FitFile, read(fit), str(fit)).transform.to_transform() if fit else (lambda points: points)
    chosen = [line for line in given.lines if line.kind in wanted]
    if not chosen:
        do = "Ask for other kinds, or leave --kinds out."
        raise JobError("None of the lines is of a kind that is asked for.", str(lines), do)
    places = [mark.nominal for mark in parse_file(MarksFile, read(marks), str(marks)).marks] if marks else []
    drawn = [path.mapped(carry) for x, y in places for path in mark_paths(MarkRecipe(size_mm=mark_mm), x, y, (1, 1))]
    motion = plan_motion(inset(chosen, profile.style.inset_mm), profile, cards, carry)
    write(out, WRITERS[out.suffix](motion, profile, cards, drawn))
    say({"out": str(out), **_summary(motion)})


def _summary(motion: "Motion") -> dict[str, object]:
    turns = [
        {"kind": turn.kind, "seconds": round(turn.seconds, 1), "change_before": turn.change} for turn in motion.turns
    ]
    return {
        "strokes": len(motion.strokes),
        "cut_mm": round(motion.cut_mm, 1),
        "travel_mm": round(motion.travel_mm, 1),
        "seconds": round(motion.seconds, 1),
        "tools": turns,
    }
