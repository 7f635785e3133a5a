"""Random numbers of a path: even ones for its first bounces, plain ones after that.

Plain: a counter steps by GOLDEN and is mixed into two uniform numbers. Even: a table of scrambled Sobol points,
one row for each sample, shifted round for each pixel and pair (Cranley & Patterson 1976); every pixel's samples
then fill the pair's square evenly, and any one of them alone is still uniform.
"""

from __future__ import annotations

from importlib.resources import files

import numpy as np
from numba import njit

from gloamet.jit import JIT

F = np.float32
GOLDEN = np.uint64(0x9E3779B97F4A7C15)
MIX1, MIX2 = np.uint64(0xBF58476D1CE4E5B9), np.uint64(0x94D049BB133111EB)
PIXEL = np.uint64(0xD1342543DE82EF95)
_TINY = F(2.0**-24)
_POINTS = np.ascontiguousarray(np.load(str(files("gloamet").joinpath("data", "draws.npy"))))
_ROWS = np.uint64(len(_POINTS) - 1)
_BLOCK = np.uint64(len(_POINTS).bit_length() - 1)
PAIRS = _POINTS.shape[1] // 2
_SHARE = F(2.0**-16)


@njit(inline="always", **JIT)
def two_numbers(state):
    """Two uniform numbers in [0, 1) from a counter (SplitMix64, Steele et al. 2014)."""
    z = (state ^ (state >> np.uint64(30))) * MIX1
    z = (z ^ (z >> np.uint64(27))) * MIX2
    z = z ^ (z >> np.uint64(31))
    return F(z >> np.uint64(40)) * _TINY, F((z >> np.uint64(8)) & np.uint64(0xFFFFFF)) * _TINY


@njit(**JIT)
def even_numbers(pixel, sample, pair):
    """Two numbers in [0, 1) of a sample of a pixel; pair below PAIRS, other pairs are independent."""
    # each block of the table's length is shifted anew
    seed = (pixel + np.uint64(1)) * PIXEL + (sample >> _BLOCK) * MIX2 + np.uint64(pair + 1) * GOLDEN
    u, v = two_numbers(seed)
    row = sample & _ROWS
    u += F(_POINTS[row, 2 * pair]) * _SHARE
    v += F(_POINTS[row, 2 * pair + 1]) * _SHARE
    if u >= F(1):
        u -= F(1)
    if v >= F(1):
        v -= F(1)
    return u, v


@njit(inline="always", **JIT)
def drawn(state, pixel, sample, pair):
    """Even numbers while there are pairs, plain ones of the counter after that."""
    if pair < PAIRS:
        return even_numbers(pixel, sample, pair)
    return two_numbers(state)
