"""The Bench when something goes wrong: nothing is lost, nothing is cut twice, and the operator is told what to do."""

import re
from typing import Any

import numpy as np
import pytest
import svgelements

from etiquette.core.errors import JobError, NotThere
from etiquette.demo import hands
from etiquette.stations import cut_files, runs, sheet_log
from etiquette.stations.bench import (
    counting,
    cut_job,
    cut_progress,
    cutting,
    mark_reading,
    mats,
    rolls,
    views,
)
from etiquette.stations.print import following, sending
from etiquette.stations.shop import Shop
from etiquette.stations.tools import card_row, put_in
from etiquette.store.models import Cutter, Stock
from standins.cutter import Cutter as Machine
from standins.loads import Load
from standins.room import Room
from tests.outside.test_files import redrawn
from tests.stations.shop_floor import cut_report, do, on_shelf, sheet_of, tell
from tests.strangers import free_port


def cuts_made(shop: Shop, name: str | None = None) -> float:
    """Millimetres cut of the sheet on the cutter, or of one on the shelf."""
    if name is not None:
        kept = Load(Room(shop.settings.room), name, "head", None).cuts.made
        return sum(float(np.hypot(*np.diff(line, axis=0).T).sum()) for _, line, _ in kept)
    return float(tell(shop, "cutter", "judge")["cut_mm"])


def whole(shop: Shop, sheet: int) -> float:
    plate = sheet_of(shop, sheet).plate
    return sum(views.drawn(shop, plate).lengths) + 0.5 * 30  # with overcut


def finish(shop: Shop, sheet: int, end: str = "head") -> None:
    """As the operator is told: load it, read it, cut: it goes on where it was."""
    hands.lay(shop, sheet, end)  # type: ignore[arg-type]
    do(shop, mark_reading.read_sheet)
    assert do(shop, cutting.cut_sheet, sheet_id=sheet)["state"] == "done"


@pytest.mark.parametrize("after", [0, 1, 5, 16])
def test_a_line_that_breaks_at_any_byte_is_taken_up_again(ready: tuple[Shop, int], after: int) -> None:
    """The machine has cut the part, its answer is lost: it is asked, and not told to cut it again."""
    shop, sheet = ready
    tell(shop, "cutter", "fault", kind="drop", on="answer", after=9, bytes=after)
    assert do(shop, cutting.cut_sheet, sheet_id=sheet)["state"] == "done"
    assert cuts_made(shop) == pytest.approx(whole(shop, sheet), rel=0.01)
    report = cut_report(shop, sheet)
    assert report.cut.worst_mm <= 0.3


def test_a_power_cut_loses_nothing(ready: tuple[Shop, int]) -> None:
    shop, sheet = ready
    tell(shop, "cutter", "fault", kind="power", after=12)
    with pytest.raises(JobError, match=r"closed the line|takes nothing") as told:
        do(shop, cutting.cut_sheet, sheet_id=sheet)
    progress = cut_progress.progress_of(sheet_of(shop, sheet))
    # twelve were cut: what was answered counts as done, the rest that was sent is in doubt, and nothing else is
    assert f"Nothing is lost: {len(progress.done)} lines" in told.value.do and "under the knife" in told.value.do
    assert 8 <= len(progress.done) <= 12 <= len(progress.done) + len(progress.doubtful) <= 16
    states = [
        piece.state
        for piece in shop.database.within(lambda s: views.pieces_of_sheet(shop, s, mark_reading.sheet_there(s, sheet)))
    ]
    assert states.count("cut") == len(progress.done) and states.count("doubtful") == len(progress.doubtful)
    hands.lay(shop, sheet, "tail")
    do(shop, mark_reading.read_sheet)
    with pytest.raises(JobError, match="under the knife when the cut was broken off"):  # a person looks first
        do(shop, cutting.cut_sheet, sheet_id=sheet)
    cutting.settle_doubt(shop, sheet, "again")
    finish(shop, sheet, "tail")
    report = cut_report(shop, sheet)
    assert report.cut.worst_mm <= 0.3


