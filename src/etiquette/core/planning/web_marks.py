"""Black marks of label webs: a solid box a page, by which a finisher knows where it begins, and the rules by which it
finds that box; and the marks by which a rotary station keeps its cylinder on the print."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from math import inf
from typing import Literal

from etiquette.core.planning.webs import SLACK_MM, Box, Web, art_box, cuts

Range = tuple[float, float]


@dataclass(frozen=True)
class MarkRules:
    """What a finisher asks of its mark; None: it does not matter. Lengths in mm; the page is seen with the edge that is
    printed first at the bottom.

    `left_mm`: from the left edge of the page to the mark; `bottom_mm`: from the `bottom_from` edge of the page to the
    mark's lower edge. Art keeps off the mark by `right_of_mark_mm` to the right, begins no lower than its top where
    `not_below_mark`, and off the page's edges by `right_free_mm` and `top_free_mm`."""

    width_mm: Range
    height_mm: Range
    left_mm: Range | None = None
    bottom_mm: Range | None = None
    bottom_from: Literal["bottom", "top"] = "bottom"
    right_of_mark_mm: float | None = None
    not_below_mark: bool = False
    right_free_mm: float | None = None
    top_free_mm: float | None = None
    longest_repeat_mm: float | None = None


@dataclass(frozen=True)
class WebMark:
    """A mark on the page: its lower left corner and its size, mm."""

    x: float
    y: float
    width_mm: float
    height_mm: float

    @property
    def box(self) -> Box:
        return (self.x, self.y, self.x + self.width_mm, self.y + self.height_mm)


@dataclass(frozen=True)
class Clearance:
    """One rule on the drawing: what is asked, what there is (mm; of art or of the mark), whether it is kept, and the
    stretch between (x0, y0) and (x1, y1) along which it is measured."""

    words: str
    asked: str
    there_mm: float
    kept: bool
    along: Box


@dataclass(frozen=True)
class StationMark:
    """A solid box beside every repeat, by which a rotary station keeps its cylinder on the print. Its sensor looks at
    one lane of the web, so nothing else may pass there: the mark with `lane_mm` on each side of it. `edge_mm`: from the
    edge of the web to the mark; `first_mm`: from the start of the repeat to the mark."""

    side: Literal["left", "right", "both"]
    edge_mm: float
    width_mm: float
    height_mm: float
    first_mm: float = 0.0
    lane_mm: float = 0.0


def station_boxes(web: Web, station: StationMark) -> list[Box]:
    """Every mark of a page, repeat by repeat, the left one first."""
    left = station.edge_mm
    sides = {"left": left, "right": web.width_mm - left - station.width_mm}
    return [
        (x, y, x + station.width_mm, y + station.height_mm)
        for repeat in range(web.repeats)
        for side, x in sides.items()
        if station.side in (side, "both")
        for y in (repeat * web.step_mm + station.first_mm,)
    ]


def station_clearances(web: Web, station: StationMark, mark: WebMark | None) -> list[Clearance]:
    """Whether its sensor sees the mark and nothing else."""
    x0, y0, x1, y1 = art_box(cuts(web), web.bleed_mm)
    made = []
    for left, low, right, top in station_boxes(replace(web, repeats=1), station):
        on_left = left + right < web.width_mm
        there = x0 - right if on_left else left - x1
        along = (right, (y0 + y1) / 2, x0, (y0 + y1) / 2) if on_left else (x1, (y0 + y1) / 2, left, (y0 + y1) / 2)
        side = "left" if on_left else "right"
        made.append(_least(f"From the art to the station's mark on the {side}", station.lane_mm, there, along))
        if mark is not None:
            m0, _, m1, _ = mark.box
            away = max(m0 - right, left - m1)
            words = f"From the black mark to the lane of the station's mark on the {side}"
            beside = (min(right, m1), mark.y, max(left, m0), mark.y)
            made.append(_least(words, station.lane_mm, away, beside))
        made += _on_the_page(web, WebMark(left, low, right - left, top - low), "The station's mark")
        if top > web.step_mm + SLACK_MM:
            box = (left, low, right, top)
            made.append(
                Clearance("The station's mark reaches into the next repeat", "0 mm", top - web.step_mm, False, box)
            )
    return made


