"""Random numbers of a path: a counter steps by GOLDEN and is mixed into two uniform numbers."""

from __future__ import annotations

import numpy as np
from numba import njit

from gloamet.jit import JIT

F = np.float32
GOLDEN = np.uint64(0x9E3779B97F4A7C15)
MIX1, MIX2 = np.uint64(0xBF58476D1CE4E5B9), np.uint64(0x94D049BB133111EB)
PIXEL = np.uint64(0xD1342543DE82EF95)
_TINY = F(2.0**-24)


@njit(inline="always", **JIT)
def two_numbers(state):
    """Two uniform numbers in [0, 1) from a counter (SplitMix64, Steele et al. 2014)."""
    z = (state ^ (state >> np.uint64(30))) * MIX1
    z = (z ^ (z >> np.uint64(27))) * MIX2
    z = z ^ (z >> np.uint64(31))
    return F(z >> np.uint64(40)) * _TINY, F((z >> np.uint64(8)) & np.uint64(0xFFFFFF)) * _TINY
