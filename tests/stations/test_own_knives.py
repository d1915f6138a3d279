"""The knife of a printer: it comes and goes with the printer, has tool cards and offsets of its own, and its test cards
are made by the printer."""

import json
from collections.abc import Callable

import numpy as np
import pytest
from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.core.calibrating.printed import DISC_MM, DISCS
from etiquette.core.errors import JobError
from etiquette.stations import line_finding, run_edits, runs
from etiquette.stations.lines import editing
from etiquette.stations.machines import printer_of_sheet
from etiquette.stations.print import following, plating, sending
from etiquette.stations.print.own_knife import knife_check, tool_is_in
from etiquette.stations.run import nesting
from etiquette.stations.shelf import card_cutting, card_printing, card_readings, exchange, filling, keeping
from etiquette.stations.shelf.schemas import AddAsked, CardEntered, ThingNamed
from etiquette.stations.shop import Shop
from etiquette.store.models import CardReading, Cutter, MarkSet, Printer, Run, Sheet, Stock, ToolCard
from standins.cuts import Cuts
from standins.room import Room
from tests.signed_in import signed_in
from tests.stations.shop_floor import do, fill_shelf, on_shelf, sheet_of, tell, with_its_knife
from tests.stations.test_only_printed import run_of

RIMS = {"left_mm": 2.3, "right_mm": 1.7, "near_mm": 1.9, "far_mm": 2.1}
"""Of a cut that lies 0.3 mm to the right of the print and 0.1 mm before it."""


def change(shop: Shop, **changes: object) -> None:
    version = shop.database.within(lambda session: session.get_one(Printer, 1).version)
    shop.database.within(lambda session: keeping.change(session, "printer", 1, version, changes))


def knife_now(shop: Shop) -> Cutter:
    return shop.database.within(lambda session: session.scalars(select(Cutter).where(Cutter.printer_id == 1)).one())


def enter(shop: Shop, card: str, knife: int) -> None:
    asked = CardEntered(card=card, cutter_id=knife, stock_id=1, readings=RIMS)
    shop.database.within(lambda session: card_readings.enter(session, asked))


def cut_of(shop: Shop, name: str) -> list[np.ndarray]:
    """What the stand-in's own knife has cut into a print."""
    kept = Cuts.kept_in(Room(shop.settings.room).folder(name) / "cuts.json")
    return [line for _, line, _ in kept.made]


def test_it_comes_and_goes_with_its_printer(shop: Shop) -> None:
    shop.database.within(fill_shelf)
    change(shop, has_knife=False)  # there is none yet, and none is made
    change(shop, has_knife=True)
    knife = knife_now(shop)
    assert (knife.name, knife.away) == ("Knife of Printer east", False)
    cards = shop.database.within(
        lambda session: session.scalars(select(ToolCard).where(ToolCard.cutter_id == knife.id)).all()
    )
    assert len(cards) == 6 and {one.offset_mm for one in cards} == {0.0}
    change(shop, name="Printer west")
    assert knife_now(shop).name == "Knife of Printer west"
    change(shop, has_knife=False)
    assert knife_now(shop).away
    change(shop, has_knife=True)
    assert not knife_now(shop).away and knife_now(shop).id == knife.id  # with all that was found out about it

    def refused(act: Callable[[Session], object], words: str) -> None:
        with pytest.raises(JobError, match=words):
            shop.database.within(act)

    refused(lambda session: filling.remove(session, "cutter", knife.id), "part of its printer")
    refused(lambda session: filling.add(session, "cutter", AddAsked(like=knife.id)), "part of its printer")
    version = knife_now(shop).version
    refused(lambda session: keeping.change(session, "cutter", knife.id, version, {"away": True}), "part of its printer")
    shop.database.within(lambda session: filling.add(session, "stock", AddAsked(name="Clear")))
    assert shop.database.within(lambda session: session.query(ToolCard).filter_by(cutter_id=knife.id).count()) == 12
    shop.database.within(lambda session: filling.remove(session, "printer", 1))
    assert shop.database.within(lambda session: [one.name for one in session.scalars(select(Cutter))]) == ["Knife"]


