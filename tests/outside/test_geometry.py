"""Offsets, edges and curves against formulas and independent libraries."""

import json
import re
import subprocess
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import pyclipr
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial import ConvexHull
from shapely import LineString, Polygon
from skimage.measure import find_contours

from etiquette.core.artwork.vectors import filled
from etiquette.core.finishing.level_lines import rings_at_half
from etiquette.core.finishing.lines import HARD_CORNER_PX, HARD_EDGE_PX
from etiquette.core.geometry.curve_fitting import fit_ring, fit_rings
from etiquette.core.geometry.polygons import offset, united
from tests.core.test_finishing import drawn, grid


@pytest.mark.parametrize("seed", range(6))
@pytest.mark.parametrize("distance", [0.5, 2.0, 7.0])
def test_steiner_formula(seed: int, distance: float) -> None:
    """Source: J. Steiner's formula for parallel bodies: area(P ⊕ disc r) = A + r·perimeter + π r²."""
    points = np.random.default_rng(seed).uniform(0, 60, (12, 2))
    shape = Polygon(points[ConvexHull(points).vertices])
    grown = offset(shape, distance, 0.002)
    assert grown.area == pytest.approx(shape.area + distance * shape.length + np.pi * distance**2, rel=0.001)


@pytest.mark.parametrize("distance", [-2.0, 1.5, 4.0])
def test_offsets_agree_with_clipper(distance: float) -> None:
    """Source: the library Clipper2 (pyclipr), independent of GEOS."""
    angles = np.linspace(0, 2 * np.pi, 300, endpoint=False)
    radius = 25 + 9 * np.cos(4 * angles) + 3 * np.sin(9 * angles)
    ring = np.column_stack([radius * np.cos(angles), radius * np.sin(angles)])
    clipper = pyclipr.ClipperOffset()
    clipper.scaleFactor = 10_000
    clipper.arcTolerance = 20  # of scaled units: 0.002 mm
    clipper.addPath(ring, pyclipr.JoinType.Round, pyclipr.EndType.Polygon)
    theirs = shapely.union_all([Polygon(path).buffer(0) for path in clipper.execute(distance)])
    ours = offset(Polygon(ring), distance, 0.002)
    assert ours.symmetric_difference(theirs).area < 0.001 * ours.area


def shapes() -> dict[str, tuple[np.ndarray, LineString]]:
    """Coverage rendered eight times finer, and the true outline in pixels."""
    x, y = grid(160)
    angles = np.linspace(0, 2 * np.pi, 4000)
    wavy = 48 + 12 * np.cos(5 * angles)
    phi = np.arctan2(y - 80.2, x - 79.6)
    return {
        "disc": (
            drawn(np.hypot(x - 79.6, y - 80.2) < 53.3),
            LineString(np.column_stack([79.6 + 53.3 * np.cos(angles), 80.2 + 53.3 * np.sin(angles)])),
        ),
        "star": (
            drawn(np.hypot(x - 79.6, y - 80.2) < 48 + 12 * np.cos(5 * phi)),
            LineString(np.column_stack([79.6 + wavy * np.cos(angles), 80.2 + wavy * np.sin(angles)])),
        ),
        "rounded box": (
            drawn(np.hypot(np.maximum(np.abs(x - 80) - 40, 0), np.maximum(np.abs(y - 80) - 25, 0)) < 14.4),
            Polygon([(40, 55), (120, 55), (120, 105), (40, 105)]).buffer(14.4, quad_segs=200).exterior,
        ),
    }


@dataclass(frozen=True)
class Traced:
    """What potrace makes of a mask: its outline in pixels, y down, and the nodes of its curves."""

    outline: LineString
    nodes: int


def traced(share: np.ndarray, folder: Path) -> Traced:
    """Source: potrace (Debian) on the mask of the same picture."""
    mask = folder / "mask.pbm"
    rows = [" ".join("1" if value >= 0.5 else "0" for value in row) for row in share]
    mask.write_text(f"P1\n{share.shape[1]} {share.shape[0]}\n" + "\n".join(rows))
    subprocess.run(["potrace", "-s", "--flat", str(mask), "-o", str(folder / "out.svg")], check=True)
    data = re.findall(r' d="([^"]+)"', (folder / "out.svg").read_text())[0]
    nodes = sum(
        len(numbers.split()) // (6 if letter in "cC" else 2)
        for letter, numbers in re.findall(r"([cClL])([^a-zA-Z]*)", data)
    )
    subprocess.run(["potrace", "-b", "geojson", str(mask), "-o", str(folder / "out.json")], check=True)
    ring = np.array(json.loads((folder / "out.json").read_text())["features"][0]["geometry"]["coordinates"][0])
    ring[:, 1] = share.shape[0] - ring[:, 1]  # potrace counts rows from the bottom
    return Traced(LineString(ring), nodes)


