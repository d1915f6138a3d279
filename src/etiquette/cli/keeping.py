"""The commands that keep a shop safe: they hand over to a process that knows its database."""

import os
import sys
from pathlib import Path
from typing import Annotated

import typer


def backup(file: Annotated[Path, typer.Argument(help="Where to write the copy, a ZIP.")]) -> None:
    """Copy the shop into one file, while it works: its rows as they are at one moment, and the files they name."""
    _handed_over("backup", str(file))


def restore(file: Annotated[Path, typer.Argument(help="A copy that backup made.")]) -> None:
    """Put a copy into an empty folder (ETIQUETTE_DATA). What was under way is not begun again."""
    _handed_over("restore", str(file))


def check() -> None:
    """Look whether all that is kept is whole: files, ledgers, documents, keys, states."""
    _handed_over("check")


def collect(
    dry_run: Annotated[bool, typer.Option("--dry-run", help="Change nothing, and say what would go.")] = False,
) -> None:
    """Take away what nothing needs for a month: a shop does so by itself several times a day."""
    _handed_over("collect", *(["dry"] if dry_run else []))


def link(
    name: Annotated[str, typer.Argument(help="Whose account; none: the only owner's, or a new owner's.")] = "",
) -> None:
    """Make a link that signs somebody in once, to set a password anew: for whoever has this machine, when the only
    owner's is forgotten or the telephone with its codes is lost."""
    _handed_over("link", name)


def owner(name: Annotated[str, typer.Argument(help="The name that stands beside what the owner does.")]) -> None:
    """Make the first owner before the first start: for a shop that other machines reach. The password is asked for."""
    _handed_over("owner", name)


def _handed_over(*what: str) -> None:
    os.execv(sys.executable, [sys.executable, "-m", "etiquette.server.safekeeping", *what])
