"""Paths that hands point at: worked by hand, and for any place against Shapely."""

import numpy as np
import pytest
import shapely
from hypothesis import given
from hypothesis import strategies as st
from shapely import LineString, Point

from etiquette.core.artwork.line_rules import LineRule, sort_paths
from etiquette.core.artwork.path_picks import alike, path_at, same_places
from etiquette.core.artwork.vectors import Ink, PaintedPath
from etiquette.core.geometry.paths import Path

RED, BLUE = Ink("#ff0000"), Ink("#0000ff")


def box(number: int, x: float, y: float, w: float, h: float, **look: object) -> PaintedPath:
    ring = Path.from_points([(x, y), (x + w, y), (x + w, y + h), (x, y + h)])
    fill, stroke = look.pop("fill", None), look.pop("stroke", None)
    return PaintedPath(number, (ring,), fill, stroke, **look)  # type: ignore[arg-type]


SHEET = [
    box(0, 0, 0, 100, 60, fill=BLUE),
    box(1, 20, 10, 60, 40, fill=RED),
    box(2, 30, 20, 40, 20, stroke=RED, stroke_mm=0.25, layers=("Cut",)),
    box(3, 30, 20, 40, 20, stroke=BLUE, stroke_mm=0.25, layers=("Cut",)),
    box(4, 75, 45, 10, 10, stroke=RED, stroke_mm=0.5, layers=("Art", "Cut")),
]


@pytest.mark.parametrize(
    ("x", "y", "number"),
    [
        (30.4, 25, 3),  # two outlines on each other: the upper one
        (20.5, 30, 1),  # an outline of what is filled
        (40, 30, 1),  # inside what is only stroked: what is filled below it
        (5, 5, 0),
        (75.2, 50.5, 4),  # where an outline and two fills lie
        (0.6, 30, 0),
        (105, 30, None),
    ],
)
def test_what_is_pressed(x: float, y: float, number: int | None) -> None:
    found = path_at(SHEET, x, y, 0.7)
    assert (found.number if found else None) == number


def curved(number: int, points: list[tuple[float, float]]) -> PaintedPath:
    start, one, two, end = (np.array(point) for point in points)
    return PaintedPath(number, (Path(start, (np.array([one, two, end]),), False),), None, RED, 0.2)


place = st.tuples(st.floats(0, 50), st.floats(0, 50))


@given(st.lists(st.lists(place, min_size=4, max_size=4), min_size=1, max_size=6), place)
def test_none_lies_nearer_than_the_one_that_is_found(
    curves: list[list[tuple[float, float]]], at: tuple[float, float]
) -> None:
    paths = [curved(number, points) for number, points in enumerate(curves)]
    distances = [shapely.distance(LineString(one.paths[0].flatten(0.001)), Point(at)) for one in paths]
    found = path_at(paths, *at, 3.0)
    if found is None:
        assert min(distances) > 3.0 - 0.06
    else:
        assert distances[found.number] <= min(distances) + 0.06 and distances[found.number] <= 3.06


def test_what_is_like_it() -> None:
    assert [one.number for one in alike(SHEET, SHEET[2], "layer")] == [2, 3]
    assert [one.number for one in alike(SHEET, SHEET[2], "colour")] == [1, 2, 4]
    assert [one.number for one in alike(SHEET, SHEET[2], "width")] == [2, 3]
    assert [one.number for one in alike(SHEET, SHEET[0], "width")] == [0]  # no stroke: only itself


def test_hands_count_before_rules() -> None:
    rules = (LineRule("through", "name", ("Cut",)),)
    assert [one.path.number for one in sort_paths(SHEET, rules).caught] == [2, 3, 4]
    found = sort_paths(SHEET, rules, by_hand={1: "kiss", 3: None})
    assert [(one.path.number, one.kind, one.removal) for one in found.caught] == [
        (1, "kiss", "all"),
        (2, "through", "all"),
        (4, "through", "all"),
    ]
    assert 3 not in [one.number for one in found.suspects]  # given back: nobody has to look at it again


def test_numbers_stay_where_the_art_is_painted_alike() -> None:
    moved = [box(one.number, 5, 5, 9, 9, fill=one.fill, stroke=one.stroke, layers=one.layers) for one in SHEET]
    assert same_places(SHEET, moved, [1, 3])
    assert not same_places(SHEET, moved[:-1], [1])
    recoloured = [*SHEET[:3], box(3, 30, 20, 40, 20, stroke=RED, layers=("Cut",)), SHEET[4]]
    assert not same_places(SHEET, recoloured, [3]) and same_places(SHEET, recoloured, [1])


def test_a_hole_is_no_part_of_what_is_filled() -> None:
    outer, inner = (Path.from_points(list(shapely.box(*b).exterior.coords)) for b in ((0, 0, 40, 40), (10, 10, 30, 30)))
    ring = PaintedPath(7, (outer, inner), RED, None, even_odd=True)
    assert path_at([ring], 5, 20, 0.5) is ring and path_at([ring], 20, 20, 0.5) is None
