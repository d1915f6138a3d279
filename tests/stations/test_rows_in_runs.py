"""Copies keep their row: through nesting, print files, spoiling and printing again; read from the plates by another
program (zxing-cpp)."""

import csv
import io
from dataclasses import replace
from datetime import timedelta
from io import BytesIO
from itertools import groupby
from pathlib import Path
from typing import Any

import numpy as np
import pikepdf
import pypdfium2 as pdfium
import pytest
import zxingcpp
from PIL import Image
from sqlalchemy import select, update
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session

from etiquette.core.cutting.motion import Motion
from etiquette.core.errors import JobError, NotThere
from etiquette.core.printing.pdf_parts import fonts_not_in_file
from etiquette.core.variable.codes import symbol
from etiquette.demo.ink_profile import profile
from etiquette.files.documents.runs import FilledDocument
from etiquette.intake import job_saving
from etiquette.stations import edits, finished, line_finding, run_edits, runs, whole
from etiquette.stations.bench import counting, row_codes
from etiquette.stations.bench.cut_progress import motion_of
from etiquette.stations.copies import RowState, give, has_its_rows, ranges_of, rows_seen
from etiquette.stations.lines import rows as rows_at_lines
from etiquette.stations.lines import taking_in
from etiquette.stations.lines.rows_views import report_csv
from etiquette.stations.machines import CutterHere
from etiquette.stations.plate_sets import lines_of_plate, plates_of
from etiquette.stations.print import plating
from etiquette.stations.print.preflight import preflight
from etiquette.stations.run import nesting
from etiquette.stations.shelf import profiles
from etiquette.stations.shop import Shop
from etiquette.store.blobs import Blobs
from etiquette.store.models import DataTable, Design, InkColour, Job, Plate, PrintMode, Run, Sheet, now
from etiquette.store.states import SheetState
from tests.stations.shop_floor import do, emptied, fill_shelf, take_in_job

CODE = {"what": "code", "name": "Code", "says": "{No}", "x_mm": 24, "y_mm": 3, "width_mm": 14, "height_mm": 14}
NAME = {"what": "text", "name": "Name", "says": "{Name}", "x_mm": 2, "y_mm": 8, "width_mm": 20, "height_mm": 5}
TABLE = "No,Name\n" + "".join(f"K-{number:03},Bell {number}\n" for number in range(1, 9))


@pytest.fixture
def design(shop: Shop) -> int:
    """A plate of 40 × 20 mm with eight rows, of which the third is left out."""
    shop.database.within(fill_shelf)
    return filled(shop, (232, 226, 210), left_out=[3])


def filled(shop: Shop, colour: tuple[int, int, int], **rows: Any) -> int:
    out = BytesIO()
    Image.new("RGB", (400, 200), colour).save(out, "PNG")
    wanted = {"width_mm": 40.0, "due_count": 8, "ready": True, "follow": "page", "offset_mm": 0.0}
    (made,) = taking_in.take_in(shop, out.getvalue(), "plate.png", None, wanted)
    do(shop, line_finding.find_lines, design_id=made)
    revision = shop.database.within(lambda session: edits.locked(session, "design", made).revision)
    rows_at_lines.take_table(shop, made, revision, TABLE.encode(), "bells.csv")
    put(shop, made, fields=[CODE, NAME], **rows)
    return made


def put(shop: Shop, design: int, **changes: Any) -> None:
    def changed(session: Any) -> None:
        rows = edits.locked(session, "design", design).document.rows
        held = rows.model_dump(mode="json") if rows else {}
        edits.apply(session, "design", design, None, "rows", {"rows": {**held, **changes}})

    shop.database.within(changed)


def nested(shop: Shop, design: int, count: int, **settings: Any) -> int:
    run = shop.database.within(
        lambda session: run_edits.create(session, "Bells", [{"design_id": design, "count": count}])
    )
    if settings:
        shop.database.within(lambda session: run_edits.change(session, run, None, "settings", settings))
    do(shop, nesting.nest_run, run_id=run, steps=1)
    return run


