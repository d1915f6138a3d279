"""Compile the kernels into Numba's cache, so that nobody waits for it at work: `python -m
etiquette.core.cutting.warm`."""

import numpy as np

from etiquette.core.cutting.touring import tour

if __name__ == "__main__":
    tour(np.random.default_rng(1).uniform(0, 100, (12, 2)), np.zeros(2))
