"""The cutter's own small reader of HP-GL: pen-down strokes in millimetres."""

import re

import numpy as np

UNIT_MM = 0.025


def strokes(text: str) -> list[tuple[int, np.ndarray]]:
    """(pen, points (n, 2)) of every pen-down stroke. Knows IN, PA, PR, PU, PD, SP; passes over the rest."""
    found: list[tuple[int, np.ndarray]] = []
    at, pen, down, absolute = (0.0, 0.0), 0, False, True
    run: list[tuple[float, float]] = []

    def lift() -> None:
        nonlocal run
        if len(run) > 1:
            found.append((pen, np.array(run) * UNIT_MM))
        run = []

    for command, arguments in re.findall(r"([A-Z]{2})([^A-Z;]*)", text):
        numbers = [float(value) for value in re.findall(r"-?\d+(?:\.\d+)?", arguments)]
        if command in ("PA", "PR"):
            absolute = command == "PA"
        if command == "SP":
            lift()
            pen = int(numbers[0]) if numbers else 0
        if command == "PU":
            lift()
            down = False
        if command == "PD" and not down:
            down, run = True, [at]
        if command in ("PU", "PD", "PA", "PR"):
            for x, y in zip(numbers[::2], numbers[1::2], strict=False):
                at = (x, y) if absolute else (at[0] + x, at[1] + y)
                if down:
                    run.append(at)
    lift()
    return found
