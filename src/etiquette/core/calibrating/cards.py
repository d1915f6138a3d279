"""Test cards: what is read off them, and the arithmetic that turns a reading into a setting.

Readings are numbers that an eye finds on the card: which step of a ladder, which line of a vernier, a distance on a
ruler. All of it is common practice without a published source, but for the arithmetic itself."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Literal

from etiquette.core.cutting.profiles import BOUNDS, LARGEST_USUAL_OFFSET_MM
from etiquette.core.errors import JobError

CardName = Literal[
    "force", "nozzles", "two-way", "print-to-cut", "feed", "sensor", "knife", "own knife", "own knife, marks"
]
FORCE_SHARE = 1 / 3
"""Where between the lightest force that cuts through and the heaviest that leaves the liner whole the setting goes:
nearer to the light end, because a blade that wears needs more and a liner that is marked is lost."""
VERNIER_STEP_MM = 0.02
MOST_MISSING = 0.01
"""Share of missing nozzles from which a cleaning is due."""
REMEDIES = (
    "clean the head as its panel offers first",
    "clean it once more, by the stronger way",
    "let it rest for a quarter of an hour, then clean it",
    "wipe cap and wiper by hand, then clean it",
    "more cleaning only costs ink: have the head looked at",
)
"""What is tried against missing nozzles, one after the other: the gentle and cheap first (an order of our own)."""
LARGEST_SENSOR_MM = 100.0
LARGEST_FEED_PERCENT = 3.0
LARGEST_OWN_MM = 20.0
"""How far a printer's own knife may be led beside its print: more is another fault (a value of our own)."""


@dataclass(frozen=True)
class Question:
    """One reading of a card. `least` and `most` bound it; `unit` is mm, gf or empty for a count."""

    name: str
    words: str
    unit: str
    least: float
    most: float
    usual: float


@dataclass(frozen=True)
class Card:
    name: CardName
    title: str
    what: str
    """What is printed or cut, and how it is read, in a few sentences."""
    questions: tuple[Question, ...]


@dataclass(frozen=True)
class Result:
    """`changes`: new values by name, of the cutter (sensor_across_mm, sensor_along_mm, feed_percent, and of a printer's
    own knife at_once_…, after_marks_…) or the tool card (force_gf, offset_mm); empty when something has to be done at
    the machine, which the words say."""

    words: str
    changes: dict[str, float]


RIM_MM = 2.0
"""How wide the rim round a mark or disc is where cut and print agree: wide enough for a loupe with a scale."""
RIMS = (
    Question("left_mm", "Rim on the left", "mm", 0, 20, RIM_MM),
    Question("right_mm", "Rim on the right", "mm", 0, 20, RIM_MM),
    Question("near_mm", "Rim towards the leading edge", "mm", 0, 20, RIM_MM),
    Question("far_mm", "Rim towards the tail", "mm", 0, 20, RIM_MM),
)
CARDS: dict[CardName, Card] = {
    card.name: card
    for card in (
        Card("force", "Knife force", "A ladder of small nested shapes, each cut with more force than the one before. "
"Lift them one by one with a needle.", (
            Question("first_gf", "Force of the first step", "gf", 1, 2000, 40),
            Question("step_gf", "More with every step", "gf", 1, 500, 10),
            Question("lifts", "First step that lifts singly", "", 1, 40, 4),
            Question("marks", "First step that marks the liner, 0 for none", "", 0, 40, 7),
        )),
        Card("knife", "Knife offset", "Squares, each cut for a larger offset. The right one has sharp corners that "
"close; too small rounds them, too large leaves spurs.", (
            Question("first_mm", "Offset of the first square", "mm", 0, 5, 0.1),
            Question("step_mm", "More with every square", "mm", 0.01, 1, 0.05),
            Question("best", "Square with the sharpest corners", "", 1, 40, 4),
        )),
        Card("print-to-cut", "Print to cut", "A ring is cut round every mark of a sheet whose marks are read. "
"Measure the rims between mark and ring with a loupe: the cut lies off by half of what they differ.", RIMS),
        Card("own knife", "Print to own knife", "A printer with a knife prints discs and cuts a ring round each, "
"straight away. Measure the rims between disc and ring with a loupe: the cut lies off by half of what they differ.",
            RIMS),
        Card("own knife, marks", "Own knife, after marks", "The same discs, printed, taken off and put back: the "
"printer reads its marks, then cuts the rings.", RIMS),
        Card("sensor", "Camera to knife", "A cross is cut on blank stock and a printed ruler laid under the camera: "
"how far the cross lies beside the middle of what the camera sees.", (
            Question("across_mm", "To the right of the middle", "mm", -20, 20, 0),
            Question("along_mm", "Behind the middle, away from the leading edge", "mm", -20, 20, 0),
        )),
        Card("feed", "Feed length", "Two lines are drawn a metre apart along the feed. Measure the distance with a "
"steel rule.", (
            Question("told_mm", "Distance that was asked for", "mm", 100, 20_000, 1000),
            Question("measured_mm", "Distance that was measured", "mm", 90, 21_000, 1000),
        )),
        Card("nozzles", "Missing nozzles", "A stair of short lines, one for every nozzle of an ink. Count those that "
"are not there.", (
            Question("nozzles", "Nozzles of the ink", "", 1, 100_000, 320),
            Question("missing", "Lines that are missing", "", 0, 100_000, 0),
        )),
        Card("two-way", "Two-way print", f"A vernier printed on the way there and on the way back, {VERNIER_STEP_MM} "
"mm a step. Find the pair that makes one line.", (
            Question("pair", "Pair that lines up, − to the left", "", -20, 20, 0),
        )),
    )
}  # fmt: skip


