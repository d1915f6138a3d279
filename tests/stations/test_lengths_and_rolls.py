"""Frames that hang together are one length; a run goes on on another roll between two frames."""

from datetime import timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from etiquette.core.errors import JobError
from etiquette.demo import hands
from etiquette.demo.art import art_file
from etiquette.stations import line_finding, run_edits, run_rolls, runs, sheets
from etiquette.stations.lines import taking_in
from etiquette.stations.print import film, following, plating, preflight, queue, sending
from etiquette.stations.run import nesting
from etiquette.stations.shelf import filling
from etiquette.stations.shelf.schemas import AddAsked
from etiquette.stations.shop import Shop
from etiquette.store.models import Cutter, Printer, PrintMode, Roll, Run, Sheet, Task, now
from etiquette.store.states import SheetState
from tests.stations.shop_floor import do, fill_shelf, sheet_of

KEY = "all of it"


def framed(shop: Shop, **settings: object) -> int:
    """A run of at least three frames, plated: the cutter reads no further."""
    shop.database.within(lambda session: setattr(session.get_one(Cutter, 1), "reach_along_mm", 150.0))
    (design,) = taking_in.take_in(shop, art_file("trueing-disc")[1], "target.png", None, {"offset_mm": -3.0})
    do(shop, line_finding.find_lines, design_id=design)
    run = shop.database.within(
        lambda session: run_edits.create(session, "Targets", [{"design_id": design, "count": 16}])
    )
    changes = {"laying": "grid", "grid": {"columns": 2}, **settings}
    shop.database.within(lambda session: run_edits.change(session, run, None, "laying", changes))
    do(shop, nesting.nest_run, run_id=run, steps=1)
    assert len(do(shop, plating.make_plates, run_id=run)["plate_ids"]) >= 3
    return run


def sent(shop: Shop, run: int, key: str = KEY) -> list[int]:
    """All frames in one action; the sheets that are sent now."""

    def send(session: object) -> list[int]:
        tasks = queue.send_all(shop, session, run, None, key)  # type: ignore[arg-type]
        return [int(session.get_one(Task, one).arguments["sheet_id"]) for one in tasks]  # type: ignore[attr-defined]

    return shop.database.within(send)


def all_of(shop: Shop) -> list[Sheet]:
    return shop.database.within(lambda session: list(session.query(Sheet).order_by(Sheet.id)))


def printed(shop: Shop, sheet: int, minutes_ago: float = 0.0) -> None:
    """As if a printer had printed it then."""
    shop.database.within(lambda session: following._printed(session, sheet))
    at = now() - timedelta(minutes=minutes_ago)
    shop.database.within(lambda session: setattr(session.get_one(Sheet, sheet), "printed_at", at))


@pytest.fixture
def filled(shop: Shop) -> Shop:
    shop.database.within(fill_shelf)
    return shop


def drying(shop: Shop, minutes: float) -> None:
    def mode(session: object) -> None:
        session.add(  # type: ignore[attr-defined]
            PrintMode(
                name="everyday", stock_id=1, printer_id=1, dpi=600, passes=4, two_way=True, m2_per_hour=10,
                ink_ml_m2=10, drying_minutes=minutes,
            )
        )  # fmt: skip

    shop.database.within(mode)


def test_a_length_gets_film_after_its_last_frame_and_all_of_it_at_once(filled: Shop) -> None:
    drying(filled, 60)
    run = framed(filled)
    first, second, *rest = sent(filled, run)
    assert {one.length for one in all_of(filled)} == {all_of(filled)[0].length} != {None}
    printed(filled, first, minutes_ago=90)  # dry by itself, but it hangs with the others
    with pytest.raises(JobError, match="still to be printed"):
        filled.database.within(lambda session: film.film_is_on(session, first, anyway=True))
    for one in (second, *rest):
        printed(filled, one, minutes_ago=20)
    # counted from the last frame of the length: forty minutes are left for all of them
    with pytest.raises(JobError, match="dries for 40 more minutes"):
        filled.database.within(lambda session: film.film_is_on(session, first, anyway=False))
    filled.database.within(lambda session: film.film_is_on(session, first, anyway=True))
    assert [one.film for one in all_of(filled)] == [True] * (2 + len(rest))
    assert {one.state for one in all_of(filled)} == {SheetState.LAMINATED}


