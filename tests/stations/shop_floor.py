"""What the tests of the whole job start from: a filled shelf, and a sheet that is printed and has its film."""

import shutil
from collections.abc import Callable
from dataclasses import dataclass
from decimal import Decimal
from pathlib import Path
from typing import Any, get_type_hints

from pydantic import BaseModel, ConfigDict
from sqlalchemy import Table, select, text
from sqlalchemy.orm import Session

import etiquette.server.all_tasks  # noqa: F401
from etiquette.demo import hands
from etiquette.demo.art import art_file
from etiquette.demo.room import Room as RoomClient
from etiquette.files.documents.sheets import CutDocument
from etiquette.intake import job_taking
from etiquette.stations import line_finding, run_edits
from etiquette.stations.lines import taking_in
from etiquette.stations.print import following, plating, sending
from etiquette.stations.run import nesting
from etiquette.stations.shelf.own_knives import keep_knife
from etiquette.stations.shop import Shop
from etiquette.store.models import Base, Cutter, Design, Laminator, MarkSet, Printer, Roll, Sheet, Stock
from etiquette.tasks.task import TASKS, Outcome
from etiquette.tasks.work import submit
from standins.room import Room


def fill_shelf(session: Session) -> None:
    session.add(Stock(name="White 600", width_mm=600, price_m2=Decimal("4.00"), currency="EUR", tolerance_mm=0.3))
    session.flush()
    session.add(Roll(stock_id=1, name="White 600 A", length_mm=5000, remaining_mm=5000))
    session.add(Printer(name="Printer east", print_width_mm=1300, severs=True, has_knife=True))
    session.add(Laminator(name="Laminator", film_width_mm=1250))
    session.add(Cutter(name="Knife", reach_across_mm=1600, reach_along_mm=3000, speed_mm_s=300, holder="45° blade"))
    session.add(
        MarkSet(name="Discs", size_mm=6, clear_mm=3, spacing_mm=300, head_margin_mm=10.16, tail_margin_mm=30.48)
    )


def with_its_knife(session: Session) -> int:
    """The printer's own knife is on the shelf too; its number."""
    printer = session.scalars(select(Printer).order_by(Printer.id).limit(1)).one()
    keep_knife(session, printer)
    return session.scalars(select(Cutter.id).where(Cutter.printer_id == printer.id)).one()


PEOPLE = ("account", "sign_in")
"""Who is signed in stays so."""
STAYS = ("machine", *PEOPLE)


def emptied(session: Session, *tables: str) -> None:
    """These tables, or all, as in a new shop: rows that come next have the first numbers again."""
    session.execute(text("SET FOREIGN_KEY_CHECKS = 0"))
    for table in tables or [name for name in Base.metadata.tables if name not in STAYS]:
        session.execute(text(f"TRUNCATE `{table}`"))
    session.execute(text("SET FOREIGN_KEY_CHECKS = 1"))


def do(
    shop: Shop, task: Callable[..., Outcome[Any]], report: Callable[..., bool] = lambda *_: True, **arguments: Any
) -> dict[str, Any]:
    """A task, done and published here and now; what it found."""
    kind = next(
        kind for name, kind in get_type_hints(task).items() if isinstance(kind, type) and issubclass(kind, BaseModel)
    )
    return task(shop, kind(**arguments), report).published(shop.database).model_dump()


@dataclass(frozen=True)
class TakenJob:
    job_id: int
    designs: list[int]
    told: list[str]


def take_in_job(shop: Shop, content: bytes, name: str = "JOB.zip") -> TakenJob:
    """A saved job, kept and taken in."""
    found = do(shop, job_taking.take, sha=job_taking.kept(shop, content, name), name=name)
    wanted = select(Design.id).where(Design.job_id == found["job_id"]).order_by(Design.id)
    designs = shop.database.within(lambda session: list(session.scalars(wanted)))
    return TakenJob(found["job_id"], designs, found["told"])


class Anything(BaseModel):
    """What a task of a test is given and finds."""

    model_config = ConfigDict(extra="allow")


def queued(session: Session, name: str, arguments: dict[str, Any], key: str | None = None) -> int:
    """Puts the task of that name in the queue, complete or not."""
    return submit(session, TASKS[name], TASKS[name].arguments.model_construct(**arguments), key)


