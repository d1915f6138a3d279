"""How a printer follows a web: what it finds labels by, and where it severs what is printed."""

from dataclasses import dataclass
from math import ceil
from typing import Literal

from etiquette.core.planning.webs import Making, Problem, Web, art_box, cuts, least_gap_mm

Finds = Literal["nothing", "gap", "mark", "notch"]
Severs = Literal["end", "each", "every"]


@dataclass(frozen=True)
class Feeding:
    """`cut_already`: the labels lie on the liner, cut out, and are only printed; `finds`: what the printer finds a
    label by; `severs`: at the end of what is printed, behind each row of labels, or behind every `every` of them."""

    cut_already: bool = False
    finds: Finds = "nothing"
    severs: Severs = "end"
    every: int = 1


def feeding_problems(web: Web, feeding: Feeding, has_mark: bool) -> list[Problem]:
    """What does not go together, at the first edge of the labels."""
    left, low, right, _ = art_box(cuts(web), 0.0)
    found = []

    def tell(what: str, do: str) -> None:
        found.append(Problem(what, (left + right) / 2, low, do))

    if feeding.cut_already and feeding.finds == "nothing":
        tell("Labels that are cut already are found by nothing: the print would wander off them.",
             "Say what the printer finds them by: gap, mark or notch.")  # fmt: skip
    if feeding.finds == "gap" and not feeding.cut_already:
        tell("On stock that is not cut there is no gap to be found.", "A mark, a notch, or stock that is cut already.")
    if feeding.finds == "gap" and feeding.cut_already and least_gap_mm(web) <= 0:
        tell("Between the labels there is no gap to be found.", "A gap along, or another way to find them.")
    if feeding.finds == "mark" and not has_mark and not feeding.cut_already:
        tell("The printer finds its place by a black mark, and none is printed.", "A black mark, or another way.")
    if feeding.severs != "end" and least_gap_mm(web) < 2 * web.bleed_mm:
        tell(
            "It is severed between labels whose bleeds overlap.",
            "A wider gap along, less bleed, or severed at the end.",
        )
    return found


def severed(web: Web, feeding: Feeding, making: Making) -> int:
    """Pieces that come off the printer: rolls that are wound are not severed but at their end."""
    rows = making.repeats * web.rows
    if feeding.severs == "end":
        return making.rolls
    return rows if feeding.severs == "each" else ceil(rows / feeding.every)
