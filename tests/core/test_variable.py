"""Rows of data: what expressions say, serials and their check characters, how a table is read, what a copy shows."""

import io
import struct
from datetime import date, datetime
from decimal import Decimal
from typing import Any

import pytest
import xlsxwriter
from hypothesis import given
from hypothesis import strategies as st

from etiquette.core.errors import JobError
from etiquette.core.variable.checking import check_rows
from etiquette.core.variable.codes import QUIET, placed, symbol
from etiquette.core.variable.expressions import CannotSay, read_expression, read_template
from etiquette.core.variable.fields import Box, CodeField, FieldSet, PictureField, TextField
from etiquette.core.variable.filling import DrawnCode, DrawnGlyphs, FilledCopy, Filling
from etiquette.core.variable.fonts import FontShelf
from etiquette.core.variable.serials import CHECKS, Serial
from etiquette.core.variable.tables import TableWish, column_names, found_delimiter, kind_of, read_table

TODAY = date(2026, 11, 29)
ROW = {"Name": "Ann Hale", "Size": "3", "Price": "1,50", "Best before": "2026-01-31", "Nothing": ""}


def said(source: str, row: dict[str, str] = ROW) -> str:
    return read_template(source, list(row), "field").said(row, TODAY)


@pytest.mark.parametrize(
    ("source", "words"),
    [
        ("{Name}", "Ann Hale"),
        ("For {name}, size { SIZE }", "For Ann Hale, size 3"),
        ("{Best before}", "2026-01-31"),
        ("{show_day(`Best before`, 'DD.MM.YY')}", "31.01.26"),
        ("{Name[:1] & '. ' & Name[4:]}", "A. Hale"),
        ("{Name[-1]}{Name[99]}", "e"),
        ("{Size * 2 + 1}", "7"),
        ("{Price * 3}", "4.5"),
        ("{fixed(Price * 3, 2)}", "4.50"),
        ("{0.1 + 0.2}", "0.3"),
        ("{7 // 2} {7 % 2} {1 / 8}", "3 1 0.125"),
        ("{pad(Size, 4)}|{pad(Size, 3, '-')}", "0003|--3"),
        ("{upper(Name)} {length(Name)}", "ANN HALE 8"),
        ("{'L' if Size > 10 else 'S'}", "S"),
        ("{'yes' if Name == 'ANN HALE' and Size in '123' else 'no'}", "yes"),
        ("{show_day(months_on(`Best before`, 1), 'YYYY-MM-DD')}", "2026-02-28"),
        ("{days_on(today, 30)} {show_day(today, 'DDD WW')}", "2026-12-29 333 48"),
        ("{{Name}} }}", "{Name} }"),
        ("{replace(Name, ' ', '_')}{Nothing}", "Ann_Hale"),
        ("{trim('  a   b ')}", "a b"),
    ],
)
def test_what_an_expression_says(source: str, words: str) -> None:
    assert said(source) == words


@pytest.mark.parametrize(
    "source",
    [
        "{Name.upper()}", "{__import__('os')}", "{open('x')}", "{[1 for _ in Name]}", "{lambda: 1}", "{Name",
        "Name}", "{Nome}", "{2 ** 9}", "{(1).real}", "{f'{Name}'}", "{`No such` & 'x'}", "{1 +}", "{None}",
        "{upper(Name, x=1)}", "{'a' * 5 @ 3}", "{1e400}", "{" + "+".join(["1"] * 400) + "}", "x" * 2001,
    ],
)  # fmt: skip
def test_what_is_no_expression_is_refused_before_any_row(source: str) -> None:
    with pytest.raises(JobError) as refused:
        read_template(source, list(ROW), "Name field")
    assert refused.value.where == "Name field"


@pytest.mark.parametrize(
    ("source", "why"),
    [
        ("{Name + 1}", "“Ann Hale” is not a number"),
        ("{1 / (Size - 3)}", "the sum cannot be worked out"),
        ("{day('31.02.2026')}", "there is no such day"),
        ("{show_day(Name, 'YY')}", "“Ann Hale” is not a day"),
        ("{upper()}", "upper takes 1 values"),
        ("{" + "replace(" * 20 + "Name" + ",'n','nnnnnnnnnn')" * 20 + "}", "longer than 8000 characters"),
        ("{days_on(today, 99999999)}", "cannot be used|can be used"),
    ],
)
def test_what_cannot_be_said_of_a_row_is_a_sentence(source: str, why: str) -> None:
    with pytest.raises(CannotSay, match=why):
        said(source)


