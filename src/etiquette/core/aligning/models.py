"""Transforms from the planned sheet to the sheet that lies there, fitted to marks that were read.

All share one form on centred, scaled coordinates u, v = (p − origin) / scale: a polynomial, for the projective one
divided by another, and for the elastic ones with a sum of kernels about the marks added. Sources: rigid and similarity
S. Umeyama, IEEE TPAMI 13(4), 1991, without reflection; projective R. Hartley, "In defense of the eight-point
algorithm", IEEE TPAMI 19(6), 1997 (scaled direct linear transform); thin plate F. L. Bookstein, IEEE TPAMI 11(6), 1989.
The fit that knows how film stretches is in film.py.
"""

from dataclasses import dataclass, field
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from etiquette.core.errors import JobError
from etiquette.core.geometry.paths import Points

ModelName = Literal["rigid", "similarity", "affine", "projective", "quadratic", "thin plate", "film"]
LEAST_MARKS: dict[ModelName, int] = {
    "rigid": 2,
    "similarity": 2,
    "affine": 3,
    "projective": 4,
    "quadratic": 6,
    "thin plate": 4,
    "film": 2,
}
LINEAR = ((0, 0), (1, 0), (0, 1))
QUADRATIC = (*LINEAR, (2, 0), (1, 1), (0, 2))
SMOOTHINGS = tuple(10.0**power for power in range(-6, 3))
"""Thin plates from nearly through every mark to nearly affine, in the units of the scaled coordinates."""
NONE = np.zeros((0, 2))


@dataclass(frozen=True)
class Transform:
    """(X, Y) = (x, y)·[uᵃvᵇ …] / (bottom·[1, u, v]) + Σ weights·kernel(distance to centres).

    `origin` (2,) and `scale` in mm; `x`, `y` (3,) or (6,), powers in the order of LINEAR and QUADRATIC; `bottom` (3,);
    `centres` (m, 2) in u, v with `weights` (m, 2) in mm. The kernel is r² log r when `reach` is 0, else the bell
    exp(−r² / 2 reach²)."""

    kind: ModelName
    origin: Points
    scale: float
    x: NDArray[np.float64]
    y: NDArray[np.float64]
    bottom: NDArray[np.float64] = field(default_factory=lambda: np.array([1.0, 0.0, 0.0]))
    centres: Points = field(default_factory=lambda: NONE)
    weights: Points = field(default_factory=lambda: NONE)
    reach: float = 0.0

    def __call__(self, points: Points) -> Points:
        """Carry `points` (n, 2) from the planned sheet to the loaded one."""
        uv = (np.atleast_2d(points) - self.origin) / self.scale
        at = powers(uv, QUADRATIC if len(self.x) == 6 else LINEAR) @ np.column_stack([self.x, self.y])
        if self.bottom[1] or self.bottom[2]:
            at = at / (powers(uv, LINEAR) @ self.bottom)[:, None]
        if len(self.centres):
            at = at + kernel(uv, self.centres, self.reach) @ self.weights
        return at

    def residuals(self, nominal: Points, measured: Points) -> Points:
        """measured − fitted (n, 2)."""
        left: Points = np.asarray(measured) - self(np.asarray(nominal))
        return left

    def inverse(self, points: Points) -> Points:
        """Where `points` (n, 2) of the loaded sheet lie on the planned one: Newton steps from the linear part."""
        points = np.atleast_2d(points).astype(float)
        jacobian = self.jacobian(self.origin[None, :])[0]
        at = self.origin + np.linalg.solve(jacobian, (points - self(self.origin[None, :])).T).T
        for _ in range(12):
            step = np.linalg.solve(self.jacobian(at), (points - self(at))[..., None])[..., 0]
            at = at + step
            if np.abs(step).max(initial=0.0) < 1e-9:
                break
        return at

    def jacobian(self, points: Points) -> NDArray[np.float64]:
        """Derivatives (n, 2, 2) at `points` (n, 2), by differences over a ten-thousandth of the scale."""
        points, step = np.atleast_2d(points), 1e-4 * self.scale
        ways = step * np.array([(1, 0), (0, 1), (-1, 0), (0, -1)])
        moved = self((points[:, None, :] + ways).reshape(-1, 2)).reshape(-1, 4, 2)
        return np.swapaxes(moved[:, :2] - moved[:, 2:], 1, 2) / (2 * step)


def estimate(kind: ModelName, nominal: Points, measured: Points, smoothing: float | None = None) -> Transform:
    """The transform of `kind` nearest to carrying `nominal` (n, 2) to `measured` (n, 2).

    `smoothing` is for a thin plate: 0 goes through every mark, None takes what foretells left-out marks best. Raises
    JobError when there are too few marks, or they stand so that the model cannot be told.
    """
    nominal, measured = np.asarray(nominal, dtype=float), np.asarray(measured, dtype=float)
    if len(nominal) < LEAST_MARKS[kind]:
        raise JobError(
            f"A {kind} fit needs {LEAST_MARKS[kind]} marks; {len(nominal)} were read.",
            "marks",
            "Read more marks, or use a simpler fit.",
        )
    origin = nominal.mean(axis=0)
    scale = float(np.abs(nominal - origin).max())
    if scale == 0:
        raise JobError("All marks stand on one spot.", "marks", "Check the marks of this frame.")
    if kind in ("rigid", "similarity"):
        return _similarity(nominal, measured, origin, scale, kind == "rigid")
    uv = (nominal - origin) / scale
    basis = powers(uv, QUADRATIC if kind == "quadratic" else LINEAR)
    if np.linalg.matrix_rank(basis, tol=1e-6) < basis.shape[1]:
        raise _cannot_be_told(kind)
    if kind == "projective":
        return _projective(uv, measured, origin, scale)
    if kind == "thin plate":
        return _thin_plate(uv, measured, origin, scale, smoothing)
    solution = np.asarray(np.linalg.lstsq(basis, measured, rcond=None)[0], dtype=np.float64)
    return Transform(kind, origin, scale, solution[:, 0], solution[:, 1])


