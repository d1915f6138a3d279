"""Curves through rings: properties that hold for any ring, and shapes whose answer is known."""

import numpy as np
import pytest
import shapely
from hypothesis import given
from hypothesis import strategies as st
from shapely import LineString, Polygon

from etiquette.core.geometry.curve_fitting import fit_ring, fit_rings
from etiquette.core.geometry.paths import Path, signed_area, smallest_radius
from etiquette.core.geometry.polygons import MITRE_LIMIT, offset, united
from etiquette.core.geometry.tracks import Tracks


def wavy(radius: float, waves: list[tuple[int, float]], points: int = 700, turn: float = 0.0) -> np.ndarray:
    angles = np.linspace(0, 2 * np.pi, points, endpoint=False) + turn
    r = radius * (1 + sum(depth * np.cos(count * angles + count) for count, depth in waves))
    return np.column_stack([r * np.cos(angles), r * np.sin(angles)])


waves = st.lists(st.tuples(st.integers(2, 14), st.floats(0, 0.07)), min_size=0, max_size=4)


@given(st.floats(3, 200), waves, st.floats(0.01, 0.5), st.floats(0, 6))
def test_any_smooth_ring_is_closed_and_followed(
    radius: float, shape: list[tuple[int, float]], tolerance: float, turn: float
) -> None:
    ring = wavy(radius, shape, turn=turn)
    (fitted,) = fit_rings([ring], tolerance)
    path = fitted.path
    assert path.closed and np.array_equal(path.segments[-1][-1], path.start)
    curve = LineString(path.flatten(tolerance / 40))
    assert shapely.distance(shapely.points(ring), curve).max() <= 1.03 * tolerance
    assert fitted.misses.max() <= tolerance
    assert len(fitted.misses) == len(ring)
    # and the curve does not wander off between the points either
    samples = shapely.line_interpolate_point(curve, np.linspace(0, curve.length, 900))
    assert shapely.distance(samples, LineString(np.vstack([ring, ring[:1]]))).max() <= 2.5 * tolerance
    assert Polygon(path.flatten(tolerance / 10)).is_valid or tolerance > radius / 50


@given(st.integers(3, 9), st.floats(10, 80), st.floats(0.3, 0.8), st.floats(0, 6))
def test_the_corners_of_any_star_stay_where_they_are(points: int, radius: float, depth: float, turn: float) -> None:
    angles = turn + np.arange(2 * points) * np.pi / points
    radii = np.where(np.arange(2 * points) % 2, radius * depth, radius)
    corners = np.column_stack([radii * np.cos(angles), radii * np.sin(angles)])
    path = fit_ring(corners, 0.05)
    nodes = np.vstack([segment[-1] for segment in path.segments])
    for corner, before, after in zip(corners, np.roll(corners, 1, 0), np.roll(corners, -1, 0), strict=True):
        one, two = corner - before, after - corner
        bend = np.degrees(np.arccos(np.clip(one @ two / np.linalg.norm(one) / np.linalg.norm(two), -1, 1)))
        if bend > 45:
            assert np.hypot(*(nodes - corner).T).min() < 1e-6
    assert path.node_count <= 4 * points  # blunt tips are rounded within the tolerance, which takes a node more


def test_a_circle_and_a_rounded_box_take_hardly_more_nodes_than_a_draughtsman() -> None:
    circle = fit_ring(wavy(30, []), 0.05)
    assert circle.node_count <= 5
    box = np.asarray(shapely.box(0, 0, 40, 20).buffer(3, quad_segs=32).exterior.coords)[:-1]
    assert fit_ring(box, 0.05).node_count <= 12  # four straight sides, four arcs, and a little for the joints


def test_noise_of_a_fifth_of_the_tolerance_costs_no_nodes() -> None:
    random = np.random.default_rng(3)
    clean = wavy(30, [(3, 0.1)], 2000)
    noisy = clean + random.normal(0, 0.01, clean.shape)
    assert fit_ring(noisy, 0.05).node_count <= fit_ring(clean, 0.05).node_count + 4


def test_many_rings_come_out_as_each_alone() -> None:
    rings = [wavy(10 + n, [(n + 2, 0.05)], 300 + 10 * n) + (60 * n, 0) for n in range(6)]
    rings.insert(2, np.array([[0, 0], [4, 0], [4, 3.0]]))
    together = fit_rings(rings, 0.03)
    for ring, one in zip(rings, together, strict=True):
        assert (
            LineString(one.path.flatten(0.001)).hausdorff_distance(LineString(fit_ring(ring, 0.03).flatten(0.001)))
            < 0.06
        )


