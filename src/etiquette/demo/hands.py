"""What hands do in the simulated room, told to the room and then to the station, as a person would say it."""

import base64
from collections.abc import Sequence
from typing import Literal

from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.core.errors import JobError, NotThere
from etiquette.demo.room import Room
from etiquette.demo.schemas import FilmPutOn, FilmWork
from etiquette.devices.registry import Machine, machine
from etiquette.files.documents.sheets import CutMiss
from etiquette.files.lines_svg import write_lines
from etiquette.stations import runs
from etiquette.stations.bench import cutting, mark_reading
from etiquette.stations.bench.cut_progress import motion_of
from etiquette.stations.bench.trying import shape_lines
from etiquette.stations.machines import CutterHere, cutter_of_sheet, printer_of_run
from etiquette.stations.plate_sets import lines_on_sheet
from etiquette.stations.print import film
from etiquette.stations.run_rolls import roll_wanted
from etiquette.stations.sheets import length_of, sheet_there
from etiquette.stations.shelf import card_printing
from etiquette.stations.shelf.schemas import ScanKept
from etiquette.stations.shop import Shop
from etiquette.stations.tools import as_told
from etiquette.store.models import Laminator, Plate, Run, Sheet
from etiquette.tasks.task import Outcome, Report


def room_of(shop: Shop) -> Room:
    return Room.noted_in(shop.settings.data)


def put_roll_on(shop: Shop, run_id: int) -> None:
    """Put the roll of a run on its printer. Raises JobError."""

    def found(session: Session) -> tuple[Machine, str, float, float]:
        run = runs.run_there(session, run_id)
        roll = roll_wanted(session, run)
        return printer_of_run(session, run), roll.name, roll.stock.width_mm, roll.remaining_mm

    printer, name, width, left = shop.database.within(found)
    with shop.by_hand(printer, f"{name} is being put on"):
        room_of(shop).ask("printer", "load roll", name=name, width_mm=width, left_mm=left)


def laminator_of_sheet(session: Session, wanted: FilmWork) -> str:
    run = session.get_one(Run, session.get_one(Plate, sheet_there(session, wanted.sheet_id).plate_id).run_id)
    return machine(session, "laminator", run.document.laminator_id or _first_laminator(session)).key


def _first_laminator(session: Session) -> int | None:
    return session.scalar(select(Laminator.id).order_by(Laminator.id))


def put_film_on(shop: Shop, wanted: FilmWork, report: Report) -> Outcome[FilmPutOn]:
    """Task: put the sheet through the laminator, and say that its film is on."""

    def checked(session: Session) -> list[str]:
        sheet = sheet_there(session, wanted.sheet_id)
        film.refuse_early(session, sheet, wanted.anyway)
        return [one.name for one in length_of(sheet) if one.state == "printed"]

    names = shop.database.within(checked)
    report(0.1, "Film on")
    for one in names:
        room_of(shop).ask("laminator", "laminate", name=one, seed=wanted.seed)
    told = FilmPutOn(sheet_id=wanted.sheet_id)
    return Outcome(told, lambda session: film.film_is_on(session, wanted.sheet_id, anyway=True))


def scan(shop: Shop, print_name: str) -> ScanKept:
    """Lay a printed card under the scanner, and keep what it sees. Raises JobError."""
    answer = room_of(shop).ask("printer", "scan", name=print_name)
    return card_printing.keep_scan(shop, base64.b64decode(answer["png"]), float(answer["mm_per_px"]))


def lay(shop: Shop, sheet_id: int, end: Literal["head", "tail"]) -> None:
    """Lay a sheet on its cutter. Raises JobError, holds.Busy."""

    def found(session: Session) -> tuple[CutterHere, str]:
        return mark_reading.refuse_unloadable(session, sheet_id), sheet_there(session, sheet_id).name

    cutter, name = shop.database.within(found)
    with shop.by_hand(cutter, f"{name} is being loaded") as held:
        room_of(shop).ask("cutter", "load", name=name, end=end)
        held.database.within(lambda session: mark_reading.lie_on_cutter(session, [sheet_id], cutter.id, end))


