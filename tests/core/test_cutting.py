"""Motion: order, start points, time; worked by hand."""

import re
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.spatial import cKDTree
from shapely import LineString, MultiLineString, Point, Polygon

from etiquette.core.cutting.knife import led
from etiquette.core.cutting.motion import KIND_ORDER, plan_motion, run_seconds
from etiquette.core.cutting.profiles import PROFILES, ToolCard, profile_named
from etiquette.core.cutting.touring import AT_ONCE, neighbours_of, tour
from etiquette.core.cutting.writers import hpgl, hpgl_part
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


def test_shapes_are_entered_where_the_way_is_shortest() -> None:
    """Against all ways to enter two squares and a bar, in both orders of the squares, tried one by one."""
    lines = [square(10, 10, 20), square(50, 10, 20)]
    motion = plan_motion(lines, KNIFE, PLAIN)
    corners = [[(x + a * 20, 10 + b * 20) for a in (0, 1) for b in (0, 1)] for x in (10, 50)]
    ways = [
        np.hypot(*first) + np.hypot(other[0] - first[0], other[1] - first[1])
        for one, two in (corners, corners[::-1])
        for first in one
        for other in two
    ]
    assert motion.travel_mm == pytest.approx(min(ways))


def test_an_open_line_is_entered_at_its_nearer_end() -> None:
    line = FinishLine("crease", Path.from_points([(200, 0), (20, 0)], closed=False))
    (stroke,) = plan_motion([line], KNIFE, PLAIN).strokes
    assert stroke.points[0].tolist() == [20, 0]


def test_time_comes_from_speed_and_acceleration() -> None:
    """By hand: a side of 25 mm at 100 mm/s takes 25 / 100 s and 100 / 6000 s for speeding up and slowing down; a move
    of 0.6 mm never reaches 100 mm/s and takes 2·√(0.6 / 6000) s. A square comes to rest at every corner."""
    motion = plan_motion([square(30, 40, 25)], KNIFE, PLAIN)
    assert motion.cut_mm == pytest.approx(100)
    assert motion.travel_mm == pytest.approx(50)  # 30, 40, 50
    assert motion.seconds == pytest.approx(4 * (0.25 + 100 / 6000) + KNIFE.lift_seconds)
    assert run_seconds(np.array([0.6]), 100, 6000)[0] == pytest.approx(0.02)
    assert run_seconds(np.array([100 / 6000 * 100]), 100, 6000)[0] == pytest.approx(2 * 100 / 6000)  # both agree there


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
    tools: dict[Kind, ToolCard] = {kind: ToolCard(overcut_mm=overcut, light_mm=0) for kind in KIND_ORDER}
    motion = plan_motion(lines, KNIFE, tools)
    kinds = [KIND_ORDER.index(stroke.kind) for stroke in motion.strokes]
    assert kinds == sorted(kinds)
    assert sorted({stroke.line for stroke in motion.strokes}) == list(range(len(lines)))
    past = [0 if kind == "perforation" else overcut for *_, kind in shapes]
    wanted = sum(4 * side for _, _, side, _ in shapes) + sum(past)
    assert motion.cut_mm == pytest.approx(wanted, rel=1e-6)
    for number, line in enumerate(lines):
        mine = MultiLineString([stroke.points for stroke in motion.strokes if stroke.line == number])
        assert mine.hausdorff_distance(LineString(line.path.flatten())) < 1e-6


@pytest.mark.parametrize("seed", range(6))
def test_a_tour_of_nine_places_is_the_shortest_there_is(seed: int) -> None:
    """Against M. Held, R. M. Karp, "A dynamic programming approach to sequencing problems", 1962: exact. Longer tours
    are compared with OR-Tools in benchmarks/cutting.py."""
    places = np.random.default_rng(seed).uniform(0, 1000, (9, 2))
    apart = np.hypot(*(places[:, None] - places[None]).transpose(2, 0, 1))
    best = {(1 << last, last): float(np.hypot(*places[last])) for last in range(9)}
    for visited in range(1, 1 << 9):
        for last in range(9):
            if (visited, last) in best:
                for after in range(9):
                    if not visited >> after & 1:
                        key, way = (visited | 1 << after, after), best[visited, last] + apart[last, after]
                        best[key] = min(best.get(key, np.inf), way)
    shortest = min(best[(1 << 9) - 1, last] for last in range(9))
    order = tour(places, np.zeros(2))
    assert sorted(order) == list(range(9))
    way = np.vstack([np.zeros(2), places[order]])
    assert np.hypot(*np.diff(way, axis=0).T).sum() == pytest.approx(shortest)


