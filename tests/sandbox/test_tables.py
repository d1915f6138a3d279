"""Tables read behind the door: what their libraries ask the machine for is closed there."""

import io
import json

import pytest
import xlsxwriter
import xlwt

from etiquette.core.variable.tables import TableWish
from etiquette.sandbox.tables import table_of
from tests.core.test_shown_digits import cell, of_office, words


def with_xlsxwriter() -> bytes:
    out = io.BytesIO()
    with xlsxwriter.Workbook(out, {"in_memory": True}) as book:
        sheet = book.add_worksheet()
        sheet.write_number(0, 0, 2.5, book.add_format({"num_format": "0.00"}))
        sheet.write_string(0, 1, "Ann")
    return out.getvalue()


def with_xlwt() -> bytes:
    out = io.BytesIO()
    book = xlwt.Workbook()
    sheet = book.add_sheet("Prices")
    sheet.write(0, 0, 2.5, xlwt.easyxf(num_format_str="0.00"))
    sheet.write(0, 1, "Ann")
    book.save(out)
    return out.getvalue()


def as_open_document() -> bytes:
    return of_office(f"<table:table-row>{cell(2.5, '2,50')}{words('Ann')}</table:table-row>")


@pytest.mark.parametrize(
    ("name", "made"), [("t.xlsx", with_xlsxwriter), ("t.xls", with_xlwt), ("t.ods", as_open_document)]
)
def test_numbers_have_the_digits_that_they_show_behind_the_door_too(name: str, made: object) -> None:
    assert callable(made)
    read = table_of(made(), name, TableWish(header=False))
    assert [json.loads(row) for row in read.rows_file.splitlines()] == [["2.50", "Ann"]]
