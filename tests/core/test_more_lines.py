"""Lines after the first: properties that hold for any outline, and strokes put together again."""

import numpy as np
import pytest
import shapely
from hypothesis import given
from hypothesis import strategies as st
from shapely import Polygon

from etiquette.core.finishing.lines import EdgeSettings, FinishLine, line_from_areas
from etiquette.core.finishing.more_lines import MoreLine, joined, with_more
from etiquette.core.geometry.curve_fitting import fit_ring
from etiquette.core.geometry.paths import Path, path_length


def blob(radius: float, waves: int, depth: float) -> Polygon:
    angles = np.linspace(0, 2 * np.pi, 240, endpoint=False)
    r = radius * (1 + depth * np.cos(waves * angles))
    return Polygon(np.column_stack([50 + r * np.cos(angles), 40 + r * np.sin(angles)]))


blobs = st.builds(blob, st.floats(8, 30), st.integers(2, 7), st.floats(0, 0.2))


@given(st.integers(3, 14), st.randoms(use_true_random=False))
def test_a_polygon_cut_into_strokes_is_put_together_again(corners: int, chance: object) -> None:
    angles = np.sort(np.random.default_rng(corners).uniform(0, 2 * np.pi, corners))
    ring = np.column_stack([30 + 20 * np.cos(angles), 30 + 20 * np.sin(angles)])
    strokes = [np.array(pair) for pair in zip(ring, np.roll(ring, -1, axis=0), strict=True)]
    chance.shuffle(strokes)  # type: ignore[attr-defined]
    turned = [stroke[::-1] if chance.random() < 0.5 else stroke for stroke in strokes]  # type: ignore[attr-defined]
    done = joined([FinishLine("kiss", Path.from_points(stroke, closed=False)) for stroke in turned])
    assert len(done) == 1 and done[0].path.closed
    assert shapely.Polygon(done[0].path.flatten()).area == pytest.approx(Polygon(ring).area, rel=1e-6, abs=1e-6)


@given(st.lists(st.floats(1, 40), min_size=1, max_size=8))
def test_strokes_in_a_row_become_one_open_line_of_their_whole_length(lengths: list[float]) -> None:
    places = np.concatenate([[0.0], np.cumsum(lengths)])
    strokes = [Path.from_points([(a, 0), (b, 0)], closed=False) for a, b in zip(places[:-1], places[1:], strict=True)]
    (line,) = joined([FinishLine("crease", stroke) for stroke in strokes[::-1]])
    assert not line.path.closed and path_length(line.path) == pytest.approx(sum(lengths))


def test_where_three_strokes_meet_none_is_chosen() -> None:
    strokes = [Path.from_points([(0, 0), end], closed=False) for end in ((10, 0), (0, 10), (-10, -10))]
    done = joined([FinishLine("through", stroke) for stroke in strokes])
    assert len(done) == 3 and not any(line.path.closed for line in done)


def test_nothing_is_joined_over_a_real_gap() -> None:
    one, two = Path.from_points([(0, 0), (10, 0)], closed=False), Path.from_points([(10.2, 0), (20, 0)], closed=False)
    assert len(joined([FinishLine("kiss", one), FinishLine("kiss", two)])) == 2
    assert len(joined([FinishLine("kiss", one), FinishLine("kiss", two)], within_mm=0.3)) == 1


@given(blobs, st.sampled_from(["edge", "hull", "box", "ellipse"]), st.floats(0.5, 6))
def test_a_line_round_another_never_comes_nearer_than_asked(shape: Polygon, course: str, offset: float) -> None:
    first = FinishLine("kiss", fit_ring(np.asarray(shape.exterior.coords)[:-1], 0.02))
    _, second = with_more([first], [MoreLine("through", course, offset_mm=offset)], 0.05)  # type: ignore[arg-type]
    inner, outer = (shapely.LineString(line.path.flatten(0.01)) for line in (first, second))
    assert inner.distance(outer) >= offset - 0.08
    assert shapely.Polygon(outer.coords).contains(inner)


@given(blobs, st.floats(0, 1), st.sampled_from(["across", "along"]), st.floats(0, 3))
def test_a_straight_line_ends_where_the_piece_does(shape: Polygon, share: float, course: str, past: float) -> None:
    first = FinishLine("kiss", fit_ring(np.asarray(shape.exterior.coords)[:-1], 0.02))
    left, low, right, high = shape.bounds
    size = right - left if course == "across" else high - low
    place = size * (0.1 + 0.8 * share)
    _, *cuts = with_more([first], [MoreLine("perforation", course, offset_mm=past, place_mm=place)], 0.05)  # type: ignore[arg-type]
    grown = shape.buffer(past + 0.1)
    for cut in cuts:
        points = cut.path.flatten()
        axis = 0 if course == "across" else 1
        assert np.ptp(points[:, axis]) < 1e-6  # straight
        assert points[0, axis] - (left if course == "across" else low) == pytest.approx(place, abs=0.1)
        assert grown.contains(shapely.LineString(points))


@given(blobs, st.floats(-3, 5))
def test_the_offset_of_an_area_is_that_distance_everywhere(shape: Polygon, offset: float) -> None:
    lines, report, *_ = line_from_areas([shape], EdgeSettings(offset_mm=offset, tolerance_mm=0.05))
    assert report.lines == len(lines) >= 1
    for line in lines:
        points = shapely.points(line.path.flatten(0.05))
        away = shapely.distance(points, shape.exterior)
        assert np.abs(away - abs(offset)).max() < 0.1