def away(outline: LineString, truth: LineString) -> np.ndarray:
    samples = shapely.line_interpolate_point(outline, np.linspace(0, outline.length, 3000))
    return np.asarray(shapely.distance(samples, truth))


@pytest.mark.parametrize("name", ["disc", "star", "rounded box"])
def test_the_edge_from_pixels_beats_a_traced_mask(name: str, tmp_path: Path) -> None:
    """Sources: the analytic outline; potrace on the mask of the same picture. Mean ≤ 0.1 px, maximum ≤ 0.6 px."""
    share, truth = shapes()[name]
    (ring,) = rings_at_half(share.astype(np.float32))
    reference = away(traced(share, tmp_path).outline, truth).mean()
    for tolerance in (0.118, 0.3):  # 0.118 px: 0.01 mm at 300 dpi
        (fitted,) = fit_rings([ring], tolerance, 2.5)
        ours = away(LineString(fitted.path.flatten(0.005)), truth)
        assert ours.mean() <= 0.1 and ours.max() <= 0.6
        assert ours.mean() < reference, (ours.mean(), reference)


@pytest.mark.parametrize("name", ["disc", "star", "rounded box"])
def test_smooth_art_takes_no_more_nodes_than_potrace_at_its_own_deviation(name: str, tmp_path: Path) -> None:
    """Source: potrace; the bar is 1.3 times its nodes at the deviation it has itself."""
    share, truth = shapes()[name]
    reference = traced(share, tmp_path)
    deviation = away(reference.outline, truth)
    (ring,) = rings_at_half(share.astype(np.float32))
    (fitted,) = fit_rings([ring], 0.3, 2.5)
    ours = away(LineString(fitted.path.flatten(0.005)), truth)
    assert ours.max() <= deviation.max() and ours.mean() <= deviation.mean()
    assert fitted.path.node_count <= 1.3 * reference.nodes + 4  # at a third of its deviation, a few more
    (loose,) = fit_rings([ring], float(deviation.max()), 2.5)
    assert loose.path.node_count <= 1.3 * reference.nodes


@pytest.mark.parametrize("name", ["disc", "star", "rounded box"])
def test_an_edge_cut_along_whole_pixels_gives_no_stairs(name: str, tmp_path: Path) -> None:
    """Source: potrace on the same mask, which is all that is left of the picture here."""
    share, truth = shapes()[name]
    reference = traced(share, tmp_path)
    (ring,) = rings_at_half((share >= 0.5).astype(np.float32))
    (fitted,) = fit_rings([ring], HARD_EDGE_PX, HARD_CORNER_PX)
    ours = away(LineString(fitted.path.flatten(0.005)), truth)
    assert ours.mean() <= 0.4 and ours.mean() < away(reference.outline, truth).mean()
    assert fitted.path.node_count <= 1.3 * reference.nodes


def test_level_lines_agree_with_scikit_image() -> None:
    """Source: skimage.measure.find_contours on the same field (its pixel centres lie at whole numbers)."""
    share, _ = shapes()["star"]
    (ring,) = rings_at_half(share.astype(np.float32))
    (theirs,) = find_contours(share, 0.5)
    theirs = theirs[:, ::-1] + 0.5
    assert Polygon(ring).symmetric_difference(Polygon(theirs)).area < 1e-3


