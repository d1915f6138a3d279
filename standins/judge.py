"""How far a cut lies from the print, from the truth that only the devices know.

The lines as they were planned say where the cut ought to be on the flat, planned sheet; the film's model says
where that is now. Both ways are measured, cut to line and line to cut, so that a line left uncut counts as a miss.
"""

import re
import xml.etree.ElementTree as ElementTree

import numpy as np
from shapely import LineString, MultiLineString, STRtree, points

SAMPLE_MM = 1.0
_TOKEN = re.compile(r"[MLCZ]|[-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?")


def planned_lines(svg: str) -> list[np.ndarray]:
    """The lines of a run-level lines file as points (n, 2) in run millimetres."""
    root = ElementTree.fromstring(svg)
    origin = [float(value) for value in root.get("data-origin", "0,0").split(",")]
    height = float(root.get("data-art", "0,0").split(",")[1])
    lines = []
    for element in root.iter():
        if element.tag.endswith("path"):
            for line in _flattened(element.get("d", "")):
                lines.append(line * (1, -1) + (origin[0], origin[1] + height))
    return lines


def _flattened(data: str) -> list[np.ndarray]:
    tokens = _TOKEN.findall(data)
    paths: list[np.ndarray] = []
    current: list[np.ndarray] = []
    start, letter, at = np.zeros(2), "", 0
    while at < len(tokens):
        if tokens[at].isalpha():
            letter = tokens[at]
            at += 1
            if letter == "Z" and current:
                current.append(start)
            continue
        take = 6 if letter == "C" else 2
        numbers = np.array([float(value) for value in tokens[at : at + take]]).reshape(-1, 2)
        at += take
        if letter == "M":
            if len(current) > 1:
                paths.append(np.array(current))
            start, current, letter = numbers[0], [numbers[0]], "L"
        elif letter == "L":
            current.append(numbers[0])
        else:
            t = np.linspace(0, 1, 25)[1:, None]
            p0, p1, p2, p3 = current[-1], *numbers
            current.extend((1 - t) ** 3 * p0 + 3 * (1 - t) ** 2 * t * p1 + 3 * (1 - t) * t**2 * p2 + t**3 * p3)
    if len(current) > 1:
        paths.append(np.array(current))
    return paths


def sampled(line: np.ndarray) -> np.ndarray:
    """Points every SAMPLE_MM or so along `line`."""
    steps = np.hypot(*np.diff(line, axis=0).T)
    travelled = np.concatenate([[0], np.cumsum(steps)])
    count = max(2, int(travelled[-1] / SAMPLE_MM) + 1)
    at = np.linspace(0, travelled[-1], count)
    return np.stack([np.interp(at, travelled, line[:, axis]) for axis in (0, 1)], axis=1)


def distances(cut: list[np.ndarray], wanted: list[np.ndarray]) -> np.ndarray:
    """Distances of points along the cut from the wanted lines, and of points along those from the cut."""
    if not cut:
        return np.array([np.inf])
    return np.concatenate([_one_way(cut, wanted), _one_way(wanted, cut)])


def _one_way(lines: list[np.ndarray], others: list[np.ndarray]) -> np.ndarray:
    tree = STRtree([part for other in others for part in _pieces(other)])
    places = points(np.vstack([sampled(line) for line in lines]))
    _, away = tree.query_nearest(places, return_distance=True, all_matches=False)
    return np.asarray(away)


def _pieces(line: np.ndarray) -> list[LineString]:
    """Short stretches, so that the tree has small boxes to search."""
    return [LineString(line[first : first + 9]) for first in range(0, len(line) - 1, 8)]


def report(cut: list[np.ndarray], wanted: list[np.ndarray]) -> dict[str, float]:
    away = distances(cut, wanted)
    total = MultiLineString([LineString(line) for line in cut]).length if cut else 0.0
    return {
        "median_mm": round(float(np.median(away)), 4),
        "p95_mm": round(float(np.percentile(away, 95)), 4),
        "worst_mm": round(float(away.max()), 4),
        "cut_mm": round(float(total), 1),
    }