def test_a_printer_whose_knife_was_tried_is_put_away_not_deleted(shop: Shop) -> None:
    shop.database.within(fill_shelf)
    enter(shop, "own knife", shop.database.within(with_its_knife))
    with pytest.raises(JobError, match="1 test cards that were read"):
        shop.database.within(lambda session: filling.remove(session, "printer", 1))
    change(shop, away=True)
    assert knife_now(shop).away


def test_no_run_is_carried_to_it(shop: Shop) -> None:
    shop.database.within(fill_shelf)
    knife = shop.database.within(with_its_knife)
    run = run_of(shop, "trueing-disc")
    with pytest.raises(JobError, match="cuts only what its printer prints"):
        shop.database.within(lambda session: run_edits.change(session, run, None, "cutter", {"cutter_id": knife}))


def test_a_shop_with_no_other_cutter_cuts_with_it(shop: Shop) -> None:
    """No cutter, no marks on the Shelf: a new run is printed and cut in one go, and asks for lines, not for marks."""

    def shelf(session: Session) -> None:
        fill_shelf(session)
        with_its_knife(session)
        session.delete(session.scalars(select(Cutter).where(Cutter.printer_id.is_(None))).one())
        session.delete(session.query(MarkSet).one())

    shop.database.within(shelf)
    run = run_of(shop, "trueing-disc")
    do(shop, nesting.nest_run, run_id=run, steps=1)
    (plate,) = do(shop, plating.make_plates, run_id=run)["plate_ids"]
    sheet = shop.database.within(lambda session: sending.new_sheet(session, plate, hold=True))
    held = shop.database.within(lambda session: session.get_one(Sheet, sheet).plate)
    assert not held.summary.plan.marks
    told = following._own_cut(shop, held, shop.database.within(lambda session: session.get_one(Run, run)))
    assert told.count(b"PD") > 1


def test_its_card_is_printed_and_cut_at_once_and_leads_the_next_cut(room: Shop) -> None:
    knife = room.database.within(with_its_knife)
    tell(room, "printer", "load roll", name="White 600 A", width_mm=600, left_mm=5000)
    card = {"card": "own knife", "cutter_id": knife, "stock_id": 1, "kind": "kiss", "readings": RIMS}
    nothing_yet = do(room, card_printing.print_card, **card)
    assert (nothing_yet["waits_for"], nothing_yet["print"]) == ("45° blade", "")  # nobody has said what is in it
    card["ready"] = "45° blade"

    def middles() -> np.ndarray:
        made = do(room, card_printing.print_card, **card)["print"]
        rings = cut_of(room, made)
        assert len(rings) == len(DISCS)
        widths = np.array([np.ptp(ring, axis=0) for ring in rings])
        assert widths == pytest.approx(DISC_MM + 2 * 2.0, abs=0.06)  # the rim is 2 mm wide
        found = np.array([(ring.min(axis=0) + ring.max(axis=0)) / 2 for ring in rings])
        return found[np.lexsort(found.T)]

    there = np.array(sorted(DISCS, key=lambda one: (one[1], one[0])))
    assert middles() == pytest.approx(there, abs=0.03)
    enter(room, "own knife", knife)
    assert middles() == pytest.approx(there + (-0.3, 0.1), abs=0.03)
    enter(room, "own knife", knife)  # still off by as much: led further
    assert middles() == pytest.approx(there + (-0.6, 0.2), abs=0.03)
    # the offset after marks is another one
    assert (knife_now(room).after_marks_across_mm, knife_now(room).after_marks_along_mm) == (0, 0)
    left = room.database.within(lambda session: session.query(CardReading).count())
    assert left == 2


