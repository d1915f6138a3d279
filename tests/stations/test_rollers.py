"""Rollers of a cutter on the sheet that lies there, and what the knife then leaves."""

import pytest
from sqlalchemy.orm import Session

from etiquette.demo import hands
from etiquette.stations.bench import mark_reading
from etiquette.stations.bench.cut_progress import motion_of
from etiquette.stations.bench.schemas import BenchShown, RollerShown
from etiquette.stations.bench.views import bench_shown
from etiquette.stations.machines import cutter_of_sheet
from etiquette.stations.shop import Shop
from etiquette.store.models import Cutter, Laminator
from tests.stations.shop_floor import do, on_shelf, sheet_of


def with_rollers(shop: Shop, *places: float, width: float = 20.0) -> None:
    def set_them(session: Session) -> None:
        cutter = session.query(Cutter).one()
        cutter.rollers, cutter.roller_mm = list(places), width

    shop.database.within(set_them)


def shown(shop: Shop, sheet: int) -> BenchShown:
    return shop.database.within(lambda session: bench_shown(shop, session, sheet))


def by_place(rollers: list[RollerShown]) -> dict[float, RollerShown]:
    return {one.at_mm: one for one in rollers}


def test_they_are_shown_for_each_end_and_follow_the_reading(room: Shop) -> None:
    sheet = on_shelf(room)
    assert shown(room, sheet).rollers == {}  # a flat bed
    plan = sheet_of(room, sheet).plate.summary.plan
    mark = min(plan.marks, key=lambda one: one.x)
    turned = plan.width_mm - mark.x
    middle = plan.width_mm / 2
    with_rollers(room, mark.x, middle, turned - 12.0, 5000.0)
    ends = shown(room, sheet).rollers
    # head first the machine counts as the plan does; the roller on nothing is not shown
    head = by_place(ends["head"])
    assert set(head) == {mark.x, middle, turned - 12.0}
    assert f"mark {mark.id}" in head[mark.x].over
    assert head[mark.x].strip == pytest.approx((mark.x - 10, mark.x + 10), abs=0.01)
    better = head[mark.x].better_mm
    assert better is not None and abs(better - mark.x) >= 10 + 3 - 0.05  # clear of the disc of 6 mm, told to 0.1 mm
    # tail first the same roller stands over the other side
    tail = by_place(ends["tail"])
    assert tail[mark.x].strip == pytest.approx((turned - 10, turned + 10), abs=0.01)
    assert f"mark {mark.id}" in tail[turned - 12.0].over
    # read, they stand where the sheet really lies
    hands.lay(room, sheet, "head")
    do(room, mark_reading.read_sheet)
    read = by_place(shown(room, sheet).rollers["head"])[middle].strip
    fit = sheet_of(room, sheet).reading.fit.transform.to_transform()  # type: ignore[union-attr]
    at = fit([[sum(read) / 2, plan.length_mm / 2]])[0][0]
    assert at == pytest.approx(middle, abs=0.2) and sum(read) / 2 != pytest.approx(middle, abs=0.2)


def test_an_edge_of_the_film_is_kept_free_where_there_is_one(room: Shop) -> None:
    sheet = on_shelf(room)
    width = sheet_of(room, sheet).plate.summary.plan.width_mm
    with_rollers(room, 12.0)
    before = by_place(shown(room, sheet).rollers["head"])[12.0].over
    room.database.within(lambda session: setattr(session.query(Laminator).one(), "film_width_mm", width - 30))
    after = by_place(shown(room, sheet).rollers["head"])[12.0].over
    assert "an edge of the film" in after and "an edge of the film" not in before


def test_the_cut_of_a_sheet_knows_of_its_rollers(room: Shop) -> None:
    sheet = on_shelf(room)
    plate = sheet_of(room, sheet).plate
    free = room.database.within(lambda session: cutter_of_sheet(session, sheet))
    with_rollers(room, 100.0, 400.0, width=250.0)
    held = room.database.within(lambda session: cutter_of_sheet(session, sheet))
    assert free.setting.rollers is None and held.setting.rollers is not None
    assert held.setting.rollers.places_mm == (100.0, 400.0)
    kiss, _ = motion_of(room, plate, held, None)
    assert kiss.cut_mm == pytest.approx(motion_of(room, plate, free, None)[0].cut_mm)  # kiss cuts lift nothing