def _cannot_be_told(kind: str) -> JobError:
    return JobError(
        f"The marks stand so that a {kind} fit cannot be told.",
        "marks",
        "Read a mark off their line, or use a simpler fit.",
    )


def _similarity(nominal: Points, measured: Points, origin: Points, scale: float, rigid: bool) -> Transform:
    """Umeyama, equations 34 to 43, in the plane: the sum over complex products is the same solution."""
    p = (nominal - origin) @ np.array([1, 1j])
    centre = measured.mean(axis=0)
    q = (measured - centre) @ np.array([1, 1j])
    turn = (np.conj(p) * q).sum() / (np.abs(p) ** 2).sum()
    if rigid:
        turn = turn / abs(turn)
    a, b = turn.real * scale, turn.imag * scale
    kind: ModelName = "rigid" if rigid else "similarity"
    return Transform(kind, origin, scale, np.array([centre[0], a, -b]), np.array([centre[1], b, a]))


def _projective(uv: Points, measured: Points, origin: Points, scale: float) -> Transform:
    """Both sides are brought to mean 0 and mean distance √2 (Hartley), and the homography is the null vector of the
    direct linear equations; written back as one polynomial over another."""
    onto, from_ = _hartley(measured), _hartley(uv)
    p, q = _flat(uv, from_), _flat(measured, onto)
    x, y, one, zero = p[:, 0], p[:, 1], np.ones(len(p)), np.zeros(len(p))
    rows = np.vstack(
        [
            np.column_stack([x, y, one, zero, zero, zero, -q[:, 0] * x, -q[:, 0] * y, -q[:, 0]]),
            np.column_stack([zero, zero, zero, x, y, one, -q[:, 1] * x, -q[:, 1] * y, -q[:, 1]]),
        ]
    )
    _, sizes, v = np.linalg.svd(rows)
    if sizes[7] < 1e-9 * sizes[0]:  # three marks on one line
        raise _cannot_be_told("projective")
    matrix = np.linalg.inv(onto) @ v[8].reshape(3, 3) @ from_
    matrix = matrix[:, [2, 0, 1]] / matrix[2, 2]
    return Transform("projective", origin, scale, matrix[0], matrix[1], bottom=matrix[2])


def _hartley(points: Points) -> NDArray[np.float64]:
    middle = points.mean(axis=0)
    size = np.sqrt(2) / np.hypot(*(points - middle).T).mean()
    return np.array([[size, 0, -size * middle[0]], [0, size, -size * middle[1]], [0, 0, 1.0]])


def _flat(points: Points, matrix: NDArray[np.float64]) -> Points:
    return np.asarray(points @ matrix[:2, :2].T + matrix[:2, 2])


def _thin_plate(uv: Points, measured: Points, origin: Points, scale: float, smoothing: float | None) -> Transform:
    """Bookstein's linear system with `smoothing` on the diagonal of the kernel."""
    if smoothing is None:
        smoothing = min(SMOOTHINGS, key=lambda one: _left_out(uv, measured, one))
    knowns = np.vstack([measured, np.zeros((3, 2))])
    solution = np.asarray(np.linalg.solve(_plate_system(uv, smoothing), knowns), dtype=np.float64)
    weights, linear = solution[: len(uv)], solution[len(uv) :]
    return Transform("thin plate", origin, scale, linear[:, 0], linear[:, 1], centres=uv, weights=weights)


def _plate_system(uv: Points, smoothing: float) -> NDArray[np.float64]:
    count = len(uv)
    system = np.zeros((count + 3, count + 3))
    system[:count, :count] = kernel(uv, uv, 0.0) + smoothing * np.eye(count)
    system[:count, count:] = powers(uv, LINEAR)
    system[count:, :count] = system[:count, count:].T
    return system


def _left_out(uv: Points, measured: Points, smoothing: float) -> float:
    """Sum of squares of how far each mark lies from where a plate through the others would put it. The solution is
    linear in the marks, so what is left of a mark without itself is wᵢ / (A⁻¹)ᵢᵢ with A the system above."""
    inverse = np.linalg.inv(_plate_system(uv, smoothing))[: len(uv), : len(uv)]
    left = (inverse @ measured) / np.diag(inverse)[:, None]
    return float((left**2).sum())


def powers(uv: Points, exponents: tuple[tuple[int, int], ...]) -> NDArray[np.float64]:
    """uᵃvᵇ (n, len(exponents)) for LINEAR or QUADRATIC."""
    values = np.empty((len(uv), len(exponents)))
    u, v = uv.T
    values[:, 0], values[:, 1], values[:, 2] = 1.0, u, v
    if len(exponents) == len(QUADRATIC):
        values[:, 3], values[:, 4], values[:, 5] = u * u, u * v, v * v
    return values


def kernel(points: Points, centres: Points, reach: float) -> NDArray[np.float64]:
    """(n, m): r² log r for reach 0, else exp(−r² / 2 reach²)."""
    apart = points[:, None, :] - centres
    squares = np.einsum("nmk,nmk->nm", apart, apart)
    if reach:
        return np.asarray(np.exp(squares / (-2 * reach**2)))
    return np.asarray(squares * np.log(np.where(squares > 0, squares, 1.0)) / 2)
