"""From read marks to a fit with its predicted error and a verdict.

Whatever model carries the cut, its predicted error is judged against what is believed of the sheet (film.py): how far
the model lies from the likeliest place of every point, and how unsure that place is.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from etiquette.core.aligning.film import ODDS, READER_NOISE_MM, Film
from etiquette.core.aligning.models import LEAST_MARKS, ModelName, Transform, estimate
from etiquette.core.errors import JobError
from etiquette.core.geometry.paths import Points

WORST_FACTOR = 2.96
"""√(−2 ln(0.05 / 4)): a radial error passes this many standard deviations of one axis in one of twenty sheets at one of
the four corners, where the error of a fit is largest (Rayleigh, Bonferroni)."""
ALL_WELL = 0.95
"""All marks are taken as read well when that is at least this likely."""
STRANGE = 6.0
"""Standard deviations a mark may lie from where the others foretell it before the whole sheet is doubted."""
LEAST_LEFT = 4
"""Marks that must stay when wrong ones are left out one after the other."""
LEAST_TO_BEND = 5
"""Four marks or fewer show no bow."""
TOLD_STRAIGHT_MM = 0.02
OTHER_SIZE = 0.008
"""Film stretches a print by 0.15 % or so; what differs by this share was printed at another size."""
GRID = 11
UNIT_GRID = np.stack(np.meshgrid(np.linspace(0, 1, GRID), np.linspace(0, 1, GRID)), axis=-1).reshape(-1, 2)

Verdict = Literal["go", "check", "stop"]


@dataclass(frozen=True)
class ReadMark:
    """A mark where it was planned and where it was read; None when it was not found. `noise_mm`: how exactly, when that
    differs from the reader's usual."""

    id: str
    nominal: tuple[float, float]
    measured: tuple[float, float] | None
    noise_mm: float | None = None


@dataclass(frozen=True)
class Residual:
    id: str
    dx: float
    dy: float
    used: bool
    reason: str | None = None


@dataclass(frozen=True)
class Fit:
    """A solved fit; errors in mm. `mapped` carries the probe points."""

    transform: Transform
    load: Literal["head", "tail"]
    residuals: tuple[Residual, ...]
    rms_mm: float
    max_mm: float
    predicted: tuple[float, float, float]
    """Median and p95 of the RMS radial error over the sheet, and the 95 % bound of the worst."""
    verdict: Verdict
    reasons: tuple[str, ...]
    mapped: Points
    film: Film

    def expected_miss(self, points: Points) -> NDArray[np.float64]:
        """The RMS radial error (n,) to expect at `points` (n, 2) of the plan, in mm."""
        off = self.transform(points) - self.film.transform()(points)
        return np.asarray(np.sqrt(self.film.variance(points).sum(axis=1) + (off**2).sum(axis=1)))


def fit_marks(
    marks: Sequence[ReadMark],
    tolerance_mm: float,
    model: str = "auto",
    probe: Points | None = None,
    noise_mm: float = READER_NOISE_MM,
) -> Fit:
    """Fit the marks that were read, with the reader's `noise_mm` on each axis; the error is predicted over `probe` (n,
    2) when given, else over the box of the marks. Raises JobError for fewer than two marks or a print that is
    mirrored."""
    read, nominal, measured = _of_those_read(marks)
    spread, products = _products(nominal, measured)
    flat = _on_a_line(spread)
    if not flat:
        _refuse_mirrored(products)
    noise = np.array([noise_mm if mark.noise_mm is None else mark.noise_mm for mark in read])
    keep, film, doubts = _believed(read, nominal, measured, noise)
    kind = _choose(nominal[keep]) if model == "auto" else _named(model)
    transform = film.transform() if kind == "film" else estimate(kind, nominal[keep], measured[keep])
    where = probe if probe is not None and len(probe) else grid_inside(nominal)
    fitted, carried = np.split(transform(np.vstack([nominal, where])), [len(nominal)])
    left = measured - fitted
    size = np.hypot(*left[keep].T)
    off = np.zeros((len(where), 2)) if kind == "film" else carried - film.transform()(where)
    predicted = _predicted(film, off, where)
    verdict, reasons = _judge(predicted[2], tolerance_mm, nominal[keep])
    if len(transform.x) == 6 and keep.sum() >= LEAST_TO_BEND and not flat:
        miss = float(np.hypot(*(_straight(nominal[keep], measured[keep], where) - carried).T).max())
        if miss > TOLD_STRAIGHT_MM:
            reasons.append(f"A straight fit would miss by up to {miss:.2f} mm, so the curved one is used.")
    wrong = [mark.id for mark, kept in zip(read, keep, strict=True) if not kept]
    if doubts:
        verdict = "stop"
    apart = {mark.id: (float(dx), float(dy)) for mark, (dx, dy) in zip(read, left, strict=True)}
    return Fit(
        transform=transform,
        load="tail" if np.trace(products) < 0 else "head",
        residuals=tuple(_residual(mark, apart, wrong) for mark in marks),
        rms_mm=float(np.sqrt((size**2).mean())),
        max_mm=float(size.max()),
        predicted=predicted,
        verdict=verdict,
        reasons=(*_warnings(wrong, doubts, film), *reasons),
        mapped=carried if probe is not None and len(probe) else np.zeros((0, 2)),
        film=film,
    )


def _of_those_read(marks: Sequence[ReadMark]) -> tuple[list[ReadMark], Points, Points]:
    """The marks that were read, where they were planned and where they are. Raises JobError when they cannot tell
    how the sheet lies."""
    read = [mark for mark in marks if mark.measured is not None]
    if len(read) < 2:
        raise JobError(
            f"{len(read)} of {len(marks)} marks were read; a fit needs two at least.",
            "marks",
            "Read the marks again, or jog to one by hand.",
        )
    nominal = np.array([mark.nominal for mark in read], dtype=float)
    measured = np.array([mark.measured for mark in read], dtype=float)
    if not np.ptp(nominal, axis=0).max() or not np.ptp(measured, axis=0).max():
        raise JobError("All marks stand on one spot.", "marks", "Check the marks of this frame.")
    return read, nominal, measured