def test_rings_too_small_for_curves_stay_polygons() -> None:
    for ring in (np.zeros((0, 2)), np.array([[1.0, 1.0]]), np.array([[0, 0], [1, 0.0]])):
        if len(ring):
            assert len(fit_ring(ring, 0.05).flatten()) <= len(ring) + 1
    triangle = np.array([[0, 0], [0.2, 0], [0.1, 0.1]])
    flat = fit_ring(triangle, 0.05).flatten()
    assert Polygon(flat).symmetric_difference(Polygon(triangle)).area < 0.012


def test_a_ring_with_repeated_points_is_no_trouble() -> None:
    ring = np.repeat(wavy(20, [(3, 0.1)], 200), 3, axis=0)
    path = fit_ring(ring, 0.05)
    assert np.isfinite(path.flatten()).all()
    assert Polygon(path.flatten()).area == pytest.approx(Polygon(ring[::3]).area, rel=0.001)


def test_places_on_many_rings_are_found_on_one_ruler() -> None:
    square = np.array([[0, 0], [10, 0], [10, 10], [0, 10.0]])
    tracks = Tracks.of([square, square + 100])
    assert tracks.length.tolist() == [40, 40]
    here = tracks.at(np.array([0, 1, 1, 0]), np.array([5.0, 15.0, 55.0, -5.0]))
    assert here.tolist() == [[5, 0], [110, 105], [110, 105], [0, 5]]
    assert [corners.tolist() for corners in tracks.corners(1.0)] == [[0, 10, 20, 30]] * 2


def test_directions_look_ahead_behind_or_both() -> None:
    square = np.array([[0, 0], [10, 0], [10, 10], [0, 10.0]])
    tracks = Tracks.of([square])
    ring, corner = np.zeros(1, int), np.array([10.0])
    assert tracks.directions(ring, corner, np.array([10.0]), False, 0.05)[0] == pytest.approx((0, 1), abs=1e-9)
    assert tracks.directions(ring, corner, np.array([-10.0]), False, 0.05)[0] == pytest.approx((-1, 0), abs=1e-9)
    assert tracks.directions(ring, np.array([5.0]), np.array([4.0]), True, 0.05)[0] == pytest.approx((1, 0), abs=1e-9)


def test_the_area_of_a_ring_knows_its_direction() -> None:
    square = np.array([[0, 0], [4, 0], [4, 3], [0, 3.0]])
    assert signed_area(square) == 12 and signed_area(square[::-1]) == -12
    assert signed_area(np.vstack([square, square[:1]])) == 12


def test_the_smallest_radius_is_that_of_the_tightest_bend() -> None:
    slot = np.asarray(LineString([(0, 0), (20, 0)]).buffer(2.5, quad_segs=64).exterior.coords)[:-1]
    assert smallest_radius(fit_ring(slot, 0.005)) == pytest.approx(2.5, rel=0.08)
    assert smallest_radius(Path.from_points(np.array([[0, 0], [9, 0], [9, 9], [0, 9.0]]))) == 0


@pytest.mark.parametrize("angle", [20, 40, 90, 150])
def test_a_mitred_offset_keeps_its_corner_up_to_the_limit(angle: float) -> None:
    """Worked by hand: the tip of a corner of angle a moves by d / sin(a/2), cut off beyond the limit."""
    half = np.radians(angle / 2)
    wedge = Polygon([(0, 0), (100 * np.cos(half), 100 * np.sin(half)), (100 * np.cos(half), -100 * np.sin(half))])
    tip = -offset(wedge, 2.0, join="mitre").bounds[0]
    full = 2.0 / np.sin(half)
    if full <= 2.0 * MITRE_LIMIT:
        assert tip == pytest.approx(full, abs=1e-9)
    else:
        assert 2.0 <= tip < full
    assert -offset(wedge, 2.0).bounds[0] == pytest.approx(2.0, abs=0.01)


def test_a_shape_that_crosses_itself_and_meets_no_other_is_put_right() -> None:
    bow, square = Polygon([(0, 0), (1, 1), (1, 0), (0, 1)]), shapely.box(5, 5, 6, 6)
    whole = united([bow, square])
    assert whole.is_valid and whole.area == pytest.approx(0.5 + 1)
    assert united([]).is_empty and united([shapely.MultiPolygon()]).is_empty
