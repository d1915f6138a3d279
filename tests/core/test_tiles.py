"""Tiles: where seams stand, what every tile prints and is cut to. Numbers of the trade: common practice, no published
source."""

import subprocess
import sys
from itertools import combinations

import numpy as np
import pytest
import shapely
from hypothesis import given
from hypothesis import strategies as st

from etiquette.core.artwork.detail import busy_in, detail_of
from etiquette.core.errors import JobError
from etiquette.core.marking.tile_marks import Tick, marks_beside
from etiquette.core.planning.seams import Carry, cheapest_seams, even_seams
from etiquette.core.planning.tiles import (
    Seams,
    TileWish,
    refuse_seams,
    seams_by_content,
    seams_even,
    tiles,
    turn_of,
    wanted,
)

INCH = 25.4


def test_sixty_inches_on_forty_eight_are_two_strips_of_thirty_one() -> None:
    """The seam in the middle, each strip an inch past it; the roll prints 45.11 in."""
    wish = TileWish(60 * INCH, 30 * INCH, 45.11 * INCH, overlap_mm=INCH)
    made = tiles(wish, seams_even(wish))
    assert [one.size_mm[0] / INCH for one in made] == pytest.approx([31.0, 31.0])
    assert [one.printed[0] / INCH for one in made] == pytest.approx([0.0, 29.0])
    assert [one.number for one in made] == [1, 2] and seams_even(wish).across == (30 * INCH,)


def test_butt_overlap_and_bleed_past_it() -> None:
    """Three strips of 1000 mm, worked by hand."""
    plain = TileWish(3000, 500, 1050)
    assert [one.printed[::2] for one in tiles(plain, Seams((1000, 2000)))] == [(0, 1000), (1000, 2000), (2000, 3000)]
    over = TileWish(3000, 500, 1050, overlap_mm=10, past_mm=5)
    made = tiles(over, Seams((1000, 2000)))
    assert [one.outline.bounds[::2] for one in made] == [(0, 1010), (990, 2010), (1990, 3000)]
    assert [one.printed[::2] for one in made] == [(0, 1015), (985, 2015), (1985, 3000)]
    one_side = TileWish(3000, 500, 1050, overlap_mm=10, past_mm=5, carried="first")
    made = tiles(one_side, Seams((1000, 2000)))
    assert [one.outline.bounds[::2] for one in made] == [(0, 1010), (1000, 2010), (2000, 3000)]
    # the neighbour's cut edge lies on the first at the seam, on the second where the first ends
    assert [[(n.side, n.edge_mm) for n in one.neighbours] for one in made] == [
        [("right", 1000)], [("left", 1010), ("right", 2000)], [("left", 2010)],
    ]  # fmt: skip


def test_a_grid_is_read_from_the_top_left_and_the_upper_tile_goes_over_the_lower() -> None:
    wish = TileWish(2000, 1500, 1100, longest_mm=800, overlap_mm=20, carried="first")
    made = tiles(wish, Seams((1000,), (750,)))
    assert [(one.row, one.column) for one in made] == [(1, 1), (1, 2), (2, 1), (2, 2)]
    assert made[0].outline.bounds == (0, 730, 1020, 1500) and made[3].outline.bounds == (1000, 0, 2000, 750)
    lying = TileWish(2000, 1500, 800, lying=True)
    assert seams_even(lying).along == (750,) and seams_even(lying).across == ()
    assert [turn_of(lying, one, "alternate") for one in tiles(lying, Seams((), (750,)))] == [90.0, 270.0]


@given(
    st.floats(300, 20_000), st.floats(200, 5000), st.floats(150, 1600), st.floats(0, 30), st.floats(0, 10),
    st.sampled_from(["both", "first"]), st.sampled_from([None, 0.4233, 1.7]),
)  # fmt: skip
def test_tiles_cover_the_graphic_and_none_is_wider_than_its_stock(
    width: float, height: float, media: float, overlap: float, past: float, carried: str, px: float | None
) -> None:
    pixels = px and (round(width / px) * px, round(height / px) * px)
    wish = TileWish(
        *(pixels or (width, height)), media, overlap_mm=overlap, past_mm=past, carried=carried, px_mm=px,  # type: ignore[arg-type]
    )  # fmt: skip
    made = tiles(wish, seams_even(wish))
    whole = shapely.union_all([one.outline for one in made])
    assert whole.area == pytest.approx(wish.width_mm * wish.height_mm, rel=1e-9)
    for one in made:
        x0, y0, x1, y1 = one.printed
        assert x1 - x0 <= media + 2 * (px or 0) + 1e-6
        assert shapely.box(*one.printed).buffer(1e-6).covers(one.outline)
        if px:
            assert [round(value / px, 6) % 1 for value in (x0, x1)] == pytest.approx([0, 0], abs=1e-5)
    for left, right in zip(made, made[1:], strict=False):
        shared = left.outline.bounds[2] - right.outline.bounds[0]
        assert shared == pytest.approx(overlap * (2 if carried == "both" else 1), abs=1e-6)


