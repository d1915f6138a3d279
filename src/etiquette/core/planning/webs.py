"""Label webs: the labels of one repeat on stock that runs past a die, a finisher or an applicator, and the arithmetic
that follows. Millimetres; a page is one repeat, or as many as one black mark stands for, x across from its left edge, y
along from the edge that is printed first. Plain sums, so they are exact."""

from collections.abc import Sequence
from dataclasses import dataclass
from math import ceil, pi, sqrt
from typing import Literal

Side = Literal["head", "foot", "right", "left"]
UNWINDING: dict[int, tuple[Literal["out", "in"], Side]] = {
    1: ("out", "head"),
    2: ("out", "foot"),
    3: ("out", "right"),
    4: ("out", "left"),
    5: ("in", "head"),
    6: ("in", "foot"),
    7: ("in", "right"),
    8: ("in", "left"),
}
"""Which way the labels face on the finished roll, and which of their sides comes off first (common practice, no
published source; numbers from memory)."""
TURNS: dict[Side, float] = {"head": 0.0, "foot": 180.0, "left": 270.0, "right": 90.0}
"""By how much (counter-clockwise) a label is turned so that this side lies at the end of the page."""
SLACK_MM = 1e-6
Shape = tuple[tuple[float, ...], ...]
"""A ring of pairs: shares of its box, from its lower left corner."""


@dataclass(frozen=True)
class Label:
    """A label as it is cut and read, upright. `shape`: what it is cut to, stretched to its size; empty: a rectangle
    with round corners."""

    width_mm: float
    height_mm: float
    corner_mm: float = 0.0
    shape: Shape = ()

    @property
    def area_mm2(self) -> float:
        """Of its box the share that is inside the shape, by the sum over its corners; a rectangle counts whole."""
        after = (*self.shape[1:], *self.shape[:1])
        twice = sum(x0 * y1 - x1 * y0 for (x0, y0), (x1, y1) in zip(self.shape, after, strict=True))
        return self.width_mm * self.height_mm * (abs(twice) / 2 if self.shape else 1)


@dataclass(frozen=True)
class Edges:
    """What a printer leaves unprinted at each edge of a page."""

    left_mm: float = 0.0
    right_mm: float = 0.0
    first_mm: float = 0.0
    last_mm: float = 0.0


@dataclass(frozen=True)
class Web:
    """One repeat. `gap_*_mm` lie between the cuts of the die; `repeat_mm` None: as long as its rows with their gaps;
    `from_left_mm`, `from_first_mm`: where the first cut begins, None for centred; `bleed_mm` is per side.

    `unwinding`: a key of UNWINDING; `windings`: how often the web is wound between the print and the applicator, once
    where the printer winds the finished roll: each turns round which end comes first. `repeats`: how many lie behind
    each other on a page."""

    label: Label
    width_mm: float
    columns: int = 1
    rows: int = 1
    gap_across_mm: float = 0.0
    gap_along_mm: float = 0.0
    repeat_mm: float | None = None
    from_left_mm: float | None = None
    from_first_mm: float | None = None
    bleed_mm: float = 0.0
    unprinted: Edges = Edges()
    unwinding: int = 1
    windings: int = 1
    repeats: int = 1

    @property
    def turn_deg(self) -> float:
        """By how much every label is turned on the page, counter-clockwise."""
        return (TURNS[UNWINDING[self.unwinding][1]] + (0.0 if self.windings % 2 else 180.0)) % 360

    @property
    def across_mm(self) -> float:
        """What one label takes across the web."""
        return self.label.height_mm if self.turn_deg % 180 else self.label.width_mm

    @property
    def along_mm(self) -> float:
        return self.label.width_mm if self.turn_deg % 180 else self.label.height_mm

    @property
    def step_mm(self) -> float:
        """From one repeat to the next."""
        return self.rows * (self.along_mm + self.gap_along_mm) if self.repeat_mm is None else self.repeat_mm

    @property
    def length_mm(self) -> float:
        """Of a page."""
        return self.repeats * self.step_mm

    @property
    def labels(self) -> int:
        """On one page."""
        return self.columns * self.rows * self.repeats


@dataclass(frozen=True)
class Cylinder:
    """A cutting cylinder: `teeth` of `pitch_mm` on its pitch circle, `around` repeats on its way round; `plate_mm`: the
    thickness of a flexible plate that is bent round it, 0 for a solid cylinder."""

    teeth: int
    pitch_mm: float
    around: int = 1
    plate_mm: float = 0.0

    @property
    def repeat_mm(self) -> float:
        return self.teeth * self.pitch_mm / self.around

    @property
    def shrink(self) -> float:
        """What the plate's drawing is along, of what it cuts: bent outward by its thickness its face goes a way round
        that is longer by 2 π times that (geometry of the circle)."""
        return 1 - 2 * pi * self.plate_mm / (self.teeth * self.pitch_mm)


Box = tuple[float, float, float, float]