def plated(shop: Shop, run: int) -> list[int]:
    return list(do(shop, plating.make_plates, run_id=run)["plate_ids"])


def summary(shop: Shop, plate: int) -> Any:
    return shop.database.within(lambda session: session.get_one(Plate, plate).summary)


def codes_by_height(shop: Shop, plate: int) -> list[tuple[float, float, str]]:
    """(y, x, words) of every code on a plate, mm from its lower left: what another program reads from its pixels."""
    sha = shop.database.within(lambda session: session.get_one(Plate, plate).pdf_sha)
    document = pdfium.PdfDocument(shop.blobs.read(sha))
    page = document[0].render(scale=300 / 72).to_pil().convert("L")
    document.close()
    found = []
    for one in zxingcpp.read_barcodes(np.asarray(page), formats=zxingcpp.BarcodeFormat.DataMatrix):
        if one.text.startswith("K-"):
            middle = (one.position.top_left.x + one.position.bottom_right.x) / 2
            down = (one.position.top_left.y + one.position.bottom_right.y) / 2
            found.append(((page.height - down) / 300 * 25.4, middle / 300 * 25.4, one.text))
    return sorted((round(y), round(x), words) for y, x, words in found)


def cut(shop: Shop, plate: int, name: str) -> int:
    """A print of the plate that is cut, as if it had gone all the way."""

    def made(session: Any) -> int:
        sheet = Sheet(plate_id=plate, name=name, pieces=session.get_one(Plate, plate).summary.pieces)
        sheet.state = SheetState.HELD
        session.add(sheet)
        session.flush()
        for state in (SheetState.PRINTING, SheetState.PRINTED, SheetState.LOADED, SheetState.READ, SheetState.CUT):
            sheet.state = state
        return sheet.id

    return int(shop.database.within(made))


def states(shop: Shop, design: int) -> dict[int, str]:
    def seen(session: Any) -> dict[int, str]:
        rows = rows_at_lines.rows_here(shop, session, design)
        return {row: one.state.value for row, one in rows_seen(session, design, rows).items()}

    return shop.database.within(seen)


def test_rows_come_off_the_printer_in_their_order(shop: Shop, design: int) -> None:
    (plate,) = plated(shop, nested(shop, design, 6))
    read = codes_by_height(shop, plate)
    assert [words for _, _, words in read] == ["K-001", "K-002", "K-004", "K-005", "K-006", "K-007"]  # 3 is left out
    note = summary(shop, plate)
    assert sorted(note.rows) == [1, 2, 4, 5, 6, 7]
    assert len(note.rows) == len(note.placed) == 6
    assert (note.codes.there, note.codes.looked, note.codes.unread_count) == (6, 6, 0)


def test_the_last_row_is_printed_first_where_the_roll_runs_that_way(shop: Shop, design: int) -> None:
    (plate,) = plated(shop, nested(shop, design, 6, rows_from="tail"))
    read = [words for _, _, words in codes_by_height(shop, plate)]
    assert read == ["K-007", "K-006", "K-005", "K-004", "K-002", "K-001"]


def test_a_run_can_be_cut_in_the_order_of_its_rows(shop: Shop, design: int) -> None:
    """Pieces are then cut as they are numbered, whatever the way."""
    run = nested(shop, design, 6, rows_from="tail", cut_order="rows")
    (number,) = plated(shop, run)
    plate = shop.database.within(lambda session: session.get_one(Plate, number))
    lines = lines_of_plate(shop, plate).lines
    rows = plate.summary.rows

    def cut() -> Motion:
        motion, _ = motion_of(shop, plate, CutterHere(1, "cutter", "Cutter"), None)
        return motion

    by_rows = cut()
    pieces = [lines[stroke.line].piece for stroke in by_rows.strokes]
    order = [row for row, _ in groupby(rows[piece - 1] for piece in pieces if piece)]
    assert order == [1, 2, 4, 5, 6, 7]
    shop.database.within(lambda session: run_edits.change(session, run, None, "cut", {"cut_order": "shortest"}))
    shortest = cut()
    assert sorted(one.line for one in shortest.strokes) == sorted(one.line for one in by_rows.strokes)
    assert shortest.travel_mm <= by_rows.travel_mm + 1e-6
    assert shop.database.within(lambda session: len(plates_of(session, runs.state_of(shop, session, run)))) == 1