@given(st.text(max_size=40))
def test_nothing_typed_breaks_the_reader(source: str) -> None:
    """Whatever is typed is read, or refused in a sentence; what is read says words, or why it cannot."""
    try:
        words = read_template("{" + source + "}", list(ROW), "f").said(ROW, TODAY)
    except (JobError, CannotSay):
        return
    assert isinstance(words, str)


def test_a_column_of_an_odd_name_is_itself_and_not_a_sum() -> None:
    row = {"a-b": "7", "a": "1", "b": "2", "__0": "9"}
    assert said("{a-b} {`a-b` & a} {a + b}", row) == "7 71 3"
    assert said("{__0 & `a-b`}", {"a-b": "7"} | {"__0": "9"}) == "97"


# --- serials


@pytest.mark.parametrize(
    ("kind", "text", "check"),
    [
        ("mod 10", "629104150021", "3"),  # GS1's own example of a GTIN-13, from memory
        ("luhn", "7992739871", "3"),  # the usual example, from memory
        ("mod 11", "030640615", "2"),  # ISBN 0-306-40615-2, from memory
        ("mod 43", "CODE 39", "R"),  # 12+24+13+14+38+3+9 = 113 = 2·43 + 27
        ("mod 11-2", "0794", "0"),  # ISO/IEC 7064, from memory
        ("mod 11-2", "000000012146438", "X"),  # an ISNI, ISO 27729, from memory
        ("mod 97-10", "794", "44"),  # ISO/IEC 7064, from memory
        ("mod 11,10", "0794", "5"),  # ISO/IEC 7064, from memory
        ("mod 37,36", "A12425GABC1234002", "M"),  # GRid, from memory
        ("mod 37-2", "G123498654321", "H"),  # ISBT 128, from memory
    ],
)
def test_check_characters_of_published_examples(kind: Any, text: str, check: str) -> None:
    assert CHECKS[kind](text) == check


@pytest.mark.parametrize("kind", ["mod 11-2", "mod 37-2", "mod 97-10", "mod 11,10", "mod 37,36", "mod 11", "luhn"])
@given(data=st.data())
def test_a_digit_that_is_mistyped_is_found(kind: Any, data: st.DataObject) -> None:
    text = data.draw(st.text("0123456789", min_size=2, max_size=8))
    place = data.draw(st.integers(0, len(text) - 1))
    other = data.draw(st.sampled_from("0123456789").filter(lambda one: one != text[place]))
    assert CHECKS[kind](text) != CHECKS[kind](text[:place] + other + text[place + 1 :])


def test_a_serial_counts_with_its_row() -> None:
    serial = Serial("No", start=98, step=2, width=3, prefix="E-", suffix="/26")
    assert [serial.of(row) for row in (1, 2)] == ["E-098/26", "E-100/26"]
    with pytest.raises(CannotSay, match="1000 is wider than 3 digits"):
        serial.of(452)
    with pytest.raises(CannotSay, match="below 0"):
        Serial("No", start=3, step=-2).of(3)
    assert Serial("G", start=133393, prefix="400638", check="mod 10").of(1) == "4006381333931"  # GTIN-13, from memory
    assert Serial("G", 5, prefix="LOT-", check="mod 10", covers="digits").of(1) == "LOT-55"
    with pytest.raises(CannotSay, match="characters that mod 10 does not know"):
        Serial("G", 5, prefix="LOT-", check="mod 10").of(1)


# --- tables


def test_a_table_of_another_country_is_read_as_it_is() -> None:
    text = 'Name;Nr;Preis;Tag\nMüller;00012;1,50;3.11.2026\n"a;""b""";7;2,00;4.11.2026\n\nzu;kurz\n'
    table = read_table(text.encode("cp1252"), "t.csv")
    assert (table.encoding, table.delimiter, table.header) == ("cp1252", ";", True)
    assert [(one.name, one.kind) for one in table.columns] == [
        ("Name", "words"), ("Nr", "words"), ("Preis", "numbers"), ("Tag", "days"),
    ]  # fmt: skip
    assert table.rows == [["Müller", "00012", "1,50", "3.11.2026"], ['a;"b"', "7", "2,00", "4.11.2026"],
                          ["zu", "kurz", "", ""]]  # fmt: skip
    assert [(one.row, one.why) for one in table.odd] == [(3, "It has 2 cells where the table has 4 columns.")]


