"""When care is due, and what jobs save that share a run: values worked by hand."""

from datetime import datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from etiquette.core.planning.sharing import Boxes, saved_mm
from etiquette.core.production.care import CareWish, why_due

MONDAY = datetime(2026, 11, 30, 8, 0)


@pytest.mark.parametrize(
    ("wish", "hours", "metres", "worked", "why"),
    [
        (CareWish(every_days=7), 6.9 * 24, 500, None, None),
        (CareWish(every_days=7), 7 * 24, 0, None, "7 days since the last time"),
        (CareWish(every_days=1), 24, 0, None, "1 day since the last time"),
        (CareWish(every_metres=50), 900, 49.9, None, None),
        (CareWish(every_metres=50), 1, 50.2, None, "50 m since the last time"),
        (CareWish(idle_hours=8), 7.9, 0, None, None),
        (CareWish(idle_hours=8), 9.5, 0, None, "it has stood for 9 hours"),
        (CareWish(idle_hours=8), 30, 0, 25.0, None),  # it worked five hours ago
        (CareWish(idle_hours=4), 30, 0, 25.0, "it has stood for 5 hours"),
        (CareWish(every_days=30, idle_hours=8), 9, 0, None, "it has stood for 9 hours"),  # whichever comes first
        (CareWish(), 10_000, 10_000, None, None),
    ],
)
def test_care_is_due_by_days_metres_and_idle_hours(
    wish: CareWish, hours: float, metres: float, worked: float | None, why: str | None
) -> None:
    """`worked`: hours after the care at which the machine worked last."""
    last_work = None if worked is None else MONDAY + timedelta(hours=worked)
    assert why_due(wish, MONDAY, MONDAY + timedelta(hours=hours), metres, last_work) == why


def test_two_jobs_that_half_fill_their_rows_save_a_row_and_the_ends() -> None:
    # 200 mm of room: a row takes four pieces of 48 mm with gaps of 2; each job has six, so two rows of its own
    job = [Boxes(48.0, 20.0, 6)]
    alone = 2 * (2 * 20 + 2 + 30)
    together = 3 * 20 + 2 * 2 + 30  # twelve pieces are three rows
    assert saved_mm([job, job], 200.0, 2.0, 30.0) == pytest.approx(alone - together)


def test_a_job_alone_saves_nothing_and_what_is_too_wide_is_left_out() -> None:
    assert saved_mm([[Boxes(48.0, 60.0, 6)]], 200.0, 2.0, 30.0) == 0.0
    assert saved_mm([[Boxes(300.0, 250.0, 2)], [Boxes(48.0, 60.0, 4)]], 200.0, 2.0, 30.0) == 30.0  # only the ends


sizes = st.floats(5, 180)


@given(st.lists(st.builds(Boxes, sizes, sizes, st.integers(1, 40)), min_size=1, max_size=6))
def test_together_is_never_longer_than_apart_by_more_than_nothing(boxes: list[Boxes]) -> None:
    saved = saved_mm([[box] for box in boxes], 200.0, 2.0, 30.0)
    assert saved >= 0.0
    assert saved_mm([[box] for box in boxes], 200.0, 2.0, 60.0) >= saved  # dearer ends, more to save
