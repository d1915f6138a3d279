"""A test shape beside the work: with the tool that comes next, where nothing is, and never twice in one place."""

import numpy as np
import pytest
from shapely import Polygon, box

from etiquette.core.errors import JobError
from etiquette.core.marking.proofs import clear_zones, free_place
from etiquette.demo import hands
from etiquette.stations.bench import cutting, mark_reading
from etiquette.stations.bench.cut_progress import progress_of
from etiquette.stations.shop import Shop
from etiquette.stations.tools import put_in
from standins.cuts import Cuts
from standins.room import Room
from tests.stations.shop_floor import cut_report, do, on_shelf, sheet_of


def cuts_in(room: Shop, sheet: int) -> list[np.ndarray]:
    """What was cut into a sheet, in places of the sheet."""
    folder = Room(room.settings.room).folder(sheet_of(room, sheet).name)
    return [line for _, line, _ in Cuts.kept_in(folder / "cuts.json").made]


def test_it_is_cut_where_nothing_is_and_the_sheet_is_still_whole(room: Shop) -> None:
    sheet = on_shelf(room)
    summary = sheet_of(room, sheet).plate.summary
    plan = summary.plan.to_plan()
    room.database.within(lambda session: put_in(session, 1, "pen"))
    hands.lay(room, sheet, "tail")
    with pytest.raises(JobError, match="have not been read"):
        do(room, cutting.cut_sheet, sheet_id=sheet, shape=True)
    do(room, mark_reading.read_sheet)
    asked = do(room, cutting.cut_sheet, sheet_id=sheet, shape=True)
    assert (asked["state"], asked["waits_for"], cuts_in(room, sheet)) == ("tool", "45° blade", [])
    assert do(room, cutting.cut_sheet, sheet_id=sheet, shape=True, ready="45° blade")["state"] == "shape"
    assert do(room, cutting.cut_sheet, sheet_id=sheet, shape=True)["state"] == "shape"
    shapes = [Polygon(line) for line in cuts_in(room, sheet)]
    assert [round(float(np.sqrt(one.area))) for one in shapes] == [4, 8, 4, 8]  # what is inside comes first
    assert not shapes[1].intersects(shapes[3])
    for one in shapes:
        assert not one.intersects(box(*plan.work)) and box(0, 0, plan.width_mm, plan.length_mm).covers(one)
        assert not any(one.intersects(zone) for zone in clear_zones(plan, summary.marks))
    progress = progress_of(sheet_of(room, sheet))
    assert (progress.done, progress.waits_for, progress.shapes) == ((), "", 2)
    assert do(room, cutting.cut_sheet, sheet_id=sheet)["state"] == "done"
    assert sheet_of(room, sheet).good == 30 and cut_report(room, sheet).cut.worst_mm < 0.3


def test_where_there_is_no_more_room_it_is_said(room: Shop) -> None:
    sheet = on_shelf(room)
    summary = sheet_of(room, sheet).plate.summary
    plan = summary.plan.to_plan()
    count = next(n for n in range(10_000) if free_place(plan, summary.marks, 8.0, n) is None)
    there = [free_place(plan, summary.marks, 8.0, number) for number in range(count)]
    assert count > 3 and len(set(there)) == count
    assert free_place(plan, summary.marks, 2 * plan.length_mm, 0) is None
    hands.lay(room, sheet, "head")
    do(room, mark_reading.read_sheet)
    row = sheet_of(room, sheet)
    full = progress_of(row).with_(shapes=count)
    room.database.within(lambda session: setattr(session.get_one(type(row), sheet), "progress", full))
    with pytest.raises(JobError, match="no more room"):
        do(room, cutting.cut_sheet, sheet_id=sheet, shape=True)
