"""Compile the kernels into Numba's cache, so that nobody waits for it at work: `python -m
etiquette.core.planning.warm`."""

from shapely import box

from etiquette.core.planning.nesting import nest
from etiquette.core.planning.problem import Piece, Problem

if __name__ == "__main__":
    nest(
        Problem(100, None, 1, 1, (Piece("a", box(0, 0, 10, 10), 3, (0.0, 90.0)),), steps=2, keep_out=(box(0, 0, 5, 5),))
    )