def test_a_sheet_that_is_printed_turned_has_its_codes_read_where_they_are(shop: Shop, design: int) -> None:
    (plate,) = plated(shop, nested(shop, design, 6, half_turn=True, read_codes="all"))
    note = summary(shop, plate)
    assert (note.codes.there, note.codes.unread_count) == (6, 0)
    assert len(codes_by_height(shop, plate)) == 6


@pytest.mark.parametrize("settings", [{"standard": "pdf/x-4"}, {"files": "one"}])
def test_every_kind_of_print_file_holds_its_copies(shop: Shop, design: int, settings: dict[str, Any]) -> None:
    """And a colour of the shop, which the file names, with the page's fonts in it (ISO 15930-7)."""

    taken = profiles.take(shop, profile("Our inks"), "inks.icc", None)

    def ink(session: Any) -> int:
        values = {"m2_per_hour": 8.0, "ink_ml_m2": 9.0, "drying_minutes": 0.0, "colour_profile_id": taken}
        session.add(PrintMode(name="Fine", stock_id=1, printer_id=1, dpi=600.0, passes=8, two_way=True, **values))
        made = InkColour(name="Bell red", cyan=0, magenta=90, yellow=70, black=10)
        session.add(made)
        session.flush()
        return made.id

    number = shop.database.within(ink)
    put(shop, design, fields=[CODE, {**NAME, "colour": f"ink {number}"}])
    (plate,) = plated(shop, nested(shop, design, 3, **settings))
    sha = shop.database.within(lambda session: session.get_one(Plate, plate).pdf_sha)
    assert [words for _, _, words in codes_by_height(shop, plate)] == ["K-001", "K-002", "K-004"]
    assert summary(shop, plate).inks["Bell red"] > 0
    with pikepdf.open(BytesIO(shop.blobs.read(sha))) as pdf:
        assert fonts_not_in_file(pdf) == []
        assert next(iter(pdf.pages[0].Resources.Font.values())).BaseFont == "/ETIQUE+NotoSansRegular"


def test_no_row_is_printed_twice_and_none_is_made_up(shop: Shop, design: int) -> None:
    plated(shop, nested(shop, design, 5))
    second = nested(shop, design, 3)
    with pytest.raises(JobError, match="stands 3 times in the run, and 2 of its rows are left") as refused:
        plated(shop, second)
    assert refused.value.do == "Set its count to 2 in Run."
    (plate,) = plated(shop, nested(shop, design, 2))
    assert sorted(summary(shop, plate).rows) == [7, 8]
    with pytest.raises(JobError, match="0 of its rows are left"):
        plated(shop, nested(shop, design, 1))


def test_while_rows_are_given_no_other_run_is_given_any(shop: Shop, design: int) -> None:
    run = nested(shop, design, 5)

    def somebody_else(session: Any) -> None:
        session.execute(select(Design.id).where(Design.id == design).with_for_update(nowait=True))

    def given(session: Any) -> None:
        give(shop, session, run)
        with pytest.raises(OperationalError), Session(session.get_bind()) as other:  # a connection of its own
            somebody_else(other)

    shop.database.within(given)
    shop.database.within(somebody_else)


