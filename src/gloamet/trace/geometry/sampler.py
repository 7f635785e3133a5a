# SPDX-License-Identifier: Apache-2.0
"""The sampler: Owen-scrambled Sobol points for the first dimensions of a path, counter-based random numbers after
them.

Random: a counter steps by GOLDEN and is mixed into two uniform numbers (SplitMix64, Steele et al. 2014). Sobol: a
table of scrambled points, one row for each sample, shifted round for each pixel and pair of dimensions (Cranley &
Patterson 1976); every pixel's samples then fill the pair's square evenly, and any one of them alone is still uniform.
The shifts of neighbouring pixels are even too (`tools/make_draws.py`).
"""

from __future__ import annotations

import numpy as np
from numba import njit
from numpy.typing import NDArray

from gloamet.jit import INLINE_KERNEL_OPTIONS, INNER_KERNEL_OPTIONS, F
from gloamet.shipped_data import DATA

GOLDEN = np.uint64(0x9E3779B97F4A7C15)
MIX1, MIX2 = np.uint64(0xBF58476D1CE4E5B9), np.uint64(0x94D049BB133111EB)
PIXEL_HASH_MULTIPLIER = np.uint64(0xD1342543DE82EF95)
_TO_UNIT = F(2.0**-24)


def _table(name: str) -> NDArray[np.uint16]:
    return np.ascontiguousarray(np.load(DATA / name))


_SOBOL, _SHIFTS = _table("draws.npy"), _table("shifts.npy")
_ROWS = np.uint64(len(_SOBOL) - 1)
_BLOCK = np.uint64(len(_SOBOL).bit_length() - 1)
PAIRS = _SOBOL.shape[1] // 2
_FROM_UINT16 = F(2.0**-16)
# of a pixel's number: its place in a square of 64, and the square
_LOW, _HIGH, _TILE_BITS = np.uint64(0x3F), np.uint64(0x3F << 6), np.uint64(0xFFFFFFFF_FFC0FFC0)


@njit(**INLINE_KERNEL_OPTIONS)
def random_pair(state):
    """Two uniform numbers in [0, 1) from a counter (SplitMix64, Steele et al. 2014)."""
    z = (state ^ (state >> np.uint64(30))) * MIX1
    z = (z ^ (z >> np.uint64(27))) * MIX2
    z = z ^ (z >> np.uint64(31))
    return F(z >> np.uint64(40)) * _TO_UNIT, F((z >> np.uint64(8)) & np.uint64(0xFFFFFF)) * _TO_UNIT


@njit(**INLINE_KERNEL_OPTIONS)
def next_pair(state):
    """The counter one step on, and the two uniform numbers there."""
    state += GOLDEN
    u, v = random_pair(state)
    return state, u, v


@njit(**INLINE_KERNEL_OPTIONS)
def pixel_id(x, y, seed):
    """Number a pixel for the sampler.

    Parameters
    ----------
    x : int64
        Column, below 65536.
    y : int64
        Row, below 65536.
    seed : uint64
        Seed of the picture.

    Returns
    -------
    uint64
        The number.
    """
    return np.uint64(x) + (np.uint64(y) << np.uint64(16)) + (np.uint64(seed) << np.uint64(32))


@njit(**INNER_KERNEL_OPTIONS)
def sobol_pair(pixel, sample, pair):
    """Two numbers in [0, 1) of a sample of a pixel; pair below PAIRS, other pairs are independent."""
    position = (pixel & _LOW) | ((pixel >> np.uint64(10)) & _HIGH)
    # squares of pixels, and blocks of the table's length, are shifted again
    seed = (
        ((pixel & _TILE_BITS) + np.uint64(1)) * PIXEL_HASH_MULTIPLIER
        + (sample >> _BLOCK) * MIX2
        + np.uint64(pair + 1) * GOLDEN
    )
    u, v = random_pair(seed)
    row = sample & _ROWS
    u += F(_SOBOL[row, 2 * pair] + np.uint32(_SHIFTS[position, 2 * pair])) * _FROM_UINT16
    v += F(_SOBOL[row, 2 * pair + 1] + np.uint32(_SHIFTS[position, 2 * pair + 1])) * _FROM_UINT16
    return u - F(int(u)), v - F(int(v))


@njit(**INLINE_KERNEL_OPTIONS)
def next_2d(state, pixel, sample, pair):
    """Draw two random numbers of a sample.

    Parameters
    ----------
    state : uint64
        State of the counter.
    pixel : uint64
        Number of the pixel, from `pixel_id`.
    sample : int64
        Index of the sample.
    pair : int64
        Index of the dimension pair; scrambled Sobol points while there are pairs, then random numbers.

    Returns
    -------
    tuple
        New state, and two numbers 0 to 1.
    """
    state += GOLDEN
    u, v = sobol_pair(pixel, sample, pair) if pair < PAIRS else random_pair(state)
    return state, u, v
