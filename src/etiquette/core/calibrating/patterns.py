"""What is cut for a test card: lines on a bare piece of stock, each step with tool settings of its own.

The patterns are our own; that such ladders are read by lifting and by looking is common practice, no published source.
"""

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np

from etiquette.core.artwork.kinds import Kind
from etiquette.core.calibrating.cards import CARDS, CardName, checked
from etiquette.core.cutting.profiles import ToolCard
from etiquette.core.errors import JobError
from etiquette.core.finishing.lines import FinishLine
from etiquette.core.geometry.paths import Path

STEPS = 8
MARGIN_MM, APART_MM, SIDE_MM = 20.0, 20.0, 12.0
CROSS_MM, RULED_MM = 30.0, 60.0


@dataclass(frozen=True)
class Step:
    """Lines that are cut with one setting, their middle at (x, y); force and knife offset None: as on the tool card."""

    lines: tuple[FinishLine, ...]
    x: float
    y: float
    words: str = ""
    force_gf: float | None = None
    offset_mm: float | None = None

    def made_with(self, kind: Kind, tools: Mapping[Kind, ToolCard]) -> tuple[list[FinishLine], dict[Kind, ToolCard]]:
        """The lines as lines of a kind, and the tools with what this step has of its own. Raises JobError for what no
        tool is told."""
        card = tools[kind]
        if self.force_gf is not None:
            card = replace(card, force_gf=self.force_gf)
        if self.offset_mm is not None:
            card = replace(card, offset_mm=self.offset_mm)
        return [replace(line, kind=kind) for line in self.lines], {**tools, kind: card}


@dataclass(frozen=True)
class Pattern:
    """The steps of a card and the piece of stock it needs, in mm."""

    steps: tuple[Step, ...]
    width_mm: float
    length_mm: float


def pattern_of(name: CardName, readings: Mapping[str, float]) -> Pattern:
    """The pattern whose steps `readings` describe, with what is usual where they say nothing. Raises JobError for a
    card that is not cut."""
    asked = {question.name: readings.get(question.name, question.usual) for question in CARDS[name].questions}
    checked(name, asked)
    if name in ("force", "knife"):
        unit = "gf" if name == "force" else "mm"
        steps = []
        for number in range(STEPS):
            value = asked[f"first_{unit}"] + number * asked[f"step_{unit}"]
            x, y = MARGIN_MM + SIDE_MM / 2 + number * APART_MM, MARGIN_MM + SIDE_MM / 2
            if name == "force":
                steps.append(
                    Step((_square(x, y, SIDE_MM), _square(x, y, SIDE_MM / 2)), x, y, f"{value:.0f} gf", force_gf=value)
                )
            else:
                steps.append(Step((_square(x, y, SIDE_MM),), x, y, f"{value:.2f} mm", offset_mm=value))
        return Pattern(tuple(steps), 2 * MARGIN_MM + SIDE_MM + (STEPS - 1) * APART_MM, 2 * MARGIN_MM + SIDE_MM)
    if name == "sensor":
        x, y = MARGIN_MM + CROSS_MM / 2, MARGIN_MM + CROSS_MM / 2
        arms = (
            _line((x - CROSS_MM / 2, y), (x + CROSS_MM / 2, y)),
            _line((x, y - CROSS_MM / 2), (x, y + CROSS_MM / 2)),
        )
        return Pattern((Step(arms, x, y),), 2 * MARGIN_MM + CROSS_MM, 2 * MARGIN_MM + CROSS_MM)
    if name == "feed":
        x, far = MARGIN_MM + RULED_MM / 2, MARGIN_MM + asked["told_mm"]
        steps = [Step((_line((x - RULED_MM / 2, y), (x + RULED_MM / 2, y)),), x, y) for y in (MARGIN_MM, far)]
        return Pattern(tuple(steps), 2 * MARGIN_MM + RULED_MM, far + MARGIN_MM)
    raise JobError(
        f"“{CARDS[name].title}” is printed, not cut.",
        CARDS[name].title,
        "Print it from the printer's own panel and enter what you read.",
    )


def _square(x: float, y: float, side: float) -> FinishLine:
    corners = np.array([(-1, -1), (1, -1), (1, 1), (-1, 1)]) * side / 2 + (x, y)
    return FinishLine("kiss", Path.from_points(corners))


def _line(start: tuple[float, float], end: tuple[float, float]) -> FinishLine:
    return FinishLine("kiss", Path.from_points(np.array([start, end]), closed=False))
