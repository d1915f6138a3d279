"""The cutter's own small reader of HP-GL: pen-down strokes in millimetres."""

import re
from dataclasses import dataclass

import numpy as np

UNIT_MM = 0.025


CHORD_DEG = 1.0


@dataclass(frozen=True)
class Stroke:
    """What a tool does without lifting: `points` (n, 2) in mm, with `force` in gf, 0 when nothing was said."""

    pen: int
    points: np.ndarray
    force: float


def strokes(text: str, unit_mm: float = UNIT_MM) -> list[Stroke]:
    """Every pen-down stroke, in steps of `unit_mm`. Knows IN, PA, PR, PU, PD, SP, FS, AA; passes over the rest."""
    found: list[Stroke] = []
    at, pen, down, absolute, force = (0.0, 0.0), 0, False, True, 0.0
    run: list[tuple[float, float]] = []

    def lift() -> None:
        nonlocal run
        if len(run) > 1:
            found.append(Stroke(pen, np.array(run) * unit_mm, force))
        run = []

    for command, arguments in re.findall(r"([A-Z]{2})([^A-Z;]*)", text):
        numbers = [float(value) for value in re.findall(r"-?\d+(?:\.\d+)?", arguments)]
        if command in ("PA", "PR"):
            absolute = command == "PA"
        if command == "SP":
            lift()
            pen = int(numbers[0]) if numbers else 0
        if command == "FS":
            lift()
            force = numbers[0] if numbers else 0.0
        if command == "PU":
            lift()
            down = False
        if command == "PD" and not down:
            down, run = True, [at]
        if command == "AA":
            turn = arc(at, (numbers[0], numbers[1]), numbers[2])
            at = turn[-1]
            if down:
                run += turn
        if command in ("PU", "PD", "PA", "PR"):
            for x, y in zip(numbers[::2], numbers[1::2], strict=False):
                at = (x, y) if absolute else (at[0] + x, at[1] + y)
                if down:
                    run.append(at)
    lift()
    return found


def arc(start: tuple[float, float], centre: tuple[float, float], degrees: float) -> list[tuple[float, float]]:
    """Points after `start` on the arc about `centre`, counter-clockwise where `degrees` is positive."""
    turns = np.radians(np.linspace(0, degrees, max(2, int(abs(degrees) / CHORD_DEG) + 2))[1:])
    x, y = start[0] - centre[0], start[1] - centre[1]
    cos, sin = np.cos(turns), np.sin(turns)
    return list(zip((centre[0] + x * cos - y * sin).tolist(), (centre[1] + x * sin + y * cos).tolist(), strict=True))
