"""Motion: order, start points, time; worked by hand."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from shapely import LineString, Polygon

from etiquette.core.cutting.motion import KIND_ORDER, plan_motion
from etiquette.core.cutting.profiles import PROFILES, ToolCard, profile_named
from etiquette.core.cutting.writers import hpgl
from etiquette.core.errors import JobError
from etiquette.core.finishing.lines import FinishLine, Kind
from etiquette.core.geometry.paths import Path

KNIFE = PROFILES["knife"]
PLAIN: dict[Kind, ToolCard] = {kind: ToolCard(overcut_mm=0, speed_mm_s=100) for kind in KIND_ORDER}


def square(x: float, y: float, side: float, kind: Kind = "kiss") -> FinishLine:
    return FinishLine(kind, Path.from_points([(x, y), (x + side, y), (x + side, y + side), (x, y + side)]))


def test_inner_shapes_are_cut_before_the_shape_round_them_at_any_depth() -> None:
    nest = [square(0, 0, 100), square(10, 10, 80), square(20, 20, 60), square(30, 30, 40)]
    for order in ([0, 1, 2, 3], [3, 1, 0, 2]):
        strokes = plan_motion([nest[index] for index in order], KNIFE, PLAIN).strokes
        areas = [Polygon(stroke.points).area for stroke in strokes]
        assert areas == sorted(areas)


def test_the_knife_starts_at_the_corner_it_is_nearest_to() -> None:
    strokes = plan_motion([square(10, 10, 20), square(50, 10, 20)], KNIFE, PLAIN).strokes
    assert strokes[0].points[0].tolist() == [10, 10]
    assert strokes[1].points[0].tolist() == [50, 10]


def test_an_open_line_is_entered_at_its_nearer_end() -> None:
    line = FinishLine("crease", Path.from_points([(200, 0), (20, 0)], closed=False))
    (stroke,) = plan_motion([line], KNIFE, PLAIN).strokes
    assert stroke.points[0].tolist() == [20, 0]


def test_time_is_cut_over_speed_and_travel_and_lifts() -> None:
    motion = plan_motion([square(30, 40, 25)], KNIFE, PLAIN)
    assert motion.cut_mm == pytest.approx(100)
    assert motion.travel_mm == pytest.approx(50)  # 30, 40, 50
    assert motion.seconds == pytest.approx(100 / 100 + 50 / KNIFE.travel_mm_s + KNIFE.lift_seconds)


def test_a_fit_is_applied_to_the_path_itself() -> None:
    """A bow bends a straight edge: its middle moves although its ends do not."""

    def bow(points: np.ndarray) -> np.ndarray:
        return points + np.column_stack([np.zeros(len(points)), 1 - (points[:, 0] / 50 - 1) ** 2])

    edge = FinishLine(
        "crease", Path(np.array([0.0, 0.0]), (np.array([[33.0, 0.0], [66.0, 0.0], [100.0, 0.0]]),), False)
    )
    (stroke,) = plan_motion([edge], KNIFE, PLAIN, bow).strokes
    assert stroke.points[:, 1].max() <= 1 + 1e-9
    assert stroke.points[0, 1] == pytest.approx(0) and stroke.points[-1, 1] == pytest.approx(0)


@given(
    st.lists(
        st.tuples(st.floats(0, 900), st.floats(0, 900), st.floats(3, 60), st.sampled_from(KIND_ORDER)),
        min_size=1,
        max_size=12,
    ),
    st.floats(0, 3),
)
def test_every_line_is_cut_once_whole_and_in_the_order_of_kinds(
    shapes: list[tuple[float, float, float, Kind]], overcut: float
) -> None:
    lines = [square(*shape) for shape in shapes]
    tools: dict[Kind, ToolCard] = {kind: ToolCard(overcut_mm=overcut) for kind in KIND_ORDER}
    motion = plan_motion(lines, KNIFE, tools)
    kinds = [KIND_ORDER.index(stroke.kind) for stroke in motion.strokes]
    assert kinds == sorted(kinds) and len(kinds) == len(lines)
    assert motion.cut_mm == pytest.approx(sum(4 * side + overcut for _, _, side, _ in shapes), rel=1e-6)
    wanted = sorted(round(side, 6) for _, _, side, _ in shapes)
    assert sorted(round(float(np.ptp(stroke.points[:, 0])), 6) for stroke in motion.strokes) == pytest.approx(
        wanted, abs=1e-5
    )


def test_a_long_stroke_is_sent_in_pieces_a_controller_can_hold() -> None:
    angles = np.linspace(0, 2 * np.pi, 5000)
    ring = FinishLine(
        "kiss", Path.from_points(np.column_stack([300 + 250 * np.cos(angles), 300 + 250 * np.sin(angles)]))
    )
    motion = plan_motion([ring], KNIFE, PLAIN)
    text = hpgl(motion, KNIFE, PLAIN)
    assert max(command.count(",") + 1 for command in text.split(";")) <= 400
    assert LineString(motion.strokes[0].points).length == pytest.approx(2 * np.pi * 250, rel=1e-4)


def test_an_unknown_device_is_a_sentence() -> None:
    with pytest.raises(JobError, match="no device profile called “laser”"):
        profile_named("laser")