@settings(max_examples=40)
@given(st.integers(0, 10_000))
def test_a_union_of_those_that_meet_is_the_union_of_all(seed: int) -> None:
    """Source: Clipper2 (pyclipr), which takes all at once: some meet, some lie alone, inside others or cross
    themselves, a few of them in one piece of several parts."""
    random = np.random.default_rng(seed)
    rings = [random.uniform(0, 4, 2) * 10 + random.uniform(-6, 6, (random.integers(3, 7), 2)) for _ in range(14)]
    clipper = pyclipr.Clipper()
    clipper.scaleFactor = 100_000
    for ring in rings:  # each by itself first: a ring that crosses itself is taken as even-odd
        alone = pyclipr.Clipper()
        alone.scaleFactor = 100_000
        alone.addPath(ring, pyclipr.PathType.Subject, False)
        for part in alone.execute(pyclipr.ClipType.Union, pyclipr.FillRule.EvenOdd):
            clipper.addPath(part, pyclipr.PathType.Subject, False)
    theirs = clipper.execute(pyclipr.ClipType.Union, pyclipr.FillRule.NonZero)
    area = sum(Polygon(ring).area * (1 if shapely.is_ccw(shapely.linearrings(ring)) else -1) for ring in theirs)
    shapes = [Polygon(ring) for ring in rings]
    ours = united([shapely.GeometryCollection(shapes[:4]), *shapes[4:]])
    assert ours.is_valid and ours.area == pytest.approx(abs(area), rel=1e-4)


@pytest.mark.parametrize("tolerance", [0.01, 0.05, 0.3])
def test_fitted_curves_keep_the_tolerance(tolerance: float) -> None:
    """Source: P. J. Schneider, Graphics Gems, 1990: the maximum deviation is at most the tolerance asked."""
    angles = np.linspace(0, 2 * np.pi, 1500, endpoint=False)
    radius = 30 + 8 * np.cos(3 * angles) + 2 * np.sin(11 * angles)
    for ring in (
        np.column_stack([radius * np.cos(angles), radius * np.sin(angles)]),
        np.array([[0, 0], [50, 0], [50, 20], [25, 21], [0, 20.0]]),
    ):
        path = fit_ring(ring, tolerance)
        curve = LineString(path.flatten(tolerance / 50))
        assert shapely.distance(shapely.points(ring), curve).max() <= tolerance * 1.02
        assert curve.distance(shapely.points(ring[0])) <= tolerance


def test_corners_stay_corners() -> None:
    square = np.array([[0, 0], [50, 0], [50, 30], [0, 30.0]])
    nodes = fit_ring(square, 0.05).flatten()
    for corner in square:
        assert np.hypot(*(nodes - corner).T).min() < 1e-9


def test_a_ring_that_crosses_itself_is_filled_by_its_rule() -> None:
    """A pentagram drawn in one go. By the non-zero rule all five corners and the middle are inside; by even-odd the
    pentagon in the middle, which is wound round twice, is not (ISO 32000-1, 8.5.3.3). Areas: the pentagram of
    circumradius R is ten triangles to the tips and to the inner corners, which lie at R·cos 72°/cos 36°."""
    turn = np.pi / 2 + np.arange(5) * 4 * np.pi / 5
    ring = 10.0 * np.column_stack([np.cos(turn), np.sin(turn)])
    inner = 10.0 * np.cos(np.radians(72)) / np.cos(np.radians(36))
    whole = 10 * 0.5 * 10.0 * inner * np.sin(np.radians(36))
    middle = 5 * 0.5 * inner**2 * np.sin(np.radians(72))
    assert filled([ring], even_odd=False).area == pytest.approx(whole, rel=1e-4)
    assert filled([ring], even_odd=True).area == pytest.approx(whole - middle, rel=1e-4)


@settings(max_examples=40)
@given(st.integers(0, 10_000))
def test_rings_that_overlap_are_filled_as_geos_and_winding_numbers_say(seed: int) -> None:
    """Discs wound either way: where they lie over each other the winding numbers add. Counted at random points, each
    disc by its equation."""
    random = np.random.default_rng(seed)
    middles, radii, ways = random.uniform(0, 20, (6, 2)), random.uniform(1, 6, 6), random.choice([-1, 1], 6)
    turn = np.linspace(0, 2 * np.pi, 400, endpoint=False)
    rings = [
        middle + radius * np.column_stack([np.cos(way * turn), np.sin(way * turn)])
        for middle, radius, way in zip(middles, radii, ways, strict=True)
    ]
    points = random.uniform(-5, 25, (300, 2))
    away = np.hypot(*(points[:, None] - middles).transpose(2, 0, 1)) - radii
    clear = np.abs(away).min(axis=1) > 0.01  # not just at an edge, where 400 corners are no circle
    winding = ((away < 0) * ways).sum(axis=1)
    for even_odd, wanted in ((False, winding != 0), (True, (away < 0).sum(axis=1) % 2 == 1)):
        area = filled(rings, even_odd)
        assert (shapely.contains_xy(area, points[clear]) == wanted[clear]).all()