@pytest.mark.parametrize("encoding", ["utf-8", "utf-8-sig", "utf-16", "utf-16-le", "cp1251", "shift_jis"])
def test_encodings_are_found(encoding: str) -> None:
    words = {"cp1251": "Пётр Иванович живёт в Твери", "shift_jis": "東京都千代田区の鈴木さん"}.get(
        encoding, "Żółć, Åse, Пётр"
    )
    text = "name\tplace\n" + "".join(f"{words}\trow {number}\n" for number in range(8))
    assert read_table(text.encode(encoding), "t").rows[0] == [words, "row 0"]


def test_an_encoding_that_is_said_holds_or_is_refused_with_the_line() -> None:
    content = "a,b\n1,x\n2,é\n".encode("cp1252")
    with pytest.raises(JobError, match=r"Line 3 is not written in utf-8\."):
        read_table(content, "t", TableWish(encoding="utf-8"))
    assert read_table(content, "t", TableWish(encoding="iso8859-2")).rows[1] == ["2", "é"]


@pytest.mark.parametrize("delimiter", [",", ";", "\t", "|"])
def test_delimiters_are_found_beside_others_in_the_cells(delimiter: str) -> None:
    assert found_delimiter("".join(f'"a,b;{n}"{delimiter}x{delimiter}"1,5"\n' for n in range(5))) == delimiter


def test_a_header_is_found_and_names_are_all_different() -> None:
    assert read_table(b"1,2\n3,4\n", "t").header is False
    assert [one.name for one in read_table(b"1,2\n3,4\n", "t").columns] == ["Column 1", "Column 2"]
    assert read_table(b"no,name\n1,x\n", "t").header
    assert read_table(b"x,y\nx,z\n", "t").header is False  # the first row stands again below
    assert read_table(b"no,name\n1,x\n", "t", TableWish(header=False)).rows[0] == ["no", "name"]
    assert column_names(["a", "A", "", "a `b`"]) == ["a", "A 2", "Column 3", "a 'b'"]


@pytest.mark.parametrize(
    ("cell", "kind"),
    [("007", "words"), ("0", "whole numbers"), ("-3", "whole numbers"), ("1.5", "numbers"), (",5", "numbers"),
     ("1,2,3", "words"), ("2026-01-05", "days"), ("5.1.2026", "days"), ("", "empty"), ("+", "words")],
)  # fmt: skip
def test_kinds_of_cells(cell: str, kind: str) -> None:
    assert kind_of(cell) == kind


def test_lines_may_end_in_a_carriage_return_alone() -> None:
    """As programs on old machines saved them, and some still offer."""
    table = read_table(b"no;name\r1;Ann\r2;Bo\r", "t.csv")
    assert (table.delimiter, table.header, table.rows) == (";", True, [["1", "Ann"], ["2", "Bo"]])


@pytest.mark.parametrize("word", ["café", "5 € ©", "Nº 7"])
def test_a_letter_by_itself_is_no_sign_of_another_script(word: str) -> None:
    content = f"a,b\n1,{word}\n2,x\n".encode("cp1252")
    table = read_table(content, "t.csv")
    assert (table.encoding, table.rows[0]) == ("cp1252", ["1", word])


def test_a_title_above_a_table_is_passed_over() -> None:
    """Two rows of words, an empty one, and then the names of the columns; where the table begins can be said."""
    content = b"Orders of May,,\nas of 3 June,,\n,,\nno,name,pieces\n1,Ann,20\n2,Bo,30\n"
    table = read_table(content, "t.csv")
    assert (table.begins, table.header, table.rows) == (3, True, [["1", "Ann", "20"], ["2", "Bo", "30"]])
    whole = read_table(content, "t.csv", TableWish(begins=1))
    assert whole.header is False and len(whole.rows) == 5
    later = read_table(content, "t.csv", TableWish(begins=4, header=False))
    assert later.rows == table.rows
    with pytest.raises(JobError, match=r"^There are no rows in this table from row 9 on\."):
        read_table(content, "t.csv", TableWish(begins=9))
    sparse = read_table(b"Ann,,\nBo,,\nCy,x,1\nDi,y,2\nEd,z,3\n", "t.csv")
    assert sparse.begins == 1 and len(sparse.rows) == 5  # no names stand below: nothing is passed over


