"""Numbers of workbooks have the digits that they show there, whatever wrote them."""

import io
from zipfile import ZipFile

import pytest
import xlwt

from etiquette.core.variable.shown_digits import shown_of
from etiquette.core.variable.tables import TableWish, read_table

OPEN = "urn:oasis:names:tc:opendocument:xmlns"


def of_office(sheet: str) -> bytes:
    """An OpenDocument workbook of one sheet (ISO/IEC 26300), as compact as the usual programs write it."""
    out = io.BytesIO()
    with ZipFile(out, "w") as parts:
        parts.writestr("mimetype", "application/vnd.oasis.opendocument.spreadsheet")
        parts.writestr(
            "META-INF/manifest.xml",
            f'<manifest:manifest xmlns:manifest="{OPEN}:manifest:1.0"/>',
        )
        parts.writestr(
            "content.xml",
            f'<office:document-content xmlns:office="{OPEN}:office:1.0" xmlns:table="{OPEN}:table:1.0" '
            f'xmlns:text="{OPEN}:text:1.0"><office:body><office:spreadsheet><table:table table:name="Cover">'
            "<table:table-row><table:table-cell/></table:table-row></table:table>"
            f'<table:table table:name="Prices">{sheet}</table:table>'
            "</office:spreadsheet></office:body></office:document-content>",
        )
    return out.getvalue()


def cell(value: float, shown: str, kind: str = "float", more: str = "", said: str = "") -> str:
    return (
        f'<table:table-cell office:value-type="{kind}" office:value="{value}" {more}>{said}'
        f"<text:p>{shown}</text:p></table:table-cell>"
    )


def words(*texts: str) -> str:
    return "".join(
        f'<table:table-cell office:value-type="string"><text:p>{text}</text:p></table:table-cell>' for text in texts
    )


def test_an_open_workbook_tells_beside_each_number_what_is_shown() -> None:
    """Beginning beside and below the corner, with repeated cells and rows and a note on a cell."""
    note = "<office:annotation><text:p>Was 3.00 in 2025</text:p></office:annotation>"
    sheet = (
        '<table:table-header-rows><table:table-row table:number-rows-repeated="2"><table:table-cell/></table:table-row>'
        f'<table:table-row><table:table-cell table:number-columns-repeated="2"/>'
        f"{words('Price', 'Code', 'Share', 'Half', 'Twice', 'Again')}</table:table-row></table:table-header-rows>"
        '<table:table-row table:number-rows-repeated="2"><table:table-cell table:number-columns-repeated="2"/>'
        + cell(2.5, "2,50 <text:span>€</text:span>", "currency", said=note)
        + cell(1067, "01067")
        + cell(0.125, "12,5 %", "percentage")
        + cell(0.5, "1/2")
        + cell(1234.5, "1.234,50", more='table:number-columns-repeated="2"')
        + "</table:table-row><table:table-row><table:covered-table-cell/><table:table-cell/>"
        + cell(0, "0,00 €", "currency")
        + cell(7, "00007")
        + "</table:table-row>"
    )
    table = read_table(of_office(sheet), "t.ods")
    prices = ["2.50", "01067", "12.5%", "0.5", "1234.50", "1234.50"]
    assert [row[:6] for row in table.rows] == [prices, prices, ["0.00", "00007", "", "", "", ""]]


@pytest.mark.parametrize(
    ("value", "shown", "said"),
    [
        (1234.5, "1 234,50", "1234.50"),
        (1234567, "1'234'567", "1234567"),
        (1000, "1.000", "1000"),
        (1, "1.000", "1.000"),
        (-2.5, "−2,5", "-2.5"),
        (0, "0", "0"),
        (0.999, "1,0", "1.0"),
        (12.5, "١٢٫٥٠", "12.50"),
        (5, "５.0", "5.0"),
    ],
)
def test_digits_are_found_in_what_is_shown_in_any_language(value: float, shown: str, said: str) -> None:
    digits = shown_of(value, shown)
    assert digits is not None and digits.said(value) == said


@pytest.mark.parametrize(
    ("value", "shown"), [(0.5, "1/2"), (1200, "1.2E+03"), (5, ""), (5, "###"), (3, "III"), (2, "1")]
)
def test_what_is_not_the_number_says_nothing_of_its_digits(value: float, shown: str) -> None:
    assert shown_of(value, shown) is None


def test_an_older_workbook_tells_by_its_formats() -> None:
    """Written by xlwt. Each number as it shows; those without a format and days are as they are kept."""
    book = xlwt.Workbook()
    sheet = book.add_sheet("Prices")
    euros, code, day = (xlwt.easyxf(num_format_str=one) for one in ('#,##0.00 "€"', "00000", "dd.mm.yyyy"))
    for column, title in enumerate(["Price", "Code", "Mixed", "Plain", "Day"], 1):
        sheet.write(2, column, title)
    for row, (price, postal) in zip((3, 5, 6), [(2.5, 1067), (1234.0, 80331), (0.125, 7)], strict=True):
        sheet.write(row, 1, price, euros)
        sheet.write(row, 2, postal, code)
        sheet.write(row, 3, price, *([euros] if row == 3 else []))
        sheet.write(row, 4, price)
        sheet.write(row, 5, 46085, day)
    out = io.BytesIO()
    book.save(out)
    assert read_table(out.getvalue(), "t.xls").rows == [
        ["2.50", "01067", "2.50", "2.5", "2026-03-04"],
        ["1234.00", "80331", "1234", "1234", "2026-03-04"],
        ["0.13", "00007", "0.125", "0.125", "2026-03-04"],
    ]


def test_a_damaged_workbook_that_one_library_reads_has_its_numbers_as_they_are() -> None:
    """The mark of the order of its bytes is wrong, which the library that knows formats refuses."""
    book = xlwt.Workbook()
    sheet = book.add_sheet("Prices")
    sheet.write(0, 0, 2.5, xlwt.easyxf(num_format_str="0.00"))
    sheet.write(0, 1, "Ann")
    out = io.BytesIO()
    book.save(out)
    content = out.getvalue()
    assert read_table(content, "t.xls", TableWish(header=False)).rows == [["2.50", "Ann"]]
    assert content[28:30] == b"\xfe\xff"
    damaged = content[:28] + b"\xfe\x00" + content[30:]
    assert read_table(damaged, "t.xls", TableWish(header=False)).rows == [["2.5", "Ann"]]
