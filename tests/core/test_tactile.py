"""Braille: where dots stand, domes, passes; what is refused."""

import numpy as np
import pytest

from etiquette.core.errors import JobError
from etiquette.core.tactile.domes import LEVELS, Domes, domes_of, height_map
from etiquette.core.tactile.signs import passes_for, sentence_case, set_out
from etiquette.core.tactile.sizes import ADA_2010, SIZES
from etiquette.core.tactile.tables import TABLES, dots_of, to_braille


def test_the_dots_of_a_cell_are_its_bits() -> None:
    assert dots_of("⠁") == (1,) and dots_of("⠿") == (1, 2, 3, 4, 5, 6) and dots_of("⠀") == ()
    assert dots_of("⡀") == (7,) and dots_of("⠮") == (2, 3, 4, 6)


def test_a_letter_stands_where_it_is_worked_out_by_hand() -> None:
    """“bt”: dots 1, 2, then 2, 3, 4, 5; 2.4 mm in a cell, 6.4 mm from cell to cell, half a dot, 0.775 mm, round it."""
    dots = set_out("bt", "en-ueb-g2.ctb", ADA_2010)
    asked = [(0.775, 5.575), (0.775, 3.175), (7.175, 3.175), (7.175, 0.775), (9.575, 5.575), (9.575, 3.175)]
    assert np.sort(dots.places.round(6), axis=0) == pytest.approx(np.sort(np.array(asked), axis=0))
    assert (dots.width_mm, dots.height_mm) == pytest.approx((10.35, 6.35))


def test_dots_are_domes_as_high_as_they_should_be() -> None:
    """At 600 dots an inch: the cap of a sphere on a base of 1.55 mm, 0.75 mm high, by its own formula."""
    dots = set_out("for", "en-ueb-g2.ctb", ADA_2010)  # all six dots of one cell
    made = height_map([domes_of(dots)], (dots.width_mm, dots.height_mm), 600)
    assert made.dtype == np.uint16 and made.max() > 0.995 * LEVELS
    px = 25.4 / 600
    heights = made / LEVELS * ADA_2010.made_height
    row = round((dots.height_mm - 0.775) / px)  # through the lowest dot, whose middle is 0.775 mm from left and foot
    wide = np.count_nonzero(heights[row, : round(1.6 / px)]) * px
    assert wide == pytest.approx(1.55, abs=2 * px)
    radius = (0.775**2 + 0.75**2) / (2 * 0.75)
    x = (np.arange(10, 30) + 0.5) * px - 0.775
    y = (row + 0.5) * px - (dots.height_mm - 0.775)
    assert heights[row, 10:30] == pytest.approx(np.sqrt(radius**2 - x**2 - y**2) - (radius - 0.75), abs=0.002)
    assert 0.6 <= heights.max() <= 0.9 and np.count_nonzero(heights) * px**2 == pytest.approx(
        6 * np.pi * 0.775**2, rel=0.01
    )
    with pytest.raises(JobError, match="too large"):
        long = set_out("a long word " * 30, "en-ueb-g2.ctb", ADA_2010)
        height_map([domes_of(long)], (long.width_mm, long.height_mm), 2880)


def test_dots_of_two_heights_share_one_picture_of_heights() -> None:
    high, low = (Domes(np.array([(x, 5.0)]), 1.6, height) for x, height in ((5.0, 0.8), (15.0, 0.4)))
    made = height_map([high, low], (20.0, 10.0), 600)
    px = 600 / 25.4
    row = made.shape[0] - round(5.0 * px)
    assert made[row, round(5.0 * px)] == pytest.approx(LEVELS, rel=0.002)
    assert made[row, round(15.0 * px)] == pytest.approx(LEVELS / 2, rel=0.002)
    assert (made > 0).sum() / px**2 == pytest.approx(2 * np.pi * 0.8**2, rel=0.02)


def test_height_is_built_in_whole_passes() -> None:
    assert [passes_for(0.75, one) for one in (0.25, 0.3, 0.75, 1.0)] == [3, 3, 1, 1]
    with pytest.raises(JobError, match="no height"):
        passes_for(0.75, 0)


def test_lines_in_capitals_are_made_from_sentence_case() -> None:
    assert sentence_case("WOMEN'S ROOM") == "women's room" and sentence_case("Exit") == "Exit"
    assert sentence_case("DECK A\nCabin 12\nSTAIR B") == "deck A\nCabin 12\nstair B"


def test_the_set_of_703_3_refuses_uncontracted_braille() -> None:
    with pytest.raises(JobError, match="asks for contracted braille; English, UEB uncontracted is not"):
        set_out("Exit", "en-ueb-g1.ctb", ADA_2010)
    assert len(set_out("Exit", "en-ueb-g1.ctb", SIZES["nls-800"]).places) > 0


def test_what_cannot_be_put_into_braille_is_refused_with_its_letter() -> None:
    with pytest.raises(JobError, match="“漢” has no cells"):
        to_braille("Exit 漢", "en-ueb-g2.ctb")
    with pytest.raises(JobError, match="no braille table"):
        to_braille("Exit", "/etc/passwd")
    with pytest.raises(JobError, match="nothing to put"):
        set_out(" \n", "en-ueb-g2.ctb", ADA_2010)
    with pytest.raises(JobError, match="no sign"):
        to_braille("x" * 5000, "en-ueb-g2.ctb")


@pytest.mark.parametrize("table", TABLES)
def test_every_table_that_is_offered_is_there(table: str) -> None:
    cells = to_braille("ab 1", table).cells[0]
    assert all(0x2800 <= ord(one) <= 0x28FF for one in cells) and "⠁⠃" in cells


@pytest.mark.parametrize("key", SIZES)
def test_what_is_made_lies_within_its_published_range(key: str) -> None:
    sizes = SIZES[key]
    for made, (low, high) in (
        (sizes.made_dot, sizes.dot), (sizes.made_height, sizes.height), (sizes.made_dots, sizes.dots),
        (sizes.made_cells, sizes.cells), (sizes.made_lines, sizes.lines),
    ):  # fmt: skip
        assert low <= made <= high