def cuts(web: Web) -> list[Box]:
    """The box (x0, y0, x1, y1) of every cut of a page, row by row from the edge that is printed first."""
    wide = web.columns * web.across_mm + (web.columns - 1) * web.gap_across_mm
    long = web.rows * web.along_mm + (web.rows - 1) * web.gap_along_mm
    left = (web.width_mm - wide) / 2 if web.from_left_mm is None else web.from_left_mm
    low = (web.step_mm - long) / 2 if web.from_first_mm is None else web.from_first_mm
    return [
        (x, y, x + web.across_mm, y + web.along_mm)
        for repeat in range(web.repeats)
        for row in range(web.rows)
        for column in range(web.columns)
        for x in (left + column * (web.across_mm + web.gap_across_mm),)
        for y in (repeat * web.step_mm + low + row * (web.along_mm + web.gap_along_mm),)
    ]


def art_box(boxes: Sequence[Box], bleed_mm: float) -> Box:
    """What is printed of all labels together, with the bleed round them."""
    return (
        min(box[0] for box in boxes) - bleed_mm,
        min(box[1] for box in boxes) - bleed_mm,
        max(box[2] for box in boxes) + bleed_mm,
        max(box[3] for box in boxes) + bleed_mm,
    )


@dataclass(frozen=True)
class Sums:
    """The arithmetic of a page. `art_*`: how large the art of one label has to be; `gap_*_set`: the gap to set on the
    printer, between arts with their bleed; `printable_*`: the page without its unprinted edges."""

    repeat_mm: float
    labels: int
    art_width_mm: float
    art_height_mm: float
    gap_across_set_mm: float
    gap_along_set_mm: float
    printable_width_mm: float
    printable_length_mm: float
    gap_to_next_mm: float
    """Between the last cut of a repeat and the first of the next."""


def sums(web: Web) -> Sums:
    boxes, both = cuts(web), 2 * web.bleed_mm
    low, high = min(box[1] for box in boxes), max(box[3] for box in boxes)
    edges = web.unprinted
    return Sums(
        repeat_mm=web.step_mm,
        labels=web.labels,
        art_width_mm=web.label.width_mm + both,
        art_height_mm=web.label.height_mm + both,
        gap_across_set_mm=web.gap_across_mm - both,
        gap_along_set_mm=web.gap_along_mm - both,
        printable_width_mm=web.width_mm - edges.left_mm - edges.right_mm,
        printable_length_mm=web.length_mm - edges.first_mm - edges.last_mm,
        gap_to_next_mm=web.length_mm - (high - low),
    )


def least_gap_mm(web: Web) -> float:
    """Between cuts behind each other, on a page and from one to the next."""
    to_next = sums(web).gap_to_next_mm
    return min(web.gap_along_mm, to_next) if web.rows > 1 else to_next


@dataclass(frozen=True)
class Problem:
    """Why a web cannot be made so: in words, where on the page (mm), what to do."""

    what: str
    x: float
    y: float
    do: str


def problems(web: Web) -> list[Problem]:
    """What cannot be printed or cut as it is set, in the order in which it is put right."""
    boxes, told = cuts(web), sums(web)
    found = []
    x0, y0, x1, y1 = art_box(boxes, web.bleed_mm)
    edges = web.unprinted
    sides = (
        (edges.left_mm - x0, "left", x0, (y0 + y1) / 2),
        (x1 - (web.width_mm - edges.right_mm), "right", x1, (y0 + y1) / 2),
    )
    for over, side, x, y in sides:
        if over > SLACK_MM:
            what = f"The art reaches {over:.2f} mm into the {side} edge, which is not printed."
            found.append(Problem(what, x, y, "Fewer columns, smaller gaps, less bleed, or a wider stock."))
    if told.gap_to_next_mm < -SLACK_MM:
        what = f"The repeat of {web.step_mm:.2f} mm is {-told.gap_to_next_mm:.2f} mm shorter than its labels."
        found.append(Problem(what, x0, y1, "A longer repeat, or fewer rows."))
    if web.columns > 1 and told.gap_across_set_mm < -SLACK_MM:
        found.append(_overlap(-told.gap_across_set_mm, "beside each other", boxes[0][2], (y0 + y1) / 2))
    behind = least_gap_mm(web)
    if 0 <= behind < 2 * web.bleed_mm - SLACK_MM:
        found.append(_overlap(2 * web.bleed_mm - behind, "behind each other", (x0 + x1) / 2, boxes[0][3]))
    for over, words, y in ((edges.first_mm - y0, "first", y0), (y1 - web.length_mm + edges.last_mm, "last", y1)):
        unprinted = edges.first_mm if words == "first" else edges.last_mm
        if unprinted > 0 and over > SLACK_MM:
            what = f"The art reaches {over:.2f} mm into the {words} edge of the page, which is not printed."
            found.append(Problem(what, (x0 + x1) / 2, y, "A longer repeat, less bleed, or begin elsewhere."))
    return found


def _overlap(by: float, how: str, x: float, y: float) -> Problem:
    what = f"The bleeds of labels {how} overlap by {by:.2f} mm."
    return Problem(what, x, y, "Less bleed, or a wider gap of the die.")


