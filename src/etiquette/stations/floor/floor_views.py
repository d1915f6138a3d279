"""What is shown of the Floor."""

from collections.abc import Sequence
from dataclasses import asdict
from datetime import UTC

from sqlalchemy.orm import Session

from etiquette.stations import set_up
from etiquette.stations.clock import Clock
from etiquette.stations.floor import figures
from etiquette.stations.floor.board import LATE, NO_DAY, Board, Day, board
from etiquette.stations.floor.hands import Hand, hands
from etiquette.stations.floor.job_schemas import ItemShown, JobListed
from etiquette.stations.floor.job_views import listed
from etiquette.stations.floor.machine_list import machines
from etiquette.stations.floor.schemas import (
    BarShown,
    DayShown,
    DayUsedShown,
    FloorShown,
    HandShown,
    Lamp,
    MachineShown,
    RollLow,
    TogetherShown,
)
from etiquette.stations.floor.together import Together, together
from etiquette.stations.schemas import MOST_ITEMS

MOST_HANDS = 24
Lamps = Sequence[tuple[str, str, bool]]
"""Name, kind and whether it answers, of each machine that has an address."""


def floor_shown(session: Session, clock: Clock, lamps: Lamps) -> FloorShown:
    today = clock.day()
    on_board = board(session, today)
    to_do = hands(session, on_board)
    used, answering = figures.week(session, clock, today), {name: on for name, _, on in lamps}
    shared = together(session, on_board)
    return FloorShown(
        pulse=figures.pulse(session, today, lamps),
        today=today,
        open=on_board.open,
        good_today=figures.good_since(session, clock.begin(today)),
        used_today_mm=used[-1].used_mm,
        late=sum(day.count for day in on_board.days if day.day == LATE),
        hands=[_hand(one) for one in to_do[:MOST_HANDS]],
        more_hands=max(0, len(to_do) - MOST_HANDS),
        days=[_day(day, on_board) for day in on_board.days],
        machines=[MachineShown.model_validate(asdict(one)) for one in machines(session, answering, to_do)],
        low=[RollLow(**vars(one)) for one in figures.running_low(session)],
        week=[DayUsedShown(**vars(one)) for one in used],
        together=_together(shared) if shared else None,
    )


def _hand(one: Hand) -> HandShown:
    values = {**vars(one), "not_before": one.not_before.replace(tzinfo=UTC) if one.not_before else None}
    return HandShown(**values)


def _day(day: Day, on_board: Board) -> DayShown:
    jobs = [JobListed(**listed(job, on_board.pieces)) for job in day.jobs]
    if day.day == LATE:
        return DayShown(key="late", day=None, count=day.count, jobs=jobs)
    if day.day == NO_DAY:
        return DayShown(key="later", day=None, count=day.count, jobs=jobs)
    return DayShown(key="day", day=day.day, count=day.count, jobs=jobs)


def _together(shared: Together) -> TogetherShown:
    return TogetherShown(
        stock_id=shared.stock_id,
        stock=shared.stock,
        jobs=[job.name for job in shared.jobs],
        saved_mm=shared.saved_mm,
    )


def together_items(session: Session, clock: Clock) -> list[ItemShown]:
    """What the run that the Floor offers is made of, as much of it as one run takes."""
    shared = together(session, board(session, clock.day()))
    found = list(shared.counts.items())[:MOST_ITEMS] if shared else []
    return [ItemShown(design_id=design, count=count) for design, count in found]


def bar_shown(session: Session, clock: Clock, lamps: Lamps) -> BarShown:
    today = clock.day()
    bare, still_open = set_up.bare_and_open(session)
    return BarShown(
        pulse=figures.pulse(session, today, lamps),
        today=today,
        bare=bare,
        still_open=len([one for one in still_open if one.place != "test"]),
        lamps=[Lamp(name=name, kind=kind, on=on) for name, kind, on in lamps],
        **vars(figures.live(session)),
    )