def test_media_that_slips_is_noticed_before_more_is_spoiled(ready: tuple[Shop, int]) -> None:
    shop, sheet = ready
    tell(shop, "cutter", "fault", kind="slip", after=10, x=0.0, y=1.4)
    with pytest.raises(JobError, match=r"has moved by 1\.4 mm"):
        do(shop, cutting.cut_sheet, sheet_id=sheet)
    assert (
        len(cut_progress.progress_of(sheet_of(shop, sheet)).done) == 16
    )  # two parts: the one before and the one it slipped in
    do(shop, mark_reading.read_sheet)
    assert do(shop, cutting.cut_sheet, sheet_id=sheet)["state"] == "done"
    shop.database.within(lambda session: counting.mark_spoiled(session, sheet, [3, 4, 5, 6, 7, 8]))
    assert sheet_of(shop, sheet).good == 24


def test_no_media_under_the_rollers_is_said_and_the_rest_stays(ready: tuple[Shop, int]) -> None:
    shop, sheet = ready
    tell(shop, "cutter", "fault", kind="out", after=9)
    with pytest.raises(JobError, match="no media under the rollers"):
        do(shop, cutting.cut_sheet, sheet_id=sheet)
    assert 8 <= len(cut_progress.progress_of(sheet_of(shop, sheet)).done) <= 9
    cutting.settle_doubt(shop, sheet, "again")
    finish(shop, sheet)


def test_a_slow_machine_is_waited_for_and_the_time_left_follows_it(
    ready: tuple[Shop, int], monkeypatch: pytest.MonkeyPatch
) -> None:
    shop, sheet = ready
    # a clock of its own: every line that is cut took a minute
    monkeypatch.setattr(cut_job, "monotonic", lambda: 60.0 * len(cut_progress.progress_of(sheet_of(shop, sheet)).done))
    said: list[str] = []

    def at_part_ends(share: float, words: str, data: dict[str, Any] | None = None) -> bool:
        said.extend([words] if data else [])
        return True

    assert do(shop, cutting.cut_sheet, report=at_part_ends, sheet_id=sheet)["state"] == "done"
    slow = [one for one in said if "slower than planned" in one]
    assert len(slow) == 4 and "line 8 of 30" in slow[0]
    minutes = [int(re.findall(r"(\d+) (?:min|s) left", one)[0]) for one in slow]
    assert minutes == [22, 14, 6, 0]  # of thirty lines eight, sixteen, twenty-four and all are cut
    assert cuts_made(shop) == pytest.approx(whole(shop, sheet), rel=0.01)


def test_a_cut_is_held_and_gone_on_with(ready: tuple[Shop, int]) -> None:
    shop, sheet = ready
    calls = iter(range(100))
    held = do(shop, cutting.cut_sheet, report=lambda *_: next(calls) < 2, sheet_id=sheet)
    assert held["state"] == "held"
    done = len(cut_progress.progress_of(sheet_of(shop, sheet)).done)
    assert 0 < done < 30 and sheet_of(shop, sheet).state == "read"
    assert do(shop, cutting.cut_sheet, sheet_id=sheet)["state"] == "done"
    assert cuts_made(shop) == pytest.approx(whole(shop, sheet), rel=0.01)


def test_one_piece_first_then_chosen_ones_then_the_rest(ready: tuple[Shop, int]) -> None:
    shop, sheet = ready
    assert do(shop, cutting.cut_sheet, sheet_id=sheet, one=True)["state"] == "part"
    assert len(cut_progress.progress_of(sheet_of(shop, sheet)).done) == 1
    assert do(shop, cutting.cut_sheet, sheet_id=sheet, pieces=[7, 9])["state"] == "part"
    assert do(shop, cutting.cut_sheet, sheet_id=sheet, pieces=list(range(1, 31)))["state"] == "done"
    assert cuts_made(shop) == pytest.approx(whole(shop, sheet), rel=0.01)


