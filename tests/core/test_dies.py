"""Dies read from drawings: figures by hand, drawings by a library nobody here wrote (ezdxf), and what is no die."""

from io import StringIO

import ezdxf
import numpy as np
import pytest
import shapely
from hypothesis import given
from hypothesis import strategies as st
from shapely import Polygon

from etiquette.core.artwork.dxf_reader import read_dxf
from etiquette.core.errors import JobError
from etiquette.core.geometry.paths import Path
from etiquette.core.geometry.polygons import rounded
from etiquette.core.planning.dies import Die, die_of
from etiquette.core.planning.web_shapes import cut_of, label_like
from etiquette.core.planning.webs import Label, Web, cuts


def path_of(shape: Polygon) -> Path:
    return Path.from_points(np.asarray(shape.exterior.coords)[:-1])


def test_a_drawing_of_a_die_says_its_label_its_rows_and_its_gaps() -> None:
    """Three beside and two behind each other of 40 × 24 mm with corners of 3 mm, 5 and 4 mm apart, in a frame; drawn as
    polylines with bulges (a quarter of a circle: the tangent of 22.5°)."""
    drawing = ezdxf.new("R2000", units=ezdxf.units.MM)
    space = drawing.modelspace()
    space.add_lwpolyline([(0, 0), (150, 0), (150, 70), (0, 70)], close=True)
    bend = np.tan(np.pi / 8)
    for column in range(3):
        for row in range(2):
            x, y = 10 + column * 45, 8 + row * 28
            corners = [(x + 3, y, 0), (x + 37, y, bend), (x + 40, y + 3, 0), (x + 40, y + 21, bend)]
            corners += [(x + 37, y + 24, 0), (x + 3, y + 24, bend), (x, y + 21, 0), (x, y + 3, bend)]
            space.add_lwpolyline(corners, format="xyb", close=True)
    text = StringIO()
    drawing.write(text)
    paths = [path for one in read_dxf(text.getvalue().encode(), "die.dxf").paths for path in one.paths]
    found = die_of(paths, "die.dxf")
    assert (found.columns, found.rows, found.gap_across_mm, found.gap_along_mm) == (3, 2, 5.0, 4.0)
    assert (found.label.width_mm, found.label.height_mm) == (40.0, 24.0)
    assert found.label.corner_mm == pytest.approx(3.0, abs=0.05)


@given(
    st.integers(1, 5), st.integers(1, 5), st.floats(8, 60), st.floats(8, 60), st.floats(0, 1), st.floats(1.5, 9),
    st.floats(1.5, 9), st.randoms(use_true_random=False),
)  # fmt: skip
def test_what_a_web_cuts_is_read_back_as_the_die_that_it_is(
    columns: int, rows: int, width: float, height: float, share: float, across: float, along: float, order: object
) -> None:
    corner = share * min(width, height) / 2
    web = Web(Label(width, height), 600, columns, rows, across, along)
    paths = [path_of(rounded(box, corner)) for box in cuts(web)]
    order.shuffle(paths)  # type: ignore[attr-defined]
    found = die_of(paths, "die")
    assert (found.columns, found.rows) == (columns, rows)
    assert (found.label.width_mm, found.label.height_mm) == pytest.approx((width, height), abs=0.01)
    if columns > 1:
        assert found.gap_across_mm == pytest.approx(across, abs=0.02)
    if rows > 1:
        assert found.gap_along_mm == pytest.approx(along, abs=0.02)
    assert found.label.corner_mm == pytest.approx(corner, abs=0.3)


SQUARE = shapely.box(0, 0, 20, 20)


def moved(shape: Polygon, x: float, y: float) -> Polygon:
    return shapely.transform(shape, lambda points: points + (x, y))


def test_a_line_drawn_twice_is_one_label() -> None:
    paths = [path_of(SQUARE), path_of(SQUARE), path_of(moved(SQUARE, 25, 0))]
    assert die_of(paths, "die") == Die(Label(20, 20, 0.0), 2, 1, 5.0, 0.0)


HOLE = shapely.box(0, 0, 6, 6)
ARROW = moved(Polygon([(0, 0), (14, 0), (20, 10), (14, 20), (0, 20)]), 25, 0)
MIRRORED = Polygon([(6, 0), (20, 0), (20, 20), (6, 20), (0, 10)])
CHEVRON = Polygon([(0, 0), (10, 0), (20, 10), (10, 20), (0, 20), (10, 10)])


def test_a_die_drawn_in_single_strokes_is_joined() -> None:
    """Lines and arcs, as drawing programs save a rounded rectangle that was taken apart, drawn by ezdxf."""
    drawing = ezdxf.new("R2010", units=ezdxf.units.MM)
    space = drawing.modelspace()
    for x, y in ((10, 10), (56, 10), (10, 43), (56, 43)):
        for start, end in (((4, 0), (36, 0)), ((40, 4), (40, 24)), ((36, 28), (4, 28)), ((0, 24), (0, 4))):
            space.add_line((x + start[0], y + start[1]), (x + end[0], y + end[1]))
        for across, along, begin in ((36, 4, 270), (36, 24, 0), (4, 24, 90), (4, 4, 180)):
            space.add_arc((x + across, y + along), 4, begin, begin + 90)
    text = StringIO()
    drawing.write(text)
    paths = [path for one in read_dxf(text.getvalue().encode(), "die.dxf").paths for path in one.paths]
    assert not any(path.closed for path in paths)
    found = die_of(paths, "die.dxf")
    assert (found.columns, found.rows, found.gap_across_mm, found.gap_along_mm) == (2, 2, 6.0, 5.0)
    assert (found.label.width_mm, found.label.height_mm, found.label.shape) == (40.0, 28.0, ())
    assert found.label.corner_mm == pytest.approx(4.0, abs=0.02)


