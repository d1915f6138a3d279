"""What is believed of a sheet of film or vinyl before and after its marks are read.

A plain least-squares curve takes every bend for equally likely, so it follows noise and cannot tell which of two
opposite marks lies. Film does not bend in every way: heat and tension stretch and skew it, and bow its sides, and
hardly anything else. Those habits are put down here as spreads, so the fit is the mean of a Gaussian process (C. E.
Rasmussen, C. K. I. Williams, "Gaussian Processes for Machine Learning", 2006, equations 2.25, 2.26, 2.30 and 5.10 to
5.12) and its predicted error is that process's own spread, everywhere on the sheet. A sheet may have other habits, so
several are weighed by how well they foretell the marks: film as it should be, read well, exactly or badly, and a sheet
that is pulled unevenly."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from etiquette.core.aligning.models import QUADRATIC, Transform, kernel, powers
from etiquette.core.geometry.paths import Points

Reals = NDArray[np.float64]

READER_NOISE_MM = 0.05
"""Standard deviation of one read coordinate, as checks against the simulated laminate take it (common practice, no
published source)."""
KNOWN_DIAGONAL_MM = float(np.hypot(1200, 600))
"""The sheet the spreads below belong to; on smaller and larger sheets they shrink and grow with the diagonal."""
SHIFT_MM, STRETCH = 20.0, 0.003
"""Spread of what a turn, shift and scale leave: of the shift, and of uneven stretch and skew as a share of the
diagonal, twice what film does, so that the marks decide (common practice, no published source)."""
UNEVEN_REACH_MM = 450.0
"""How far an uneven pull carries: nearer places move together (an assumption of our own)."""
ODDS = 1e3
"""A mark is left out when it is this many times likelier to lie than any other; with less, nobody can say which."""
LIES = 1e-3
"""Share of marks that are read wrongly: dirt taken for a mark (an assumption of our own)."""
SEARCHED_MM2 = 400.0
"""Where a wrongly read mark may have been read: anywhere in a window of this area."""
NEGLIGIBLE = 1e-3
ALL = slice(None)


@dataclass(frozen=True)
class Habit:
    """One way a sheet may behave: how likely, spread of bow, of other bends and of uneven pull in mm on the known
    sheet, the reader's noise as a multiple of the usual, and whether bends are smaller on smaller sheets."""

    share: float
    bow_mm: float
    bend_mm: float
    pull_mm: float
    noise: float
    shrinks: bool = True


HABITS = (
    Habit(0.17, 0.5, 0.04, 0.0, 1.0),
    Habit(0.03, 0.5, 0.04, 0.0, 1.0, shrinks=False),
    Habit(0.02, 0.5, 0.04, 0.0, 0.5),
    Habit(0.003, 0.5, 0.04, 0.0, 2.0),
    Habit(0.777, 0.5, 0.3, 0.35, 1.0),
)
"""The first is the simulated laminate of the checks; the last was chosen on smooth random fields so that its predicted
error is on the safe side (both are models of our own, no published source). It starts as the likeliest, so that a sheet
must show that it is plain film before the small error of plain film is promised. A short sheet may have come from a
press that bows every sheet by as much: the second."""


BENDS = np.square(
    [
        4 * np.array([(0, 0, 0, h.bend_mm, h.bend_mm, h.bow_mm), (0, 0, 0, h.bow_mm, h.bend_mm, h.bend_mm)])
        for h in HABITS
    ]
)
"""Variance (habits, axes, 6) of the coefficients of QUADRATIC in coordinates that run from −½ to ½, on the known sheet:
a bow of b leaves a coefficient of 4 b; the sides across bow with y, the sides along with x. The linear ones are set for
each sheet."""
PULLS = np.square([habit.pull_mm for habit in HABITS])
NOISES = np.array([habit.noise for habit in HABITS])
SHRINKS = np.array([habit.shrinks for habit in HABITS])
LOG_SHARES = np.log([habit.share for habit in HABITS])


