"""Panels of folded work against forms worked by hand, turns against SciPy's rotations, and what is found when it is
folded."""

import numpy as np
import pytest
from numpy.typing import NDArray
from scipy.spatial.transform import Rotation
from shapely import Point, Polygon, box

from etiquette.core.errors import JobError
from etiquette.core.finishing.lines import FinishLine
from etiquette.core.folding.folded import Folded, collisions, folded, in_space, on_each_other
from etiquette.core.folding.forms import Form, FormKind, Goods, form_of
from etiquette.core.folding.panels import FlatWork, flat_work
from etiquette.core.geometry.paths import Path


def line(kind: str, *points: tuple[float, float], closed: bool = False) -> FinishLine:
    return FinishLine(kind, Path.from_points(np.array(points, dtype=float), closed))  # type: ignore[arg-type]


def strip(*widths: float, height: float = 50.0, short: float = 0.0) -> list[FinishLine]:
    """Panels beside each other, creases between them that stop `short` of the edge."""
    edges = np.cumsum([0.0, *widths])
    around = [(0, 0), (edges[-1], 0), (edges[-1], height), (0, height)]
    creases = [line("crease", (x, short), (x, height - short)) for x in edges[1:-1]]
    return [*creases, line("through", *around, closed=True)]


def place(flat: FlatWork, made: Folded, point: tuple[float, float]) -> list[NDArray[np.float64]]:
    """Where a flat point is in space, by each panel that it belongs to."""
    on = [n for n, panel in enumerate(flat.panels) if panel.distance(Point(point)) < 1e-6]
    return [in_space(made.matrices[n], np.array([point]))[0] for n in on]


FORMS: dict[FormKind, tuple[int, int]] = {"tube": (5, 4), "sleeve": (5, 4), "tag": (2, 1), "tuck-end box": (13, 12)}


@pytest.mark.parametrize("kind", FORMS)
@pytest.mark.parametrize("thickness", [0.0, 0.4])
def test_every_form_closes_when_it_is_folded(kind: FormKind, thickness: float) -> None:
    form = form_of(kind, Goods(60, 30, 100), thickness, 12, 6)
    flat = flat_work(form.lines())
    assert (len(flat.panels), len(flat.hinges)) == FORMS[kind]
    assert not flat.curved and not flat.loose
    made = folded(flat, [180.0 if kind == "tag" else 90.0] * len(flat.hinges))
    for one, other in form.seams:
        for here, there in zip(one, other, strict=True):
            apart = min(np.linalg.norm(a - b) for a in place(flat, made, here) for b in place(flat, made, there))
            assert apart <= 0.01
    assert collisions(flat, made) == []


def test_the_flat_area_of_a_tuck_end_box_worked_by_hand() -> None:
    # 60 x 30 x 100 mm of card without thickness: four sides 2 x (60 + 30) x 100; the glue flap of 12 mm is aslant by
    # 0.4 x 12 at both ends, 12 x (100 + 90.4) / 2; two lids 59 x 30; two tuck flaps 0.6 x 30 = 18 deep, aslant by
    # 4.5, 18 x (59 + 50) / 2; four dust flaps 0.45 x 60 = 27 long, 29 wide, aslant by 29 / 6, 27 x (29 + 58 / 3) / 2
    by_hand = 18_000 + 1142.4 + 2 * 59 * 30 + 2 * 981 + 4 * 652.5
    assert form_of("tuck-end box", Goods(60, 30, 100), 0.0, 12).outline.area == pytest.approx(by_hand)
    assert form_of("tube", Goods(60, 30, 100), 0.0, 12).outline.area == pytest.approx(18_000 + 1142.4)
    # a tube takes its thickness at every crease but none along its length: 2 x (61 + 31) x 100
    assert form_of("tube", Goods(60, 30, 100), 1.0, 12).outline.area == pytest.approx(18_400 + 1142.4)
    tag = form_of("tag", Goods(50, 0, 80), 0.0, 12, 6)
    assert (tag.outline.area, len(tag.holes)) == (8000, 2)
    assert tag.holes[0].area == pytest.approx(np.pi * 9, rel=1e-3)


@pytest.mark.parametrize(
    ("kind", "goods", "glue", "hole", "words"),
    [
        ("tube", Goods(60, 0, 100), 12, 0, "needs every size"),
        ("tube", Goods(60, 10, 100), 12, 0, "does not lie on a side that is 10.0 mm deep"),
        ("tube", Goods(60, 50, 100), 0, 0, "needs a glue flap"),
        ("tag", Goods(20, 0, 10), 12, 12, "has no room in the tag"),
        ("tag", Goods(20, 0, 1e-74), 12, 0, "needs every size"),
        ("tag", Goods(20, 0, 50), 12, 2e-309, "No knife cuts a hole of 2e-309 mm"),
    ],
)
def test_a_form_that_cannot_be_says_why(kind: FormKind, goods: Goods, glue: float, hole: float, words: str) -> None:
    with pytest.raises(JobError, match=words):
        form_of(kind, goods, 0.0, glue, hole)


