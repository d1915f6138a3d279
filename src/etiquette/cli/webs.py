"""`web`: the pair of files for one repeat of a label web."""

from pathlib import Path
from typing import Annotated

import typer

from etiquette.cli.files import read, say


def web(web: Path, out: Annotated[Path, typer.Option("-o", "--out", help="The folder for the files.")]) -> None:
    """Make the print file and the cut files of one repeat of a label web, and prove that they match."""
    from etiquette.cli.web_files import make_web
    from etiquette.files.contracts import parse_file
    from etiquette.files.web_file import WebFile

    say(make_web(parse_file(WebFile, read(web), str(web)), web.parent, out))