def test_room_for_cutting_off_is_planned_behind_every_frame_of_a_roll(filled: Shop) -> None:
    run = framed(filled)

    def lengths() -> list[float]:
        state = filled.database.within(lambda session: runs.state_of(filled, session, run))
        return [plan.length_mm for plan in state.plans]

    before = lengths()
    assert len(before) > 1
    filled.database.within(lambda session: setattr(session.query(Printer).one(), "sever_mm", 15.0))
    assert lengths() == pytest.approx([length + 15 for length in before])
    filled.database.within(lambda session: run_edits.change(session, run, None, "sheets", {"sheet_mm": 2000.0}))
    assert all(length == 2000 for length in lengths())  # a sheet is cut off already


def test_what_is_cut_off_goes_on_by_itself(filled: Shop) -> None:
    run = framed(filled)
    first, second, *rest = sent(filled, run)
    printed(filled, first)
    with pytest.raises(JobError, match="Nothing is to be cut off"):
        filled.database.within(lambda session: film.cut_off(session, second))  # it is not printed yet
    filled.database.within(lambda session: film.cut_off(session, first))
    filled.database.within(lambda session: film.film_is_on(session, first, anyway=False))
    assert sheet_of(filled, first).film and not sheet_of(filled, second).film
    with pytest.raises(JobError, match="Nothing is to be cut off"):
        filled.database.within(lambda session: film.cut_off(session, first))
    for one in (second, *rest):
        printed(filled, one)
    filled.database.within(lambda session: film.film_is_on(session, rest[-1], anyway=False))
    assert sheet_of(filled, second).film  # the others still hang together


@pytest.mark.parametrize("apart", [{"sever": True}, {"sheet_mm": 400.0}])
def test_frames_that_are_severed_or_on_sheets_are_by_themselves(filled: Shop, apart: dict[str, object]) -> None:
    run = framed(filled, **apart)
    sent(filled, run)
    assert {one.length for one in all_of(filled)} == {None}
    together = filled.database.within(lambda session: [len(sheets.length_of(one)) for one in session.query(Sheet)])
    assert set(together) == {1}


def test_a_frame_that_fails_or_is_held_is_not_waited_for(filled: Shop) -> None:
    run = framed(filled)
    first, second, *rest = sent(filled, run)
    for one in (first, *rest):
        printed(filled, one)
    filled.database.within(lambda session: following._ends(session, second, "failed"))
    filled.database.within(lambda session: film.film_is_on(session, first, anyway=False))
    assert all(sheet_of(filled, one).film for one in (first, *rest)) and not sheet_of(filled, second).film


def second_roll(shop: Shop, lot: str = "") -> int:
    def put(session: object) -> int:
        roll = Roll(stock_id=1, name="White 600 B", length_mm=5000, remaining_mm=5000, lot=lot)
        session.add(roll)  # type: ignore[attr-defined]
        session.flush()  # type: ignore[attr-defined]
        return roll.id

    return shop.database.within(put)


def left_on(shop: Shop, roll: int) -> float:
    return shop.database.within(lambda session: session.get_one(Roll, roll).remaining_mm)


def test_a_run_goes_on_on_another_roll_between_two_frames(filled: Shop) -> None:
    run = framed(filled)
    state = filled.database.within(lambda session: runs.state_of(filled, session, run))
    lengths = [plan.length_mm for plan in state.plans]
    room = lengths[0] + lengths[1] / 2  # one frame and a half
    filled.database.within(lambda session: setattr(session.get_one(Roll, 1), "remaining_mm", room))
    with pytest.raises(JobError, match="one more on which it goes on"):
        sent(filled, run)
    other = second_roll(filled, lot="L-7")
    filled.database.within(lambda session: run_edits.change(session, run, None, "rolls", {"more_rolls": [other]}))
    # foretold, with the lots
    state = filled.database.within(lambda session: runs.state_of(filled, session, run))
    said = filled.database.within(
        lambda session: preflight.preflight(filled, session, state, JobError("Nobody asked.", "printer", "Ask."))
    )
    words = next(one for one in said if "White 600 B" in one.words)
    assert words.state == "look" and f"frame 1 on White 600 A · frames 2–{len(lengths)} on White 600 B" in words.words
    (now_sent,) = sent(filled, run)
    assert sent(filled, run) == [now_sent]  # the same key once, also with a roll in between
    there = all_of(filled)
    assert [one.roll_id for one in there] == [1] + [other] * (len(lengths) - 1)
    assert [one.state for one in there] == ["printing"] + ["held"] * (len(lengths) - 1)
    # the first is by itself, the others are one length on their roll
    assert there[0].length is None and len({one.length for one in there[1:]}) == 1
    assert filled.database.within(lambda session: run_rolls.roll_wanted(session, session.get_one(Run, run))).id == 1
    printed(filled, now_sent)
    assert left_on(filled, 1) == pytest.approx(room - lengths[0])
    assert filled.database.within(lambda session: run_rolls.roll_wanted(session, session.get_one(Run, run))).id == other
    for one in there[1:]:
        filled.database.within(lambda session, key=one.id: sending.send_held(filled, session, key))
        printed(filled, one.id)
    assert left_on(filled, other) == pytest.approx(5000 - sum(lengths[1:]))
    assert left_on(filled, 1) == pytest.approx(room - lengths[0])
    # it is used: put away, not thrown away
    with pytest.raises(JobError, match="still used"):
        filled.database.within(lambda session: filling.remove(session, "roll", other))