def on_shelf(shop: Shop, name: str = "Targets", seed: int = 21, **settings: object) -> int:
    """A run of thirty targets, nested, printed, with film on; returns the sheet. Made once for all tests that begin
    with the same one: printing and filming a sheet takes longer than most of what is tried with it."""
    key = (shop.settings.data, name, seed, shop.database.within(_machines))
    first = not settings and not shop.database.within(lambda session: session.query(Design).count())
    if first and key in _KEPT:
        return _KEPT[key].laid_out(shop)
    sheet = _made(shop, name, seed, settings)
    if first:
        _KEPT[key] = Kept(shop, sheet)
    return sheet


def _made(shop: Shop, name: str, seed: int, settings: dict[str, object]) -> int:
    (design,) = taking_in.take_in(shop, art_file("trueing-disc")[1], "target.png", None, {"offset_mm": -3.0})
    do(shop, line_finding.find_lines, design_id=design)
    run = shop.database.within(lambda session: run_edits.create(session, name, [{"design_id": design, "count": 30}]))
    if settings:
        shop.database.within(lambda session: run_edits.change(session, run, None, "settings", settings))
    do(shop, nesting.nest_run, run_id=run, steps=1)
    (plate,) = do(shop, plating.make_plates, run_id=run)["plate_ids"]
    hands.put_roll_on(shop, run)
    sheet = shop.database.within(lambda session: sending.new_sheet(session, plate))
    do(shop, following.print_plate, sheet_id=sheet)
    do(shop, hands.put_film_on, sheet_id=sheet, seed=seed)
    return sheet


class Kept:
    """A shop as it was when its sheet had come to the shelf: every row of its database and the sheet's folder."""

    def __init__(self, shop: Shop, sheet: int) -> None:
        self._sheet, self._run = sheet, sheet_of(shop, sheet).plate.run_id
        self._folder = Room(shop.settings.room).folder(sheet_of(shop, sheet).name)
        self._copy = shop.settings.data / "kept" / f"{len(_KEPT)} {self._folder.name}"
        shutil.copytree(self._folder, self._copy)
        self._rows = shop.database.within(_rows)

    def laid_out(self, shop: Shop) -> int:
        shop.database.within(lambda session: _put_rows(session, self._rows))
        shutil.copytree(self._copy, self._folder)
        hands.put_roll_on(shop, self._run)
        return self._sheet


_KEPT: dict[tuple[Path, str, int, str], Kept] = {}
"""By where, what, and on which machines: a test that begins with others than usual keeps nothing for the rest."""
Rows = list[tuple[Table, list[dict[str, Any]]]]


def _rows(session: Session) -> Rows:
    """Of every table; what the database works out for itself is not written back."""
    found: Rows = []
    for table in (one for one in Base.metadata.sorted_tables if one.name not in PEOPLE):
        own = [column for column in table.columns if column.computed is None]
        found.append((table, [dict(row) for row in session.execute(select(*own)).mappings()]))
    return found


def _machines(session: Session) -> str:
    return repr(
        [dict(row) for model in (Printer, Cutter) for row in session.execute(select(model.__table__)).mappings()]
    )


def _put_rows(session: Session, held: Rows) -> None:
    for table, _ in reversed(held):
        session.execute(table.delete())
    for table, rows in held:
        if rows:
            session.execute(table.insert(), rows)


def sheet_of(shop: Shop, sheet: int) -> Sheet:
    def whole(session: Session) -> Sheet:
        row = session.get_one(Sheet, sheet)
        assert row.plate is not None  # loaded with it
        return row

    return shop.database.within(whole)


def cut_report(shop: Shop, sheet: int) -> CutDocument:
    """What is known of a cut sheet, and what only the simulation knows of it."""
    hands.look_at_cut(shop, sheet)
    report = sheet_of(shop, sheet).report
    assert report is not None and report.cut is not None
    return report


def tell(shop: Shop, machine: str, wanted: str, /, **more: Any) -> dict[str, Any]:
    """Ask a machine of the room something, as nobody but a test does."""
    return RoomClient.noted_in(shop.settings.data).ask(machine, wanted, **more)