@pytest.mark.parametrize("content", [b"", b"\n\n", b"a,b\n", b"\x89PNG\r\n\0\0", b"PK\x03\x04 no book", b'a,"b\n' * 3])
def test_what_is_no_table_is_a_sentence_or_a_table_with_odd_rows(content: bytes) -> None:
    try:
        table = read_table(content, "t.csv")
    except JobError as error:
        assert error.what.endswith(".")
        assert error.do
    else:
        assert table.rows


def test_a_column_knows_what_is_empty_and_double() -> None:
    table = read_table(b"id,name\n1,a\n2,\n2,a\n3,b\n", "t")
    assert [(one.empty, one.double, one.most) for one in table.columns] == [(0, 1, 1), (1, 1, 1)]


# --- copies


def filled(field: Any, row: dict[str, str], **more: Any) -> FilledCopy:
    return Filling(FieldSet((field,), **more), list(row), FontShelf(), TODAY, ["Kite.png"]).filled(1, row)


def test_a_text_shrinks_until_it_fits_and_no_further() -> None:
    field = TextField("T", Box(0, 0, 24, 10), "{A}", size_pt=12, least_pt=6)
    short, long = filled(field, {"A": "Kite"}), filled(field, {"A": "Kite club of the north"})
    assert short.measures[0].size_pt == 12
    assert 6 < (long.measures[0].size_pt or 0) < 12
    assert not long.troubles
    (run,) = [one for one in long.drawn if isinstance(one, DrawnGlyphs)]
    end = run.x_mm + (run.glyphs[-1].x + run.glyphs[-1].advance) * run.size_mm
    assert end == pytest.approx(24, abs=0.01)  # as wide as the box
    too_long = filled(field, {"A": "Kite club of the north and of all the coasts"})
    assert "mm wide at 6.0 pt, the least that was asked, where there are 24.0 mm." in too_long.troubles[0].why


def test_a_text_that_wraps_fills_its_box_from_the_top() -> None:
    field = TextField("T", Box(0, 0, 30, 20), "{A}", size_pt=10, fit="wrap", upright="top")
    copy = filled(field, {"A": "several words that need more than one line"})
    heights = sorted({round(one.y_mm, 3) for one in copy.drawn if isinstance(one, DrawnGlyphs)}, reverse=True)
    assert len(heights) >= 2
    assert heights[0] - heights[1] == pytest.approx(1.2 * 10 * 25.4 / 72, abs=0.002)
    assert not copy.troubles


def test_a_text_is_turned_about_the_middle_of_its_box() -> None:
    plain = TextField("T", Box(10, 20, 30, 8), "{A}", align="left")
    turned = TextField("T", Box(10, 20, 30, 8, 180), "{A}", align="left")
    (a,), (b,) = filled(plain, {"A": "Kite"}).drawn, filled(turned, {"A": "Kite"}).drawn
    assert isinstance(a, DrawnGlyphs)
    assert isinstance(b, DrawnGlyphs)
    assert (a.x_mm + b.x_mm, a.y_mm + b.y_mm) == pytest.approx((50, 48))  # twice the middle (25, 24)


def test_letters_on_a_curve_stand_on_its_circle() -> None:
    field = TextField("T", Box(0, 0, 40, 10), "{A}", size_pt=10, curve_mm=30, align="centre")
    copy = filled(field, {"A": "round and round"})
    for one in copy.drawn:
        assert isinstance(one, DrawnGlyphs)
        half = one.glyphs[0].advance / 2 * one.size_mm
        from math import cos, hypot, radians, sin

        foot = (one.x_mm + half * cos(radians(one.turn_deg)), one.y_mm + half * sin(radians(one.turn_deg)))
        assert hypot(foot[0] - 20, foot[1] - (5 - 30)) == pytest.approx(30, abs=1e-6)
    turns = [one.turn_deg for one in copy.drawn if isinstance(one, DrawnGlyphs)]
    assert turns == sorted(turns, reverse=True)  # arched: it leans further to the right, letter by letter