def test_one_frame_alone_takes_the_roll_that_has_enough(filled: Shop) -> None:
    run = framed(filled)
    filled.database.within(lambda session: setattr(session.get_one(Roll, 1), "remaining_mm", 40.0))
    other = second_roll(filled)
    (plate, *_) = do(filled, plating.make_plates, run_id=run)["plate_ids"]
    with pytest.raises(JobError, match="has 40 mm left"):
        filled.database.within(lambda session: sending.new_sheet(session, plate))
    filled.database.within(lambda session: run_edits.change(session, run, None, "rolls", {"more_rolls": [other]}))
    sheet = filled.database.within(lambda session: sending.new_sheet(session, plate))
    assert sheet_of(filled, sheet).roll_id == other


def test_a_run_goes_on_on_rolls_of_its_own_stock_alone(filled: Shop) -> None:
    run = framed(filled)
    other = second_roll(filled)
    made = filled.database.within(lambda session: filling.add(session, "stock", AddAsked(name="Clear")))
    strange = filled.database.within(lambda session: filling.add(session, "roll", AddAsked(stock_id=made)))
    with pytest.raises(JobError, match="its own stock alone"):
        filled.database.within(lambda session: run_edits.change(session, run, None, "rolls", {"more_rolls": [strange]}))
    filled.database.within(lambda session: run_edits.change(session, run, None, "rolls", {"more_rolls": [other]}))
    # the next roll becomes the first: it does not stand twice; and another stock takes its rolls along
    filled.database.within(lambda session: run_edits.change(session, run, None, "roll", {"roll_id": other}))
    assert filled.database.within(lambda session: session.get_one(Run, run).document.more_rolls) == []


def test_hands_put_on_the_roll_that_is_wanted_next(room: Shop) -> None:
    run = framed(room)
    other = second_roll(room)
    room.database.within(lambda session: setattr(session.get_one(Roll, 1), "remaining_mm", 10.0))
    room.database.within(lambda session: run_edits.change(session, run, None, "rolls", {"more_rolls": [other]}))
    first, *_ = sent(room, run)
    hands.put_roll_on(room, run)
    do(room, following.print_plate, sheet_id=first)
    assert left_on(room, 1) == 10.0 and left_on(room, other) < 5000


@given(
    st.lists(st.floats(0, 3000), min_size=1, max_size=4),
    st.lists(st.floats(50, 900), min_size=1, max_size=12),
)
def test_no_frame_is_parted_and_no_roll_gone_back_to(left: list[float], lengths: list[float]) -> None:
    rolls = [Roll(stock_id=1, name=str(number), length_mm=3000, remaining_mm=one) for number, one in enumerate(left)]
    found = run_rolls.allotted(rolls, lengths)
    placed = [number for one in found for number in one.frames]
    assert placed == list(range(1, len(placed) + 1))  # in their order, each once, none left out before the end
    for one, had in zip(found, left, strict=True):
        used = sum(lengths[number - 1] for number in one.frames)
        assert one.left_mm == pytest.approx(had - used, abs=1e-6) and one.left_mm >= -1e-6
    if len(placed) < len(lengths):  # nothing behind the last roll that was used has room for the next
        last = max((number for number, one in enumerate(found) if one.frames), default=0)
        assert all(one.left_mm < lengths[len(placed)] for one in found[last:])
