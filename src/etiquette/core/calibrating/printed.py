"""Test cards that are printed: their pages, and what a scan of the print tells.

A stair of lines, one a nozzle, and a vernier of bars printed on the way there and on the way back are common practice,
no published source; their measures are our own."""

from collections.abc import Iterable
from io import BytesIO

import numpy as np
import pikepdf
from numpy.typing import NDArray

from etiquette.core.calibrating.cards import CARDS, RIM_MM, VERNIER_STEP_MM, CardName
from etiquette.core.errors import JobError
from etiquette.core.finishing.lines import FinishLine
from etiquette.core.geometry.paths import Path
from etiquette.core.units import MM_PER_POINT

Grey = NDArray[np.uint8]
Box = tuple[float, float, float, float]
"""Lower left corner, width and height in mm, y up from the edge that is printed first."""

PAGE_MM = (120.0, 66.0)
ROW_MM = 25.4 / 150
"""A nozzle's row (of the printers this was made for; another pitch needs another card)."""
STAIR, STAIR_MM, LEFT_MM = 10, 10.0, 8.0
"""Lines beside each other before the stair goes back to the left, and how far apart."""
PAIRS = range(-20, 21)
PAIR_MM, BAR_MM = 2.5, 0.5
THERE_MM, BACK_MM = (47.0, 53.0), (56.0, 62.0)
"""Where the bars of the vernier stand along the feed: before and after the first 320 rows, where the head turns."""
OF_OWN_KNIFE: tuple[CardName, ...] = ("own knife", "own knife, marks")
DISC_MM = 6.0
DISCS = [(x, y) for y in (15.0, 51.0) for x in (15.0, 45.0, 75.0, 105.0)]
"""Over the whole of the page: one that is turned shows rims that differ from disc to disc."""


def nozzle_lines(count: int) -> list[Box]:
    """The line of every nozzle."""
    return [(LEFT_MM + (n % STAIR) * STAIR_MM, n * ROW_MM, STAIR_MM - 1, ROW_MM) for n in range(count)]


def vernier_bars() -> list[tuple[Box, Box]]:
    """Of every pair the bar printed on the way there and the one on the way back, which stands one step further left
    from pair to pair."""
    bars = []
    for pair in PAIRS:
        x = LEFT_MM + (pair - PAIRS[0]) * PAIR_MM
        there, back = ((low, high - low) for low, high in (THERE_MM, BACK_MM))
        bars.append(((x, there[0], BAR_MM, there[1]), (x - pair * VERNIER_STEP_MM, back[0], BAR_MM, back[1])))
    return bars


def rings() -> list[FinishLine]:
    """What a printer's own knife cuts round the discs of its card: circles, a rim away."""
    turns = np.linspace(0, 2 * np.pi, 120, endpoint=False)
    ring = (DISC_MM / 2 + RIM_MM) * np.column_stack([np.cos(turns), np.sin(turns)])
    return [FinishLine("kiss", Path.from_points(ring + place)) for place in DISCS]


def page_of(name: CardName, nozzles: int) -> bytes:
    """A PDF of the card in pure black. Raises JobError for a card that is cut, or more nozzles than the page holds."""
    if name == "nozzles":
        if nozzles * ROW_MM > PAGE_MM[1]:
            raise JobError(
                f"A card holds {int(PAGE_MM[1] / ROW_MM)} nozzles, not {nozzles}.",
                CARDS[name].title,
                "Print the printer's own card and enter what you read.",
            )
        return _pdf(_filled(nozzle_lines(nozzles)))
    if name == "two-way":
        return _pdf(_filled(box for pair in vernier_bars() for box in pair))
    if name in OF_OWN_KNIFE:
        return _pdf(_discs())
    raise JobError(
        f"“{CARDS[name].title}” is not printed by itself.", CARDS[name].title, "Cut it, or enter what you measured."
    )


def _filled(boxes: Iterable[Box]) -> str:
    points = (" ".join(f"{value / MM_PER_POINT:.4f}" for value in box) for box in boxes)
    return "\n".join(f"{box} re f" for box in points)


def _discs() -> str:
    """A line of no length with a round end is a disc as wide as the line."""
    places = (" ".join(f"{value / MM_PER_POINT:.4f}" for value in place) for place in DISCS)
    lines = "\n".join(f"{place} m {place} l S" for place in places)
    return f"1 J {DISC_MM / MM_PER_POINT:.4f} w\n{lines}"


def _pdf(drawing: str) -> bytes:
    content = f"0 0 0 1 k 0 0 0 1 K\n{drawing}"
    document = pikepdf.new()
    document.add_blank_page(page_size=(PAGE_MM[0] / MM_PER_POINT, PAGE_MM[1] / MM_PER_POINT))
    document.pages[0].Contents = document.make_stream(content.encode())
    out = BytesIO()
    document.save(out)
    return out.getvalue()


def read_scan(name: CardName, grey: Grey, mm_per_px: float, nozzles: int) -> dict[str, float]:
    """What the card says, from a scan (h, w) of its page. Raises JobError."""
    if name in OF_OWN_KNIFE:
        raise JobError("A cut is hardly seen in a scan.", CARDS[name].title, "Measure the rims and enter them.")
    return _read_nozzles(grey, mm_per_px, nozzles) if name == "nozzles" else _read_vernier(grey, mm_per_px)


def _part(grey: Grey, box: Box, mm_per_px: float) -> Grey:
    x, y, width, height = (value / mm_per_px for value in box)
    bottom = grey.shape[0] - y
    return grey[round(bottom - height) : round(bottom), round(x) : round(x + width)]


def _read_nozzles(grey: Grey, mm_per_px: float, nozzles: int) -> dict[str, float]:
    """Lines of which most of the middle is missing."""
    pale = 0
    for x, y, width, height in nozzle_lines(nozzles):
        middle = _part(grey, (x + width / 4, y + height / 4, width / 2, height / 2), mm_per_px)
        pale += float(middle.mean()) > 128
    return {"nozzles": float(nozzles), "missing": float(pale)}


def _read_vernier(grey: Grey, mm_per_px: float) -> dict[str, float]:
    """The pair that lines up, from how far the bars of all pairs lie apart."""
    aside = []
    for pair, bars in zip(PAIRS, vernier_bars(), strict=True):
        middles = []
        for x, y, width, height in bars:
            reach = (PAIR_MM - BAR_MM) / 2 - 0.1
            ink = 255.0 - _part(grey, (x - reach, y + 1, width + 2 * reach, height - 2), mm_per_px).mean(axis=0)
            if ink.max() < 60:
                raise JobError(
                    "Not all bars are to be seen in the scan.",
                    CARDS["two-way"].title,
                    "Print the card again, flat and whole.",
                )
            at = np.arange(len(ink)) * mm_per_px + round((x - reach) / mm_per_px) * mm_per_px
            middles.append(float((ink * at).sum() / ink.sum()))
        aside.append(middles[1] - middles[0] + pair * VERNIER_STEP_MM)
    return {"pair": round(float(np.median(aside)) / VERNIER_STEP_MM, 1)}