def test_a_letter_that_no_font_has_is_named() -> None:
    copy = filled(TextField("T", Box(0, 0, 40, 10), "{A}"), {"A": "Kite \U000130c0"})
    assert copy.troubles[0].why == "No font that is there has “\U000130c0” (U+130C0)."


def test_modules_are_whole_dots_and_as_large_as_the_box_allows() -> None:
    made = symbol("data matrix", "E0000012")
    across = made.modules.shape[1] + 2 * QUIET["data matrix"][0]
    place = placed(made, 12.0, 12.0, dpi=300)
    dot = 25.4 / 300
    assert place.module_mm == pytest.approx(place.dots * dot)
    assert place.module_mm * across <= 12.0 < (place.dots + 1) * dot * across
    with pytest.raises(CannotSay, match=r"too many for 1\.0 mm"):
        placed(made, 1.0, 1.0, dpi=300)


@pytest.mark.parametrize(
    ("kind", "content", "why"),
    [
        ("ean-13", "629104150021X", "made of digits"),
        ("ean-13", "62910415", "has 8 digits; EAN-13 has 13"),
        ("ean-13", "6291041500214", "check digit"),
        ("itf-14", "15400141288764", "has the check digit 4 where 3 belongs"),
        ("code 39", "kite", "capital letters"),
        ("code 128", "東", "does not know"),
        ("qr", "x" * 3500, "cannot be QR code"),
        ("data matrix", "", "nothing to put"),
        ("gs1-128", "0109501101530003", "no GS1 string"),
        ("gs1 data matrix", "(01)09501101530004", "check digit 4 where 3 belongs"),
        ("gs1 data matrix", "(17)261301", "no day"),
        ("gs1 data matrix", "(01)0950110153000", "must have 14 digits"),
        ("gs1-128", "(10)", "holds nothing"),
        ("gs1-128", "(21)" + "9" * 21, "longer than 20"),
        ("gs1-128", "(21)ü", "characters that GS1 strings do not know"),
    ],
)
def test_what_cannot_be_a_code_is_a_sentence(kind: Any, content: str, why: str) -> None:
    with pytest.raises(CannotSay, match=why):
        symbol(kind, content)


def test_fields_are_hidden_left_empty_and_missing_by_their_rules() -> None:
    hidden = TextField("T", Box(0, 0, 20, 8), "{A}", shown_if="{A}" and "A != 'no'")
    assert filled(hidden, {"A": "no"}).drawn == ()
    assert filled(hidden, {"A": "yes"}).drawn
    empty = TextField("T", Box(0, 0, 20, 8), "{A}")
    assert filled(empty, {"A": " "}).troubles[0].why == "It is empty."
    assert not filled(TextField("T", Box(0, 0, 20, 8), "{A}", may_be_empty=True), {"A": ""}).troubles
    assert filled(PictureField("P", Box(0, 0, 9, 9), "{A}"), {"A": "kite.PNG"}).drawn  # whatever the case
    assert (
        "no picture “bird.png”" in filled(PictureField("P", Box(0, 0, 9, 9), "{A}"), {"A": "bird.png"}).troubles[0].why
    )


def test_every_row_is_looked_at_and_doubles_name_the_first() -> None:
    fields = FieldSet(
        (CodeField("Code", Box(0, 0, 14, 14), "{Id}", unique=True), TextField("Name", Box(0, 0, 20, 5), "{Name}")),
        (Serial("No", width=1),),
    )
    rows = [("a1", "Kite"), ("a2", "Kite club of the whole north coast"), ("a1", "Bo"), ("x" * 24, "")]
    named = [(number, {"Id": one, "Name": two}) for number, (one, two) in enumerate(rows, 1)]
    checked = check_rows(Filling(fields, ["Id", "Name"], FontShelf(), TODAY), named, fields)
    told = {(one.row, one.field): one.why for one in checked.troubles}
    assert told[3, "Code"] == "“a1” stands in row 1 already."
    assert told[4, "Name"] == "It is empty."
    assert (2, "Name") in told
    assert checked.bad == (2, 3, 4)
    assert (checked.rows, checked.count) == (4, 3)
    worst = {measure.field: row for row, measure in checked.worst}
    assert worst == {"Code": 4, "Name": 2}  # the densest code, the smallest letters
    assert {measure.field: row for row, measure in checked.longest} == {"Code": 4, "Name": 2}