def result_of(name: CardName, readings: Mapping[str, float], before: Mapping[str, float]) -> Result:
    """The setting that `readings` ask for, from what was set `before`. Raises JobError for a reading that is missing,
    out of bounds or contradicts another."""
    checked(name, readings)
    result = _ARITHMETIC[name](readings, before)
    for setting, value in result.changes.items():
        least, most = BOUNDS.get(setting, _OF_MACHINES.get(setting, (value, value)))
        if not least <= value <= most:
            raise JobError(
                f"That would set {value:g}; it goes from {least:g} to {most:g}.",
                CARDS[name].title,
                "Look at the card again.",
            )
    return result


_OF_MACHINES = {
    **dict.fromkeys(("sensor_across_mm", "sensor_along_mm"), (-LARGEST_SENSOR_MM, LARGEST_SENSOR_MM)),
    **dict.fromkeys(
        (f"{when}_{way}_mm" for when in ("at_once", "after_marks") for way in ("across", "along")),
        (-LARGEST_OWN_MM, LARGEST_OWN_MM),
    ),
}


def checked(name: CardName, readings: Mapping[str, float]) -> None:
    """Raises JobError for a reading that is missing, out of bounds or no number."""
    card = CARDS[name]
    for question in card.questions:
        value = readings.get(question.name)
        if value is None or not question.least <= value <= question.most:
            raise JobError(
                f"“{question.words}” has to be from {question.least:g} to {question.most:g}.",
                card.title,
                "Look at the card again.",
            )


def _force(read: Mapping[str, float], before: Mapping[str, float]) -> Result:
    light = read["first_gf"] + (read["lifts"] - 1) * read["step_gf"]
    if not read["marks"]:
        return Result(
            f"Set to {light:.0f} gf: the lightest that lifts; no step marked the liner.", {"force_gf": round(light, 1)}
        )
    if read["marks"] <= read["lifts"]:
        raise JobError(
            "The liner is marked before a shape lifts.",
            "Knife force",
            "Change the blade or its depth, then cut the card again.",
        )
    heavy = read["first_gf"] + (read["marks"] - 2) * read["step_gf"]
    force = light + FORCE_SHARE * (heavy - light)
    return Result(
        f"Set to {force:.0f} gf: {light:.0f} gf lifts, above {heavy:.0f} gf the liner is marked.",
        {"force_gf": round(force, 1)},
    )


def _knife(read: Mapping[str, float], before: Mapping[str, float]) -> Result:
    offset = read["first_mm"] + (read["best"] - 1) * read["step_mm"]
    odd = " That is a lot for a drag knife: check that it is one." if offset > LARGEST_USUAL_OFFSET_MM else ""
    return Result(f"Knife offset set to {offset:.2f} mm.{odd}", {"offset_mm": round(offset, 4)})


