"""`nest` and `plates`: pieces laid, and print files made."""

from pathlib import Path
from typing import Annotated

import typer

from etiquette.cli.files import Out, read, say, write


def nest(
    problem: Path, out: Out, svg: Annotated[Path | None, typer.Option(help="Also draw the layout.")] = None
) -> None:
    """Nest pieces on a roll or on sheets."""
    from etiquette.core.planning.nesting import nest as solve
    from etiquette.files.contracts import LayoutFile, ProblemFile, parse_file
    from etiquette.files.layout_svg import layout_picture

    given = parse_file(ProblemFile, read(problem), str(problem)).to_problem()
    layout = solve(given)
    file = LayoutFile.of(layout)
    write(out, file.model_dump_json(by_alias=True, indent=1))
    if svg:
        write(svg, layout_picture(given, layout))
    say(
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


def plates(run: Path, out: Annotated[Path, typer.Option("-o", "--out", help="The folder for the files.")]) -> None:
    """Make the print files and the finish lines of every frame of a run."""
    from etiquette.cli.run_plates import make_run
    from etiquette.files.contracts import parse_file
    from etiquette.files.run_file import RunFile

    say(make_run(parse_file(RunFile, read(run), str(run)), run.parent, out))