def lay_several(
    shop: Shop, sheet_ids: Sequence[int], how: Literal["roll", "mat"], ends: Sequence[Literal["head", "tail"]]
) -> None:
    """Lay sheets on their cutter, as one roll (the first of `ends` for all) or on one carrier mat, each its end first.
    Sheets that are cut are left out. Raises JobError, holds.Busy."""

    def found(session: Session) -> tuple[CutterHere, list[tuple[str, str]]]:
        laid = [(sheet_there(session, one), end) for one, end in zip(sheet_ids, ends, strict=True)]
        named = [(sheet.name, str(end)) for sheet, end in laid if sheet.state != "cut"]
        return cutter_of_sheet(session, next(iter(sheet_ids), None)), named

    cutter, named = shop.database.within(found)
    if not named:
        return
    with shop.by_hand(cutter, "sheets are being loaded"):
        if how == "mat":
            room_of(shop).ask("cutter", "mat", sheets=named)
        else:
            names = [name for name, _ in named]
            end = named[0][1]
            # a roll that is laid tail first shows its last frame first
            room_of(shop).ask("cutter", "roll", names=names[::-1] if end == "tail" else names, end=end)


def lay_bare(shop: Shop, cutter_id: int | None, width_mm: float, length_mm: float) -> None:
    """Lay a bare piece of stock on a cutter, square, for a test card. Raises JobError, holds.Busy."""
    cutter = shop.database.within(lambda session: machine(session, "cutter", cutter_id))
    with shop.by_hand(cutter, "a bare piece is being loaded"):
        room_of(shop).ask("cutter", "blank", width_mm=width_mm, length_mm=length_mm)


def point(shop: Shop, sheet_id: int, mark_id: str) -> None:
    """Lead the head of the simulated cutter to a mark, as well as hands can. Raises NotThere, JobError."""

    def found(session: Session) -> tuple[CutterHere, Sheet, Plate]:
        sheet = sheet_there(session, sheet_id)
        return cutter_of_sheet(session, sheet_id), sheet, sheet.plate

    cutter, sheet, plate = shop.database.within(found)
    mark = next((one for one in plate.summary.plan.marks if one.id == mark_id), None)
    if mark is None:
        raise NotThere("There is no such mark on this sheet.", mark_id, "Choose one of its marks.")
    with shop.by_hand(cutter, "its head is led to a mark"):
        room_of(shop).ask("cutter", "point", name=sheet.name, x=mark.x, y=mark.y)


def look_at_cut(shop: Shop, sheet_id: int) -> None:
    """Keep with a cut sheet what only a simulation knows: how far its cut lies from the print, how far it would without
    its marks read, and how it looks. Raises NotThere, JobError."""

    def found(session: Session) -> tuple[Sheet, CutterHere]:
        sheet = sheet_there(session, sheet_id)
        return sheet, cutter_of_sheet(session, sheet_id)

    sheet, cutter = shop.database.within(found)
    if sheet.report is None or sheet.reading is None:
        raise JobError("This sheet is not cut.", sheet.name, "Cut it first.")
    room, plate = room_of(shop), sheet.plate
    straight, cards = motion_of(shop, plate, cutter, cutting.unaligned(sheet.reading.fit, plate.summary.plan.to_plan()))
    shapes = sheet.progress.shapes if sheet.progress else 0
    tried = [line for number in range(shapes) for line in shape_lines(plate, number, "kiss")]
    lines = write_lines(lines_on_sheet(shop, plate, tried))
    cut = room.ask("cutter", "judge", name=sheet.name, lines=lines)["report"]
    hpgl = as_told(straight.strokes, cutter.setting, cards)
    without = room.ask("cutter", "judge", name=sheet.name, lines=lines, hpgl=hpgl)["report"]
    seen = room.ask("cutter", "picture", name=sheet.name)

    def keep(session: Session) -> None:
        row = session.get_one(Sheet, sheet_id)
        assert row.report is not None
        row.report = row.report.with_(
            cut=CutMiss(**cut) if cut else None,
            without=CutMiss(**without) if without else None,
            box=tuple(seen["box"]),
            picture=shop.blobs.put(session, base64.b64decode(seen["png"]), "image/png"),
        )

    shop.database.within(keep)


def card_picture(shop: Shop) -> bytes:
    """The bare piece as it lies on the simulated cutter, PNG. Raises JobError."""
    return base64.b64decode(room_of(shop).ask("cutter", "picture")["png"])
