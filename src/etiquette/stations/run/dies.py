"""Dies are taken in as drawings: which of their paths are the die the line rules say, else all that is drawn in thin
strokes. A die is kept as its figures, under the name of its file."""

from dataclasses import asdict
from pathlib import PurePath

from pydantic import ValidationError
from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.core.artwork.line_rules import sort_paths
from etiquette.core.errors import JobError
from etiquette.core.planning.dies import Die, die_of
from etiquette.files.vectors import read_vectors
from etiquette.files.web_file import DieFile
from etiquette.sandbox.art import read_art
from etiquette.stations.line_rules import rules_of
from etiquette.stations.shop import Shop
from etiquette.store.models import KeptDie

MOST_BYTES = 50 << 20
CUTS = ("kiss", "through")


def take(shop: Shop, content: bytes, file_name: str) -> None:
    """Read the drawing and keep its figures; a die of the same name is this one now. Raises JobError."""
    if len(content) > MOST_BYTES:
        raise JobError("The drawing is larger than 50 MB.", file_name, "A die is a few lines: save them alone.")
    rules = shop.database.within(rules_of)
    die = _checked(_read(content, file_name, rules), file_name).model_dump(mode="json")
    label = die.pop("label")
    sizes = {f"label_{name}": label.pop(name) for name in ("width_mm", "height_mm")}
    name = PurePath(file_name).stem[:120] or "Die"

    def keep(session: Session) -> None:
        row = session.scalar(select(KeptDie).where(KeptDie.name == name).with_for_update())
        if row is None:
            session.add(KeptDie(name=name, **die, **label, **sizes))
        else:
            for key, value in {**die, **label, **sizes}.items():
                setattr(row, key, value)
            row.away = False

    shop.database.within(keep)


def _checked(die: Die, file_name: str) -> DieFile:
    """Raises JobError for one that is larger, or of more labels, than a web may be."""
    try:
        return DieFile.model_validate(asdict(die))
    except ValidationError as error:
        first = error.errors()[0]
        what = f"A web takes no such die: {' '.join(map(str, first['loc']))}, {first['msg'].lower()}."
        raise JobError(what, file_name, "Look whether its size is right, or take in a part of it.") from None


def _read(content: bytes, file_name: str, rules: tuple) -> Die:  # type: ignore[type-arg]
    page = read_art(content, file_name)[0]
    if page.vectors is None:
        raise JobError("A picture is no drawing of a die.", file_name, "Take in a PDF, SVG or DXF.")
    drawn = read_vectors(page.vectors).paths
    caught = [one.path for one in sort_paths(drawn, rules).caught if one.kind in CUTS]
    return die_of([path for one in caught or [one for one in drawn if one.stroke] for path in one.paths], file_name)
