"""The rows that copies of a design are filled from: the table, the fields made ready, one copy of it."""

from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass
from datetime import date
from functools import lru_cache
from pathlib import Path

from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.core.artwork.raster import Picture, read_picture
from etiquette.core.errors import JobError, NotThere
from etiquette.core.planning.web_rows import named_rows
from etiquette.core.printing.filled import PictureOf
from etiquette.core.production.filled_pages import fields_alone
from etiquette.core.variable.fields import Paint
from etiquette.core.variable.filling import FilledCopy, Filling, Trouble
from etiquette.core.variable.fonts import Font, FontShelf
from etiquette.core.variable.tables import MOST_ROWS
from etiquette.files.documents.designs import DesignDocument
from etiquette.files.documents.fields import Inks, RowsDocument, TableNote
from etiquette.files.rows_file import RowsFile
from etiquette.sandbox.art import read_art
from etiquette.sandbox.drawing import preview_of_pdf
from etiquette.stations.clock import today
from etiquette.stations.designs import DesignState
from etiquette.stations.shop import Shop
from etiquette.store.models import DataTable, InkColour, KeptFile, ShopFont
from etiquette.store.rows import loaded

FONTS_KEPT = 40


@dataclass(frozen=True)
class Rows:
    """All that copies of one design are filled from, read at one moment; it outlives the session. `count`: how many
    rows there are; `left_out` are not printed."""

    design: str
    document: RowsDocument
    note: TableNote | None
    count: int
    left_out: frozenset[int]
    inks: Inks
    rows_file: Path | None
    fonts: Mapping[str, Path]
    pictures: Mapping[str, Path]
    today: date

    def printed(self) -> list[int]:
        """The rows that are to be printed, in order."""
        return [number for number in range(1, self.count + 1) if number not in self.left_out]

    def filling(self) -> Filling:
        """Raises JobError when a field cannot be read, or a font is gone."""
        return Filling(
            self.document.field_set(self.inks),
            self.note.names if self.note else [],
            FontShelf({name: _font(name, path) for name, path in self.fonts.items()}),
            self.today,
            list(self.pictures),
            self.note.rounded if self.note else (),
        )

    def cells(self) -> RowsFile | None:
        return RowsFile(self.rows_file, self.note.names) if self.rows_file and self.note else None

    def each(self, numbers: Iterable[int]) -> Iterable[tuple[int, Mapping[str, str]]]:
        """The cells of rows; without a table a row is its number alone."""
        held = self.cells()
        return held.rows(numbers) if held else ((number, {}) for number in numbers)

    def odd(self, numbers: Collection[int]) -> list[Trouble]:
        """Which of these rows are not as the others; that there are more than are named, in one sentence."""
        if self.note is None:
            return []
        found = [Trouble(one.row, "", one.why) for one in self.note.odd if one.row in numbers]
        more = self.note.odd_count - len(self.note.odd)
        if more and numbers:
            named = "One more row is" if more == 1 else f"{more} more rows are"
            why = f"{named} not as the others: mend the table, or choose what stands between its cells."
            found.append(Trouble(max(numbers), "", why))
        return found

    def picture_of(self) -> PictureOf:
        """Reads a picture of the job by its name, behind the door."""

        def read(name: str) -> Picture:
            return read_picture(read_art(self.pictures[name].read_bytes(), name)[0].picture, name)

        return read


@lru_cache(maxsize=FONTS_KEPT)
def _font(name: str, path: Path) -> Font:
    """A font of the shop: what was written anew when it was taken in."""
    return Font(name, path.read_bytes())


def rows_of(shop: Shop, session: Session, state: DesignState) -> Rows | None:
    """None where all copies are alike. Raises NotThere when the table is gone."""
    document = state.document.rows
    if document is None:
        return None
    table = table_there(session, document.table_id) if document.table_id else None
    wants_pictures = any(one.what == "picture" for one in document.fields)
    kept = session.scalars(select(KeptFile).where(KeptFile.job_id == state.design.job_id)) if wants_pictures else ()
    fonts = session.scalars(select(ShopFont)).all()
    return Rows(
        design=state.document.name,
        document=document,
        note=table.note if table else None,
        count=table.note.count if table else min(state.document.due_count, MOST_ROWS),
        left_out=frozenset(document.left_out),
        inks=_inks(session, document),
        rows_file=shop.blobs.path(table.rows_sha) if table else None,
        fonts={one.name: shop.blobs.path(one.content_sha) for one in fonts},
        pictures={one.name: shop.blobs.path(one.content_sha) for one in kept},
        today=today(session),
    )


def one_copy(rows: Rows, number: int) -> FilledCopy:
    """The copy of a row, numbered from 1. Raises JobError."""
    if not 1 <= number <= rows.count:
        raise JobError(f"There are rows 1 to {rows.count}.", rows.design, "Look at one of them.")
    ((_, cells),) = rows.each([number])
    return rows.filling().filled(number, cells)


def picture_of_copy(rows: Rows, copy: FilledCopy, size: tuple[float, float]) -> bytes:
    """PNG of the fields of one copy alone on a clear ground, as large as the design (mm). Raises JobError."""
    return preview_of_pdf(fields_alone(size, copy, rows.picture_of()), clear_ground=True)[0]


def printed_count(session: Session, document: DesignDocument, only: str = "") -> int:
    """How many copies of a design are filled from rows of their own, of all rows or `only` those that are named; 0: all
    are alike. Raises JobError when rows are named that are not there."""
    rows = document.rows
    if rows is None or not rows.fields:
        return 0
    table = session.get(DataTable, rows.table_id) if rows.table_id else None
    count = table.note.count if table else min(document.due_count, MOST_ROWS)
    if only:
        return len(set(named_rows(only, count)) - set(rows.left_out))
    return count - len([one for one in rows.left_out if one <= count])


def _inks(session: Session, document: RowsDocument) -> Inks:
    colours = loaded(session, InkColour, (int(named[4:]) for named in document.inks()))
    return {
        f"ink {number}": Paint("spot", (one.cyan / 100, one.magenta / 100, one.yellow / 100, one.black / 100), one.name)
        for number, one in colours.items()
    }


def table_there(session: Session, table_id: int) -> DataTable:
    """Raises NotThere."""
    table = session.get(DataTable, table_id)
    if table is None:
        raise NotThere("The table of rows is gone.", f"table {table_id}", "Take it in again at Lines, Rows.")
    return table


def rows_key(rows: Rows) -> list[object]:
    """Names all that the filling of a row depends on, but for the day."""
    says = [one.says + one.shown_if for one in rows.document.fields]
    return [
        rows.document.model_dump(mode="json"),
        rows.rows_file.name if rows.rows_file else rows.count,
        sorted((name, path.name) for name, path in rows.pictures.items()),
        sorted((name, path.name) for name, path in rows.fonts.items()),
        *([rows.today.isoformat()] if any("today" in one for one in says) else []),
        sorted((name, paint.name, paint.values) for name, paint in rows.inks.items()),
    ]
