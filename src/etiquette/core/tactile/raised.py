"""Raised characters and the braille beside them: 2010 ADA Standards for Accessible Design, 703.2 and 703.3.2. What is
raised is known by its areas, not by what it means: a shape is taken for a character where it is about as high as one.
Millimetres, x to the right, y up."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

import shapely
from shapely import Polygon
from shapely.geometry.base import BaseGeometry

from etiquette.core.geometry.polygons import polygons_of, united

CHARACTER_MM = (16.0, 51.0)
"""703.2.5: from 5/8 inch to 2 inches, measured on the uppercase letter I."""
STROKE_SHARE = 0.15
"""703.2.6: a stroke is no wider than 15 percent of that height."""
APART_MM = 3.2
"""703.2.7: 1/8 inch between the closest points of two characters."""
FREE_MM = 9.5
"""703.3.2: 3/8 inch between braille and any other tactile character, raised border or decoration."""
MOUNTING = "Where it hangs, its lowest line is 1220 mm above the floor at least, its highest 1525 mm at most (703.4)."
TAKEN_FOR_ONE_MM = (6.0, 80.0)
"""Shapes of such a height are taken for characters; lower ones are dots and dashes, higher ones borders (ours)."""
SLACK_MM = 0.05
"""Curves of areas are flattened so coarsely."""


@dataclass(frozen=True)
class Told:
    """What is not as the standard has it, and where."""

    words: str
    x: float
    y: float


def raised_told(areas: Sequence[Polygon], braille: Polygon | None) -> list[Told]:
    """What 703.2 and 703.3.2 say of the raised `areas` of a sign and the box of its `braille` (None: it has none)."""
    shapes = [part for part in polygons_of(united(areas)) if not part.is_empty]
    letters = [one for one in shapes if TAKEN_FOR_ONE_MM[0] <= _height(one) <= TAKEN_FOR_ONE_MM[1]]
    return [*_sizes(letters), *_strokes(letters), *_spaces(letters), *_beside(shapes, letters, braille)]


def _height(shape: Polygon) -> float:
    _, low, _, high = shape.bounds
    return float(high - low)


def _sizes(letters: Sequence[Polygon]) -> list[Told]:
    least, most = CHARACTER_MM
    wrong = [one for one in letters if not least - SLACK_MM <= _height(one) <= most + SLACK_MM]
    return _told(
        wrong, lambda one: f"{_height(one):.1f} mm high: raised characters are {least:g} to {most:g} mm (703.2.5)"
    )


def _strokes(letters: Sequence[Polygon]) -> list[Told]:
    wide = [one for one in letters if _stroke(one) > STROKE_SHARE * _height(one) + SLACK_MM]
    return _told(
        wide, lambda one: f"A stroke {_stroke(one):.1f} mm wide: at most {STROKE_SHARE:.0%} of the height (703.2.6)"
    )


def _stroke(letter: Polygon) -> float:
    """How wide its strokes are: as a ribbon of its area and its rim, whose ends belong to the rim. What is rounder than
    any ribbon is taken for a square."""
    half = letter.length / 2
    return float((half - max(half**2 - 4 * letter.area, 0.0) ** 0.5) / 2)


def _spaces(letters: Sequence[Polygon]) -> list[Told]:
    pairs = [(one, other) for number, one in enumerate(letters) for other in letters[number + 1 :]]
    beside = [shapely.shortest_line(*pair) for pair in pairs if _on_one_line(*pair)]
    narrow = [gap for gap in beside if gap.length < APART_MM - SLACK_MM]
    return _told(narrow, lambda gap: f"Characters {gap.length:.1f} mm apart: {APART_MM:g} mm at least (703.2.7)")


def _on_one_line(one: Polygon, other: Polygon) -> bool:
    """Their heights overlap by half of the lower one's."""
    (_, low, _, high), (_, bottom, _, top) = one.bounds, other.bounds
    return bool(min(high, top) - max(low, bottom) > min(high - low, top - bottom) / 2)


def _told(wrong: Sequence[BaseGeometry], words: Callable[[Any], str]) -> list[Told]:
    return [Told(words(one), float(one.centroid.x), float(one.centroid.y)) for one in wrong]


def _beside(shapes: Sequence[Polygon], letters: Sequence[Polygon], braille: Polygon | None) -> list[Told]:
    if braille is None:
        return []
    near = [one for one in shapes if one.distance(braille) < FREE_MM - SLACK_MM]
    found = _told(
        near, lambda one: f"{one.distance(braille):.1f} mm from the braille: {FREE_MM:g} mm at least (703.3.2)"
    )
    x, y = braille.centroid.x, braille.centroid.y
    if letters and braille.bounds[3] > min(one.bounds[1] for one in letters):
        found.append(Told("Braille stands below the whole of the text it belongs to (703.3.2).", x, y))
    return found
