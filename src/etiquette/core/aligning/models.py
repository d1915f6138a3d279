"""Transforms from the planned sheet to the sheet that lies there, fitted to marks that were read.

Each is a polynomial map on centred, scaled coordinates u, v = (p − origin) / scale, linear in its coefficients, so one
least-squares solution serves all of them, and the error it leaves at any point follows from the geometry of the marks.
The similarity is the closed-form solution of S. Umeyama, "Least-squares estimation of transformation parameters
between two point patterns", IEEE TPAMI 13(4), 1991, without reflection.
"""

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from etiquette.core.errors import JobError
from etiquette.core.geometry.paths import Points

ModelName = Literal["similarity", "affine", "quadratic"]
LEAST_MARKS: dict[ModelName, int] = {"similarity": 2, "affine": 3, "quadratic": 6}
_POWERS: dict[str, tuple[tuple[int, int], ...]] = {
    "similarity": ((0, 0), (1, 0), (0, 1)),
    "affine": ((0, 0), (1, 0), (0, 1)),
    "quadratic": ((0, 0), (1, 0), (0, 1), (2, 0), (1, 1), (0, 2)),
}


@dataclass(frozen=True)
class Transform:
    """X = Σ x[k]·uᵃvᵇ and Y = Σ y[k]·uᵃvᵇ over the powers of `kind`; `origin` (2,) and `scale` in mm."""

    kind: ModelName
    origin: Points
    scale: float
    x: NDArray[np.float64]
    y: NDArray[np.float64]

    def __call__(self, points: Points) -> Points:
        """Carry `points` (n, 2) from the planned sheet to the loaded one."""
        basis = _basis(self.kind, (np.atleast_2d(points) - self.origin) / self.scale)
        return np.stack([basis @ self.x, basis @ self.y], axis=1)

    def residuals(self, nominal: Points, measured: Points) -> Points:
        """measured − fitted (n, 2)."""
        left: Points = np.asarray(measured) - self(np.asarray(nominal))
        return left

    def inverse(self, points: Points) -> Points:
        """Where `points` (n, 2) of the loaded sheet lie on the planned one: Newton steps from the linear part."""
        points = np.atleast_2d(points).astype(float)
        jacobian = self.jacobian(self.origin[None, :])[0]
        at = self.origin + np.linalg.solve(jacobian, (points - self(self.origin[None, :])).T).T
        for _ in range(8):
            step = np.linalg.solve(self.jacobian(at), (points - self(at))[..., None])[..., 0]
            at = at + step
            if np.abs(step).max(initial=0.0) < 1e-9:
                break
        return at

    def jacobian(self, points: Points) -> NDArray[np.float64]:
        """Derivatives (n, 2, 2) at `points` (n, 2)."""
        u, v = ((np.atleast_2d(points) - self.origin) / self.scale).T
        powers = _POWERS[self.kind]
        du = np.stack([a * u ** max(a - 1, 0) * v**b for a, b in powers], axis=1) / self.scale
        dv = np.stack([b * u**a * v ** max(b - 1, 0) for a, b in powers], axis=1) / self.scale
        return np.stack(
            [np.stack([du @ self.x, dv @ self.x], axis=1), np.stack([du @ self.y, dv @ self.y], axis=1)], axis=1
        )


def estimate(kind: ModelName, nominal: Points, measured: Points) -> Transform:
    """The transform of `kind` nearest to carrying `nominal` (n, 2) to `measured` (n, 2). Raises JobError when there
    are too few marks, or they stand so that the model cannot be told."""
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
    basis = _basis(kind, (nominal - origin) / scale)
    if kind == "similarity":
        return _similarity(nominal, measured, origin, scale)
    if np.linalg.matrix_rank(basis, tol=1e-6) < basis.shape[1]:
        raise JobError(
            f"The marks stand so that a {kind} fit cannot be told.",
            "marks",
            "Read a mark off their line, or use a simpler fit.",
        )
    solution = np.asarray(np.linalg.lstsq(basis, measured, rcond=None)[0], dtype=np.float64)
    return Transform(kind, origin, scale, solution[:, 0], solution[:, 1])


def _similarity(nominal: Points, measured: Points, origin: Points, scale: float) -> Transform:
    """Umeyama, equations 34 to 43, in the plane: the sum over complex products is the same solution."""
    p = (nominal - origin) @ np.array([1, 1j])
    centre = measured.mean(axis=0)
    q = (measured - centre) @ np.array([1, 1j])
    turn = (np.conj(p) * q).sum() / (np.abs(p) ** 2).sum()
    a, b = turn.real * scale, turn.imag * scale
    return Transform("similarity", origin, scale, np.array([centre[0], a, -b]), np.array([centre[1], b, a]))


def _basis(kind: str, uv: Points) -> NDArray[np.float64]:
    u, v = uv.T
    return np.stack([u**a * v**b for a, b in _POWERS[kind]], axis=1)


def leverage(kind: ModelName, nominal: Points, points: Points) -> NDArray[np.float64]:
    """Variance (n,) on one axis of the fitted position at `points`, for marks read with unit variance."""
    origin = nominal.mean(axis=0)
    scale = float(np.abs(nominal - origin).max())
    if kind == "similarity":
        away = ((points - origin) ** 2).sum(axis=1)
        spread = ((nominal - origin) ** 2).sum()
        similar: NDArray[np.float64] = 1 / len(nominal) + away / spread
        return similar
    basis = _basis(kind, (nominal - origin) / scale)
    inverse = np.linalg.pinv(basis.T @ basis)
    at = _basis(kind, (points - origin) / scale)
    return np.asarray(np.einsum("ij,jk,ik->i", at, inverse, at))