def test_tools_are_changed_by_hand_in_their_order(room: Shop) -> None:
    """Another tool is in the holder than the card asks for: the cut waits until it is said to be changed."""
    sheet = on_shelf(room, weed={"box": True, "lines": "none"})
    room.database.within(
        lambda session: setattr(
            card_row(session, session.query(Cutter).one().id, session.query(Stock).one(), "kiss"), "tool", "30° blade"
        )
    )
    hands.lay(room, sheet, "head")
    do(room, mark_reading.read_sheet)
    shown = room.database.within(lambda s: views.tools_of_sheet(room, s, mark_reading.sheet_there(s, sheet)))
    assert [(step.kind, step.tool, step.lines) for step in shown] == [("kiss", "30° blade", 31)]
    for held in ("", "pen"):  # not known, or another one: both are asked
        room.database.within(lambda session, held=held: put_in(session, session.query(Cutter).one().id, held))
        assert do(room, cutting.cut_sheet, sheet_id=sheet)["waits_for"] == "30° blade"
        assert cuts_made(room) == 0
    assert do(room, cutting.cut_sheet, sheet_id=sheet)["state"] == "tool"
    assert do(room, cutting.cut_sheet, sheet_id=sheet, ready="30° blade")["state"] == "done"


def test_missed_looks_glare_and_a_crooked_sheet_still_lead_to_a_fit(room: Shop) -> None:
    sheet = on_shelf(room)
    tell(room, "cutter", "fault", kind="skew", deg=2.5)
    tell(room, "cutter", "fault", kind="noise", grey=9)
    tell(room, "cutter", "fault", kind="missed", looks=3)
    tell(room, "cutter", "fault", kind="glare", grey=70)
    hands.lay(room, sheet, "tail")
    assert do(room, mark_reading.read_sheet)["verdict"] == "go"
    assert do(room, cutting.cut_sheet, sheet_id=sheet)["state"] == "done"
    report = cut_report(room, sheet)
    assert report.cut.worst_mm <= 0.3


@pytest.mark.parametrize("end", ["head", "tail"])
def test_marks_are_read_from_photos_of_the_table(room: Shop, end: str) -> None:
    sheet = on_shelf(room)
    hands.lay(room, sheet, end)  # type: ignore[arg-type]
    assert do(room, mark_reading.read_sheet, by="photo")["verdict"] == "go"
    reading = sheet_of(room, sheet).reading
    assert reading is not None and reading.end == end and all(mark.measured for mark in reading.marks)
    by_photo = np.array([mark.measured for mark in reading.marks])
    do(room, mark_reading.read_sheet)
    reading = sheet_of(room, sheet).reading
    assert reading is not None
    away = by_photo - np.array([mark.measured for mark in reading.marks])
    assert np.abs(away).max() < 0.06
    do(room, mark_reading.read_sheet, by="photo")
    do(room, cutting.cut_sheet, sheet_id=sheet)
    report = cut_report(room, sheet)
    assert report.cut.worst_mm <= 0.15


def test_hands_lead_the_head_to_a_mark_it_did_not_find(room: Shop) -> None:
    """One mark is washed out. Pointed at, it counts for what hands can do; made out again, it counts as read."""
    sheet = on_shelf(room)
    shelf, name = Room(room.settings.room), sheet_of(room, sheet).name
    printed = np.array(shelf.pixels(name))
    load = Load(shelf, name, "head", None)
    mark = sheet_of(room, sheet).plate.summary.plan.marks[0]
    column, row = load.to_pixels(load.to_cutter(load.film.moved(np.array([[mark.x, mark.y]]))))[0].astype(int)
    pale = printed.copy()
    pale[row - 35 : row + 35, column - 35 : column + 35] = 215
    shelf.write_pixels(name, pale)
    hands.lay(room, sheet, "head")
    do(room, mark_reading.read_sheet)

    def expected() -> float:
        reading = sheet_of(room, sheet).reading
        assert reading is not None
        return float(reading.fit.predicted_error_mm.max)

    without = expected()
    x, y = mark_reading.expected_place(sheet_of(room, sheet), mark.id)
    mark_reading.point_at_mark(room, sheet, mark.id, x + 0.1, y)
    by_hand = expected()
    shelf.write_pixels(name, printed)
    hands.lay(room, sheet, "head")
    do(room, mark_reading.read_sheet)
    x, y = mark_reading.expected_place(sheet_of(room, sheet), mark.id)
    mark_reading.point_at_mark(room, sheet, mark.id, x + 1.5, y - 1)  # near is enough
    assert expected() < by_hand < without
    reading = sheet_of(room, sheet).reading
    assert reading is not None and reading.marks[0].by_hand is False
    assert np.hypot(*(np.array(reading.marks[0].measured) - (x, y))) < 0.5
    with pytest.raises(NotThere, match="no such mark"):
        mark_reading.point_at_mark(room, sheet, "m99", 0, 0)


