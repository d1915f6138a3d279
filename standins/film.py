"""What film does to a sheet: stretch, skew and bow. A model of the stand-ins' own (no published source).

A sheet W × H mm, u = x/W − ½, v = y/H − ½: X = x(1 + a) + s·v + b(1 − 4v²),  Y = y(1 + c) + d(1 − 4u²), to which a
smooth pull of chance is added that no such formula holds (waves of about half a metre), then a turn by r about the
corner and a shift (e, f)."""

from dataclasses import asdict, dataclass, replace
from typing import Any

import numpy as np

PULL_MM, PULL_REACH_MM, WAVES = 0.05, 450.0, 8
Wave = tuple[float, float, float, float]
"""Turns a mm across and along, phase, and mm; the first half of a film's waves move X, the others Y."""


@dataclass(frozen=True)
class Film:
    width: float
    length: float
    a: float
    c: float
    s: float
    b: float
    d: float
    r: float
    e: float
    f: float
    waves: tuple[Wave, ...] = ()

    @classmethod
    def drawn(cls, width: float, length: float, random: np.random.Generator) -> "Film":
        """The spreads: stretch 0.15 %, skew 0.8 mm, bow 0.5 mm, turn 0.01 rad, shift 5 mm, each normal. Draws with
        hardly any distortion are drawn again, so that every sheet is worth aligning."""
        while True:
            a, c = random.normal(0, 0.0015, 2)
            b, d = random.normal(0, 0.5, 2)
            film = cls(
                width, length, a, c, random.normal(0, 0.8), b, d, random.normal(0, 0.01), *random.normal(0, 5, 2)
            )
            if abs(b) + abs(d) > 0.4:
                return replace(film, waves=tuple(_wave(random) for _ in range(WAVES)))

    @classmethod
    def from_note(cls, note: dict[str, Any]) -> "Film":
        return cls(**{**note, "waves": tuple(tuple(wave) for wave in note.get("waves", ()))})

    @classmethod
    def none(cls, width: float, length: float) -> "Film":
        return cls(width, length, 0, 0, 0, 0, 0, 0, 0, 0)

    def note(self) -> dict[str, Any]:
        return {name: value if name == "waves" else float(value) for name, value in asdict(self).items()}

    def _pulled(self, x: np.ndarray, y: np.ndarray) -> list[np.ndarray]:
        """What the waves add to X and to Y."""
        half = len(self.waves) // 2
        return [
            sum((size * np.sin(kx * x + ky * y + phase) for kx, ky, phase, size in waves), np.zeros_like(x))
            for waves in (self.waves[:half], self.waves[half:])
        ]

    def moved(self, points: np.ndarray) -> np.ndarray:
        """Where printed `points` (n, 2) lie after the film."""
        x, y = points.T
        u, v = x / self.width - 0.5, y / self.length - 0.5
        pull_x, pull_y = self._pulled(x, y)
        bent_x = x * (1 + self.a) + self.s * v + self.b * (1 - 4 * v**2) + pull_x
        bent_y = y * (1 + self.c) + self.d * (1 - 4 * u**2) + pull_y
        cos, sin = np.cos(self.r), np.sin(self.r)
        return np.stack([cos * bent_x - sin * bent_y + self.e, sin * bent_x + cos * bent_y + self.f], axis=1)

    def unmoved(self, points: np.ndarray) -> np.ndarray:
        """The printed place of `points` (n, 2) on the laminated sheet: the small bend taken off again and again."""
        cos, sin = np.cos(self.r), np.sin(self.r)
        x, y = points[:, 0] - self.e, points[:, 1] - self.f
        bent_x, bent_y = cos * x + sin * y, -sin * x + cos * y
        px, py = bent_x / (1 + self.a), bent_y / (1 + self.c)
        for _ in range(6):
            u, v = px / self.width - 0.5, py / self.length - 0.5
            pull_x, pull_y = self._pulled(px, py)
            px, py = (
                (bent_x - self.s * v - self.b * (1 - 4 * v**2) - pull_x) / (1 + self.a),
                (bent_y - self.d * (1 - 4 * u**2) - pull_y) / (1 + self.c),
            )
        return np.stack([px, py], axis=1)


def _wave(random: np.random.Generator) -> Wave:
    kx, ky = random.normal(0, 1 / PULL_REACH_MM, 2)
    size = PULL_MM * np.sqrt(2 / (WAVES / 2))
    return float(kx), float(ky), float(random.uniform(0, 2 * np.pi)), float(size)
