"""Quotes: worked by hand, and what must hold whatever the numbers are."""

from decimal import Decimal
from io import BytesIO

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image

from etiquette.core.costing.art_ink import ink_share
from etiquette.core.costing.quotes import HandStep, Materials, ShopPrices, Work, frames_of, quote

PRICES = ShopPrices(Decimal(30), Decimal(18), Decimal(12), run_minutes=6, frame_minutes=2, margin_percent=40)
MATERIALS = Materials(Decimal("4.20"), Decimal("1.60"), Decimal("0.40"))


def test_a_job_worked_by_hand() -> None:
    """2.5 m² at 4.20 and 1.60, 12 ml at 0.40, 10 min at 18 an hour, 5 at 12, 6 + 2 × 2 at 30, 100 × 0.5 and once 6 at
    30: 10.50 + 4.00 + 4.80 + 3.00 + 1.00 + 5.00 + 25.00 + 3.00 = 56.30; ÷ 0.6 = 93.83… rounded up."""
    work = Work(100, 2.5, 2.5, 12.0, 10.0, 5.0, runs=1, frames=2)
    made = quote(work, MATERIALS, PRICES, [HandStep("Weed", 0.5), HandStep("Pack", 6.0, "job")])
    amounts = {part.words: str(part.amount) for part in made.parts}
    assert amounts == {
        "Stock": "10.50", "Film": "4.00", "Ink": "4.80", "Printing": "3.00", "Cutting": "1.00", "Setting up": "5.00",
        "Weed": "25.00", "Pack": "3.00",
    }  # fmt: skip
    assert (str(made.cost), str(made.price), str(made.each)) == ("56.30", "93.84", "0.938")
    assert {part.words: part.minutes for part in made.parts if part.minutes} == {
        "Printing": 10.0, "Cutting": 5.0, "Setting up": 10.0, "Weed": 50.0, "Pack": 6.0,
    }  # fmt: skip


def test_what_costs_nothing_and_takes_no_time_is_no_line() -> None:
    made = quote(Work(10, 1.0), MATERIALS, ShopPrices())
    assert [part.words for part in made.parts] == ["Stock"] and made.price == made.cost == Decimal("4.20")


amounts = st.floats(0, 500, allow_nan=False)


@given(st.integers(1, 5000), amounts, amounts, amounts, st.floats(0, 95))
def test_the_margin_is_never_short_and_the_parts_add_up(
    pieces: int, area: float, ink: float, minutes: float, margin: float
) -> None:
    prices = ShopPrices(Decimal(30), Decimal(18), Decimal(12), 6, 2, margin)
    made = quote(Work(pieces, area, area, ink, minutes, minutes), MATERIALS, prices, [HandStep("Weed", 0.1)])
    assert sum(part.amount for part in made.parts) == made.cost
    assert made.price - made.cost >= made.price * Decimal(repr(margin)) / 100 - Decimal("1e-9")
    assert made.price <= made.cost / (1 - Decimal(repr(margin)) / 100) + Decimal("0.01")


@given(st.floats(1, 50_000), st.floats(100, 5000), st.floats(0, 100))
def test_frames_hold_all_of_it(length: float, longest: float, ends: float) -> None:
    count, whole = frames_of(length, longest, ends)
    assert (count * longest >= length - 1e-4 and (count - 1) * longest < length) or count == 1
    assert whole == pytest.approx(length + count * ends)


def png(colour: tuple[int, ...], mode: str = "RGB") -> bytes:
    held = BytesIO()
    Image.new(mode, (40, 20), colour).save(held, "PNG")
    return held.getvalue()


@pytest.mark.parametrize(
    ("colour", "share"),
    [((255, 255, 255), 0.0), ((255, 0, 0), 2.0), ((0, 255, 255), 1.0), ((0, 0, 0), 2.0), ((128, 128, 128), 0.996)],
)
def test_ink_of_plain_colours(colour: tuple[int, int, int], share: float) -> None:
    """Red is all of magenta and yellow, cyan of cyan; black is half of three inks and half of black."""
    assert ink_share(png(colour)) == pytest.approx(share, abs=2e-3)


def test_what_is_transparent_takes_no_ink() -> None:
    assert ink_share(png((255, 0, 0, 0), "RGBA")) == 0.0
    assert ink_share(png((255, 0, 0, 51), "RGBA")) == pytest.approx(0.4, abs=2e-3)
    half = np.zeros((100, 1000, 4), dtype=np.uint8)
    half[:, :500] = (0, 255, 255, 255)
    held = BytesIO()
    Image.fromarray(half).save(held, "PNG")
    assert ink_share(held.getvalue()) == pytest.approx(0.5, abs=5e-3)
