"""A run whose machine or stock is put away opens all the same; what is nearest takes its place."""

from decimal import Decimal
from typing import Any

import pytest
from sqlalchemy.orm import Session

from etiquette.demo.art import art_file
from etiquette.stations import line_finding, run_edits, runs
from etiquette.stations.lines import taking_in
from etiquette.stations.nearest import Gap, gaps
from etiquette.stations.run import nesting
from etiquette.stations.run.views import run_shown
from etiquette.stations.shop import Shop
from etiquette.store.models import Cutter, Laminator, MarkSet, Printer, PrintMode, Roll, Stock
from tests.stations.shop_floor import do, fill_shelf


@pytest.fixture
def run(shop: Shop) -> int:
    shop.database.within(fill_shelf)
    (design,) = taking_in.take_in(shop, art_file("trueing-disc")[1], "target.png", None, {"offset_mm": -3.0})
    do(shop, line_finding.find_lines, design_id=design)
    made = shop.database.within(lambda s: run_edits.create(s, "One", [{"design_id": design, "count": 4}]))
    do(shop, nesting.nest_run, run_id=made, steps=1)
    return made


def gaps_of(shop: Shop, run: int) -> list[Gap]:
    return shop.database.within(lambda session: gaps(session, runs.state_of(shop, session, run)))


def others(session: Session) -> None:
    """Two of each kind besides what the run is made on (number 1): the second is nearer to it."""
    more: dict[str, Any] = {"currency": "EUR", "tolerance_mm": 0.3}
    session.add(Stock(name="Clear 600", width_mm=600, price_m2=Decimal(4), ground="clear", **more))
    session.add(Stock(name="White 620", width_mm=620, price_m2=Decimal(9), **more))
    session.flush()
    for stock in (2, 3):
        session.add(Roll(stock_id=stock, name=f"Roll of {stock}", length_mm=5000, remaining_mm=5000))
    session.add(Printer(name="Wide, no knife", print_width_mm=1300, severs=True, has_knife=False))
    session.add(Printer(name="Wider, knife", print_width_mm=1600, severs=True, has_knife=True))
    session.add(Laminator(name="Narrow", film_width_mm=1240))
    session.add(Laminator(name="Wide", film_width_mm=1700))
    session.add(Cutter(name="Short", reach_across_mm=1600, reach_along_mm=2900, speed_mm_s=300))
    session.add(Cutter(name="Long", reach_across_mm=1700, reach_along_mm=5000, speed_mm_s=300))
    session.add(
        Cutter(name="Knife of a printer", reach_across_mm=1600, reach_along_mm=3000, speed_mm_s=300, printer_id=1)
    )
    marks: dict[str, Any] = {"clear_mm": 3, "spacing_mm": 300, "head_margin_mm": 10, "tail_margin_mm": 30}
    session.add(MarkSet(name="Squares", size_mm=6, shape="square", **marks))
    session.add(MarkSet(name="Larger discs", size_mm=9, **marks))


WANTED = {
    Stock: ("stock", "White 620"),
    Printer: ("printer", "Wider, knife"),
    Laminator: ("laminator", "Wide"),
    Cutter: ("cutter", "Long"),
    MarkSet: ("mark_set", "Larger discs"),
}


@pytest.mark.parametrize("model", WANTED)
def test_the_nearest_is_offered_and_takes_its_place(shop: Shop, run: int, model: Any) -> None:
    assert gaps_of(shop, run) == []
    shop.database.within(others)
    shop.database.within(lambda session: setattr(session.get_one(model, 1), "away", True))
    kind, nearest = WANTED[model]
    (gap,) = gaps_of(shop, run)
    assert (gap.kind, gap.nearest) == (kind, nearest) and gap.nearest_id is not None
    shown = shop.database.within(lambda session: run_shown(shop, session, runs.state_of(shop, session, run)))
    assert shown.gaps[0].name == gap.name and shown.plans  # it opens as it was
    put = {f"{kind}_id": gap.nearest_id}
    shop.database.within(lambda session: run_edits.change(session, run, None, "the nearest", put))
    assert gaps_of(shop, run) == []


def test_where_nothing_stands_in_it_is_said(shop: Shop, run: int) -> None:
    shop.database.within(lambda session: setattr(session.get_one(Printer, 1), "away", True))
    assert gaps_of(shop, run) == [Gap("printer", "Printer east", None, None)]


def test_a_roll_and_a_mode_are_of_the_same_stock(shop: Shop, run: int) -> None:
    def put(session: Session) -> None:
        others(session)
        session.add(Roll(stock_id=1, name="White 600 B", length_mm=5000, remaining_mm=400))
        values = {"m2_per_hour": 8.0, "ink_ml_m2": 9.0, "drying_minutes": 0.0, "two_way": True, "printer_id": 1}
        for name, stock, dpi in (("Fine", 1, 600.0), ("Fast", 1, 300.0), ("Elsewhere", 3, 600.0)):
            session.add(PrintMode(name=name, stock_id=stock, dpi=dpi, passes=8, **values))

    shop.database.within(put)
    shop.database.within(lambda session: run_edits.change(session, run, None, "mode", {"print_mode_id": 1}))
    for model in (Roll, PrintMode):
        shop.database.within(lambda session, model=model: setattr(session.get_one(model, 1), "away", True))
    assert [(gap.kind, gap.nearest) for gap in gaps_of(shop, run)] == [("roll", "White 600 B"), ("print_mode", "Fast")]
    # with its stock away, that is what has to be put right first: it brings both along
    shop.database.within(lambda session: setattr(session.get_one(Stock, 1), "away", True))
    assert [gap.kind for gap in gaps_of(shop, run)] == ["stock"]