def test_a_spoiled_copy_is_made_again_with_what_was_on_it(shop: Shop, design: int) -> None:
    run = nested(shop, design, 6)
    (plate,) = plated(shop, run)
    sheet = cut(shop, plate, "Bells-1")
    rows = summary(shop, plate).rows
    assert set(states(shop, design).values()) == {"printed"}  # nobody has counted
    shop.database.within(lambda session: counting.mark_spoiled(session, sheet, [2, 5]))
    lost = sorted([rows[1], rows[4]])
    found = states(shop, design)
    assert sorted(row for row, state in found.items() if state == "spoiled") == lost
    assert sorted(row for row, state in found.items() if state == "good") == sorted(set(rows) - set(lost))
    again = int(shop.database.within(lambda session: counting.reprint(session, sheet)))
    do(shop, nesting.nest_run, run_id=again, steps=1)
    assert states(shop, design)[lost[0]] == "planned"
    (second,) = plated(shop, again)
    assert sorted(summary(shop, second).rows) == lost
    assert [words for _, _, words in codes_by_height(shop, second)] == [f"K-{row:03}" for row in lost]
    done = cut(shop, second, "Bells-2")
    shop.database.within(lambda session: counting.count_good(session, done, 2))
    assert states(shop, design)[lost[0]] == "good"
    text = shop.database.within(lambda session: report_csv(shop, session, design))
    report = {row["Row"]: row for row in csv.DictReader(io.StringIO(text))}
    assert report["8"]["State"] == RowState.MISSING
    assert report[str(lost[0])]["State"] == RowState.GOOD
    assert report[str(lost[0])]["Frame"] == summary(shop, second).code
    assert report["1"]["Name"] == "Bell 1"
    assert "3" not in report  # left out