def mark_of(rules: MarkRules, page_length_mm: float) -> WebMark:
    """A mark by its rules, as small as they allow and in the middle of where they let it stand."""
    y = 0.0
    if rules.bottom_mm is not None:
        middle = sum(rules.bottom_mm) / 2
        y = middle if rules.bottom_from == "bottom" else page_length_mm - middle
    return WebMark(sum(rules.left_mm) / 2 if rules.left_mm else 0.0, y, rules.width_mm[0], rules.height_mm[0])


def clearances(web: Web, mark: WebMark, rules: MarkRules) -> list[Clearance]:
    """Every rule with its measure, in the order in which they are looked at on the drawing."""
    x0, y0, x1, y1 = art_box(cuts(web), web.bleed_mm)
    left, low, right, top = mark.box
    length = web.length_mm
    made = [
        _within("Width of the mark", rules.width_mm, mark.width_mm, (left, low, right, low)),
        _within("Height of the mark", rules.height_mm, mark.height_mm, (left, low, left, top)),
    ]
    if rules.left_mm is not None:
        made.append(_within("From the left edge to the mark", rules.left_mm, left, (0.0, low, left, low)))
    if rules.bottom_mm is not None:
        from_bottom = rules.bottom_from == "bottom"
        edge, words = (0.0, "the edge that is printed first") if from_bottom else (length, "the end of the page")
        away = abs(low - edge)
        made.append(_within(f"From {words} to the bottom of the mark", rules.bottom_mm, away, (left, edge, left, low)))
    if rules.right_of_mark_mm is not None:
        least, there = rules.right_of_mark_mm, x0 - right
        made.append(_least("From the mark to the art", least, there, (right, low, x0, low)))
    if rules.not_below_mark:
        made.append(_least("From the top of the mark up to the art", 0.0, y0 - top, (left, top, left, y0)))
    if rules.right_free_mm is not None:
        there = web.width_mm - x1
        made.append(_least("From the art to the right edge", rules.right_free_mm, there, (x1, y1, web.width_mm, y1)))
    if rules.top_free_mm is not None:
        made.append(_least("From the art to the end of the page", rules.top_free_mm, length - y1, (x1, y1, x1, length)))
    if rules.longest_repeat_mm is not None:
        most = rules.longest_repeat_mm
        asked = f"at most {most:g} mm"
        made.append(Clearance("Repeat", asked, length, length <= most + SLACK_MM, (0.0, 0.0, 0.0, length)))
    return [*made, *_on_the_page(web, mark), *_off_the_art(web, mark)]


def _within(words: str, asked: Range, there: float, along: Box) -> Clearance:
    least, most = asked
    said = f"{least:g} mm" if least == most else f"{least:g} to {most:g} mm" if most < inf else f"{least:g} mm and more"
    return Clearance(words, said, there, least - SLACK_MM <= there <= most + SLACK_MM, along)


def _least(words: str, least: float, there: float, along: Box) -> Clearance:
    return Clearance(words, f"at least {least:g} mm", there, there >= least - SLACK_MM, along)


def _on_the_page(web: Web, mark: WebMark, words: str = "The mark") -> Sequence[Clearance]:
    """Whatever the rules say, a mark that is not printed is not read."""
    left, low, right, top = mark.box
    edges = web.unprinted
    over = max(edges.left_mm - left, right - web.width_mm + edges.right_mm, edges.first_mm - low,
               top - web.length_mm + edges.last_mm)  # fmt: skip
    if over <= SLACK_MM:
        return ()
    return (Clearance(f"{words} reaches into an edge that is not printed", "0 mm", over, False, mark.box),)


def _off_the_art(web: Web, mark: WebMark) -> Sequence[Clearance]:
    """A mark under art is no mark."""
    left, low, right, top = mark.box
    bleed = web.bleed_mm
    for x0, y0, x1, y1 in cuts(web):
        across = min(right, x1 + bleed) - max(left, x0 - bleed)
        along = min(top, y1 + bleed) - max(low, y0 - bleed)
        if min(across, along) > SLACK_MM:
            return (Clearance("The mark lies on art", "clear of it", -min(across, along), False, mark.box),)
    return ()
