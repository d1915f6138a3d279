"""`braille`: text as dots."""

from pathlib import Path
from typing import Annotated, Literal

import typer

from etiquette.cli.files import say

SizesChoice = Literal["ada-2010", "nls-800", "marburg-medium"]


def braille(
    text: Annotated[str, typer.Argument(help="What the sign says; lines apart by a new line.")],
    out: Annotated[Path, typer.Option("-o", "--out", help="The drawing of the dots, SVG.")],
    table: Annotated[str, typer.Option(help="A table of liblouis.")] = "en-ueb-g2.ctb",
    sizes: Annotated[SizesChoice, typer.Option(help="A published set of sizes.")] = "ada-2010",
    as_typed: Annotated[bool, typer.Option("--as-typed", help="Lines in capitals stay so.")] = False,
    heights: Annotated[Path | None, typer.Option(help="A 16-bit picture of heights as well, PNG.")] = None,
    dpi: Annotated[float, typer.Option(min=50, max=2880, help="Of the picture of heights.")] = 600,
    pass_mm: Annotated[float | None, typer.Option(min=0.001, max=2, help="What one pass adds to the height.")] = None,
) -> None:
    """Put text into braille: a drawing with one circle a dot, and for printers that build height a picture of it."""
    from etiquette.cli.folders import write_file
    from etiquette.core.tactile.domes import domes_of, height_png
    from etiquette.core.tactile.drawing import dots_svg
    from etiquette.core.tactile.signs import NOTE, passes_for, sentence_case
    from etiquette.sandbox.braille import braille_of

    said = text if as_typed else sentence_case(text)
    dots = braille_of(said, table, sizes)
    picture = height_png([domes_of(dots)], (dots.width_mm, dots.height_mm), dpi) if heights else None
    passes = passes_for(dots.sizes.made_height, pass_mm) if pass_mm else None
    write_file(out, dots_svg(dots).encode())
    if heights and picture:
        write_file(heights, picture)
    say(
        {
            "out": str(out),
            "text": said,
            "cells": "\n".join(dots.braille.cells),
            "back": "\n".join(dots.braille.back),
            "width_mm": round(dots.width_mm, 3),
            "height_mm": round(dots.height_mm, 3),
            "dots": len(dots.places),
            "sizes": {"name": dots.sizes.name, "source": dots.sizes.source, "dot_height_mm": dots.sizes.made_height},
            "heights": str(heights) if heights else None,
            "passes": passes,
            "note": NOTE,
        }
    )