def test_what_is_spoiled_is_cut_or_printed_again_in_one_action(ready: tuple[Shop, int]) -> None:
    shop, sheet = ready
    do(shop, cutting.cut_sheet, sheet_id=sheet)
    with pytest.raises(JobError, match="No piece is marked"):
        shop.database.within(lambda session: counting.reprint(session, sheet))
    with pytest.raises(JobError, match="there is no piece 31"):
        shop.database.within(lambda session: counting.mark_spoiled(session, sheet, [31]))
    shop.database.within(lambda session: counting.mark_spoiled(session, sheet, [2, 5, 11]))
    assert sheet_of(shop, sheet).good == 27
    again = shop.database.within(lambda session: counting.reprint(session, sheet))
    document = shop.database.within(lambda session: runs.state_of(shop, session, again)).document
    assert [item.count for item in document.items] == [3] and document.name.endswith("again")
    pieces = views.drawn(shop, sheet_of(shop, sheet).plate).pieces
    before = cuts_made(shop)
    shop.database.within(lambda session: counting.recut(session, sheet, pieces))
    assert do(shop, cutting.cut_sheet, sheet_id=sheet)["state"] == "done"
    assert cuts_made(shop) - before == pytest.approx(3 * whole(shop, sheet) / 30, rel=0.02)


def test_a_whole_roll_is_cut_and_a_bad_frame_is_set_aside(room: Shop) -> None:
    """Three sheets on one roll; the code of the middle one cannot be seen."""
    sheets = [on_shelf(room, f"Frame {n}", seed=n) for n in (1, 2, 3)]
    middle = sheet_of(room, sheets[1])
    pixels = np.array(Room(room.settings.room).pixels(middle.name))
    pixels[:] = np.where(pixels < 120, 235, pixels)  # as if washed out: no code, no marks
    Room(room.settings.room).write_pixels(middle.name, pixels)
    hands.lay_several(room, sheets, "roll", ["head"] * 3)
    done = do(room, rolls.cut_roll, sheet_ids=sheets, end="head")
    assert done["cut"] == [sheet_of(room, sheets[0]).name, sheet_of(room, sheets[2]).name]
    assert list(done["aside"]) == [middle.name] and "code" in done["aside"][middle.name]
    assert [sheet_of(room, one).state for one in sheets] == ["cut", "laminated", "cut"]
    before = cuts_made(room, sheet_of(room, sheets[2]).name)
    words = [entry.words for entry in room.database.within(sheet_log.latest)]
    assert "2 cut, 1 set aside" in words[0] and any("set aside" in one for one in words[1:])
    again = do(room, rolls.cut_roll, sheet_ids=[sheets[0], sheets[2]], end="head")  # as after a go that was broken off
    assert again["cut"] == done["cut"] and cuts_made(room, sheet_of(room, sheets[2]).name) == before


