"""Folded work in space: every panel turned about its crease, and what becomes of it: what meets, what collides, what
lies on what.

The panel that stays lies in the plane z = 0, printed side towards +z. A positive angle folds away from the printed
side, as a box is folded that is printed outside."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely import LineString, Polygon

from etiquette.core.folding.panels import FlatWork, Hinge, not_hinged

Matrix = NDArray[np.float64]
ON_MM = 0.05
"""Panels nearer to each other than the thickness and this lie on each other."""
DEEP_MM = 0.5
"""A panel that reaches less far through another one only rubs."""
PARALLEL_DEG = 1.0
LEAST_ON_MM2 = 4.0


@dataclass(frozen=True)
class Folded:
    """Where each panel is: a 4 × 4 matrix from its flat millimetres (x, y, 0, 1); `apart_mm`: how far the two panels of
    a hinge are apart along it where panels hang together in a ring, by the number of the hinge."""

    matrices: tuple[Matrix, ...]
    apart_mm: Mapping[int, float]


def folded(flat: FlatWork, angles: Sequence[float], root: int | None = None) -> Folded:
    """`flat` with its hinges (in their order) turned by `angles` degrees, panel `root` (None: the largest) staying.
    Panels that hang on nothing stay flat."""
    stays = flat.largest if root is None else root
    matrices: list[Matrix | None] = [None] * len(flat.panels)
    matrices[stays] = np.eye(4)
    used: set[int] = set()
    reached = [stays]
    for at in reached:  # grows while it is gone through
        for number, hinge in enumerate(flat.hinges):
            if at not in (hinge.first, hinge.second):
                continue
            other = hinge.second if at == hinge.first else hinge.first
            if matrices[other] is None:
                turn = _turned(hinge, flat.panels[other], angles[number])
                matrices[other] = matrices[at] @ turn  # type: ignore[operator]
                reached.append(other)
                used.add(number)
    placed = tuple(np.eye(4) if one is None else one for one in matrices)
    rings = {n: _apart(hinge, placed) for n, hinge in enumerate(flat.hinges) if n not in used}
    return Folded(placed, rings)


def _turned(hinge: Hinge, panel: Polygon, degrees: float) -> Matrix:
    """Round the line of a hinge so that `panel` goes away from the printed side (Rodrigues' formula)."""
    start, end = np.array([*hinge.start, 0.0]), np.array([*hinge.end, 0.0])
    axis = (end - start) / np.linalg.norm(end - start)
    inside = np.array([*panel.representative_point().coords[0], 0.0]) - start
    if (
        axis[0] * inside[1] - axis[1] * inside[0] > 0
    ):  # the panel lies left of the line: turned the other way it goes down
        axis = -axis
    angle = np.deg2rad(degrees)
    cross = np.array([[0, -axis[2], axis[1]], [axis[2], 0, -axis[0]], [-axis[1], axis[0], 0]])
    rotation = np.eye(3) + np.sin(angle) * cross + (1 - np.cos(angle)) * cross @ cross
    matrix = np.eye(4)
    matrix[:3, :3] = rotation
    matrix[:3, 3] = start - rotation @ start
    return matrix


def in_space(matrix: Matrix, points: NDArray[np.float64]) -> NDArray[np.float64]:
    """Flat `points` (n, 2) of a panel where they are when it is folded (n, 3)."""
    flat = np.column_stack([points, np.zeros(len(points)), np.ones(len(points))])
    return np.asarray((flat @ matrix.T)[:, :3])


def _apart(hinge: Hinge, matrices: Sequence[Matrix]) -> float:
    ends = np.array([hinge.start, hinge.end])
    first, second = (in_space(matrices[number], ends) for number in (hinge.first, hinge.second))
    return float(np.linalg.norm(first - second, axis=1).max())


@dataclass(frozen=True)
class OnEachOther:
    """Two panels that lie on each other when folded. `covered`: the part of each that the other one covers, flat;
    `hidden`: of which of the two the printed side is between them."""

    first: int
    second: int
    covered: Mapping[int, Polygon]
    hidden: tuple[int, ...]


def collisions(flat: FlatWork, made: Folded) -> list[tuple[int, int, tuple[float, float]]]:
    """Pairs of panels that go through each other, and where on the first, flat."""
    found = []
    for first, second in not_hinged(flat):
        place = _through(flat, made, second, first)
        if place is not None:
            x, y, _ = _carried(place[None, :], _back(made.matrices[first]))[0]
            found.append((first, second, (float(x), float(y))))
    return found


def _through(flat: FlatWork, made: Folded, goes: int, there: int) -> NDArray[np.float64] | None:
    """Where panel `goes` passes through the inside of panel `there`, in space: the middle of where they cross."""
    ring = in_space(made.matrices[goes], np.asarray(flat.panels[goes].exterior.coords))
    local = _carried(ring, _back(made.matrices[there]))
    heights = local[:, 2]
    if heights.min() > -DEEP_MM or heights.max() < DEEP_MM:
        return None
    crossed = []
    for (x0, y0, z0), (x1, y1, z1) in zip(local[:-1], local[1:], strict=True):
        if (z0 < 0) != (z1 < 0):
            share = z0 / (z0 - z1)
            crossed.append((x0 + share * (x1 - x0), y0 + share * (y1 - y0)))
    crossed.sort()  # along the line in which the two planes meet: in and out by turns
    inner = flat.panels[there].buffer(-DEEP_MM)
    for start, end in zip(crossed[::2], crossed[1::2], strict=False):
        shared = LineString([start, end]).intersection(inner)
        if shared.length > DEEP_MM:
            middle = shared.interpolate(0.5, normalized=True)
            return np.asarray(in_space(made.matrices[there], np.array([[middle.x, middle.y]]))[0])
    return None


def _back(matrix: Matrix) -> Matrix:
    return np.asarray(np.linalg.inv(matrix), dtype=np.float64)


def _carried(points: NDArray[np.float64], matrix: Matrix) -> NDArray[np.float64]:
    """Points in space (n, 3) by a 4 × 4 matrix."""
    return np.asarray((np.column_stack([points, np.ones(len(points))]) @ matrix.T)[:, :3])


def on_each_other(flat: FlatWork, made: Folded, thickness_mm: float = 0.0) -> list[OnEachOther]:
    """Pairs of panels that lie on each other: parallel, and nearer than the thickness."""
    normals = [matrix[:3, 2] for matrix in made.matrices]
    found = []
    for first, second in not_hinged(flat):
        if abs(float(normals[first] @ normals[second])) < np.cos(np.deg2rad(PARALLEL_DEG)):
            continue
        ring = in_space(made.matrices[second], np.asarray(flat.panels[second].exterior.coords))
        local = _carried(ring, _back(made.matrices[first]))
        if np.abs(local[:, 2]).max() > thickness_mm + ON_MM:
            continue
        under = flat.panels[first].intersection(Polygon(local[:, :2]).buffer(0))
        if under.area < LEAST_ON_MM2:
            continue
        part = max(shapely.get_parts(under), key=lambda one: one.area)
        same_way = float(normals[first] @ normals[second]) > 0
        hidden = _hidden(flat, (first, second), float(local[:, 2].mean()), same_way)
        corners = in_space(made.matrices[first], np.asarray(part.exterior.coords))
        back = _carried(corners, _back(made.matrices[second]))
        found.append(OnEachOther(first, second, {first: part, second: Polygon(back[:, :2])}, hidden))
    return found


def _hidden(flat: FlatWork, pair: tuple[int, int], height: float, same_way: bool) -> tuple[int, ...]:
    """Which printed sides are covered, where the second of a pair lies `height` over the printed side of the first. In
    one plane, printed sides the same way, the smaller one is taken for what lies inside: a flap is smaller than what it
    is glued to; the other way round their backs meet."""
    first, second = pair
    if abs(height) < ON_MM:
        return (min(pair, key=lambda one: flat.panels[one].area),) if same_way else ()
    if height > 0:
        return (first,) if same_way else pair
    return (second,) if same_way else ()
