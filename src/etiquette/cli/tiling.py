"""`tiles`: a graphic taken apart that is larger than its stock."""

from pathlib import Path
from typing import Annotated, Literal

import typer

from etiquette.cli.files import say


def tiles(
    art: Annotated[Path, typer.Argument(exists=True, dir_okay=False)],
    out: Annotated[Path, typer.Option("-o", "--out", help="The folder for the files.")],
    media_mm: Annotated[float, typer.Option(min=10, max=10_000, help="How wide a tile may be printed.")],
    width_mm: Annotated[
        float | None, typer.Option(min=1, max=1_000_000, help="Of the graphic; else as it says.")
    ] = None,
    overlap_mm: Annotated[float, typer.Option(min=0, max=500, help="Carried past the seam by each neighbour.")] = 0.0,
    seams: Annotated[Literal["even", "content"], typer.Option(help="Where: evenly, or where least is cut.")] = "even",
    only: Annotated[str, typer.Option(help="Some tiles alone: 1,3.")] = "",
) -> None:
    """Take a graphic apart into strips that the stock can hold: a print file and a cut for each, and how they go
    together."""
    from etiquette.cli.tile_files import make_tiles
    from etiquette.core.planning.web_rows import named_rows

    chosen = named_rows(only, 400) if only.strip() else []
    say(make_tiles(art, out, width_mm, media_mm, overlap_mm, seams, chosen))
