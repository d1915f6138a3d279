"""From read marks to a fit with its predicted error and a verdict.

The predicted error at a point has two independent parts: the noise of the reader carried there by the geometry of the
marks, and what the model cannot express. The second is estimated from the data: leaving each mark out in turn and
predicting it shows how far the model misses where no mark held it.
"""

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from etiquette.core.aligning.models import LEAST_MARKS, ModelName, Transform, estimate, leverage
from etiquette.core.errors import JobError
from etiquette.core.geometry.paths import Points

READER_NOISE_MM = 0.05
"""Standard deviation of one read coordinate, as checks against the simulated laminate take it (common practice, no
published source)."""
UNSEEN_BEND = 0.0006
"""Bow to expect, as a share of the span between the marks, when a fit is straight and cannot see it: 0.7 mm
in 1.2 m, as the simulated laminate has it (common practice, no published source)."""
OUTLIER_FACTOR = 5.0
PLAINER = 0.7
WORST_FACTOR = 2.96
"""√(−2 ln(0.05 / 4)): a radial error passes this many standard deviations of one axis in one of twenty sheets at one of
the four corners, where the error of a polynomial fit is largest (Rayleigh, Bonferroni)."""
GRID = 15

Verdict = Literal["go", "check", "stop"]


@dataclass(frozen=True)
class ReadMark:
    """A mark where it was planned and where it was read; None when it was not found."""

    id: str
    nominal: tuple[float, float]
    measured: tuple[float, float] | None


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


def fit_marks(marks: list[ReadMark], tolerance_mm: float, model: str = "auto", probe: Points | None = None) -> Fit:
    """Fit the marks that were read. Raises JobError for fewer than two marks or a print that is mirrored."""
    read = [mark for mark in marks if mark.measured is not None]
    if len(read) < 2:
        raise JobError(
            f"{len(read)} of {len(marks)} marks were read; a fit needs two at least.",
            "marks",
            "Read the marks again, or jog to one by hand.",
        )
    nominal = np.array([mark.nominal for mark in read], dtype=float)
    measured = np.array([mark.measured for mark in read], dtype=float)
    _refuse_mirrored(nominal, measured)
    dropped, ambiguous = _outlier(nominal, measured)
    keep = np.arange(len(read)) != dropped if dropped is not None else np.ones(len(read), dtype=bool)
    kind = _choose(nominal[keep], measured[keep]) if model == "auto" else _named(model)
    transform = estimate(kind, nominal[keep], measured[keep])
    left = transform.residuals(nominal, measured)
    size = np.hypot(*left[keep].T)
    where = probe if probe is not None and len(probe) else grid_inside(nominal)
    predicted = _predicted(kind, nominal[keep], measured[keep], where)
    verdict, reasons = _judge(predicted[2], tolerance_mm, kind, nominal[keep], measured[keep])
    if ambiguous:
        verdict, reasons = "stop", ["One mark was read wrongly, and there are too few to tell which.", *reasons]
    if dropped is not None:
        reasons.insert(0, f"Mark {read[dropped].id} does not agree with the others and is left out.")
    heading = transform.jacobian(nominal.mean(axis=0)[None, :])[0]
    used = {mark.id: bool(kept) for mark, kept in zip(read, keep, strict=True)}
    return Fit(
        transform=transform,
        load="tail" if heading[0, 0] + heading[1, 1] < 0 else "head",
        residuals=tuple(_residual(mark, read, left, used) for mark in marks),
        rms_mm=float(np.sqrt((size**2).mean())),
        max_mm=float(size.max()),
        predicted=predicted,
        verdict=verdict,
        reasons=tuple(reasons),
        mapped=transform(probe) if probe is not None and len(probe) else np.zeros((0, 2)),
    )


def grid_inside(nominal: Points) -> Points:
    """An even grid (n, 2) over the box of the marks."""
    low, high = nominal.min(axis=0), nominal.max(axis=0)
    x, y = np.meshgrid(np.linspace(low[0], high[0], GRID), np.linspace(low[1], high[1], GRID))
    return np.column_stack([x.ravel(), y.ravel()])


def _named(model: str) -> ModelName:
    if model not in LEAST_MARKS:
        raise JobError(f"There is no fit called “{model}”.", "model", f"Use auto, {', '.join(LEAST_MARKS)}.")
    return model  # type: ignore[return-value]


def _residual(mark: ReadMark, read: list[ReadMark], left: Points, used: dict[str, bool]) -> Residual:
    if mark.measured is None:
        return Residual(mark.id, 0.0, 0.0, False, "not read")
    dx, dy = left[read.index(mark)]
    reason = None if used[mark.id] else "it does not agree with the other marks"
    return Residual(mark.id, float(dx), float(dy), used[mark.id], reason)


def _refuse_mirrored(nominal: Points, measured: Points) -> None:
    if len(nominal) < 3:
        return
    basis = np.column_stack([np.ones(len(nominal)), nominal])
    if np.linalg.matrix_rank(basis - [0, *nominal.mean(axis=0)]) < 3:
        return
    linear = np.linalg.lstsq(basis, measured, rcond=None)[0][1:]
    if np.linalg.det(linear) < 0:
        raise JobError(
            "The marks lie mirrored: this is the back of the sheet, or another sheet.",
            "load",
            "Turn the sheet over and load it printed side up.",
        )


