"""Differences of large values: there and back for any two of them, and as short as what changed."""

import json
from typing import Any

import jsonpatch
import pytest
from hypothesis import given
from hypothesis import strategies as st

from etiquette.core.errors import JobError
from etiquette.store.differences import DIFFERENCES, kept, values_of

NUMBERS = st.integers(-5, 5)
NAMES = st.sampled_from(("a", "b/c", "d~e", ""))
VALUES = st.recursive(
    NUMBERS | st.none() | st.text(max_size=3), lambda one: st.lists(one) | st.dictionaries(NAMES, one), max_leaves=12
)
FILLING = [f"row {number}" for number in range(400)]
"""So that a value is long enough for its difference to be shorter."""


def layout(pieces: int) -> dict[str, Any]:
    return {"length_mm": 90.5, "placements": [{"id": str(n), "x_mm": n * 1.5, "y_mm": 2.0} for n in range(pieces)]}


def letters(value: object) -> int:
    return len(json.dumps(value))


@given(VALUES, VALUES)
def test_what_is_kept_makes_the_one_of_the_other(one: Any, other: Any) -> None:
    before, after = ({"layout": {"filling": FILLING, "value": value}} for value in (one, other))
    held = json.loads(json.dumps(kept(before, after)))
    assert values_of(held, before) == after
    if DIFFERENCES in held:  # the same by the package's own reading of RFC 6902, from the text
        patch = jsonpatch.JsonPatch.from_string(json.dumps(held[DIFFERENCES]["layout"]["operations"]))
        assert patch.apply(before["layout"]) == after["layout"]


def test_a_piece_that_moves_among_ten_thousand_is_a_line() -> None:
    before, after = layout(10_000), layout(10_000)
    after["placements"][7_000]["x_mm"] = 3.25
    assert letters(kept({"layout": before}, {"layout": after})) < 300 < letters(after) / 1000


def test_a_piece_that_goes_from_the_middle_is_a_line_too() -> None:
    before, after = layout(10_000), layout(10_000)
    del after["placements"][123]
    assert letters(kept({"layout": before}, {"layout": after})) < 300
    assert letters(kept({"layout": after}, {"layout": before})) < 300


def test_what_is_another_altogether_is_kept_whole() -> None:
    before, after = layout(500), layout(500)
    for place in after["placements"]:
        place["x_mm"] += 1
    assert kept({"layout": before}, {"layout": after}) == {"layout": after}


def test_values_that_others_change_too_are_kept_whole() -> None:
    """Which rows are given is noted beside edits: a difference would not fit any more."""
    before, after = {"filled": [*FILLING, "one"]}, {"filled": [*FILLING, "two"]}
    assert kept(before, after) == after


def test_a_difference_is_not_laid_on_anything_else() -> None:
    before, after = layout(500), layout(500)
    after["placements"][7]["x_mm"] = 3.25
    held = kept({"layout": before}, {"layout": after})
    with pytest.raises(JobError, match="not there any more"):
        values_of(held, {"layout": after})