def test_a_roll_in_another_order_than_it_was_laid_cuts_nothing_wrong(room: Shop) -> None:
    """The first sheet on the roll carries the code of the second: it is set aside, and the second is cut as itself."""
    first, second = (on_shelf(room, f"Frame {n}", seed=n) for n in (1, 2))
    shelf = Room(room.settings.room)
    names = [sheet_of(room, one).name for one in (first, second)]
    shelf.write_pixels(names[0], np.array(shelf.pixels(names[1])))
    hands.lay_several(room, [first, second], "roll", ["head"] * 2)
    done = do(room, rolls.cut_roll, sheet_ids=[first, second], end="head")
    assert done["aside"] == {names[0]: "Its code names another sheet than the one that was laid."}
    assert done["cut"] == [names[1]] and cuts_made(room, names[0]) == 0
    report = cut_report(room, second)
    assert report.cut.worst_mm <= 0.15


def test_several_sheets_on_one_mat_are_found_wherever_they_lie(room: Shop) -> None:
    """Two prints of one frame, one of another and one that was washed out, some tail first: each is read and cut for
    itself."""
    first, pale = (on_shelf(room, f"Frame {n}", seed=n) for n in (1, 2))
    second = room.database.within(lambda session: sending.new_sheet(session, sheet_of(room, first).plate.id))
    do(room, following.print_plate, sheet_id=second)
    do(room, hands.put_film_on, sheet_id=second, seed=31)
    shelf, name = Room(room.settings.room), sheet_of(room, pale).name
    pixels = np.array(shelf.pixels(name))
    shelf.write_pixels(name, np.where(pixels < 120, 235, pixels).astype(np.uint8))
    hands.lay_several(room, [first, pale, second], "mat", ["head", "tail", "tail"])
    done = do(room, mats.cut_mat, sheet_ids=[first, pale, second])
    assert done["aside"] == {name: "Its code is not to be seen on the mat."}
    assert sheet_of(room, pale).state == "laminated"
    for one, end in ((first, "head"), (second, "tail")):
        row = sheet_of(room, one)
        assert row.name in done["cut"] and row.state == "cut"
        assert cut_report(room, one).cut.worst_mm <= 0.15  # type: ignore[union-attr]
        assert row.reading is not None and row.reading.end == end
    assert do(room, mats.cut_mat, sheet_ids=[first, second])["cut"] == [
        sheet_of(room, one).name for one in (first, second)
    ]


def test_a_roll_ends_when_the_media_slips(room: Shop) -> None:
    sheets = [on_shelf(room, f"Frame {n}", seed=n) for n in (1, 2)]
    tell(room, "cutter", "fault", kind="slip", after=3, x=1.0, y=0.0)
    hands.lay_several(room, sheets, "roll", ["tail"] * 2)
    with pytest.raises(JobError, match="has moved"):
        do(room, rolls.cut_roll, sheet_ids=sheets, end="tail")
    assert (
        sheet_of(room, sheets[0]).state != "cut" and sheet_of(room, sheets[1]).state == "read"
    )  # tail first: the last one


def test_two_cut_files_a_frame_are_named_by_its_code(room: Shop) -> None:
    plate = sheet_of(room, on_shelf(room)).plate
    code = plate.summary.code
    assert cut_files.write_cut_files(room, plate) == [f"{code}-H.plt", f"{code}-T.plt"]
    head, tail = (redrawn((room.settings.data / "cut files" / f"{code}-{end}.plt").read_text()) for end in "HT")
    assert len(head) == len(tail) == 30
    assert sum(line.length for _, line in head) == pytest.approx(
        sum(line.length for _, line in tail), rel=5e-3
    )  # the pivot's way differs


