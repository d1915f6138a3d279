"""Test cards at the Shelf: the next job is cut with what was read."""

from decimal import Decimal

import pytest

from etiquette.core.calibrating.cards import REMEDIES, Result
from etiquette.core.errors import JobError
from etiquette.stations.shelf import card_readings
from etiquette.stations.shelf.schemas import CardEntered
from etiquette.stations.shop import Shop
from etiquette.stations.tools import cards_of, setting_of
from etiquette.store.models import Cutter, Printer, Stock


def enter(shop: Shop, card: str, readings: dict[str, float], **on: int | None) -> Result:
    asked = CardEntered(card=card, readings=readings, **{"cutter_id": 1, "stock_id": 1, **on})  # type: ignore[arg-type]
    return shop.database.within(lambda session: card_readings.enter(session, asked))


def test_a_reading_sets_the_tool_or_the_cutter_and_is_kept(shop: Shop) -> None:
    def fill(session) -> None:  # type: ignore[no-untyped-def]
        session.add(Stock(name="White", width_mm=600, price_m2=Decimal(4), currency="EUR", tolerance_mm=0.3))
        session.add(Stock(name="Clear", width_mm=600, price_m2=Decimal(5), currency="EUR", tolerance_mm=0.3))
        session.add(Cutter(name="Knife", reach_across_mm=1616, reach_along_mm=3200, speed_mm_s=300))

    shop.database.within(fill)
    force = {"first_gf": 40.0, "step_gf": 10.0, "lifts": 4.0, "marks": 0.0}
    enter(shop, "force", force)
    rims = {"left_mm": 2.3, "right_mm": 1.7, "near_mm": 2.0, "far_mm": 2.0}
    enter(shop, "print-to-cut", rims)
    enter(shop, "print-to-cut", rims, stock_id=2)  # adds up
    white, clear = (shop.database.within(lambda session, n=n: cards_of(session, 1, n)) for n in (1, 2))
    assert white["kiss"].force_gf == 70 and clear["kiss"].force_gf == 50  # 70 was read, 50 is what a card begins with
    assert setting_of(shop.database.within(lambda session: session.get_one(Cutter, 1))).sensor_mm == pytest.approx(
        (-0.6, 0)
    )
    heavier = {**force, "lifts": 8.0}
    enter(shop, "force", heavier)
    white, clear = (shop.database.within(lambda session, n=n: cards_of(session, 1, n)) for n in (1, 2))
    assert white["kiss"].force_gf == 110 and clear["kiss"].force_gf == 50  # of this stock only
    words = [one.words for one in shop.database.within(card_readings.history)]
    assert len(words) == 4 and "110 gf" in words[0]
    with pytest.raises(JobError):
        enter(shop, "force", {**force, "marks": 2.0})
    assert len(shop.database.within(card_readings.history)) == 4


def test_nozzles_that_stay_missing_get_the_next_remedy_until_they_are_whole(shop: Shop) -> None:
    """One that brings back half of what was missing is tried again; a whole card begins anew."""

    def fill(session) -> None:  # type: ignore[no-untyped-def]
        session.add(Stock(name="White", width_mm=600, price_m2=Decimal(4), currency="EUR", tolerance_mm=0.3))
        for name in ("Printer east", "Printer west"):
            session.add(Printer(name=name, print_width_mm=1300))

    shop.database.within(fill)

    def said(missing: float, printer: int = 1) -> str:
        return enter(shop, "nozzles", {"nozzles": 320.0, "missing": missing}, printer_id=printer, cutter_id=None).words

    words = [said(left) for left in (40, 38, 18, 18, 17)]
    steps = [next(number for number, one in enumerate(REMEDIES) if one in told) for told in words]
    assert steps == [0, 1, 1, 2, 3]  # from 38 to 18 it helped: once more the same
    last = said(17)
    assert REMEDIES[4] in last and "print the card again" not in last  # nothing more to try by oneself
    assert REMEDIES[0] in said(40, printer=2)  # another machine has a history of its own
    assert "fine as it is" in said(2) and REMEDIES[0] in said(9)
    assert len(shop.database.within(card_readings.history)) == 9