@dataclass(frozen=True)
class Rolls:
    """What is to be made. `per_roll` None: all on one roll a lane; `slit`: the lanes (columns) become rolls of their
    own, else a roll is as wide as the web; leader and tail are blank stock of each roll."""

    count: int
    per_roll: int | None = None
    slit: bool = True
    leader_mm: float = 0.0
    tail_mm: float = 0.0
    core_mm: float = 76.0
    thickness_mm: float = 0.0
    """Of stock with its liner, for the outer diameter; 0: it is not known."""


@dataclass(frozen=True)
class Making:
    """`repeats`: to be printed, whole pages of them; `length_mm`: of stock, leaders and tails too; `waste`: the share
    of that stock that is no label that was asked for; `outer_mm`: diameter of a full roll."""

    repeats: int
    rolls: int
    labels: int
    on_last_roll: int
    length_mm: float
    waste: float
    outer_mm: float | None


def making(web: Web, rolls: Rolls) -> Making:
    """How much of it is printed for so many labels. Labels on a roll are those of one lane where it is slit, of the
    whole web else; lanes are printed side by side, so that as many rolls become full together."""
    lanes = web.columns if rolls.slit else 1
    a_page = web.labels // lanes
    per_roll = rolls.per_roll or ceil(rolls.count / lanes)
    number = ceil(rolls.count / per_roll)
    on_last = rolls.count - (number - 1) * per_roll
    # lanes beside each other are as long as the longest of them
    sets = [per_roll] * (number // lanes) + ([per_roll if number % lanes > 1 else on_last] if number % lanes else [])
    if number % lanes == 0 and lanes == 1:
        sets[-1] = on_last
    pages = [ceil(labels / a_page) for labels in sets]
    length = sum(pages) * web.length_mm + len(sets) * (rolls.leader_mm + rolls.tail_mm)
    used = rolls.count * web.label.area_mm2
    full = max(pages) * web.length_mm + rolls.leader_mm + rolls.tail_mm
    return Making(
        repeats=sum(pages) * web.repeats,
        rolls=number,
        labels=sum(pages) * web.labels,
        on_last_roll=on_last,
        length_mm=length,
        waste=1 - used / (web.width_mm * length),
        outer_mm=outer_mm(full, rolls.core_mm, rolls.thickness_mm) if rolls.thickness_mm else None,
    )


def outer_mm(length_mm: float, core_mm: float, thickness_mm: float) -> float:
    """The diameter of a roll: its side is a ring as large as the edge of what is wound."""
    return sqrt(core_mm**2 + 4 * length_mm * thickness_mm / pi)


@dataclass(frozen=True)
class CutLook:
    """How the outline of a label stands in the cut file. `inset_mm`: inside its art, None for the label's own cut;
    `corner_mm`: None for the label's own; `top_at_art`: its end lies at the end of the art, whatever the inset (both of
    rectangles alone); `mark_last`: the mark is painted over the outlines, else under them."""

    stroke_mm: float = 0.2
    inset_mm: float | None = None
    corner_mm: float | None = None
    top_at_art: bool = False
    mark_last: bool = True


def look_problems(web: Web, look: CutLook) -> list[Problem]:
    """What of a cut file's looks its labels cannot have."""
    if not web.label.shape or not (look.top_at_art or look.corner_mm is not None):
        return []
    x0, y0, x1, y1 = cuts(web)[0]
    what = "A label of a shape of its own has no end to be moved, and no corners to be made round."
    do = "Take both back under Cut file, or make the label a rectangle."
    return [Problem(what, (x0 + x1) / 2, (y0 + y1) / 2, do)]


@dataclass(frozen=True)
class Applicator:
    """What a machine that puts labels on asks of its rolls; None: it does not matter."""

    least_gap_mm: float | None = None
    unwinding: int | None = None
    core_mm: float | None = None
    most_outer_mm: float | None = None


def applicator_problems(web: Web, rolls: Rolls, asks: Applicator) -> list[str]:
    """Why its rolls would not run there, in sentences."""
    made, gap = making(web, rolls), least_gap_mm(web)
    found = []
    if asks.least_gap_mm is not None and gap < asks.least_gap_mm - SLACK_MM:
        found.append(f"Between labels are {gap:.2f} mm; the applicator wants {asks.least_gap_mm:g} mm.")
    if asks.unwinding is not None and asks.unwinding != web.unwinding:
        found.append(f"The roll unwinds as {web.unwinding}; the applicator wants {asks.unwinding}.")
    if asks.core_mm is not None and abs(asks.core_mm - rolls.core_mm) > 0.5:
        found.append(f"The core is {rolls.core_mm:g} mm; the applicator wants {asks.core_mm:g} mm.")
    if asks.most_outer_mm is not None and made.outer_mm is None:
        found.append("How thick a roll becomes is not known: the thickness of the stock is missing.")
    elif asks.most_outer_mm is not None and made.outer_mm is not None and made.outer_mm > asks.most_outer_mm:
        found.append(f"A full roll is {made.outer_mm:.0f} mm thick; the applicator takes {asks.most_outer_mm:g} mm.")
    return found