def _off_by(read: Mapping[str, float]) -> tuple[float, float]:
    """How far the cut lies to the right and behind: half the difference of the rims."""
    return (read["left_mm"] - read["right_mm"]) / 2, (read["near_mm"] - read["far_mm"]) / 2


def _print_to_cut(read: Mapping[str, float], before: Mapping[str, float]) -> Result:
    """The knife went where the camera had said, so the camera looks as much the other way beside it as the cut lies
    off."""
    right, behind = _off_by(read)
    return _sensor_set(before, -right, -behind, f"The cut lay {right:+.2f} mm across and {behind:+.2f} mm along")


def _own_knife(when: str, words: str) -> Callable[[Mapping[str, float], Mapping[str, float]], Result]:
    """A knife that cuts to the right of the print is led as much further to the left than until now."""

    def set_by(read: Mapping[str, float], before: Mapping[str, float]) -> Result:
        right, behind = _off_by(read)
        across, along = f"{when}_across_mm", f"{when}_along_mm"
        made = {
            across: round(before.get(across, 0.0) - right, 4),
            along: round(before.get(along, 0.0) - behind, 4),
        }
        return Result(
            f"The cut lay {right:+.2f} mm across and {behind:+.2f} mm along: {words} it is now led "
            f"{made[across]:+.2f} mm across, {made[along]:+.2f} mm along.",
            made,
        )

    return set_by


def _sensor(read: Mapping[str, float], before: Mapping[str, float]) -> Result:
    return _sensor_set(before, -read["across_mm"], -read["along_mm"], "The camera looks beside the knife")


def _sensor_set(before: Mapping[str, float], across: float, along: float, words: str) -> Result:
    made = {
        "sensor_across_mm": round(before.get("sensor_across_mm", 0.0) + across, 4),
        "sensor_along_mm": round(before.get("sensor_along_mm", 0.0) + along, 4),
    }
    return Result(
        f"{words}: camera now set {made['sensor_across_mm']:+.2f} mm across, {made['sensor_along_mm']:+.2f} mm along.",
        made,
    )


def _feed(read: Mapping[str, float], before: Mapping[str, float]) -> Result:
    percent = before.get("feed_percent", 100.0) * read["measured_mm"] / read["told_mm"]
    if abs(percent - 100) > LARGEST_FEED_PERCENT:
        raise JobError(
            f"The feed would be {percent:.1f} %.",
            "Feed length",
            f"More than {LARGEST_FEED_PERCENT:g} % off is not the feed: measure again.",
        )
    return Result(f"Feed set to {percent:.3f} %.", {"feed_percent": round(percent, 4)})


def _nozzles(read: Mapping[str, float], before: Mapping[str, float]) -> Result:
    share = read["missing"] / read["nozzles"]
    advice = "fine as it is"
    if has_gaps(read):
        step = min(int(before.get("remedies_tried", 0)), len(REMEDIES) - 1)
        advice = REMEDIES[step] + (", then print the card again" if step < len(REMEDIES) - 1 else "")
    return Result(
        f"{read['missing']:.0f} of {read['nozzles']:.0f} nozzles are missing, {100 * share:.1f} %: {advice}.", {}
    )


def has_gaps(read: Mapping[str, float]) -> bool:
    """Whether a nozzle card tells of so many missing nozzles that something has to be done."""
    return read["missing"] / read["nozzles"] > MOST_MISSING


def remedies_tried(missing: Sequence[float]) -> int:
    """How many remedies did not help, from what nozzle cards with gaps showed one after the other, the newest last: one
    that brought back half of what was missing is tried again before the next."""
    return sum(2 * now > before for before, now in pairwise(missing))


def _two_way(read: Mapping[str, float], before: Mapping[str, float]) -> Result:
    shift = read["pair"] * VERNIER_STEP_MM
    return Result(f"Move the print of the way back by {-shift:+.2f} mm at the printer's panel.", {})


_ARITHMETIC = {
    "force": _force,
    "knife": _knife,
    "print-to-cut": _print_to_cut,
    "own knife": _own_knife("at_once", "cutting at once"),
    "own knife, marks": _own_knife("after_marks", "after marks"),
    "sensor": _sensor,
    "feed": _feed,
    "nozzles": _nozzles,
    "two-way": _two_way,
}
