"""The order in which layers are laid down, worked out by hand for each side of the stock."""

import pytest
from hypothesis import given
from hypothesis import strategies as st
from shapely import box

from etiquette.core.finishing.spot_areas import blocker_area, spot_area
from etiquette.core.printing.stack import PLATES, hidden_in, stack_of, usual_stack

DECAL = {"colour", "white", "blocker", "white again", "other side"}


def test_a_decal_for_both_sides_of_a_window_has_its_whites_between_its_colours() -> None:
    # read from the printed side; the other side is read through the stock
    assert usual_stack(DECAL, False, {}) == ("other side", "white", "blocker", "white again", "colour")
    # read through the stock: the colour comes first
    assert usual_stack(DECAL, True, {}) == ("colour", "white", "blocker", "white again", "other side")


def test_special_inks_lie_behind_or_before_the_colours_as_they_are_seen() -> None:
    plates = {"primer", "white", "colour", "Silver", "Gleam", "clear"}
    specials = {"Silver": "behind", "Gleam": "before"}
    assert usual_stack(plates, False, specials) == ("primer", "white", "Silver", "colour", "Gleam", "clear")  # type: ignore[arg-type]
    assert usual_stack(plates, True, specials) == ("primer", "Gleam", "colour", "Silver", "white", "clear")  # type: ignore[arg-type]


@given(st.sets(st.sampled_from(PLATES), min_size=1), st.booleans(), st.permutations([*PLATES, "gone"]))
def test_hands_choose_the_order_and_lose_no_layer(plates: set[str], through: bool, chosen: list[str]) -> None:
    usual = usual_stack(plates, through, {})
    assert set(usual) == plates and len(usual) == len(plates)
    assert stack_of(usual, chosen) == tuple(name for name in chosen if name in plates)
    assert set(stack_of(usual, chosen[:3])) == plates


def test_a_layer_that_came_later_follows_the_one_it_usually_follows() -> None:
    usual = ("white", "Silver", "colour", "clear")
    assert stack_of(usual, ["clear", "colour", "white"]) == ("clear", "colour", "white", "Silver")
    assert stack_of(usual, ["colour", "Silver"]) == ("white", "colour", "clear", "Silver")


@pytest.mark.parametrize(
    ("stack", "through", "hidden"),
    [
        (("white", "colour"), False, []),
        (("colour", "white"), False, [("colour", "white")]),
        (("colour", "white"), True, []),
        (("white", "colour"), True, [("colour", "white")]),
        (("other side", "white", "colour"), False, []),
        (("white", "other side", "colour"), False, [("other side", "white")]),
        (("colour", "blocker", "other side"), True, []),
        (("other side", "blocker", "colour"), True, [("colour", "blocker"), ("other side", "blocker")]),
    ],
)
def test_what_cannot_be_seen_is_named(stack: tuple[str, ...], through: bool, hidden: list[tuple[str, str]]) -> None:
    assert hidden_in(stack, through) == hidden


def test_areas_by_hand() -> None:
    (rectangle,) = spot_area("area", [], [], 1.0, area=box(10, 20, 50, 40))
    assert rectangle.bounds == pytest.approx((11, 21, 49, 39))
    assert spot_area("area", [], [], 0.0) == []  # no rectangle was said
    (blocker,) = blocker_area([box(0, 0, 30, 10), box(30, 0, 40, 10)], 0.5)  # two areas of white that touch are one
    assert blocker.area == pytest.approx(39 * 9)
    assert blocker_area([box(0, 0, 0.9, 10)], 0.5) == [] and blocker_area([], 0.5) == []
