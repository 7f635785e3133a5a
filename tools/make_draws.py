"""Make src/gloamet/data/draws.npy: the even numbers that the first bounces of a path are drawn from.

Array (4096, 16) uint16, scrambled Sobol points (Owen scrambling, scipy.stats.qmc) in 65536ths; column pairs
are the pairs of numbers that `gloamet.trace.draws` hands out.
"""

from __future__ import annotations

from pathlib import Path

import numpy as np
from scipy.stats import qmc

POINTS_LOG2, COLUMNS, SEED = 12, 16, 20261125


def main() -> None:
    """Draw and write."""
    points = qmc.Sobol(COLUMNS, scramble=True, seed=SEED).random_base2(POINTS_LOG2)
    target = Path(__file__).parents[1] / "src/gloamet/data/draws.npy"
    np.save(target, np.minimum(points * 65536.0, 65535.0).astype(np.uint16))


if __name__ == "__main__":
    main()