def test_a_serial_that_overflows_stops_the_rows_that_use_it_alone() -> None:
    fields = FieldSet(
        (TextField("No", Box(0, 0, 20, 8), "{No}"), TextField("Name", Box(0, 9, 20, 8), "{A}")),
        (Serial("No", start=9, width=1),),
    )
    filling = Filling(fields, ["A"], FontShelf(), TODAY)
    assert not filling.filled(1, {"A": "x"}).troubles
    second = filling.filled(2, {"A": "x"})
    assert [(one.field, one.why) for one in second.troubles] == [("No", "The serial 10 is wider than 1 digits.")]
    assert len(second.drawn) == 1


def test_a_workbook_says_what_it_saved_and_runs_nothing() -> None:
    """Written by XlsxWriter: a formula whose saved value is 7, whatever it would say now."""
    out = io.BytesIO()
    with xlsxwriter.Workbook(out, {"in_memory": True}) as book:
        sheet = book.add_worksheet("May")
        sheet.write_row(0, 0, ["No", "Sum", "Day", "Code"])
        sheet.write_number(1, 0, 12)
        sheet.write_formula(1, 1, "=1+1", None, 7)
        sheet.write_datetime(1, 2, datetime(2026, 1, 31), book.add_format({"num_format": "dd.mm.yy"}))
        sheet.write_string(1, 3, "007")
        book.add_worksheet("June").write_row(0, 0, ["a", "b"])
    table = read_table(out.getvalue(), "t.xlsx")
    assert (table.sheets, table.sheet, table.rows) == (("May", "June"), "May", [["12", "7", "2026-01-31", "007"]])
    assert [one.kind for one in table.columns] == ["whole numbers", "whole numbers", "days", "words"]
    assert read_table(out.getvalue(), "t.xlsx", TableWish(sheet="June")).rows == [["a", "b"]]


def test_numbers_of_a_workbook_have_the_digits_that_it_shows() -> None:
    """Written by XlsxWriter, beginning beside and below the corner, with an empty row. Each number as it shows, what a
    formula said last too; those without a format and days are as they are kept."""
    out = io.BytesIO()
    with xlsxwriter.Workbook(out, {"in_memory": True}) as book:
        sheet = book.add_worksheet()
        euros, code, day = (book.add_format({"num_format": one}) for one in ('#,##0.00 "€"', "00000", "dd.mm.yyyy"))
        sheet.write_row(2, 1, ["Price", "Code", "Mixed", "Plain", "Day", "Twice"])
        for row, (price, postal) in zip((3, 5, 6), [(2.5, 1067), (1234.0, 80331), (0.125, 7)], strict=True):
            sheet.write_number(row, 1, price, euros)
            sheet.write_number(row, 2, postal, code)
            sheet.write_number(row, 3, price, euros if row == 3 else None)
            sheet.write_number(row, 4, price)
            sheet.write_datetime(row, 5, datetime(2026, 3, 4), day)
            sheet.write_formula(row, 6, f"=B{row + 1}*2", euros, price * 2)
    table = read_table(out.getvalue(), "t.xlsx")
    assert table.rows == [
        ["2.50", "01067", "2.50", "2.5", "2026-03-04", "5.00"],
        ["1234.00", "80331", "1234", "1234", "2026-03-04", "2468.00"],
        ["0.13", "00007", "0.125", "0.125", "2026-03-04", "0.25"],
    ]


def test_a_workbook_begins_at_its_first_sheet_that_holds_anything() -> None:
    out = io.BytesIO()
    with xlsxwriter.Workbook(out, {"in_memory": True}) as book:
        book.add_worksheet("Cover")
        book.add_worksheet("Names").write_row(0, 0, ["Ann", "Bo"])
    table = read_table(out.getvalue(), "t.xlsx")
    assert (table.sheets, table.sheet, table.rows) == (("Cover", "Names"), "Names", [["Ann", "Bo"]])
    with pytest.raises(JobError, match="no rows"):
        read_table(out.getvalue(), "t.xlsx", TableWish(sheet="Cover"))


