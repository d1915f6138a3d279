"""Rows at Lines: a table is taken in, read another way, looked at row by row, and checked as a whole."""

from collections.abc import Sequence

from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.core.errors import JobError
from etiquette.core.variable.checking import check_rows
from etiquette.core.variable.filling import FilledCopy
from etiquette.core.variable.fonts import shipped_faces
from etiquette.files.documents.fields import RowsDocument, TableDocument, TableNote
from etiquette.sandbox.fonts import font_of
from etiquette.sandbox.tables import TableRead, table_of
from etiquette.stations import designs, edits
from etiquette.stations.clock import today
from etiquette.stations.lines.rows_schemas import FieldWorst, RowsChecked, TroubleShown
from etiquette.stations.rows import Rows, rows_of, table_there
from etiquette.stations.schemas import OfDesign
from etiquette.stations.shop import Shop
from etiquette.store.models import DataTable, ShopFont
from etiquette.tasks.task import Outcome, Report

MOST_TABLE_BYTES = 300 << 20
MOST_FONT_BYTES = 40 << 20
MOST_DUE = 100_000
TOLD = 400
"""Troubles that a screen is given; all are counted."""


def take_table(shop: Shop, design_id: int, revision: int, content: bytes, name: str) -> None:
    """A table for the copies of a design. Its fields stay; the count becomes that of the rows. Raises JobError,
    Stale."""
    if len(content) > MOST_TABLE_BYTES:
        raise JobError(f"The table is larger than {MOST_TABLE_BYTES >> 20} MB.", name, "Give it in parts.")
    read = table_of(content, name)
    shop.database.within(lambda session: _keep(shop, session, design_id, revision, content, name, read, "a table"))


def read_otherwise(shop: Shop, design_id: int, revision: int, how: TableDocument) -> None:
    """The same table read with another encoding, delimiter, header or sheet. Raises JobError, Stale."""

    def held(session: Session) -> tuple[str, str]:
        document = session.get_one(DataTable, _table_id(session, design_id))
        return document.source_sha, document.file_name

    sha, name = shop.database.within(held)
    content = shop.blobs.read(sha)
    read = table_of(content, name, how.to_wish())
    shop.database.within(
        lambda session: _keep(shop, session, design_id, revision, content, name, read, "how the table is read")
    )


def _table_id(session: Session, design_id: int) -> int:
    rows = designs.state_of(session, design_id).document.rows
    if rows is None or rows.table_id is None:
        raise JobError("There is no table yet.", f"design {design_id}", "Give one first.")
    return table_there(session, rows.table_id).id


def _keep(
    shop: Shop,
    session: Session,
    design_id: int,
    revision: int,
    content: bytes,
    name: str,
    read: TableRead,
    words: str,
) -> None:
    state = designs.state_of(session, design_id)
    table = keep_table(shop, session, state.design.job_id, content, name, read)
    held = state.document.rows or RowsDocument()
    rows = held.model_copy(update={"table_id": table.id, "left_out": []})
    due = max(1, min(MOST_DUE, read.count))
    edits.apply(session, "design", design_id, revision, words, {"rows": rows.model_dump(mode="json"), "due_count": due})


def keep_table(shop: Shop, session: Session, job_id: int, content: bytes, name: str, read: TableRead) -> DataTable:
    """A table that came for a job, as it came and as it was read."""
    table = DataTable(
        job_id=job_id,
        file_name=name[-200:],
        source_sha=shop.blobs.put(session, content, "application/octet-stream"),
        rows_sha=shop.blobs.put(session, read.rows_file, "application/jsonl"),
        note=_note(read),
    )
    session.add(table)
    session.flush()
    return table


def _note(read: TableRead) -> TableNote:
    names = ("count", "encoding", "delimiter", "header", "sheets", "sheet", "odd_count", "begins")
    return TableNote.model_validate(
        {name: getattr(read, name) for name in names}
        | {"columns": [vars(one) for one in read.columns], "odd": [vars(one) for one in read.odd]}
    )


def rows_here(shop: Shop, session: Session, design_id: int) -> Rows:
    """Raises NotThere; a design all of whose copies are alike has rows without fields."""
    state = designs.state_of(session, design_id)
    name, due, day = state.document.name, state.document.due_count, today(session)
    return rows_of(shop, session, state) or Rows(name, RowsDocument(), None, due, frozenset(), {}, None, {}, {}, day)


def check(shop: Shop, wanted: OfDesign, report: Report) -> Outcome[RowsChecked]:
    """Task: every row that is printed, looked at."""
    rows = shop.database.within(lambda session: rows_here(shop, session, wanted.design_id))
    numbers, looked = rows.printed(), 0

    def each(_: FilledCopy) -> None:
        nonlocal looked
        looked += 1
        if looked % 500 == 0:
            report(looked / len(numbers), f"Looking at row {looked} of {len(numbers)}")

    fields = rows.document.field_set(rows.inks)
    found = check_rows(rows.filling(), rows.each(numbers), fields, rows.odd(set(numbers)), each)
    return Outcome(
        RowsChecked(
            design_id=wanted.design_id,
            rows=found.rows,
            count=found.count,
            troubles=[TroubleShown(row=one.row, field=one.field, why=one.why) for one in found.troubles[:TOLD]],
            bad=list(found.bad),
            worst=[FieldWorst(row=row, **vars(one)) for row, one in found.worst],
            longest=[FieldWorst(row=row, **vars(one)) for row, one in found.longest],
        )
    )


def font_names(session: Session) -> list[str]:
    own: Sequence[str] = session.scalars(select(ShopFont.name).order_by(ShopFont.name)).all()
    return [*own, *shipped_faces()]


def take_font(shop: Shop, content: bytes, name: str) -> str:
    """A font of the shop's own; one of the same name is replaced. Returns its name. Raises JobError."""
    if len(content) > MOST_FONT_BYTES:
        raise JobError(f"The font is larger than {MOST_FONT_BYTES >> 20} MB.", name, "Give one of a single face.")
    font = font_of(content, name)
    if font.name in shipped_faces():
        raise JobError(f"{font.name} is there already.", name, "Choose it from the list.")

    def keep(session: Session) -> None:
        sha = shop.blobs.put(session, font.content, "font/sfnt")
        known = session.scalar(select(ShopFont).where(ShopFont.name == font.name))
        if known:
            known.content_sha = sha
        else:
            session.add(ShopFont(name=font.name, content_sha=sha))

    shop.database.within(keep)
    return font.name
