"""Test cards cut and read on a cutter with hidden errors: what they set is what it hides, and the next sheet is cut
right."""

import re
from typing import Any

import numpy as np
import pytest

from etiquette.core.calibrating.cards import CardName
from etiquette.core.calibrating.patterns import pattern_of
from etiquette.core.errors import JobError
from etiquette.demo import hands
from etiquette.stations.bench import cutting, mark_reading
from etiquette.stations.shelf import card_cutting, card_printing, card_readings
from etiquette.stations.shelf.schemas import CardEntered
from etiquette.stations.shop import Shop
from etiquette.store.models import Cutter, Roll, ToolCard
from standins.cutter import Cutter as Machine
from standins.printer import Printer
from standins.room import Room
from tests.stations.shop_floor import cut_report, do, on_shelf, sheet_of, tell

STARTS: dict[str, dict[str, float]] = {
    "feed": {"told_mm": 1000},
    "sensor": {},
    "knife": {"first_mm": 0.2, "step_mm": 0.07},
}


def one(name: str, **readings: float) -> dict[str, Any]:
    return {"card": name, "cutter_id": 1, "stock_id": 1, "kind": "kiss", "readings": readings}


def enter(room: Shop, name: str, readings: dict[str, float]) -> None:
    asked = CardEntered(**one(name, **readings))
    room.database.within(lambda session: card_readings.enter(session, asked))


def lay_bare(room: Shop, name: CardName, **readings: float) -> None:
    """As hands are told to, before a card is cut."""
    pattern = pattern_of(name, readings)
    hands.lay_bare(room, 1, pattern.width_mm, pattern.length_mm)


@pytest.mark.parametrize("seed", [5, 6])
def test_cards_find_what_a_worn_machine_hides(room: Shop, seed: int) -> None:
    tell(room, "cutter", "wear", seed=seed)
    hidden = Machine(Room(room.settings.room))
    hidden.answer({"ask": "wear", "seed": seed})
    for name, start in STARTS.items():
        lay_bare(room, name, **start)
        made = do(room, card_cutting.cut_card, **one(name, **start))
        assert made["state"] == "cut" and made["can_read"]
        read = do(room, card_cutting.read_card, **one(name, **start))["readings"]
        enter(room, name, read)
    cutter, card = room.database.within(lambda session: (session.query(Cutter).one(), session.query(ToolCard).one()))
    assert cutter.feed_percent / 100 == pytest.approx(hidden._feed, abs=5e-5)
    assert (cutter.sensor_across_mm, cutter.sensor_along_mm) == pytest.approx(tuple(hidden._sensor), abs=0.03)
    assert card.offset_mm == pytest.approx(hidden._offset, abs=0.04)
    sheet = on_shelf(room, seed=seed)
    hands.lay(room, sheet, "head")
    do(room, mark_reading.read_sheet)
    do(room, cutting.cut_sheet, sheet_id=sheet)
    report = cut_report(room, sheet)
    assert report.cut.worst_mm < 0.15


def test_a_ladder_of_forces_shows_in_the_picture_and_is_read_by_hand(room: Shop) -> None:
    lay_bare(room, "force", first_gf=40, step_gf=10)
    made = do(room, card_cutting.cut_card, **one("force", first_gf=40, step_gf=10))
    assert [step["words"] for step in made["steps"]] == [f"{force} gf" for force in range(40, 120, 10)]
    assert not made["can_read"]
    left, bottom, right, top = made["box"]
    assert left < 20 < right and bottom < 20 < top and hands.card_picture(room).startswith(b"\x89PNG")
    with pytest.raises(JobError, match="felt or measured by hand"):
        do(room, card_cutting.read_card, **one("force"))


def test_a_card_that_cannot_be_read_says_what_to_do(room: Shop) -> None:
    with pytest.raises(JobError, match="no picture of a place"):
        do(room, card_cutting.read_card, **one("sensor"))
    with pytest.raises(JobError, match="is printed, not cut"):
        do(room, card_cutting.cut_card, **one("nozzles"))
    small = {"first_mm": 0.02, "step_mm": 0.01}
    lay_bare(room, "knife", **small)
    do(room, card_cutting.cut_card, **one("knife", **small))
    with pytest.raises(JobError, match="larger than all of them"):
        do(room, card_cutting.read_card, **one("knife", **small))
    tell(room, "cutter", "fault", kind="missed", looks=9)
    with pytest.raises(JobError, match="not to be seen"):
        do(room, card_cutting.read_card, **one("knife", **small))
    assert do(room, card_cutting.cut_card, report=lambda *_: False, **one("sensor"))["state"] == "held"
    assert np.isfinite(room.database.within(lambda session: session.query(Cutter).one().feed_percent))


