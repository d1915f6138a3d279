"""A cutter without an eye: hands lead its head to each mark, and the sheet is cut as well as hands can point."""

import numpy as np
import pytest

from etiquette.core.errors import JobError, NotThere
from etiquette.demo import hands
from etiquette.stations.bench import cutting, pointing
from etiquette.stations.shop import Shop
from etiquette.store.models import Cutter
from tests.stations.shop_floor import cut_report, do, on_shelf, sheet_of, tell


@pytest.fixture
def blind(room: Shop) -> Shop:
    """The cutter has no eye of any kind."""

    def without(session: object) -> None:
        cutter = session.query(Cutter).one()  # type: ignore[attr-defined]
        cutter.eye = cutter.table_eye = ""

    room.database.within(without)
    return room


def taken(shop: Shop, sheet: int) -> list[tuple[float, float]]:
    """Every mark is taken as the screen asks for it; how far beside each was expected."""
    beside = []
    while (following := pointing.next_mark(sheet_of(shop, sheet))) is not None:
        mark, expected = following
        hands.point(shop, sheet, mark)
        at = pointing.stands_at(shop, sheet)
        pointing.take(shop, sheet, mark, None)
        beside.append((at[0] - expected[0], at[1] - expected[1]))
    return beside


@pytest.mark.parametrize("end", ["head", "tail"])
def test_a_sheet_is_cut_by_marks_that_hands_pointed_out(blind: Shop, end: str) -> None:
    sheet = on_shelf(blind)
    hands.lay(blind, sheet, end)  # type: ignore[arg-type]
    beside = taken(blind, sheet)
    # the first one may lie anywhere near; from the third on it is known where they are to a millimetre or two
    assert max(np.hypot(*one) for one in beside[2:]) < 4.0
    reading = sheet_of(blind, sheet).reading
    assert reading is not None and reading.by == "hand" and reading.end == end
    assert all(mark.by_hand and mark.measured for mark in reading.marks)
    expected = reading.fit.predicted_error_mm
    assert expected.max > 0.2  # hands are not an eye, and it is said before the knife moves
    assert do(blind, cutting.cut_sheet, sheet_id=sheet, anyway=True)["state"] == "done"
    report = cut_report(blind, sheet)
    assert report.cut and report.cut.worst_mm <= 1.3 * expected.max


def test_the_place_is_what_the_machine_says_also_when_its_feed_is_corrected(blind: Shop) -> None:
    blind.database.within(lambda session: setattr(session.query(Cutter).one(), "feed_percent", 101.0))
    sheet = on_shelf(blind)
    hands.lay(blind, sheet, "head")
    assert pointing.lead(blind, sheet, 120.0, 202.0) == pytest.approx((120.0, 202.0), abs=0.03)
    assert pointing.stands_at(blind, sheet) == pytest.approx((120.0, 202.0), abs=0.03)


def test_what_cannot_be_taken_is_said(blind: Shop) -> None:
    sheet = on_shelf(blind)
    with pytest.raises(JobError, match="does not lie on a cutter"):
        pointing.lead(blind, sheet, 10, 10)
    hands.lay(blind, sheet, "head")
    with pytest.raises(NotThere, match="no such mark"):
        pointing.take(blind, sheet, "m99", (1.0, 2.0))
    blind.database.within(lambda session: setattr(session.query(Cutter).one(), "confirm", "none"))
    with pytest.raises(JobError, match="does not say where its head is"):
        pointing.take(blind, sheet, "m1", None)
    pointing.take(blind, sheet, "m1", (12.5, 30.0))  # typed from the panel instead
    held = sheet_of(blind, sheet).pointed
    assert held is not None and [(one.id, one.x, one.y) for one in held.marks] == [("m1", 12.5, 30.0)]
    assert sheet_of(blind, sheet).state == "loaded"  # one mark is no fit
    hands.lay(blind, sheet, "tail")
    assert sheet_of(blind, sheet).pointed.marks == ()  # type: ignore[union-attr]
    assert tell(blind, "cutter", "judge")["cut_mm"] == 0