def test_panels_turn_as_scipy_turns_them_and_away_from_the_printed_side() -> None:
    flat = flat_work(strip(30, 20, 40))
    made = folded(flat, [35.0, -70.0], root=0)
    first = Rotation.from_rotvec([0, np.deg2rad(35), 0])
    second = first * Rotation.from_rotvec([0, np.deg2rad(-70), 0])
    corner = np.array([30, 0, 0]) + first.apply([20, 0, 0])
    assert in_space(made.matrices[1], np.array([[50.0, 10.0]]))[0] == pytest.approx(corner + [0, 10, 0])
    end = corner + second.apply([40, 0, 0])
    assert in_space(made.matrices[2], np.array([[90.0, 10.0]]))[0] == pytest.approx(end + [0, 10, 0])
    assert corner[2] < 0 < end[2] - corner[2]  # away from the printed side, then back towards it


def test_a_crease_may_stop_a_little_short_and_a_bad_one_is_named() -> None:
    assert len(flat_work(strip(30, 30, short=0.4)).hinges) == 1
    loose = flat_work([*strip(30, 30), line("crease", (40, 10), (50, 20))])
    assert (len(loose.panels), loose.loose) == (2, ((45.0, 15.0),))
    arc = [(30 + 4 * np.sin(t), 50 * t / np.pi) for t in np.linspace(0, np.pi, 40)]
    bent = flat_work([*strip(60), line("crease", *arc)])
    assert (len(bent.panels), len(bent.hinges), len(bent.curved)) == (2, 0, 1)
    with pytest.raises(JobError, match="no crease"):
        flat_work(strip(60))
    with pytest.raises(JobError, match="not cut out"):
        flat_work([line("crease", (0, 0), (9, 0))])


def test_holes_and_slits_are_no_panels() -> None:
    hole = FinishLine("through", Path.from_points(np.asarray(Point(15, 25).buffer(5).exterior.coords)[:-1]))
    flat = flat_work([*strip(30, 30), hole])
    assert len(flat.panels) == 2
    assert min(panel.area for panel in flat.panels) == pytest.approx(1500 - Point(15, 25).buffer(5).area)
    # a slit parts what a crease does not reach: two flaps on one side, each with its own hinge
    slit = line("through", (30, 25), (60, 25))
    flaps = flat_work([*strip(30, 30), slit])
    assert (len(flaps.panels), len(flaps.hinges)) == (3, 2)


def test_panels_that_go_through_each_other_are_told_with_the_place() -> None:
    # 30, 30, 20, 60 mm: the last one comes up at x = 10 through the first
    flat = flat_work(strip(30, 30, 20, 60))
    made = folded(flat, [90.0, 90.0, 90.0], root=0)
    ((first, second, where),) = collisions(flat, made)
    assert (first, second) == (0, 3)
    assert where[0] == pytest.approx(10, abs=0.01)
    # a millimetre lower it only stands beside it
    assert collisions(flat, folded(flat, [90.0, 90.0, 0.0], root=0)) == []


def test_creases_round_one_place_tear_where_they_cannot_be_folded_so() -> None:
    cross = [line("crease", (0, 30), (60, 30)), line("crease", (30, 0), (30, 60))]
    square = line("through", (0, 0), (60, 0), (60, 60), (0, 60), closed=True)
    flat = flat_work([*cross, square])
    assert (len(flat.panels), len(flat.hinges)) == (4, 4)
    (torn,) = folded(flat, [90.0] * 4).apart_mm.values()
    assert torn > 10
    flat_again = folded(flat, [180.0 if hinge.start[0] == hinge.end[0] else 0.0 for hinge in flat.hinges])
    assert max(flat_again.apart_mm.values()) < 1e-9  # once across the whole sheet it may


def test_a_glue_flap_lies_inside_and_covers_as_much_of_what_it_is_glued_to() -> None:
    form: Form = form_of("tube", Goods(60, 30, 100), 0.0, 12)
    flat = flat_work(form.lines())
    made = folded(flat, [90.0] * 4)
    (lies,) = on_each_other(flat, made)
    flap = min(range(5), key=lambda n: flat.panels[n].area)
    other = lies.second if lies.first == flap else lies.first
    assert lies.hidden == (flap,)
    assert lies.covered[flap].area == pytest.approx(lies.covered[other].area) == pytest.approx(1142.4)
    # it comes to lie on the far end of the last side
    assert lies.covered[other].bounds[2] == pytest.approx(192)
    assert isinstance(lies.covered[flap], Polygon) and box(0, 0, 12, 100).covers(lies.covered[flap].buffer(-1e-6))
