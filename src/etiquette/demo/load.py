"""The invented shop: the Quillmere Finishing Room, its stocks, jobs and runs. Loaded into an empty database only."""

from datetime import date, timedelta
from decimal import Decimal
from functools import partial
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.core.printing.icc import read_profile
from etiquette.demo import hands, ink_profile, whose
from etiquette.demo.art import art_file
from etiquette.demo.moving_in import machines_move_in
from etiquette.demo.schemas import FilmWork
from etiquette.demo.tasks import put_film_on
from etiquette.stations import run_edits
from etiquette.stations.ledger import opened
from etiquette.stations.lines import taking_in
from etiquette.stations.lines.tasks import find_lines
from etiquette.stations.print import sending
from etiquette.stations.print.schemas import PrintWork
from etiquette.stations.print.tasks import make_plates, print_sheet
from etiquette.stations.run.schemas import NestWork
from etiquette.stations.run.tasks import nest
from etiquette.stations.schemas import OfDesign, OfRun
from etiquette.stations.shelf.own_knives import keep_knife
from etiquette.stations.shelf.profiles import as_row
from etiquette.stations.shop import Shop
from etiquette.stations.tools import fill_cards
from etiquette.store.models import (
    ColourProfile,
    Cutter,
    InkColour,
    Job,
    Laminator,
    MarkSet,
    Printer,
    PrintMode,
    Roll,
    Setting,
    ShopPrice,
    SpecialInk,
    Stock,
)
from etiquette.tasks.task import A, R, TaskType

SHOP = "Quillmere Finishing Room"
PRICES = {
    "hour_hands": Decimal(33), "hour_printer": Decimal(17), "hour_cutter": Decimal(11), "run_minutes": 6.0,
    "frame_minutes": 2.0, "margin_percent": 42.0,
}  # fmt: skip
"""Invented."""
JOBS: tuple[tuple[str, str, int, tuple[tuple[str, dict[str, Any]], ...]], ...] = (
    (
        "Seed swap jars",
        "Seed swap",
        1,
        (
            ("jar-label", {"name": "Jar label", "due_count": 48, "offset_mm": 1.5, "ready": True}),
            ("radish", {"name": "Radish decal", "due_count": 40, "ready": True}),
            ("seed-packet", {"name": "Seed packet", "due_count": 8, "distance": 14.0}),
        ),
    ),
    (
        "Ferry windows",
        "River ferry",
        2,
        (
            ("band", {"name": "Ferry window band", "due_count": 14, "ready": True}),
            ("cabin-sign", {"name": "Cabin sign", "due_count": 6}),
        ),
    ),
    (
        "Kite club",
        "Kite club",
        0,
        (
            (
                "kite",
                {
                    "name": "Kite badge",
                    "due_count": 16,
                    "offset_mm": 2.5,
                    "clear": "line",
                    "clear_choke_mm": 0.5,
                    "ready": True,
                },
            ),
            ("spark", {"name": "Spark decal", "due_count": 36, "white": "art", "ready": True}),
        ),
    ),
    (
        "Foundry plates",
        "Bell foundry",
        4,
        (
            ("bell", {"name": "Bell decal", "due_count": 12, "offset_mm": 0.0, "bleed_mm": 1.5}),
            (
                "serial-plate",
                {"name": "Serial plate", "due_count": 16, "holes": "keep", "offset_mm": -0.5, "ready": True},
            ),
            ("bell-sleeve", {"name": "Bell sleeve", "due_count": 10, "ready": True}),
            ("maker-plate", {"name": "Maker's plate", "due_count": 6, "kind": "through"}),
        ),
    ),
    (
        "Bench check",
        "Quillmere",
        6,
        (("trueing-disc", {"name": "Trueing disc", "due_count": 30, "offset_mm": -3.0, "ready": True}),),
    ),
)


def load_demo(shop: Shop, with_devices: bool) -> None:
    """Fill a database that is empty or the demo's own. With devices, one run goes through printer and laminator, so
    that a sheet waits for the cutter. The last thing written says that the demo is complete: a load that was cut off is
    made again."""
    if not shop.database.within(whose.claim):
        return
    shop.database.within(partial(_shelf, shop))
    shop.database.within(_tools)
    machines_move_in(shop)
    made: dict[str, int] = {}
    for name, customer, days, arts in JOBS:
        job_id = shop.database.within(partial(_job, name=name, customer=customer, days=days))
        for art, document in arts:
            file_name, content = art_file(art)
            (made[art],) = taking_in.take_in(shop, content, file_name, job_id, document)
            _do(shop, find_lines, OfDesign(design_id=made[art]))
    counts = {"jar-label": 48, "radish": 40, "band": 14}
    first = _run(shop, "Seed swap jars + ferry windows", {made[art]: count for art, count in counts.items()})
    _do(shop, nest, NestWork(run_id=first, steps=1))
    second = _run(shop, "Kite club badges", {made["kite"]: 16, made["spark"]: 36})
    _do(shop, nest, NestWork(run_id=second, steps=1))
    if with_devices:
        (plate,) = _do(shop, make_plates, OfRun(run_id=second)).plate_ids
        hands.put_roll_on(shop, second)
        sheet = shop.database.within(lambda session: sending.new_sheet(session, plate))
        _do(shop, print_sheet, PrintWork(sheet_id=sheet))
        _do(shop, put_film_on, FilmWork(sheet_id=sheet, seed=11))
    shop.database.within(_loaded)