@pytest.mark.parametrize("seed", [3, 8])
def test_printed_cards_find_what_a_worn_printer_hides(room: Shop, seed: int) -> None:
    hidden = Printer(Room(room.settings.room))
    hidden.answer({"ask": "wear", "seed": seed})
    tell(room, "printer", "load roll", name="White 600 A", width_mm=600, left_mm=5000)
    tell(room, "printer", "wear", seed=seed)
    readings = {}
    for name in ("nozzles", "two-way"):
        made = do(room, card_printing.print_card, **one(name))["print"]
        seen = hands.scan(room, made).model_dump()
        readings[name] = do(room, card_printing.read_printed_card, **seen, **one(name))["readings"]
        enter(room, name, readings[name])
    tell(room, "printer", "wear", mended=True)
    assert readings["nozzles"] == {"nozzles": 320, "missing": len(hidden._blocked)}
    assert 0.02 * readings["two-way"]["pair"] == pytest.approx(hidden._back_mm, abs=0.02)
    words = [entry.words for entry in room.database.within(card_readings.history)]
    advised = re.search(r"back by ([+-]\d\.\d+) mm", words[0])
    assert advised and float(advised[1]) == pytest.approx(-hidden._back_mm, abs=0.02)
    assert words[1].startswith(f"{len(hidden._blocked)} of 320")
    left = room.database.within(lambda session: session.query(Roll).one().remaining_mm)
    assert left == pytest.approx(5000 - 2 * 66)  # the cards come off the roll


def test_a_card_is_printed_only_on_the_stock_that_lies_there(room: Shop) -> None:
    tell(room, "printer", "load roll", name="Matt 300 C", width_mm=300, left_mm=5000)
    with pytest.raises(JobError, match="holds Matt 300 C"):
        do(room, card_printing.print_card, **one("nozzles"))
    with pytest.raises(JobError, match="not printed by itself"):
        do(room, card_printing.print_card, **one("feed"))
    with pytest.raises(JobError, match="not laid under the scanner"):
        hands.scan(room, "CARD-nozzles-0")
    with pytest.raises(JobError, match="not kept any more"):
        do(room, card_printing.read_printed_card, scan="0" * 64, mm_per_px=0.02, **one("nozzles"))


def test_rings_round_the_marks_show_how_far_the_cut_lies_from_the_print(room: Shop) -> None:
    """A camera beside the knife: the rings tell by how much, and then they do not any more."""
    with pytest.raises(JobError, match="No sheet whose marks are read"):
        do(room, card_cutting.cut_card, **one("print-to-cut"))
    hidden = Machine(Room(room.settings.room))
    hidden.answer({"ask": "wear", "seed": 9})
    tell(room, "cutter", "wear", seed=9)
    room.database.within(lambda session: setattr(session.query(Cutter).one(), "feed_percent", 100 * hidden._feed))
    sheet = on_shelf(room)
    for _ in range(2):
        hands.lay(room, sheet, "head")
        do(room, mark_reading.read_sheet)
        assert do(room, card_cutting.cut_card, **one("print-to-cut"))["can_read"]
        read = do(room, card_cutting.read_card, **one("print-to-cut"))["readings"]
        enter(room, "print-to-cut", read)
        # the rings of the first go would be seen again: they lie where they were cut
        Room(room.settings.room).folder(sheet_of(room, sheet).name).joinpath("cuts.json").unlink()
    cutter = room.database.within(lambda session: session.query(Cutter).one())
    assert (cutter.sensor_across_mm, cutter.sensor_along_mm) == pytest.approx(tuple(hidden._sensor), abs=0.04)
    assert read["left_mm"] == pytest.approx(read["right_mm"], abs=0.06)
