# SPDX-License-Identifier: Apache-2.0
"""Make the even numbers that the first bounces of a path are drawn from: draws.npy and shifts.npy in data/.

draws.npy (4096, 16) uint16: scrambled Sobol points (Owen scrambling, scipy.stats.qmc) in 65536ths, a row for each
sample of a pixel; column pairs are the pairs of numbers that `gloamet.trace.geometry.sampler` hands out. shifts.npy
(64 x 64, 16) uint16: how far each pixel of a square of 64 shifts each of them round. Along the Z-shaped curve
through the square a pair's shifts are Sobol points whose order is shuffled digit by digit (Ahmed & Wonka 2020, from
memory), so that pixels side by side, and squares of them, fill the pair's unit square evenly between them: grain
that neighbours share is what cleaning cannot take away.
"""

from __future__ import annotations

from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from scipy.stats import qmc

POINTS_LOG2, COLUMNS, SEED = 12, 16, 20261125
LEVELS = 6  # a square of 2 ** LEVELS pixels


def curve() -> NDArray[np.int64]:
    """Number of each pixel (y, x) along the Z-shaped curve."""
    along = np.arange(1 << LEVELS)
    spread = np.add.reduce([((along >> k) & 1) << (2 * k) for k in range(LEVELS)])
    return np.asarray(spread[:, None] * 2 + spread[None, :])


def shuffled(rng: np.random.Generator) -> NDArray[np.int64]:
    """An order of 4 ** LEVELS numbers that keeps blocks of 4, 16, 64 ... together, and shuffles each inside."""
    order = np.zeros(1, np.int64)
    for _ in range(LEVELS):
        fours = np.argsort(rng.random((len(order), 4)), axis=1)
        order = (order[:, None] * 4 + fours).ravel()
    return order


def _sixteen(points: NDArray[np.float64]) -> NDArray[np.uint16]:
    return np.minimum(points * 65536.0, 65535.0).astype(np.uint16)


def main() -> None:
    """Draw and write."""
    data = Path(__file__).parents[1] / "src/gloamet/data"
    np.save(
        data / "draws.npy", _sixteen(qmc.Sobol(COLUMNS, scramble=True, seed=SEED).random_base2(POINTS_LOG2))
    )
    rng, along = np.random.default_rng(SEED), curve()
    pairs = []
    for _ in range(COLUMNS // 2):
        net = qmc.Sobol(2, scramble=True, seed=rng).random_base2(2 * LEVELS)
        pairs.append(net[shuffled(rng)][along].reshape(-1, 2))
    np.save(data / "shifts.npy", _sixteen(np.concatenate(pairs, 1)))


if __name__ == "__main__":
    main()