def test_what_it_cuts_at_once_and_after_marks_is_led_by_the_card_of_each(shop: Shop) -> None:
    shop.database.within(fill_shelf)
    knife = shop.database.within(with_its_knife)
    run = run_of(shop, "trueing-disc", way="both")
    do(shop, nesting.nest_run, run_id=run, steps=1)
    (plate,) = do(shop, plating.make_plates, run_id=run)["plate_ids"]
    sheet = shop.database.within(lambda session: sending.new_sheet(session, plate, hold=True))

    def middle(way: str) -> np.ndarray:
        shop.database.within(lambda session: run_edits.change(session, run, None, "way", {"way": way}))
        row = shop.database.within(lambda session: session.get_one(Run, run))
        told = following._own_cut(shop, sheet_of(shop, sheet).plate, row).decode()
        pairs = [part[2:].split(",") for part in told.split(";") if part.startswith("PD")]
        points = np.array([float(value) for pair in pairs for value in pair]).reshape(-1, 2) * 0.025
        middle: np.ndarray = (points.min(axis=0) + points.max(axis=0)) / 2
        return middle

    as_planned = middle("both")
    enter(shop, "own knife", knife)
    assert middle("both") - as_planned == pytest.approx([-0.3, 0.1], abs=0.03)
    assert middle("cut") == pytest.approx(as_planned, abs=0.03)
    for _ in range(2):
        enter(shop, "own knife, marks", knife)
    assert middle("cut") - as_planned == pytest.approx([-0.6, 0.2], abs=0.03)


def test_the_tool_of_a_run_is_in_the_knife_before_it_is_sent(shop: Shop) -> None:
    """One tool: hands say that it is in. Two: the knife holds one."""
    shop.database.within(fill_shelf)
    shop.database.within(with_its_knife)
    run = run_of(shop, "trueing-disc", way="both")
    do(shop, nesting.nest_run, run_id=run, steps=1)
    (plate,) = do(shop, plating.make_plates, run_id=run)["plate_ids"]

    def check() -> tuple[str, str]:
        state = shop.database.within(lambda session: runs.state_of(shop, session, run))
        found = shop.database.within(lambda session: knife_check(shop, session, state))
        assert found is not None
        return found.words, found.tool

    def send(key: str) -> int:
        return shop.database.within(
            lambda session: sending.ask_for_sheet(shop, session, plate, None, key, key.startswith("hold"))
        )

    assert check() == ("Put the 45° blade into the knife of Printer east", "45° blade")
    with pytest.raises(JobError, match="Put the 45° blade into the knife"):
        send("sent at once")
    held = send("hold it first")
    with pytest.raises(JobError, match="Put the 45° blade into the knife"):
        shop.database.within(lambda session: sending.send_held(shop, session, held))
    shop.database.within(lambda session: tool_is_in(shop, session, run, "60° blade"))
    assert check()[0] == "Put the 45° blade into the knife of Printer east, which holds the 60° blade"
    shop.database.within(lambda session: tool_is_in(shop, session, run, "45° blade"))
    assert check() == ("The 45° blade is in the knife of Printer east", "")
    send("sent at once")
    shop.database.within(lambda session: sending.send_held(shop, session, held))
    weed = {"weed": {"box": True}, "way": "both"}  # kiss lines round a through cut: two tools
    shop.database.within(lambda session: run_edits.change(session, run, None, "weed", weed))
    shop.database.within(lambda session: lines_are(session, run, "through"))
    for design in shop.database.within(lambda session: runs.state_of(shop, session, run)).designs:
        do(shop, line_finding.find_lines, design_id=design)
    assert "wants the 45° blade and the 60° blade, and the knife of Printer east holds one" in check()[0]


def test_the_tool_is_asked_once_more_when_a_waiting_print_has_its_turn(room: Shop) -> None:
    """Sent with the right tool in; before the printer was free, hands put in another for another run."""
    sheet = on_shelf(room)
    run = sheet_of(room, sheet).plate.run_id
    room.database.within(with_its_knife)
    room.database.within(lambda session: run_edits.change(session, run, None, "both", {"way": "both"}))
    (plate,) = do(room, plating.make_plates, run_id=run)["plate_ids"]

    def send(key: str) -> int:
        return room.database.within(lambda session: sending.ask_for_sheet(room, session, plate, None, key, hold=False))

    room.database.within(lambda session: tool_is_in(room, session, run, "45° blade"))
    waits = send("the first")
    room.database.within(lambda session: tool_is_in(room, session, run, "60° blade"))
    with pytest.raises(JobError, match=r"Put the 45° blade into .*, which holds the 60° blade"):
        do(room, following.print_plate, sheet_id=waits)
    left = sheet_of(room, waits)
    printer = room.database.within(lambda session: printer_of_sheet(session, waits))
    assert (left.state, printer.driver().progress(left.name).state) == ("failed", "unknown")  # nothing was sent
    room.database.within(lambda session: tool_is_in(room, session, run, "45° blade"))
    again = send("the second")
    do(room, following.print_plate, sheet_id=again)
    assert sheet_of(room, again).state == "cut"