class Film:
    """The belief after `measured` (n, 2) were read for the marks `nominal` (n, 2), n ≥ 2.

    `noise_mm`, one for all or (n,), is the standard deviation of one read coordinate. Work is in planned coordinates:
    the similarity between the two is taken off first, what is left is small.
    """

    def __init__(self, nominal: Points, measured: Points, noise_mm: float | Reals = READER_NOISE_MM) -> None:
        self._nominal = nominal
        self._origin, self._centre = nominal.mean(axis=0), measured.mean(axis=0)
        p, q = (nominal - self._origin) @ [1, 1j], (measured - self._centre) @ [1, 1j]
        self._turn = (np.conj(p) * q).sum() / (np.abs(p) ** 2).sum()
        back = q / self._turn - p
        self._left = np.stack([back.real, back.imag])
        low, high = nominal.min(axis=0), nominal.max(axis=0)
        self._middle, sides = (low + high) / 2, high - low
        self._sides = np.maximum(sides, sides.max() / 2)  # marks on one line still lie on a sheet with two sides
        diagonal = float(np.hypot(*self._sides))
        grown = diagonal / KNOWN_DIAGONAL_MM
        self._reach = UNEVEN_REACH_MM * min(grown, 1.5)
        scale = np.where(SHRINKS, grown, max(grown, 1.0)) ** 2
        self._spreads = BENDS * scale[:, None, None]
        self._spreads[..., :3] = SHIFT_MM**2, (STRETCH * diagonal) ** 2, (STRETCH * diagonal) ** 2
        self._pulls = PULLS * scale
        noise = np.multiply.outer(NOISES / abs(self._turn), noise_mm).reshape(len(NOISES), 1, -1)
        self._basis = powers((nominal - self._middle) / self._sides, QUADRATIC)
        covariance = self._covariance(self._basis, nominal, ALL)
        np.einsum("haii->hai", covariance)[...] += noise**2
        self._precision = np.linalg.inv(covariance)
        self._alpha = (self._precision @ self._left[:, :, None])[..., 0]
        certainty = np.einsum("haii->hai", self._precision)
        self._surprise = (self._alpha**2 / certainty).sum(axis=1)
        """(habits, marks): squared distance of each mark from where the others foretell it, in standard deviations."""
        whole = (
            LOG_SHARES
            - 0.5 * (self._alpha * self._left).sum(axis=(1, 2))
            - 0.5 * np.linalg.slogdet(covariance)[1].sum(axis=1)
            - len(nominal) * np.log(2 * np.pi)
        )
        alone = -0.5 * self._surprise - np.log(2 * np.pi) + 0.5 * np.log(certainty).sum(axis=1)
        self._told = np.column_stack([whole, whole[:, None] - alone + np.log(LIES / SEARCHED_MM2)])
        """(habits, 1 + marks): log evidence that all marks are read well, and that one is not."""
        self._weights = _shares(whole)

    @property
    def size(self) -> float:
        """The size of the print beside the planned one."""
        return float(abs(self._turn))

    def _covariance(self, basis: Reals, points: Points, habits: NDArray[np.bool_] | slice) -> Reals:
        """(habits, axes, n, marks) of places with this `basis` with the marks, for some of the habits."""
        covariance = (basis * self._spreads[habits][:, :, None, :]) @ self._basis.T
        pulls = self._pulls[habits]
        if pulls.any():
            covariance += pulls[:, None, None, None] * kernel(points / self._reach, self._nominal / self._reach, 1.0)
        return np.asarray(covariance)

    def odds(self) -> Reals:
        """(1 + n,): how likely it is that all marks are read well, and that each is the one that is not; sum 1."""
        return _shares(np.logaddexp.reduce(self._told, axis=0))

    def largest_surprise(self) -> float:
        """How many standard deviations the strangest mark lies from where the others foretell it."""
        return float(np.sqrt((self._weights @ self._surprise).max()))

    def transform(self) -> Transform:
        """The mean of the belief."""
        scale = float(self._sides.max())
        bends = np.einsum("h,hak,nk,han->ka", self._weights, self._spreads, self._basis, self._alpha)
        pulls = np.einsum("h,han->na", self._weights * self._pulls, self._alpha)
        coefficients = bends @ [1, 1j]
        for number, (a, b) in enumerate(QUADRATIC):
            coefficients[number] *= (scale / self._sides[0]) ** a * (scale / self._sides[1]) ** b
        coefficients[:3] += [(self._middle - self._origin) @ [1, 1j], scale, scale * 1j]
        coefficients *= self._turn
        coefficients[0] += self._centre @ [1, 1j]
        weights = (pulls @ [1, 1j]) * self._turn
        bent = bool(np.abs(weights).max() > 1e-9)
        return Transform(
            "film",
            self._middle,
            scale,
            coefficients.real,
            coefficients.imag,
            centres=(self._nominal - self._middle) / scale if bent else np.zeros((0, 2)),
            weights=np.column_stack([weights.real, weights.imag]) if bent else np.zeros((0, 2)),
            reach=self._reach / scale if bent else 0.0,
        )

    def variance(self, points: Points) -> Reals:
        """Variance (n, 2) of each axis, in mm², of where `points` (n, 2) lie: what the habits leave open, and how far
        they differ from each other."""
        basis = powers((points - self._middle) / self._sides, QUADRATIC)
        likely = self._weights > NEGLIGIBLE
        share = self._weights[likely] / self._weights[likely].sum()
        known = self._covariance(basis, points, likely)
        own = self._spreads[likely] @ (basis**2).T + self._pulls[likely][:, None, None]
        left = own - (known @ self._precision[likely] * known).sum(axis=3)
        means = (known @ self._alpha[likely][..., None])[..., 0]
        share = share[:, None, None]
        spread = (share * (np.maximum(left, 0) + (means - (share * means).sum(axis=0)) ** 2)).sum(axis=0)
        return np.asarray(spread.T * abs(self._turn) ** 2)


def _shares(logs: Reals) -> Reals:
    return np.asarray(np.exp(logs - np.logaddexp.reduce(logs)))