def test_cut_files_for_a_laser_and_a_web_cutter_carry_the_marks(room: Shop) -> None:
    """Read by svgelements: lines in the colour of their kind and the marks in black; tail first is half a turn of head
    first."""
    plate = sheet_of(room, on_shelf(room)).plate
    marks = len(plate.summary.plan.marks)
    boxes = []
    for name in cut_files.write_cut_files(room, plate, "laser svg"):
        shapes = [
            one
            for one in svgelements.SVG.parse(cut_files.cut_file(room, name)).elements()
            if isinstance(one, svgelements.Path)
        ]
        blue = [one for one in shapes if one.stroke == "blue"]
        (black,) = [one for one in shapes if one.fill == "black"]
        assert len(blue) == 30 and len(list(black.as_subpaths())) == marks
        assert np.ptp([one.bbox()[2] - one.bbox()[0] for one in blue]) < 0.2  # the outlines themselves, no knife's way
        boxes.append(np.array([one.bbox() for one in blue]))
    middles = [(box[:, :2] + box[:, 2:]) / 2 for box in boxes]
    spread = [np.sort(middle - middle.mean(axis=0), axis=0) for middle in middles]
    assert np.abs(spread[0] + spread[1][::-1]).max() < 0.1  # in px of 1/96 in
    for form in cut_files.FORMS:
        assert len(cut_files.write_cut_files(room, plate, form)) == 2
    made = cut_files.cut_files_of(room, plate, "laser svg", ["kiss"])
    assert made == cut_files.cut_files_of(room, plate, "laser svg")  # all of it is kiss
    with pytest.raises(JobError, match="No line of this frame is of the kinds"):
        cut_files.cut_files_of(room, plate, "laser svg", ["crease", "pen"])
    with pytest.raises(NotThere, match="no such form"):
        cut_files.write_cut_files(room, plate, "tape")
    with pytest.raises(NotThere, match="no such cut file"):
        cut_files.cut_file(room, "../secret.plt")


@pytest.mark.parametrize("profile", ["fine-knife", "arc-knife"])
def test_a_cutter_of_finer_steps_or_arcs_cuts_as_well(room: Shop, profile: str) -> None:
    sheet = on_shelf(room)
    room.database.within(lambda session: setattr(session.query(Cutter).one(), "profile", profile))
    if profile == "fine-knife":
        hands.lay(room, sheet, "head")
        with pytest.raises(JobError, match="counts 40 steps a mm, and is told 100"):
            do(room, mark_reading.read_sheet)
        tell(room, "cutter", "unit", mm=0.01)
    hands.lay(room, sheet, "head")
    do(room, mark_reading.read_sheet)
    assert do(room, cutting.cut_sheet, sheet_id=sheet)["state"] == "done"
    report = cut_report(room, sheet)
    assert report.cut.worst_mm < 0.15


def test_a_worn_machine_misses_and_its_corrections_mend_it(room: Shop) -> None:
    """Hidden errors of camera and feed: the cut is off by them until the test cards' figures are set."""
    sheet = on_shelf(room)
    tell(room, "cutter", "wear", seed=5)
    hidden = Machine(Room(room.settings.room))
    hidden.answer({"ask": "wear", "seed": 5})
    hands.lay(room, sheet, "head")
    do(room, mark_reading.read_sheet)
    do(room, cutting.cut_sheet, sheet_id=sheet)
    off = cut_report(room, sheet)
    assert off.cut.worst_mm > 0.3

    def corrected(session: Any) -> None:
        row = session.query(Cutter).one()
        row.sensor_across_mm, row.sensor_along_mm = (float(one) for one in hidden._sensor)
        row.feed_percent = 100 * hidden._feed
        card_row(session, row.id, session.query(Stock).one(), "kiss").offset_mm = hidden._offset

    room.database.within(corrected)
    other = on_shelf(room, "Other", seed=22)
    hands.lay(room, other, "head")
    do(room, mark_reading.read_sheet)
    do(room, cutting.cut_sheet, sheet_id=other)
    mended = cut_report(room, other)
    assert mended.cut.worst_mm < 0.15


def test_a_cutter_that_is_switched_off_in_the_middle_is_named(ready: tuple[Shop, int]) -> None:
    shop, sheet = ready
    dark = f"socket://127.0.0.1:{free_port()}"
    shop.database.within(lambda session: setattr(session.query(Cutter).one(), "address", dark))
    with pytest.raises(JobError, match="Knife is not listening"):
        do(shop, cutting.cut_sheet, sheet_id=sheet)
    assert sheet_of(shop, sheet).state == "read"
