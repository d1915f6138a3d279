"""How near the fit comes to the truth, beside plain least squares on the same sheets.

    python benchmarks/aligning.py [SHEETS]

The sheets are the simulated laminate of the checks and a smooth random field (both models of our own, no published
source); the reference is the plain affine or quadratic fit by NumPy's least squares.
"""

import sys
import time
from collections.abc import Callable

import numpy as np

from etiquette.core.aligning.fitting import ReadMark, fit_marks

WIDTH, LENGTH, NOISE, TOLERANCE = 1200.0, 600.0, 0.05, 0.3
EIGHT = np.array(
    [(0, 0), (WIDTH, 0), (WIDTH, LENGTH), (0, LENGTH), (WIDTH / 2, 0), (WIDTH, LENGTH / 2), (WIDTH / 2, LENGTH)]
    + [(0, LENGTH / 2)],
    dtype=float,
)
GRID = np.stack(np.meshgrid(np.linspace(0, WIDTH, 15), np.linspace(0, LENGTH, 15)), axis=-1).reshape(-1, 2)
Sheet = Callable[[np.ndarray], np.ndarray]


def laid(bent: np.ndarray, random: np.random.Generator, turn: float, shift: np.ndarray) -> np.ndarray:
    return bent @ np.array([[np.cos(turn), np.sin(turn)], [-np.sin(turn), np.cos(turn)]]) + shift


def laminate(random: np.random.Generator) -> Sheet:
    a, c = random.normal(0, 0.0015, 2)
    s, b, d = random.normal(0, 0.8), *random.normal(0, 0.5, 2)
    turn, shift = random.normal(0, 0.01), random.normal(0, 5, 2)

    def moved(points: np.ndarray) -> np.ndarray:
        x, y = points.T
        u, v = x / WIDTH - 0.5, y / LENGTH - 0.5
        bent = np.column_stack([x * (1 + a) + s * v + b * (1 - 4 * v**2), y * (1 + c) + d * (1 - 4 * u**2)])
        return laid(bent, random, turn, shift)

    return moved


def field(size: float, reach: float) -> Callable[[np.random.Generator], Sheet]:
    """A smooth Gaussian field of standard deviation `size` mm and bell-shaped correlation over `reach` mm, as a sum of
    forty waves of chance on each axis, on top of stretch, turn and shift."""

    def made(random: np.random.Generator) -> Sheet:
        waves, phases = random.normal(0, 1 / reach, (2, 40, 2)), random.uniform(0, 2 * np.pi, (2, 40))
        stretch, turn, shift = 1 + random.normal(0, 0.0015, 2), random.normal(0, 0.01), random.normal(0, 5, 2)

        def moved(points: np.ndarray) -> np.ndarray:
            pulls = [size * np.sqrt(2 / 40) * np.cos(points @ waves[k].T + phases[k]).sum(axis=1) for k in (0, 1)]
            return laid(points * stretch + np.column_stack(pulls), random, turn, shift)

        return moved

    return made


def plain(kind: str, nominal: np.ndarray, measured: np.ndarray, points: np.ndarray) -> np.ndarray:
    def basis(p: np.ndarray) -> np.ndarray:
        u = (p - (WIDTH / 2, LENGTH / 2)) / (WIDTH, LENGTH)
        more = [u**2, u.prod(axis=1)[:, None]] if kind == "quadratic" else []
        return np.column_stack([np.ones(len(p)), u, *more])

    return np.asarray(basis(points) @ np.linalg.lstsq(basis(nominal), measured, rcond=None)[0])


def trial(
    name: str,
    make: Callable[[np.random.Generator], Sheet],
    marks: np.ndarray,
    sheets: int,
    reference: str,
    wrong_mm: float = 0.0,
) -> None:
    random = np.random.default_rng(20)
    true, bound, other, squares, predicted, seconds = [], [], [], [], [], []
    found = stopped = 0
    for number in range(sheets):
        moved = make(random)
        measured = moved(marks) + random.normal(0, NOISE, marks.shape)
        angle = random.uniform(0, 2 * np.pi)
        wrong = number % len(marks)
        measured[wrong] += wrong_mm * np.array([np.cos(angle), np.sin(angle)])
        read = [ReadMark(str(n), tuple(p), tuple(q)) for n, (p, q) in enumerate(zip(marks, measured, strict=True))]
        start = time.perf_counter()
        fit = fit_marks(read, TOLERANCE)
        seconds.append(time.perf_counter() - start)
        truth = moved(GRID)
        away = np.hypot(*(fit.transform(GRID) - truth).T)
        others = np.arange(len(marks)) != wrong if wrong_mm else np.ones(len(marks), dtype=bool)
        out = [mark.id for mark in fit.residuals if not mark.used]
        found += out == ([str(wrong)] if wrong_mm else [])
        stopped += fit.verdict == "stop"
        true.append(away.max())
        bound.append(np.inf if fit.verdict == "stop" else fit.predicted[2])
        if fit.verdict != "stop" or not wrong_mm:
            squares.append(away**2)
            predicted.append(fit.predicted[1])
        other.append(np.hypot(*(plain(reference, marks[others], measured[others], GRID) - truth).T).max())
    worst, limit = np.array(true), np.array(bound)
    rms = np.percentile(np.sqrt(np.mean(squares, axis=0)), 95)
    print(
        f"{name:28s} worst p95 {np.percentile(worst, 95):.3f} mm ({reference} {np.percentile(other, 95):.3f})"
        f" | p95 over the sheet predicted {np.mean(predicted):.3f}, true {rms:.3f}"
        f" | right marks left out {found / sheets:.4f}, stop {stopped / sheets:.4f}"
        f" | go {(limit <= TOLERANCE).mean():.3f}, wrong go {((limit <= TOLERANCE) & (worst > TOLERANCE)).sum()}"
        f" | fit {1e3 * np.median(seconds):.2f} ms"
    )


def main() -> None:
    sheets = int(sys.argv[1]) if len(sys.argv) > 1 else 3000
    trial("eight marks", laminate, EIGHT, sheets, "quadratic")
    trial("a corner lost", laminate, np.delete(EIGHT, 2, axis=0), sheets, "quadratic")
    trial("a side mark lost", laminate, np.delete(EIGHT, 5, axis=0), sheets, "quadratic")
    trial("a head mark lost", laminate, np.delete(EIGHT, 4, axis=0), sheets, "quadratic")
    trial("one wrong by 3 mm", laminate, EIGHT, sheets, "quadratic", 3.0)
    trial("four marks", laminate, EIGHT[:4], sheets, "affine")
    trial("field 0.5 mm over 600 mm", field(0.5, 600.0), EIGHT, sheets, "quadratic")
    trial("field 0.3 mm over 400 mm", field(0.3, 400.0), EIGHT, sheets, "quadratic")
    trial("field 1 mm over 900 mm", field(1.0, 900.0), EIGHT, sheets, "quadratic")
    trial("field, one wrong by 3 mm", field(0.5, 600.0), EIGHT, sheets, "quadratic", 3.0)


if __name__ == "__main__":
    main()