def lines_are(session: Session, run: int, kind: str) -> None:
    (item,) = session.get_one(Run, run).document.items
    editing.change(session, item.design_id, None, kind, {"kind": kind})


def test_a_card_that_is_asked_for_twice_is_made_once(shop: Shop) -> None:
    """A request that was repeated on its way: one task, one piece of stock."""
    shop.database.within(fill_shelf)
    card = {"card": "nozzles", "printer_id": 1, "stock_id": 1, "readings": {}, "key": "0123-4567"}
    with signed_in(shop) as client:
        made = [client.post("/api/test-cards/print", json=card).json()["task_id"] for _ in range(2)]
        other = client.post("/api/test-cards/print", json=card | {"key": "8901-2345"}).json()["task_id"]
    assert made[0] == made[1] != other


def test_a_ladder_is_cut_by_the_printer_and_read_by_eye(room: Shop) -> None:
    knife = room.database.within(with_its_knife)
    tell(room, "printer", "load roll", name="White 600 A", width_mm=600, left_mm=5000)
    lying = do(room, card_printing.print_card, card="nozzles", printer_id=1, stock_id=1, readings={})["print"]
    card = {"card": "force", "cutter_id": knife, "stock_id": 1, "kind": "kiss", "readings": {}}
    with pytest.raises(JobError, match="may lie under its knife"):
        do(room, card_cutting.cut_card, **card)
    card["bare"] = True
    assert do(room, card_cutting.cut_card, **card)["waits_for"] == "45° blade"
    made = do(room, card_cutting.cut_card, **card, ready="45° blade")
    assert made["state"] == "cut" and len(made["steps"]) == 8 and not made["can_read"]
    assert len(cut_of(room, lying)) == 16  # two squares a step, into what lay under its knife
    with pytest.raises(JobError, match="felt or measured by hand"):
        do(room, card_cutting.read_card, **{**card, "card": "knife"})
    with pytest.raises(JobError, match="not for the knife of a printer"):
        do(room, card_cutting.cut_card, **{**card, "card": "sensor"})
    for wrong, on in (("sensor", knife), ("own knife", 1)):
        with pytest.raises(JobError, match="in a printer"):
            asked = CardEntered(card=wrong, cutter_id=on, stock_id=1, readings=RIMS)
            room.database.within(lambda session, asked=asked: card_readings.enter(session, asked))


def test_a_shelf_file_carries_it(shop: Shop) -> None:
    shop.database.within(fill_shelf)
    enter(shop, "own knife", shop.database.within(with_its_knife))
    text = shop.database.within(lambda session: exchange.written(shop, session))
    (held,) = [one for one in json.loads(text)["cutter"] if one["printer"]]
    assert (held["printer"], held["at_once_across_mm"]) == ("Printer east", -0.3)
    shop.database.within(lambda session: setattr(knife_in(session), "at_once_across_mm", 1.0))
    shop.database.within(lambda session: setattr(session.get_one(Printer, 1), "name", "Printer north"))
    things = [("printer", "Printer east"), ("cutter", "Knife of Printer east")]
    chosen = [ThingNamed(kind=kind, name=name) for kind, name in things]
    with pytest.raises(JobError, match="called Knife of Printer east already"):
        exchange.take(shop, text, "a file", chosen)
    change(shop, name="Printer south")  # and with it its knife
    exchange.take(shop, text, "a file", chosen)
    knives = shop.database.within(
        lambda session: session.scalars(select(Cutter).where(Cutter.printer_id.is_not(None)).order_by(Cutter.id)).all()
    )
    assert [(one.name, one.at_once_across_mm) for one in knives] == [
        ("Knife of Printer south", 1.0),
        ("Knife of Printer east", -0.3),
    ]
    assert shop.database.within(lambda session: session.query(Stock).count()) == 1


def knife_in(session: Session) -> Cutter:
    return session.scalars(select(Cutter).where(Cutter.printer_id == 1)).one()
