"""Rows of a design: its table, any row, all of them; and the fonts of the shop."""

from typing import Annotated

from fastapi import APIRouter, File, Form, UploadFile
from fastapi.responses import Response

from etiquette.people.rights import Right
from etiquette.server.dependencies import ShopHere, TaskSubmitter, needs, within
from etiquette.stations import designs
from etiquette.stations.lines import rows, tasks
from etiquette.stations.lines.rows_schemas import (
    FontTaken,
    ReadAsked,
    RowShown,
    RowsShown,
)
from etiquette.stations.lines.rows_views import report_csv, row_picture, row_shown, rows_shown
from etiquette.stations.lines.schemas import DesignShown
from etiquette.stations.lines.views import design_shown
from etiquette.stations.schemas import OfDesign, Revision, TaskMade

router = APIRouter(prefix="/api/rows", tags=["lines"], dependencies=[needs(Right.PREPARE)])


def _content(file: UploadFile, most: int) -> bytes:
    file.file.seek(0)
    return file.file.read(most + 1)


def _name(file: UploadFile) -> str:
    return (file.filename or "file")[-200:].encode(errors="replace").decode()


def _design(shop: ShopHere, design_id: int) -> DesignShown:
    return within(shop, lambda session: design_shown(shop, designs.state_of(session, design_id)))


@router.post("/fonts")
def take_font(shop: ShopHere, file: Annotated[UploadFile, File()]) -> FontTaken:
    """A font of the shop's own, where its licence bits allow it."""
    return FontTaken(name=rows.take_font(shop, _content(file, rows.MOST_FONT_BYTES), _name(file)))


@router.get("/{design_id}")
def show_rows(shop: ShopHere, design_id: int) -> RowsShown:
    return within(shop, lambda session: rows_shown(shop, session, design_id))


@router.put("/{design_id}/table")
def take_table(
    shop: ShopHere, design_id: int, file: Annotated[UploadFile, File()], revision: Annotated[Revision, Form()]
) -> DesignShown:
    """The table that copies are filled from: CSV or a workbook."""
    rows.take_table(shop, design_id, revision, _content(file, rows.MOST_TABLE_BYTES), _name(file))
    return _design(shop, design_id)


@router.post("/{design_id}/table/reading")
def read_otherwise(shop: ShopHere, design_id: int, asked: ReadAsked) -> DesignShown:
    """The same table, read another way."""
    rows.read_otherwise(shop, design_id, asked.revision, asked.how)
    return _design(shop, design_id)


@router.put("/{design_id}/check")
def check_rows(design_id: int, submit: TaskSubmitter) -> TaskMade:
    """Every row, looked at before any is printed."""
    return TaskMade(task_id=submit(tasks.check_rows, OfDesign(design_id=design_id)))


@router.get("/{design_id}/report.csv", response_class=Response)
def report(shop: ShopHere, design_id: int) -> Response:
    """What became of every row: good, printed, planned, spoiled or missing."""
    text = within(shop, lambda session: report_csv(shop, session, design_id))
    return Response(text, media_type="text/csv", headers={"Content-Disposition": "attachment; filename=rows.csv"})


@router.get("/{design_id}/{number}")
def show_row(shop: ShopHere, design_id: int, number: int) -> RowShown:
    found = within(shop, lambda session: rows.rows_here(shop, session, design_id))
    return row_shown(found, number)


@router.get("/{design_id}/{number}/picture", response_class=Response)
def picture_row(shop: ShopHere, design_id: int, number: int) -> Response:
    """What is filled in for a row, as PNG on a clear ground, as large as the art."""
    return Response(row_picture(shop, design_id, number), media_type="image/png", headers={"Cache-Control": "no-store"})
