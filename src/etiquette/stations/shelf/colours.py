"""The shop's library of colours as CSV, out and in: a name and percent of the four process inks on each line."""

import csv
from io import StringIO

from pydantic import ValidationError
from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.core.errors import JobError
from etiquette.files.shelf_file import InkColourValues
from etiquette.stations.shelf.schemas import Taken
from etiquette.store.models import InkColour

COLUMNS = ("name", "cyan", "magenta", "yellow", "black")
ALSO = {"c": "cyan", "m": "magenta", "y": "yellow", "k": "black", "colour": "name", "color": "name"}
DELIMITERS = ",;\t"
MOST_LINES = 20_000


def written(session: Session) -> str:
    """All colours that are not put away, in the order of their names (RFC 4180)."""
    out = StringIO()
    lines = csv.writer(out)
    lines.writerow(COLUMNS)
    for one in session.scalars(select(InkColour).where(~InkColour.away).order_by(InkColour.name)):
        lines.writerow([one.name, *(f"{getattr(one, ink):g}" for ink in COLUMNS[1:])])
    return out.getvalue()


def take(session: Session, text: str, file_name: str) -> Taken:
    """Colours of a CSV file onto the Shelf, all or none: those of a known name are changed. Raises JobError, which
    names the line."""
    told = _colours(text, file_name)
    held = {one.name: one for one in session.scalars(select(InkColour).with_for_update())}
    added = changed = 0
    for name, values in told.items():
        row, inks = held.get(name), values.model_dump(include=set(COLUMNS[1:]))
        if row is None:
            session.add(InkColour(name=name, **inks))
            added += 1
        elif any(getattr(row, ink) != share for ink, share in inks.items()) or row.away:
            for ink, share in inks.items():
                setattr(row, ink, share)
            row.away = False
            changed += 1
    return Taken(added=added, changed=changed)


def _colours(text: str, file_name: str) -> dict[str, InkColourValues]:
    lines = text.lstrip("\ufeff").splitlines()
    if len(lines) > MOST_LINES:
        raise JobError(f"The file has more than {MOST_LINES} lines.", file_name, "Take in a part of it.")
    delimiter = max(DELIMITERS, key=(lines[0] if lines else "").count)
    read = csv.reader(lines, delimiter=delimiter)
    heads = [_column(head) for head in next(read, [])]
    missing = [column for column in COLUMNS if column not in heads]
    if missing:
        raise JobError(
            f"The first line names no {' and no '.join(missing)}.",
            file_name,
            f"Name the columns there: {', '.join(COLUMNS)}.",
        )
    found: dict[str, InkColourValues] = {}
    for cells in read:
        if not any(cell.strip() for cell in cells):
            continue
        told = dict(zip(heads, (cell.strip() for cell in cells), strict=False))
        values = {column: told.get(column, "") for column in COLUMNS}
        for ink in COLUMNS[1:]:
            values[ink] = values[ink].removesuffix("%").strip()
            values[ink] = values[ink] if delimiter == "," else values[ink].replace(",", ".")
        try:
            one = InkColourValues(**values)  # type: ignore[arg-type]
        except ValidationError as error:
            what = error.errors()[0]
            raise JobError(
                f"Line {read.line_num}: {what['loc'][0]} “{what['input']}” cannot be: {what['msg'].lower()}.",
                file_name,
                "Put that right; nothing of the file was taken.",
            ) from None
        found[one.name] = one
    return found


def _column(head: str) -> str:
    plain = head.strip().casefold()
    return ALSO.get(plain, plain)