def test_numbers_of_a_workbook_are_said_as_it_shows_them() -> None:
    """It keeps fifteen digits: a code of eighteen that was typed as a number has lost its last, and is told."""
    out = io.BytesIO()
    with xlsxwriter.Workbook(out, {"in_memory": True}) as book:
        sheet = book.add_worksheet()
        for row, number in enumerate([0.1 + 0.2, 0.00001, 1.5, 999_999_999_999_999, 340_123_450_000_000_018]):
            sheet.write_number(row, 0, number)
    table = read_table(out.getvalue(), "t.xlsx", TableWish(header=False))
    assert [row[0] for row in table.rows[:4]] == ["0.3", "0.00001", "1.5", "999999999999999"]
    assert table.rows[4][0].isdigit() and len(table.rows[4][0]) == 18
    (column,) = table.columns
    assert (column.rounded, table.odd_count) == (1, 0)
    fields = FieldSet((TextField("No", Box(0, 0, 80, 6), "{Column 1}"),), ())
    filling = Filling(fields, ["Column 1"], FontShelf(), TODAY, rounded=["Column 1"])
    assert not filling.filled(4, {"Column 1": table.rows[3][0]}).troubles
    (trouble,) = filling.filled(5, {"Column 1": table.rows[4][0]}).troubles
    assert "more digits than a workbook keeps" in trouble.why
    text = Filling(fields, ["Column 1"], FontShelf(), TODAY)  # as text all digits are there
    assert not text.filled(5, {"Column 1": "340123450000000018"}).troubles


def test_a_formula_without_an_answer_is_told() -> None:
    """Where a field says it: what is not printed may be as it is."""
    table = read_table(b"no,name\n1,Ann\n2,#N/A\n", "t.csv")
    row = dict(zip(("no", "name"), table.rows[1], strict=True))
    for says, told in (("{name}", ["A formula had no answer there: #N/A."]), ("{no}", [])):
        fields = FieldSet((TextField("Who", Box(0, 0, 80, 6), says),), ())
        troubles = Filling(fields, ["no", "name"], FontShelf(), TODAY).filled(2, row).troubles
        assert [one.why for one in troubles] == told


def test_a_workbook_with_a_password_is_called_that() -> None:
    """The container of an encrypted workbook ([MS-CFB], [MS-OFFCRYPTO] 2.3: a stream EncryptedPackage), empty else."""
    free, end, none = 0xFFFFFFFF, 0xFFFFFFFE, 0xFFFFFFFF
    header = b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1" + bytes(16) + struct.pack("<5H6x", 0x3E, 3, 0xFFFE, 9, 6)
    header += struct.pack("<10I", 0, 1, 1, 0, 4096, end, 0, end, 0, 0) + struct.pack("<I", free) * 108
    table = struct.pack("<2I", 0xFFFFFFFD, end) + struct.pack("<I", free) * 126

    def entry(name: str, kind: int, child: int) -> bytes:
        letters = name.encode("utf-16-le")
        head = letters.ljust(64, b"\0") + struct.pack("<HBB3I", len(letters) + 2, kind, 1, none, none, child)
        return head + bytes(36) + struct.pack("<IQ", end, 0)

    folder = entry("Root Entry", 5, 1) + entry("EncryptedPackage", 2, none) + bytes(256)
    with pytest.raises(JobError, match="locked with a password"):
        read_table(header + table + folder, "t.xlsx")
    with pytest.raises(JobError, match="cannot be read"):
        read_table(header, "t.xlsx")


def test_numbers_and_expressions_keep_their_figures() -> None:
    assert read_expression("0.1 * 3", [], "f").value({}, TODAY) == Decimal("0.3")
    box = filled(CodeField("C", Box(0, 0, 20, 6), "{A}", kind="code 128"), {"A": "12345678"}).drawn[0]
    assert isinstance(box, DrawnCode)
    assert box.place.height_mm == 6