def _warnings(wrong: Sequence[str], doubts: Sequence[str], film: Film) -> list[str]:
    """What has to be said of the marks and the print before anything of the fit."""
    left_out = [f"Mark {name} does not agree with the others and is left out." for name in wrong]
    other_size = abs(film.size - 1) > OTHER_SIZE
    size = [f"The sheet was printed at {100 * film.size:.1f} % of its planned size."] if other_size else []
    return [*left_out, *doubts, *size]


def _believed(
    read: list[ReadMark], nominal: Points, measured: Points, noise: NDArray[np.float64]
) -> tuple[np.ndarray, Film, list[str]]:
    """The marks to keep (n,) bool, the belief they leave, and what stands against cutting at all.

    One mark after the other is left out as long as it is clear which one lies."""
    keep = np.ones(len(read), dtype=bool)
    while True:
        film = Film(nominal[keep], measured[keep], noise[keep])
        odds = film.odds()
        if odds[0] >= ALL_WELL:
            break
        suspects = np.flatnonzero(keep)[np.argsort(odds[1:])[::-1]]
        first, second, *_ = np.sort(odds[1:])[::-1]
        if keep.sum() <= LEAST_LEFT or first < ODDS * max(second, odds[0]):
            names = " or ".join(read[index].id for index in suspects[:2])
            return keep, film, [f"A mark was read wrongly, and it cannot be told which: {names}. Read them again."]
        keep[suspects[0]] = False
    if keep.sum() > 2 and film.largest_surprise() > STRANGE:
        return keep, film, ["The marks do not lie as film stretches. Check that nothing but marks was read."]
    return keep, film, []


def grid_inside(nominal: Points) -> Points:
    """An even grid (n, 2) over the box of the marks."""
    low, high = nominal.min(axis=0), nominal.max(axis=0)
    return np.asarray(low + UNIT_GRID * (high - low))


def _named(model: str) -> ModelName:
    if model not in LEAST_MARKS:
        raise JobError(f"There is no fit called “{model}”.", "model", f"Use auto, {', '.join(LEAST_MARKS)}.")
    return model  # type: ignore[return-value]


def _residual(mark: ReadMark, apart: dict[str, tuple[float, float]], wrong: list[str]) -> Residual:
    if mark.measured is None:
        return Residual(mark.id, 0.0, 0.0, False, "not read")
    reason = "it does not agree with the other marks" if mark.id in wrong else None
    return Residual(mark.id, *apart[mark.id], reason is None, reason)


def _products(nominal: Points, measured: Points) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Products (2, 2) of the planned places, and of planned and read places, about their middles."""
    away = nominal - nominal.sum(axis=0) / len(nominal)
    return away.T @ away, away.T @ measured


def _straight(nominal: Points, measured: Points, where: Points) -> Points:
    """Where the least-squares linear map puts `where` (n, 2)."""
    spread, products = _products(nominal, measured)
    away = where - nominal.sum(axis=0) / len(nominal)
    return np.asarray(measured.sum(axis=0) / len(measured) + away @ np.linalg.solve(spread, products))


def _on_a_line(spread: NDArray[np.float64]) -> bool:
    """Whether marks with these products (2, 2) stand on one line, or are too few not to."""
    return bool(np.linalg.det(spread) < 1e-9 * np.trace(spread) ** 2)


def _refuse_mirrored(products: Points) -> None:
    """The least-squares linear map N⁻¹C has the sign of the determinant of C (2, 2), the products of planned and read
    places about their middles."""
    if np.linalg.det(products) < 0:
        raise JobError(
            "The marks lie mirrored: this is the back of the sheet, or another sheet.",
            "load",
            "Turn the sheet over and load it printed side up.",
        )


def _choose(nominal: Points) -> ModelName:
    """What the marks can carry. The film model weighs its own habits by how well each mark is foretold by the others,
    so it stays straight where nothing shows a bend; with two marks it is a similarity, and says so."""
    return "similarity" if len(nominal) == 2 else "film"


def _predicted(film: Film, off: Points, where: Points) -> tuple[float, float, float]:
    """Median and p95 of the RMS radial error over `where`, and the 95 % bound of the worst point, of a fit that lies
    `off` (n, 2) from the likeliest places."""
    variance = film.variance(where)
    rms = np.sqrt(variance.sum(axis=1) + (off**2).sum(axis=1))
    worst = np.hypot(*off.T) + WORST_FACTOR * np.sqrt(variance.max(axis=1))
    rms.sort()
    median, p95 = np.interp(
        np.array([0.5, 0.95]) * (len(rms) - 1), np.arange(len(rms)), rms
    )  # np.percentile takes longer
    return float(median), float(p95), float(worst.max())


def _judge(worst: float, tolerance: float, nominal: Points) -> tuple[Verdict, list[str]]:
    verdict: Verdict = "go" if worst <= tolerance else "check" if worst <= 2 * tolerance else "stop"
    if verdict == "go":
        return verdict, []
    reasons = [f"The cut may miss by up to {worst:.2f} mm; this run allows {tolerance:.2f} mm."]
    if len(nominal) == 2:
        reasons.append("Two marks show shift, turn and size, but neither unequal stretch nor skew nor bow.")
    elif len(nominal) < LEAST_TO_BEND:
        reasons.append(f"{len(nominal)} marks cannot show whether the sheet is bowed.")
    return verdict, reasons