def leave_one_out(kind: ModelName, nominal: Points, measured: Points) -> NDArray[np.float64]:
    """How far each mark (n,) lies from where a fit to the others would put it; infinite when they cannot say."""
    misses = np.full(len(nominal), np.inf)
    for index in range(len(nominal)):
        others = np.arange(len(nominal)) != index
        try:
            fitted = estimate(kind, nominal[others], measured[others])
        except JobError:
            continue
        misses[index] = np.hypot(*(fitted(nominal[index : index + 1])[0] - measured[index]))
    return misses


def _choose(nominal: Points, measured: Points) -> ModelName:
    """The model that predicts marks it has not seen best; a richer one must earn its place by a tenth."""
    best: ModelName = "similarity"
    score = np.inf
    for kind in LEAST_MARKS:
        if len(nominal) <= LEAST_MARKS[kind]:
            continue
        misses = leave_one_out(kind, nominal, measured)
        found = float(np.sqrt((np.minimum(misses, 1e6) ** 2).mean()))
        if found < 0.9 * score:
            best, score = kind, found
    if len(nominal) == LEAST_MARKS["affine"] and best == "similarity":
        return "affine"
    return best


def _outlier(nominal: Points, measured: Points) -> tuple[int | None, bool]:
    """The one mark that was read wrongly, if leaving it out makes everything else agree; and whether one lies but it
    cannot be told which. Judged on the quadratic model when there are enough marks: a sheet may really be bowed."""
    kind: ModelName = "quadratic" if len(nominal) >= 8 else "affine"
    if len(nominal) < LEAST_MARKS[kind] + 1:
        return None, False
    whole = _rms(kind, nominal, measured)
    limit = max(
        OUTLIER_FACTOR * READER_NOISE_MM, 0.003 * float(np.ptp(nominal, axis=0).max()) if kind == "affine" else 0.0
    )
    if whole < limit:
        return None, False
    without = [
        _rms(kind, np.delete(nominal, index, axis=0), np.delete(measured, index, axis=0))
        for index in range(len(nominal))
    ]
    order = np.argsort(without)
    if without[order[0]] > whole / 4:
        return None, False
    if len(nominal) < LEAST_MARKS[kind] + 2:
        return None, True
    suspects = [int(index) for index in order if without[index] <= whole / 4]
    if kind == "quadratic" and len(suspects) > 1:
        return _plainest(suspects, nominal, measured)
    if without[order[1]] < 2 * without[order[0]]:
        return None, True
    return suspects[0], False


def _plainest(suspects: list[int], nominal: Points, measured: Points) -> tuple[int | None, bool]:
    """Which of several marks lies, when a bent sheet would explain each: opposite corners of eight marks look alike to
    a quadratic. The one without which the sheet is least bent, if that is clear."""
    bent = [_rms("affine", np.delete(nominal, index, axis=0), np.delete(measured, index, axis=0)) for index in suspects]
    order = np.argsort(bent)
    if bent[order[0]] > PLAINER * bent[order[1]]:
        return None, True
    return suspects[int(order[0])], False


def _rms(kind: ModelName, nominal: Points, measured: Points) -> float:
    """Residual spread on one axis with the freedom of the model taken off; infinite when nothing is left over."""
    free = 2 * len(nominal) - 2 * LEAST_MARKS[kind]
    if free <= 0:
        return 0.0
    try:
        left = estimate(kind, nominal, measured).residuals(nominal, measured)
    except JobError:
        return np.inf
    return float(np.sqrt((left**2).sum() / free))


def _predicted(kind: ModelName, nominal: Points, measured: Points, where: Points) -> tuple[float, float, float]:
    """Median and p95 of the RMS radial error over `where`, and the 95 % bound of the worst point.

    A radial error whose axes are normal with variance s² each has RMS s·√2.
    """
    noise = max(READER_NOISE_MM, _rms(kind, nominal, measured))
    carried = leverage(kind, nominal, where) * noise**2
    unseen = _unseen_bend(kind, nominal)
    variance = carried + unseen**2 / 2
    rms = np.sqrt(2 * variance)
    return float(np.median(rms)), float(np.percentile(rms, 95)), float(WORST_FACTOR * np.sqrt(variance.max()))


def _unseen_bend(kind: ModelName, nominal: Points) -> float:
    """What a straight fit leaves of a bow that no mark stands in the middle to see."""
    if kind == "quadratic":
        return 0.0
    span = float(np.ptp(nominal, axis=0).max())
    if len(nominal) >= 8:  # side middles were read: the residuals already hold the bow
        return 0.0
    return UNSEEN_BEND * span


def _judge(
    worst: float, tolerance: float, kind: ModelName, nominal: Points, measured: Points
) -> tuple[Verdict, list[str]]:
    verdict: Verdict = "go" if worst <= tolerance else "check" if worst <= 2 * tolerance else "stop"
    reasons = []
    if verdict != "go":
        reasons.append(f"The cut may miss by up to {worst:.2f} mm; this run allows {tolerance:.2f} mm.")
    if kind == "quadratic":
        straight = estimate("affine", nominal, measured)
        curved = estimate("quadratic", nominal, measured)
        where = grid_inside(nominal)
        miss = np.hypot(*(straight(where) - curved(where)).T).max()
        reasons.append(f"A straight fit would miss by up to {miss:.2f} mm, so the curved one is used.")
    elif len(nominal) < 6:
        reasons.append(f"{len(nominal)} marks cannot show whether the sheet is bowed.")
    return verdict, reasons
