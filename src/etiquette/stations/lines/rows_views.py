"""What Lines shows of rows."""

from collections import Counter
from collections.abc import Iterator, Sequence

from sqlalchemy.orm import Session

from etiquette.core.errors import JobError
from etiquette.core.variable.expressions import CannotSay
from etiquette.core.variable.filling import FilledCopy
from etiquette.core.variable.serials import Serial
from etiquette.core.variable.tables import ENCODINGS
from etiquette.stations import designs
from etiquette.stations.copies import RowSeen, RowState, rows_seen
from etiquette.stations.csv_tables import csv_of
from etiquette.stations.lines.rows import font_names, rows_here
from etiquette.stations.lines.rows_schemas import FieldWorst, RowShown, RowsShown, TableShown, TroubleShown
from etiquette.stations.rows import Rows, one_copy, picture_of_copy, table_there
from etiquette.stations.shop import Shop

MISSING = RowSeen(RowState.MISSING)


def rows_shown(shop: Shop, session: Session, design_id: int) -> RowsShown:
    rows = rows_here(shop, session, design_id)
    table_id = rows.document.table_id
    table = table_there(session, table_id) if table_id else None
    return RowsShown(
        table=TableShown(file_name=table.file_name, **table.note.model_dump()) if table else None,
        count=rows.count,
        printed=rows.count - len([one for one in rows.left_out if one <= rows.count]),
        states=Counter(state for _, state, _ in row_report(session, design_id, rows)),
        fonts=font_names(session),
        pictures=sorted(rows.pictures),
        encodings=list(ENCODINGS),
    )


def row_report(session: Session, design_id: int, rows: Rows) -> Iterator[tuple[int, RowState, str]]:
    """Every row that is to be printed, how far it is, and the code of the frame it was printed on."""
    seen = rows_seen(session, design_id, rows)
    for number in rows.printed():
        one = seen.get(number, MISSING)
        yield number, one.state, one.code


def report_csv(shop: Shop, session: Session, design_id: int) -> str:
    """The report as a table: each row with how far it is, its frame, what its serials say, and its cells."""
    rows = rows_here(shop, session, design_id)
    serials, columns = [one.to_serial() for one in rows.document.serials], rows.note.names if rows.note else []
    head = ["Row", "State", "Frame", *(one.name for one in serials), *columns]
    told = {number: (state, code) for number, state, code in row_report(session, design_id, rows)}
    lines = ([number, *told[number], *_serials(serials, number), *cells.values()] for number, cells in rows.each(told))
    return csv_of([head, *lines])


def _serials(serials: Sequence[Serial], number: int) -> list[str]:
    said = []
    for one in serials:
        try:
            said.append(one.of(number))
        except CannotSay:
            said.append("")
    return said


def row_shown(rows: Rows, number: int) -> RowShown:
    """A row that cannot be filled says why: a field that cannot be read, or a font that is gone."""
    cells = dict(next(iter(rows.each([number])))[1]) if 1 <= number <= rows.count else {}
    try:
        copy = one_copy(rows, number)
    except JobError as error:
        wrong = TroubleShown(row=number, field=error.where, why=f"{error.what} {error.do}")
        return RowShown(row=number, cells=cells, troubles=[wrong], measures=[])
    odd = [one for one in rows.note.odd if one.row == number] if rows.note else []
    return RowShown(
        row=number,
        cells=cells,
        troubles=[
            *(TroubleShown(row=number, field="", why=one.why) for one in odd),
            *(TroubleShown(row=number, field=one.field, why=one.why) for one in copy.troubles),
        ],
        measures=[FieldWorst(row=number, **vars(one)) for one in copy.measures],
    )


def row_picture(shop: Shop, design_id: int, number: int) -> bytes:
    """PNG. Raises JobError."""
    state, rows = shop.database.within(
        lambda session: (designs.state_of(session, design_id), rows_here(shop, session, design_id))
    )
    width, height, name = state.document.width_mm, state.height_mm, state.document.name
    if width is None or height is None:
        raise JobError("The size of the art is not known.", name, "Type its width in Lines first.")
    try:
        copy = one_copy(rows, number)
    except JobError:  # said beside the picture, which shows the art alone
        copy = FilledCopy(number, (), (), ())
    return picture_of_copy(rows, copy, (width, height))
