"""Lines that overlap become one outline: worked by hand, and against Shapely's union."""

import numpy as np
import pytest
import shapely
from hypothesis import given
from hypothesis import strategies as st
from shapely import Polygon, box

from etiquette.core.artwork.kinds import Kind
from etiquette.core.finishing.bleed import region_of
from etiquette.core.finishing.lines import FinishLine
from etiquette.core.finishing.merging import merged
from etiquette.core.finishing.piece_outlines import outline_of
from etiquette.core.geometry.curve_fitting import fit_ring
from etiquette.core.geometry.paths import Path
from etiquette.core.geometry.polygons import inside_of

TOLERANCE = 0.05


def rectangle(x: float, y: float, w: float, h: float, kind: Kind = "kiss") -> FinishLine:
    return FinishLine(kind, Path.from_points([(x, y), (x + w, y), (x + w, y + h), (x, y + h)]))


def disc(x: float, y: float, r: float, kind: Kind = "kiss") -> FinishLine:
    angles = np.linspace(0, 2 * np.pi, 300, endpoint=False)
    return FinishLine(kind, fit_ring(np.column_stack([x + r * np.cos(angles), y + r * np.sin(angles)]), 0.005))


def shape(line: FinishLine) -> Polygon:
    return Polygon(line.path.flatten(0.005))


def test_two_squares_that_cross_are_one_outline_and_the_rest_stays_to_the_last_digit() -> None:
    """Two of 20 × 20 mm that share 5 × 20: 35 × 20 mm."""
    apart, inside, stroke = rectangle(100, 0, 9, 9), rectangle(3, 3, 4, 4), Path.from_points([(0, 30), (50, 30)], False)
    lines = [apart, rectangle(0, 0, 20, 20), FinishLine("kiss", stroke), rectangle(15, 0, 20, 20), inside]
    found = merged(lines, TOLERANCE)
    assert [found[0], found[2], found[3]] == [apart, lines[2], inside] and len(found) == 4
    assert shape(found[1]).area == pytest.approx(35 * 20, abs=0.1)
    assert shape(found[1]).hausdorff_distance(box(0, 0, 35, 20)) < TOLERANCE


def test_kinds_stay_apart_and_what_only_touches_is_cut_between() -> None:
    lines = [rectangle(0, 0, 20, 20), rectangle(15, 0, 20, 20, "through"), rectangle(0, 20, 20, 20)]
    assert merged(lines, TOLERANCE) == lines


def test_the_same_line_twice_is_cut_once() -> None:
    one, other = disc(0, 0, 10), rectangle(50, 0, 5, 5)
    assert merged([one, other, disc(0, 0, 10)], TOLERANCE) == [one, other]


def test_a_ring_of_discs_keeps_the_hole_in_its_middle() -> None:
    """Eight discs of 10 mm round a circle of 20: each meets its neighbours, and nothing covers the middle."""
    angles = np.arange(8) * np.pi / 4
    ring = [disc(20 * np.cos(angle), 20 * np.sin(angle), 10) for angle in angles]
    found = merged(ring, TOLERANCE)
    assert len(found) == 2
    outer, hole = sorted((shape(line) for line in found), key=lambda one: -one.area)
    assert outer.contains(hole) and hole.covers(shapely.Point(0, 0).buffer(9.8))


corner = st.tuples(st.integers(0, 60), st.integers(0, 60), st.integers(4, 25), st.integers(4, 25))


@given(st.lists(corner, min_size=1, max_size=8))
def test_what_is_cut_out_is_what_the_shapes_cover(corners: list[tuple[int, int, int, int]]) -> None:
    """Whatever lies on whatever: the outlines go round the same ground as Shapely's union, up to holes that stay."""
    lines = [rectangle(*one) for one in corners]
    found = [shape(line) for line in merged(lines, TOLERANCE)]
    whole = shapely.union_all([box(x, y, x + w, y + h) for x, y, w, h in corners])
    filled = shapely.union_all([Polygon(part.exterior) for part in getattr(whole, "geoms", [whole])])
    again = shapely.union_all([one.buffer(0) for one in found])
    again = shapely.union_all([Polygon(part.exterior) for part in getattr(again, "geoms", [again])])
    assert again.symmetric_difference(filled).area < 0.02 * filled.length * TOLERANCE + 0.5
    # and no outline crosses another of its kind
    for number, one in enumerate(found):
        for other in found[number + 1 :]:
            shared = one.intersection(other).area
            assert shared < 0.2 or shared == pytest.approx(min(one.area, other.area), rel=0.02, abs=0.2)


def test_a_speck_that_flattens_to_a_stroke_goes_round_nothing() -> None:
    """A loop of two curves a hundredth of a millimetre long, as strangers' art has them beside their lines."""
    speck = Path(np.zeros(2), (np.array([[0.004, 0.001], [0.006, 0.001], [0.01, 0.0]]), np.zeros((1, 2))), True)
    assert inside_of(speck, 0.05).is_empty
    lines = [FinishLine("kiss", speck), disc(20, 20, 10)]
    assert merged(lines, TOLERANCE) == lines
    assert region_of(lines, 1.0)[0].area == pytest.approx(np.pi * 11**2, rel=1e-2)
    assert outline_of(lines).area == pytest.approx(np.pi * 100, rel=5e-3)
