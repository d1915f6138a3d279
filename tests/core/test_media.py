"""Rollers and cuts from side to side: what a roller runs over, where it is better, what keeps ties, what comes last."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from etiquette.core.cutting.media import FLAP_EVERY_MM, FLAP_TIE_MM, Media, Rollers, rolled_over
from etiquette.core.cutting.motion import Motion, plan_motion
from etiquette.core.cutting.profiles import PROFILES, ToolCard
from etiquette.core.finishing.lines import FinishLine
from etiquette.core.geometry.paths import Path

KNIFE = PROFILES["knife"]
PLAIN = {kind: ToolCard(overcut_mm=0) for kind in ("kiss", "through")}
MARKS = {"mark m1": (30.0, 36.0), "mark m2": (564.0, 570.0), "the code at the head": (280.0, 320.0)}


def ring(x: float, y: float, side: float, kind: str = "through") -> FinishLine:
    corners = np.array([(0, 0), (side, 0), (side, side), (0, side)]) + (x, y)
    return FinishLine(kind, Path.from_points(corners))  # type: ignore[arg-type]


def line(y: float, width: float = 600.0, kind: str = "through") -> FinishLine:
    return FinishLine(kind, Path.from_points(np.array([(0.0, y), (width, y)]), closed=False))  # type: ignore[arg-type]


def lengths(made: Motion) -> dict[int, float]:
    found: dict[int, float] = {}
    for stroke in made.strokes:
        found[stroke.line] = found.get(stroke.line, 0.0) + float(np.hypot(*np.diff(stroke.points, axis=0).T).sum())
    return found


def test_a_roller_on_a_mark_or_an_edge_is_named_with_a_better_place() -> None:
    rollers = Rollers((20.0, 150.0, 300.0, 590.0, 900.0), 30.0)
    found = {one.number: one for one in rolled_over(rollers, MARKS, (0.0, 600.0))}
    assert set(found) == {0, 2, 3}  # 150 is free, 900 is beside the stock
    assert found[0].names == ("mark m1",) and found[0].better_mm == 15.0  # its strip then ends where the mark begins
    assert found[2].names == ("the code at the head",)
    assert found[2].better_mm == pytest.approx(265.0) or found[2].better_mm == pytest.approx(335.0)
    # from 575 to 605: over the edge of the stock; between mark and edge there is just room
    assert found[3].names == ("the other edge of the stock",) and found[3].better_mm == 585.0
    assert rolled_over(Rollers((300.0,), 30.0), {"all": (0.0, 600.0)}, (0.0, 600.0))[0].better_mm is None


@given(
    st.lists(st.floats(0, 600), min_size=1, max_size=5),
    st.lists(st.tuples(st.floats(0, 580), st.floats(1, 60)), max_size=8),
    st.floats(5, 60),
)
def test_a_better_place_is_free_and_no_nearer_one_is(
    places: list[float], spans: list[tuple[float, float]], width: float
) -> None:
    rollers = Rollers(tuple(places), width)
    taken = {f"mark {n}": (low, low + wide) for n, (low, wide) in enumerate(spans)}
    better = rollers.better_place(0, taken, (0.0, 600.0))

    def is_free(place: float) -> bool:
        on_stock = width / 2 <= place <= 600 - width / 2
        clear = all(low >= place + width / 2 or high <= place - width / 2 for low, high in taken.values())
        return on_stock and clear and all(abs(place - other) >= width for other in places[1:])

    steps = np.arange(0, 600, 0.5)
    free = [place for place in steps if is_free(place)]
    if better is None:
        assert not free
    else:
        assert is_free(better) or is_free(better + 1e-9) or is_free(better - 1e-9)
        assert all(abs(place - places[0]) >= abs(better - places[0]) - 1e-6 for place in free)


def test_through_cuts_under_a_roller_keep_ties_and_no_others_do() -> None:
    lines = [ring(100, 50, 80), ring(300, 50, 80), ring(110, 60, 20, "kiss")]
    media = Media(600.0, Rollers((120.0,), 30.0))
    whole, held = lengths(plan_motion(lines, KNIFE, PLAIN)), lengths(plan_motion(lines, KNIFE, PLAIN, media=media))
    assert whole == pytest.approx({0: 320, 1: 320, 2: 80})
    assert held == pytest.approx({0: 320 - 320 / FLAP_EVERY_MM * FLAP_TIE_MM, 1: 320, 2: 80})
    # a ring round the roller's strip lies under it too; one beside it does not
    assert media.rollers is not None and media.rollers.press_on(np.array([(0, 0), (400, 9)]))
    assert not media.rollers.press_on(np.array([(140, 0), (400, 9)]))
    # ties of the tool card stay as they are
    own = {**PLAIN, "through": ToolCard(overcut_mm=0, tie_mm=2.0, tie_every_mm=160.0)}
    assert lengths(plan_motion(lines, KNIFE, own, media=media))[0] == pytest.approx(320 - 2 * 2.0)


def test_what_goes_from_side_to_side_is_cut_last_from_the_leading_edge_on() -> None:
    lines = [
        line(400),
        ring(50, 500, 40),
        line(200),
        ring(50, 100, 40),
        line(300, width=500),
        ring(20, 20, 560, "kiss"),
    ]
    order = [stroke.line for stroke in plan_motion(lines, KNIFE, PLAIN, media=Media(600.0)).strokes]
    assert order[0] == 5 and order[-2:] == [2, 0]  # the kiss first; nothing is fed by a part that fell off
    assert set(order[1:-2]) == {1, 3, 4}  # 500 of 600 mm do not sever it
    without = [stroke.line for stroke in plan_motion(lines, KNIFE, PLAIN).strokes]
    assert without[-2:] != [2, 0]  # the order is this rule's doing
