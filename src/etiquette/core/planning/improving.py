"""Shortening a whole layout: again and again it is pressed into a few rows less, by two hands at once, and the shortest
one in which nothing collides is kept.

The work goes in rounds of equally many moves for every hand, and what a hand does next depends only on what came
before: so a number of rounds gives the same layout on any machine."""

from concurrent.futures import ThreadPoolExecutor

import numpy as np

from etiquette.core.planning.no_fit import NoFit
from etiquette.core.planning.separating import Choices, Packing, Separation

HANDS = 2
FIRST_SHRINK, SLOWER = 0.02, 0.75
"""Share of its length by which a layout is shortened at first; what is left of that share after an attempt in vain."""
PATIENCE = 160
"""Sweeps without a smaller overlap after which an attempt is given up."""
STUCK_AFTER = 30
SCATTERED, SCATTER_SHARE = 120, 0.5
"""Packings of at most so many pieces are scattered anew in this share of the starts of the second hand."""
SWAPS = 2
PATIENCE_APART = 30
"""The same while a first layout is moved apart."""
MOVES_A_ROUND = 400


class Improver:
    """Keeps `best`, the shortest packing found, and two attempts to beat it. A packing in which pieces collide is moved
    apart first, in as many more rows as that takes."""

    def __init__(self, tables: NoFit, choices: Choices, packing: Packing, columns: int, seed: int) -> None:
        self._tables, self._choices, self._columns = tables, choices, columns
        self._random = np.random.default_rng(seed)
        self._shrink = FIRST_SHRINK
        self._in_vain = 0
        self._attempts: list[Separation | None] = [None] * HANDS
        self._targets = [0] * HANDS
        # no layout is shorter than the flattest turn of its tallest piece
        flattest = [tables.rows[one:end].min() for one, end in zip(choices.first, choices.last, strict=True)]
        self._floor = int(max(flattest, default=0))
        rows = max(packing.top(tables.rows), self._floor)
        apart = self._attempt(packing, rows)
        while not apart.run(MOVES_A_ROUND):
            if apart.sweeps_in_vain > PATIENCE_APART:
                rows += max(1, rows // 50)
                apart = self._attempt(apart.packing, rows)
        self.best = apart.packing

    def _attempt(self, packing: Packing, rows: int) -> Separation:
        seed = int(self._random.integers(1 << 30))
        return Separation(self._tables, self._choices, packing.copy(), self._columns, rows, seed)

    @property
    def rows(self) -> int:
        """How many rows of cells the best packing takes."""
        return self.best.top(self._tables.rows)

    @property
    def is_lowest(self) -> bool:
        """Whether no shorter packing can exist."""
        return self.rows <= self._floor

    @property
    def is_stuck(self) -> bool:
        """Whether many attempts one after the other, each a single row shorter, were in vain."""
        return self._in_vain >= STUCK_AFTER

    def round(self, pool: ThreadPoolExecutor) -> bool:
        """Every hand makes its moves; True when a shorter packing was found."""
        for hand in range(HANDS):
            if self._attempts[hand] is None or self._targets[hand] >= self.rows:
                # the second hand is half as bold as the first
                less = max(1, int(self._shrink / (1 + hand) * self.rows))
                self._targets[hand] = max(self._floor, self.rows - less)
                start = self._stirred() if self._in_vain and hand else self.best
                self._attempts[hand] = self._attempt(start, self._targets[hand])
        done = list(pool.map(self._work, range(HANDS)))
        found = False
        for hand, success in enumerate(done):
            attempt = self._attempts[hand]
            if attempt is None:
                continue
            if success:
                if attempt.packing.top(self._tables.rows) < self.rows:
                    self.best, found, self._in_vain = attempt.packing, True, 0
                self._attempts[hand] = None
            elif attempt.sweeps_in_vain > PATIENCE:
                self._shrink = max(self._shrink * SLOWER, 0.5 / max(self.rows, 1))
                self._in_vain += self.rows - self._targets[hand] <= 1
                self._attempts[hand] = None
        return found

    def _stirred(self) -> Packing:
        """The best packing with larger pieces in each other's places, or all pieces of a small one anywhere: ways out
        of where it is stuck."""
        packing = self.best.copy()
        free = packing.free
        if free <= SCATTERED and self._random.random() < SCATTER_SHARE:
            packing.x[:free] = self._random.integers(0, self._columns, free)
            packing.y[:free] = self._random.integers(0, self.rows, free)
            return packing
        size = (self._tables.rows * self._tables.columns)[packing.stamps[:free]]
        large = np.argsort(-size)[: max(2, free // 2)]
        for _ in range(SWAPS):
            one, two = self._random.choice(large, 2, replace=False) if free > 1 else (0, 0)
            for at in (packing.x, packing.y):
                at[one], at[two] = at[two], at[one]
        return packing

    def _work(self, hand: int) -> bool:
        attempt = self._attempts[hand]
        return attempt is not None and attempt.run(MOVES_A_ROUND)