@pytest.mark.parametrize("count", [4, AT_ONCE, 2 * AT_ONCE + 37])
def test_neighbours_are_those_of_a_tree(count: int) -> None:
    """Against SciPy's cKDTree; places on one spot are each other's nearest, and nobody is a neighbour of its own."""
    places = np.random.default_rng(count).uniform(0, 1000, (count, 2))
    wanted = min(8, count - 1)
    assert np.array_equal(neighbours_of(places, wanted), cKDTree(places).query(places, wanted + 1)[1][:, 1:])
    places[1] = places[2] = places[0]
    near = neighbours_of(places, 2)
    assert {frozenset(near[place]) for place in range(3)} == {frozenset({0, 1, 2} - {place}) for place in range(3)}


def test_a_long_frame_is_cut_stretch_by_stretch() -> None:
    """What the media has to move for: the way along y between strokes is no more than the length a few times over."""
    places = np.random.default_rng(5).uniform((0, 0), (600, 3000), (300, 2))
    lines = [square(x, y, 8) for x, y in places]
    ys = [stroke.points[0, 1] for stroke in plan_motion(lines, KNIFE, PLAIN).strokes]
    highest = np.maximum.accumulate(ys)
    assert (highest - ys).max() <= KNIFE.stretch_mm + 10  # never back by more than a stretch


def dragged(pivot: np.ndarray, offset: float, heading: float) -> np.ndarray:
    """What the tip of a drag knife does: an independent simulation in small steps. The tip is pulled along behind the
    pivot at a fixed distance, and never moves sideways (the tractrix)."""
    steps = np.diff(pivot, axis=0)
    fine = [pivot[:1]]
    for start, step in zip(pivot[:-1], steps, strict=True):
        count = max(1, int(np.hypot(*step) / 0.002))
        fine.append(start + step * np.arange(1, count + 1)[:, None] / count)
    tip = pivot[0] - offset * np.array([np.cos(heading), np.sin(heading)])
    path = [tip]
    for place in np.vstack(fine)[1:]:
        away = place - tip
        tip = place - offset * away / np.hypot(*away)
        path.append(tip)
    return np.array(path)


@pytest.mark.parametrize("offset", [0.25, 0.6])
def test_a_drag_knife_is_led_so_that_its_tip_follows_the_line(offset: float) -> None:
    angles = np.linspace(0, 2 * np.pi, 200)
    shapes = [
        np.array([(10, 10), (40, 10), (40, 30), (10, 30), (10, 10.0)]),
        np.column_stack([60 + 12 * np.cos(angles), 20 + 12 * np.sin(angles)]),
        np.array([(0, 50), (30, 80), (35, 50), (60, 90.0)]),
    ]
    heading = 0.0
    for shape in shapes:
        pivot, after = led(shape, offset, heading, 0.01)
        tip = dragged(pivot, offset, heading)
        assert LineString(tip).hausdorff_distance(LineString(shape)) < 0.03
        # without being led it would cut corners by about its offset
        assert LineString(dragged(shape, offset, heading)).hausdorff_distance(LineString(shape)) > 0.8 * offset
        heading = after


def test_perforations_are_whole_at_corners_and_even_between() -> None:
    """A square of 40 mm, 3 mm deep and 1 mm light: ten periods a side, a deep span over every corner."""
    card: dict[Kind, ToolCard] = {"perforation": ToolCard(deep_mm=3, light_mm=1)}
    motion = plan_motion([square(20, 20, 40, "perforation")], KNIFE, card)
    assert len(motion.strokes) == 40
    assert motion.cut_mm == pytest.approx(160 - 40)
    for corner in ((20, 20), (60, 20), (60, 60), (20, 60)):
        (over,) = [s for s in motion.strokes if LineString(s.points).distance(Point(corner)) < 1e-9]
        assert LineString(over.points).length == pytest.approx(3)
    lengths = {round(LineString(stroke.points).length, 6) for stroke in motion.strokes}
    assert lengths == {3.0}


def test_light_spans_of_a_perforation_are_cut_with_their_own_force() -> None:
    card: dict[Kind, ToolCard] = {"perforation": ToolCard(force_gf=150, light_force_gf=40)}
    motion = plan_motion([square(20, 20, 40, "perforation")], KNIFE, card)
    assert motion.cut_mm == pytest.approx(160)
    assert [stroke.light for stroke in motion.strokes] == [False, True] * 40
    assert "FS150;" in hpgl(motion, KNIFE, card) and "FS40;" in hpgl(motion, KNIFE, card)


@given(st.floats(15, 300), st.floats(0.3, 2), st.floats(10, 200), st.booleans())
def test_ties_hold_a_through_cut_and_keep_off_its_corners(side: float, tie: float, every: float, round_: bool) -> None:
    if round_:
        angles = np.linspace(0, 2 * np.pi, 300, endpoint=False)
        line = FinishLine(
            "through", Path.from_points(100 + side / 2 * np.column_stack([np.cos(angles), np.sin(angles)]))
        )
    else:
        line = square(0, 0, side, "through")
    whole = LineString(line.path.flatten())
    card: dict[Kind, ToolCard] = {"through": ToolCard(tie_mm=tie, tie_every_mm=every, overcut_mm=0)}
    motion = plan_motion([line], KNIFE, card)
    count = max(2, round(whole.length / every))
    if count * tie >= 0.8 * whole.length:
        return
    assert len(motion.strokes) == count
    assert motion.cut_mm == pytest.approx(whole.length - count * tie, rel=1e-6)
    if not round_ and whole.length / count > 4 * tie and count < 9:
        gaps = whole.difference(MultiLineString([s.points for s in motion.strokes]).buffer(1e-6, cap_style="flat"))
        assert all(gaps.distance(Point(corner)) > 1e-3 for corner in ((0, 0), (side, 0), (side, side), (0, side)))