def test_seams_stand_where_least_is_cut_through() -> None:
    """Against every possible choice of seams: their sum of costs is the least."""
    rng = np.random.default_rng(4)
    for _ in range(20):
        costs = rng.random(24)
        length, most = 2400.0, 1000.0
        found = cheapest_seams(costs, length, most, Carry(20.0, 20.0))
        places = (np.arange(24) + 0.5) * 100

        every = np.array(list(combinations(places, 2)))
        wide = np.diff(np.pad(every, ((0, 0), (1, 1)), constant_values=(0, length)), axis=1)
        every = every[((wide + [20, 40, 20]).max(axis=1) <= most) & (wide.min(axis=1) >= 0.4 * length / 3)]

        def cost(chosen: np.ndarray, costs: np.ndarray = costs) -> np.ndarray:
            own = costs[(chosen // 100).astype(int)] / costs.max()
            return np.asarray((own + 0.05 * np.abs(chosen - [800.0, 1600.0]) / 800).sum(axis=-1))

        assert len(found) == 2 and cost(np.array(found)) == pytest.approx(cost(every).min())


def test_a_seam_keeps_off_letters_and_off_what_has_to_stay_whole() -> None:
    picture = np.full((300, 900, 3), 200, np.uint8)
    picture[100:200, 420:480:6] = 20  # something busy right in the middle
    wish = TileWish(900, 300, 520)
    (seam,) = seams_by_content(wish, detail_of(picture)).across
    assert (not 370 <= seam <= 530 and 380 <= 900 - seam <= 520) or seam <= 520
    kept = seams_by_content(wish, detail_of(picture), keep=((380, 0, 40, 300),)).across
    assert len(kept) == 1 and kept[0] > 485
    with pytest.raises(JobError, match="no place for the seams"):
        seams_by_content(wish, detail_of(picture), keep=((0, 0, 900, 300),))
    assert detail_of(np.full((80, 120, 4), 255, np.uint8)).max() == 0


def test_areas_are_as_busy_as_can_be_where_they_lie() -> None:
    # 20 × 10 cells of 5 mm: 10 to 20 mm across are the third and fourth, 30 to 50 mm up the first four from the top
    made = busy_in(np.zeros((10, 20)), [(10, 30, 10, 20)], (100, 50))
    assert made.sum() == 8 and made[0:4, 2:4].all()
    # what hangs over the edge is shown as far as the picture goes
    assert busy_in(np.zeros((10, 20)), [(95, 45, 40, 40)], (100, 50)).sum() == 1


def test_a_seam_crosses_what_it_had_better_spare_only_where_there_is_no_other_way() -> None:
    plain, wish = detail_of(np.full((300, 900, 3), 200, np.uint8)), TileWish(900, 300, 520)
    assert seams_by_content(wish, plain).across == pytest.approx((450,), abs=2)
    (seam,) = seams_by_content(wish, plain, spare=((400, 100, 60, 60), (440, 0, 55, 40))).across
    assert 380 <= seam < 400 or 495 < seam <= 520  # a strip is 520 mm wide at most
    # the whole of what is left: one of both has to be crossed, and it is one alone where they do not overlap
    (seam,) = seams_by_content(wish, plain, spare=((0, 100, 470, 60), (450, 0, 450, 40))).across
    assert 380 <= seam < 450 or 470 < seam <= 520


def test_openings_are_cut_out_and_tiles_that_lie_in_them_are_not_made() -> None:
    openings = ((0.0, 0.0, 1000.0, 2000.0), (1400.0, 500.0, 200.0, 300.0), (2500.0, 0.0, 500.0, 2000.0))
    wish = TileWish(3000, 2000, 1010, past_mm=5, openings=openings)
    made = tiles(wish, Seams((1000, 2000)))
    assert [one.number for one in made] == [1, 2] and [one.column for one in made] == [2, 3]
    (hole,) = made[0].outline.interiors
    assert shapely.Polygon(hole).bounds == (1400, 500, 1600, 800)
    # the last one ends at its opening, with its bleed past it
    assert made[1].outline.bounds == (2000, 0, 2500, 2000) and made[1].printed[2] == 2505
    assert [one.number for one in wanted(made, [1])] == [2]
    with pytest.raises(JobError, match="Nothing is left"):
        tiles(TileWish(900, 500, 1000, openings=((0, 0, 900, 500),)), Seams())


@pytest.mark.parametrize(
    ("seams", "words"),
    [
        (Seams((1500,)), "is printed 1510 mm wide; the stock takes 1300 mm"),
        (Seams((1200, 1200.2)), "leaves no tile"),
        (Seams((1200, 2400.0)), "leaves no tile"),
    ],
)
def test_seams_that_cannot_be_are_refused_with_their_place(seams: Seams, words: str) -> None:
    with pytest.raises(JobError) as refused:
        refuse_seams(TileWish(2400, 800, 1300, overlap_mm=10), seams)
    assert words in refused.value.what


def test_overlap_that_leaves_no_room_is_refused() -> None:
    with pytest.raises(JobError, match="would carry 120 mm past its seams"):
        even_seams(1000, 100, Carry(60, 60))


def test_ticks_stand_off_the_print_at_both_ends_of_a_seam() -> None:
    marks = marks_beside((1000, 500), [Tick(True, 990, True), Tick(False, 20, False)], "Wall")
    assert marks.ticks[0] == (989.875, -7.5, 990.125, -1.5) and marks.ticks[1] == (989.875, 501.5, 990.125, 507.5)
    assert marks.ticks[2] == (-4.5, 19.875, -1.5, 20.125) and marks.words_at[1] < -7.5


def test_words_are_drawn_by_several_threads_at_once() -> None:
    """In a process that has drawn none yet: fontTools reads a glyph when it is first asked for."""
    asked = (
        "from concurrent.futures import ThreadPoolExecutor\n"
        "from etiquette.core.marking.slugs import slug_outlines\n"
        "words = 'Wall 12 · tile 3 of 9 · row 2 of 3 · this is its foot'\n"
        "with ThreadPoolExecutor(max_workers=8) as threads:\n"
        "    made = list(threads.map(lambda _: len(slug_outlines(words, 0, 0)), range(64)))\n"
        "assert len(set(made)) == 1\n"
    )
    subprocess.run([sys.executable, "-c", asked], check=True, capture_output=True)
