# SPDX-License-Identifier: Apache-2.0
"""Weighted sums of film layers by threads: the cost of a change of a gain or a tint.

Layers (H, W, 3), sample counts (H, W) and a gain per channel for direct light and indirect light enter; their
sum per sample leaves.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numba import njit
from numpy.typing import NDArray

from gloamet.jit import KERNEL_OPTIONS, F
from gloamet.light_layers import Gain
from gloamet.thread_pool import shared_pool

Floats = NDArray[np.float32]
STRIP_ROWS = 16  # whose sum stays in the cache while the lights are added


@njit(**KERNEL_OPTIONS)
def _add_rows(whole, indirect, counts, direct, over, first, last, out):
    """Add rows first..last of one light to out: all of it under `direct`, the indirect part by `over` more."""
    uneven = over[0] != F(0) or over[1] != F(0) or over[2] != F(0)
    for y in range(first, last):
        for x in range(whole.shape[1]):
            fraction = F(1) / max(counts[y, x], F(1))
            for k in range(3):
                light = whole[y, x, k] * direct[k]
                if uneven:
                    light += indirect[y, x, k] * over[k]
                out[y, x, k] += light * fraction


def weigh(layers: Sequence[tuple[Floats, Floats, Gain]], counts: Floats) -> Floats:
    """The weighted sum of lights (all, the indirect part, gain), per sample."""
    height, width = counts.shape
    out = np.zeros((height, width, 3), np.float32)
    arguments = []
    for whole, indirect, gain in layers:
        direct = np.array(gain.direct, np.float32)
        over = np.array(gain.indirect, np.float32) - direct
        if direct.any() or over.any():
            arguments.append((whole, indirect, counts, direct, over))

    def strip(first: int) -> None:
        """The lights of one strip of rows."""
        for word in arguments:
            _add_rows(*word, first, min(height, first + STRIP_ROWS), out)

    list(shared_pool().map(strip, range(0, height, STRIP_ROWS)))
    return out
