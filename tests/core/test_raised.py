"""Raised characters and braille by the published sizes of the 2010 ADA Standards (703.2, 703.3.2), on shapes worked out
by hand."""

import pytest
from shapely import Polygon, box
from shapely.affinity import translate

from etiquette.core.tactile.raised import raised_told


def letter(x: float, height: float = 25.0, stroke: float = 3.0, y: float = 40.0) -> Polygon:
    """An L: a stem and a foot, both `stroke` wide, 15 mm wide in all."""
    stem, foot = box(0, 0, stroke, height), box(0, 0, 15, stroke)
    return translate(stem.union(foot), x, y)


def words(areas: list[Polygon], braille: Polygon | None = None) -> list[str]:
    return [one.words for one in raised_told(areas, braille)]


def test_letters_of_the_right_size_and_room_are_not_told() -> None:
    assert words([letter(0), letter(20)], box(0, 20, 60, 30.4)) == []  # 9.6 mm below


@pytest.mark.parametrize(("height", "told"), [(15.8, True), (16.0, False), (51.0, False), (51.2, True)])
def test_a_character_is_16_to_51_mm_high(height: float, told: bool) -> None:
    assert any("703.2.5" in one for one in words([letter(0, height, stroke=2.0)])) is told


def test_a_stroke_is_at_most_15_percent_of_the_height() -> None:
    assert words([letter(0, 20, 2.9)]) == []
    (wide,) = words([letter(0, 20, 4.0)])  # a disc in the corner of its two strokes is wider than either
    assert "703.2.6" in wide and "A stroke 4." in wide


def test_the_closest_points_of_neighbours_are_3_2_mm_apart() -> None:
    assert words([letter(0), letter(15 + 3.2)]) == []
    (one,) = raised_told([letter(0), letter(15 + 2.0)], None)
    assert one.words == "Characters 2.0 mm apart: 3.2 mm at least (703.2.7)"
    assert (one.x, one.y) == (pytest.approx(16), pytest.approx(41.5, abs=1.6))
    assert words([letter(0), letter(0, y=40 + 25 + 1)]) == []  # one above the other: another line


def test_braille_stands_free_and_below() -> None:
    (near,) = words([letter(0)], box(0, 22, 30, 32))
    assert near == "8.0 mm from the braille: 9.5 mm at least (703.3.2)"
    (above,) = words([letter(0)], box(0, 80, 30, 90))
    assert "below the whole of the text" in above
    border = box(-60, 0, 120, 130).difference(box(-55, 5, 115, 125))  # too high for a character
    (beside,) = words([border, letter(0)], box(0, 10, 30, 20))
    assert beside.startswith("5.0 mm from the braille")