def _do(shop: Shop, task: TaskType[A, R], arguments: A) -> R:
    """A task, done and published here and now."""
    return task.work(shop, arguments, lambda *_: True).published(shop.database)


def _run(shop: Shop, name: str, counts: dict[int, int]) -> int:
    items = [{"design_id": design, "count": count} for design, count in counts.items()]
    return shop.database.within(lambda session: run_edits.create(session, name, items))


def _tools(session: Session) -> None:
    """A card for every kind on every stock."""
    cutter = session.scalars(select(Cutter)).one()
    for stock in session.scalars(select(Stock)):
        fill_cards(session, cutter.id, stock)
    keep_knife(session, session.scalars(select(Printer)).one())


def _loaded(session: Session) -> None:
    session.add(Setting(name="shop", value=SHOP))
    session.add(ShopPrice(id=1, **PRICES))
    session.get_one(Setting, whose.DEMO).value = whose.LOADED


def _job(session: Session, name: str, customer: str, days: int) -> int:
    job = Job(name=name, customer=customer, due=date.today() + timedelta(days=days))
    session.add(job)
    session.flush()
    return job.id


def _shelf(shop: Shop, session: Session) -> None:
    printer = Printer(
        name="Printer east",
        print_width_mm=1300.0,
        dpi=150.0,
        ink_price_ml=Decimal("0.18"),
        severs=True,
        has_knife=True,
        plates=["white", "blocker", "colour", "clear", "braille"],  # braille for the cabin sign
    )
    session.add_all([printer, Laminator(name="Laminator", film_width_mm=1250.0, film_price_m2=Decimal("1.60"))])
    session.flush()
    _stocks(session, printer, _profile(shop, session))
    session.add(InkColour(name="Quillmere green", cyan=90, magenta=20, yellow=70, black=45))
    session.add(SpecialInk(name="Tinsel silver", cyan=0, magenta=0, yellow=0, black=28, goes="behind"))
    session.add(
        Cutter(name="Cutter north", reach_across_mm=1600.0, reach_along_mm=3000.0, speed_mm_s=300.0, holder="45° blade")
    )
    _mark_sets(session)


def _profile(shop: Shop, session: Session) -> int:
    content = ink_profile.profile("Quillmere inks on white vinyl")
    facts = read_profile(content, "the demo's profile")
    row = ColourProfile(name=facts.description, **as_row(shop, session, content, facts))
    session.add(row)
    session.flush()
    return row.id


def _stocks(session: Session, printer: Printer, vinyl_profile: int) -> None:
    """Each with a roll, and with modes of the printer."""
    for name, width, price, left, ground in (
        ("Gloss white vinyl 760", 760.0, "4.20", 24_700.0, "white"),
        ("Matt white vinyl 1000", 1000.0, "4.60", 11_000.0, "white"),
        ("Clear vinyl 1000", 1000.0, "6.10", 15_800.0, "clear"),
        ("Matt paper label 330", 330.0, "2.10", 2_100.0, "white"),
    ):
        stock = Stock(
            name=name, width_mm=width, price_m2=Decimal(price), currency="EUR", tolerance_mm=0.3, ground=ground
        )
        session.add(stock)
        session.flush()
        length = 50_000.0 if width > 400 else 10_000.0
        roll = Roll(stock_id=stock.id, name=f"{name}, roll A", length_mm=length, remaining_mm=left)
        session.add(roll)
        session.flush()
        opened(session, roll)
        for mode, passes, two_way, speed, ink, drying in (
            ("everyday", 6, True, 18.0, 9.0, 0.0),
            ("fine", 12, False, 7.0, 11.0, 0.0),
        ):
            session.add(
                PrintMode(
                    name=f"{name}, {mode}",
                    stock_id=stock.id,
                    printer_id=printer.id,
                    dpi=720.0,
                    passes=passes,
                    two_way=two_way,
                    m2_per_hour=speed,
                    ink_ml_m2=ink,
                    drying_minutes=drying,
                    colour_profile_id=vinyl_profile if "white vinyl" in name else None,
                )
            )


def _mark_sets(session: Session) -> None:
    for name, more in (
        ("Discs of 6 mm", {}),
        (
            "For a line sensor: corners",
            {"shape": "corner", "size_mm": 10.0, "stroke_mm": 1.0, "count": "4", "place": "stock", "inset_mm": 14.0},
        ),
        ("For a camera: rings", {"shape": "ring", "size_mm": 8.0, "stroke_mm": 1.5, "code": "qr"}),
    ):
        values = {
            "size_mm": 6.0,
            "clear_mm": 3.0,
            "spacing_mm": 400.0,
            "head_margin_mm": 10.0,
            "tail_margin_mm": 30.0,
        }
        session.add(MarkSet(name=name, **{**values, **more}))  # type: ignore[arg-type]