def test_an_oval_die_keeps_its_shape() -> None:
    """Four ellipses of 44 × 26.4 mm by ezdxf: the area of an ellipse is π times its half axes."""
    drawing = ezdxf.new("R2010", units=ezdxf.units.MM)
    for column in range(4):
        drawing.modelspace().add_ellipse((30 + column * 48, 20), major_axis=(22, 0), ratio=0.6)
    text = StringIO()
    drawing.write(text)
    paths = [path for one in read_dxf(text.getvalue().encode(), "die.dxf").paths for path in one.paths]
    found = die_of(paths, "die.dxf")
    assert (found.columns, found.rows, found.gap_across_mm) == (4, 1, 4.0)
    assert (found.label.width_mm, found.label.height_mm) == pytest.approx((44.0, 26.4), abs=0.002)
    assert found.label.area_mm2 == pytest.approx(np.pi * 22 * 13.2, rel=2e-4)
    across, up = np.array(found.label.shape).T
    assert (2 * across - 1) ** 2 + (2 * up - 1) ** 2 == pytest.approx(1.0, abs=1e-3)


@given(
    st.integers(1, 4), st.integers(1, 4), st.lists(st.floats(0.35, 1.0), min_size=5, max_size=24), st.floats(8, 60),
    st.floats(8, 60), st.sampled_from([1, 2, 3, 4]),
)  # fmt: skip
def test_any_shape_that_a_web_cuts_is_read_back_as_it_is(
    columns: int, rows: int, reach: list[float], width: float, height: float, unwinding: int
) -> None:
    """Stars about a middle never cross themselves; turned by how the roll unwinds."""
    angles = 2 * np.pi * np.arange(len(reach)) / len(reach)
    star = Polygon(np.column_stack([np.cos(angles), np.sin(angles)]) * np.array(reach)[:, None])
    x0, y0, x1, y1 = star.bounds
    label = label_like(shapely.transform(star, lambda at: (at - (x0, y0)) * (width / (x1 - x0), height / (y1 - y0))))
    web = Web(label, 600, columns, rows, 3.0, 4.0, unwinding=unwinding)
    found = die_of([path_of(cut_of(label, box, web.turn_deg)) for box in cuts(web)], "die")
    assert (found.columns, found.rows) == (columns, rows)
    assert (found.label.width_mm, found.label.height_mm) == pytest.approx((web.across_mm, web.along_mm), abs=0.01)
    box = (0.0, 0.0, web.across_mm, web.along_mm)
    there, back = cut_of(label, box, web.turn_deg), cut_of(found.label, box)
    assert there.exterior.hausdorff_distance(back.exterior) < (0.02 if label.shape else 0.3)


@pytest.mark.parametrize(
    ("shapes", "said"),
    [
        ([], "No label was found"),
        ([SQUARE, moved(shapely.box(0, 0, 21, 20), 30, 0)], "not of one size"),
        ([SQUARE, moved(SQUARE, 25, 0), moved(SQUARE, 51, 0)], "do not stand at one step: 25.00 to 26.00 mm"),
        ([SQUARE, moved(SQUARE, 25, 25)], "make no grid of 2 × 2"),
        ([SQUARE, ARROW.buffer(0), moved(SQUARE, 50, 0)], "not of one shape: look 25.0 mm from the left and 0.0 mm"),
        ([ARROW, moved(MIRRORED, 25, 0)], "not of one shape"),
        ([Polygon([(0, 0), (20, 20), (20, 0), (0, 20)])], "crosses itself, 0.0 mm from the left"),
        ([SQUARE, moved(HOLE, 5, 5), moved(SQUARE, 25, 0), moved(HOLE, 30, 5)], "within a label of the die, 5.0 mm"),
        ([CHEVRON, moved(CHEVRON, 12, 0)], "beside each other reach 8.00 mm into each other's box"),
    ],
)
def test_what_is_no_die_of_a_web_is_said(shapes: list[Polygon], said: str) -> None:
    with pytest.raises(JobError, match=said):
        die_of([path_of(shape) for shape in shapes], "die.pdf")


def test_an_open_line_is_said_with_its_place() -> None:
    with pytest.raises(JobError) as refused:
        die_of([path_of(SQUARE), Path.from_points([(30.0, 4.0), (50.0, 4.0), (50.0, 24.0)], closed=False)], "die.pdf")
    assert refused.value.what == "A line of the die is open, 30.0 mm from the left and 4.0 mm from the bottom."