def test_passes_and_changes_of_tool() -> None:
    lines = [square(0, 0, 30, "crease"), square(50, 0, 30), square(0, 50, 90, "through")]
    cards: dict[Kind, ToolCard] = {
        "crease": ToolCard(tool="wheel", passes=2, overcut_mm=0),
        "kiss": ToolCard(tool="45° blade", overcut_mm=0),
        "through": ToolCard(tool="60° blade", overcut_mm=0),
    }
    motion = plan_motion(lines, KNIFE, cards)
    assert [stroke.kind for stroke in motion.strokes] == ["crease", "crease", "kiss", "through"]
    assert [(turn.kind, turn.first, turn.change) for turn in motion.turns] == [
        ("crease", 0, ""), ("kiss", 2, "45° blade"), ("through", 3, "60° blade"),
    ]  # fmt: skip
    # two holders take the first two tools at once; then one of them has to be changed
    table = plan_motion(lines, PROFILES["two-tool-table"], cards)
    assert [turn.change for turn in table.turns] == ["", "", "60° blade"]
    # the same tool for two kinds is no change
    same = {**cards, "through": ToolCard(tool="45° blade")}
    assert [turn.change for turn in plan_motion(lines, KNIFE, same).turns] == ["", "45° blade", ""]


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
    with pytest.raises(JobError, match="no device profile called “axe”"):
        profile_named("axe")


def test_creases_across_the_grain_are_made_more_often_and_none_else() -> None:
    upright, level = (
        FinishLine("crease", Path.from_points(points, closed=False))
        for points in ([(10.0, 0.0), (10.0, 50.0)], [(0.0, 60.0), (40.0, 61.0)])
    )
    outline = square(0, 0, 100, "through")

    def strokes(grain: str, turned: bool = False) -> list[int]:
        card = ToolCard(overcut_mm=0, passes=1, passes_across=3, grain=grain)  # type: ignore[arg-type]
        tools: dict[Kind, ToolCard] = {"crease": card, "through": ToolCard(overcut_mm=0)}
        carry = (lambda points: -points[:, ::-1]) if turned else (lambda points: points)
        motion = plan_motion([upright, level, outline], KNIFE, tools, carry)
        return [sum(stroke.line == number for stroke in motion.strokes) for number in range(3)]

    # the grain goes along the feed, which is upright here: the level crease breaks the fibres
    assert strokes("along") == [1, 3, 1]
    assert strokes("across") == [3, 1, 1]
    assert strokes("") == [1, 1, 1]  # nobody said which way it goes
    # however the sheet lies on the cutter: the grain is the stock's
    assert strokes("along", turned=True) == [1, 3, 1]
    # never less than all lines are given
    often = ToolCard(passes=4, passes_across=2, grain="along")
    assert often.passes_of(np.array([(0.0, 0.0), (40.0, 1.0)])) == 4


def test_creases_across_the_grain_are_made_harder_and_none_else() -> None:
    upright, level = (
        FinishLine("crease", Path.from_points(points, closed=False))
        for points in ([(10.0, 0.0), (10.0, 50.0)], [(0.0, 60.0), (40.0, 61.0)])
    )
    card = ToolCard(overcut_mm=0, force_gf=120, force_across_gf=180, grain="along")
    tools: dict[Kind, ToolCard] = {"crease": card}

    def forces(grain: str, lines: list[FinishLine]) -> list[str]:
        told = {"crease": replace(card, grain=grain)}  # type: ignore[arg-type]
        return re.findall(r"FS(\d+);", hpgl(plan_motion(lines, KNIFE, told), KNIFE, told))  # type: ignore[arg-type]

    # the grain goes along the feed: the level crease breaks the fibres
    assert sorted(forces("along", [upright, level])) == ["120", "180"]
    assert forces("along", [upright]) == ["120"] and forces("along", [level]) == ["180"]
    assert forces("across", [upright]) == ["180"] and forces("", [level]) == ["120"]
    # any stretch of what is sent that begins with a change of force says it
    parts = hpgl_part(plan_motion([upright, level], KNIFE, tools).strokes, KNIFE, tools)
    assert [part.count("FS") for part in parts] == [1, 1]
    dashed = ToolCard(force_gf=100, force_across_gf=150, light_force_gf=20, grain="along")
    assert [dashed.force_of(light, across) for light in (False, True) for across in (False, True)] == [100, 150, 20, 20]