def test_codes_in_a_photo_of_a_sheet_are_told_against_its_rows(shop: Shop, design: int) -> None:
    """The sheet as it was printed, as a coarse photo, one of its codes covered and a stranger's laid beside them."""
    (plate,) = plated(shop, nested(shop, design, 6))
    sheet = cut(shop, plate, "Bells-1")
    sha = shop.database.within(lambda session: session.get_one(Plate, plate).pdf_sha)
    document = pdfium.PdfDocument(shop.blobs.read(sha))
    photo = document[0].render(scale=200 / 72).to_pil()
    document.close()
    whole_sheet, out = row_codes.codes_on(shop, sheet, png(photo), "photo.png"), photo.copy()
    assert (whole_sheet.asked, whole_sheet.seen, whole_sheet.missing, whole_sheet.strange) == (6, 6, (), ())
    y, x, words = codes_by_height(shop, plate)[2]
    middle = (x / 25.4 * 200, photo.height - y / 25.4 * 200)
    out.paste((128, 128, 128), tuple(round(value + by) for by in (-60, 60) for value in middle))
    made = symbol("data matrix", "K-999").modules
    stranger = Image.fromarray(np.where(np.pad(made, 2), 0, 255).astype(np.uint8)).resize((96, 96), 0)
    out.paste(stranger, (8, photo.height // 2))
    found = row_codes.codes_on(shop, sheet, png(out), "photo.png")
    assert (found.seen, found.missing, found.strange) == (5, (int(words[2:]),), ("K-999",))
    with pytest.raises(JobError):
        row_codes.codes_on(shop, sheet, b"no picture", "photo.png")


def png(picture: Image.Image) -> bytes:
    out = BytesIO()
    picture.save(out, "PNG")
    return out.getvalue()


def test_plates_are_other_ones_when_what_a_row_says_is_another(shop: Shop, design: int) -> None:
    run = nested(shop, design, 6)
    before = plated(shop, run)
    assert plated(shop, run) == before
    put(shop, design, left_out=[3, 4])

    def now(session: Any) -> tuple[bool, list[Plate]]:
        state = runs.state_of(shop, session, run)
        return has_its_rows(state), plates_of(session, state)

    assert shop.database.within(now) == (False, [])
    (after,) = plated(shop, run)
    assert sorted(summary(shop, after).rows) == [1, 2, 5, 6, 7, 8]
    put(shop, design, fields=[{**CODE, "says": "{No}/{Row}"}])
    assert plated(shop, run) != [after]


def test_nothing_is_printed_while_a_row_is_wrong(shop: Shop, design: int) -> None:
    put(shop, design, fields=[CODE, {**NAME, "says": "{Name} of the whole north coast and of its islands"}])
    run = nested(shop, design, 6)
    with pytest.raises(JobError, match=r"^Row 1, Name: It does not fit.*And 3 more\.") as refused:
        plated(shop, run)
    assert "leave these rows out" in refused.value.do


def test_a_code_that_cannot_be_read_from_the_print_file_stands_in_the_way(shop: Shop) -> None:
    shop.database.within(fill_shelf)
    dark = filled(shop, (24, 26, 40))
    run = nested(shop, dark, 4)
    plated(shop, run)

    def words(session: Any) -> list[tuple[str, str]]:
        told = JobError("Nobody answers.", "printer", "Look.")
        return [(one.state, one.words) for one in preflight(shop, session, runs.state_of(shop, session, run), told)]

    said = shop.database.within(words)
    assert ("good", "4 copies, each from its row: 1–4") in said
    assert any(state == "stop" and "4 of 4 codes cannot be read" in text for state, text in said)
    put(shop, dark, fields=[{**CODE, "ground": True}])
    plated(shop, run)
    assert ("good", "All 4 codes were read back from the print file, and say what they should") in shop.database.within(
        words
    )


def test_a_run_done_again_begins_without_rows(shop: Shop, design: int) -> None:
    run = nested(shop, design, 6)
    plated(shop, run)
    again = int(shop.database.within(lambda session: whole.again(session, "run", run)))
    held = shop.database.within(lambda session: session.get_one(Run, again).document.filled)
    assert held == {}


def test_saved_as_a_file_and_taken_in_elsewhere_its_print_files_are_the_same_bytes(
    shop: Shop, design: int, tmp_path: Path
) -> None:
    run = nested(shop, design, 6)
    (plate,) = plated(shop, run)
    before = shop.blobs.read(shop.database.within(lambda session: session.get_one(Plate, plate).pdf_sha))
    job = shop.database.within(lambda session: session.get_one(Design, design).job_id)
    out = BytesIO()
    job_saving.save(shop, job, out)
    shop.database.within(emptied)
    there = replace(shop, blobs=Blobs(tmp_path / "elsewhere"))
    taken = take_in_job(there, out.getvalue())
    (made,) = taken.designs
    do(there, line_finding.find_lines, design_id=made)
    (again,) = there.database.within(lambda session: session.scalars(select(Run.id)).all())
    (second,) = plated(there, again)
    assert sorted(summary(there, second).rows) == [1, 2, 4, 5, 6, 7]
    after = there.blobs.read(there.database.within(lambda session: session.get_one(Plate, second).pdf_sha))
    assert after == before


def test_a_table_goes_with_its_finished_job_and_not_while_another_is_filled_from_it(shop: Shop, design: int) -> None:
    def table(session: Any) -> tuple[int, int, str]:
        row = session.get_one(Design, design)
        held = session.get_one(DataTable, row.document.rows.table_id)
        return row.job_id, held.id, held.source_sha

    job, number, sha = shop.database.within(table)
    again = int(shop.database.within(lambda session: whole.again(session, "job", job)))

    def close(session: Any, *jobs: int) -> None:
        session.execute(update(Job).where(Job.id.in_(jobs)).values(closed_at=now() - timedelta(days=40)))

    shop.database.within(lambda session: finished.choose(session, finished.Choice("cleared", 30)))
    shop.database.within(lambda session: close(session, job))
    finished.sweep(shop)
    assert shop.database.within(lambda session: session.get(DataTable, number)) is not None
    shop.database.within(lambda session: close(session, again))
    finished.sweep(shop)
    assert shop.database.within(lambda session: session.get(DataTable, number)) is None
    with pytest.raises(NotThere):
        shop.blobs.path(sha)


def test_stretches_of_rows() -> None:
    assert ranges_of([5, 1, 2, 3, 9, 8, 2]) == [(1, 3), (5, 5), (8, 9)]
    assert FilledDocument(ranges=[(1, 3), (5, 5)]).numbers() == [1, 2, 3, 5]
