# SPDX-License-Identifier: Apache-2.0
"""Distances of a pixel's content, as two means that separate near from far surfaces.

A pixel on an outline shows a post ten metres off and a hill beyond ten kilometres: the air before it is that of the
hill over half of it, not that before their mean distance. The mean distance and the mean of exp(-distance / NEAR_M)
enter; the share of the pixel that is far, and its distance, leave. Sky counts as distance 0: its air is in it already.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

from gloamet.jit import INLINE_KERNEL_OPTIONS, KERNEL_OPTIONS, F

Floats = NDArray[np.float32]


class FarParts(NamedTuple):
    """Planes (H, W): the fraction of each pixel that is far, and its distance in metres, 0 for sky."""

    fraction: Floats
    distance: Floats


NEAR_M = 500.0
ALIKE, NEWTON_STEPS = F(0.995), 5  # a pixel whose two means agree so well shows one distance


def nearness(depth: Floats) -> Floats:
    """Compute exp(−distance / NEAR_M).

    Parameters
    ----------
    depth : ndarray
        Distances, metres.

    Returns
    -------
    ndarray
        Nearness, 0 to 1.
    """
    return np.exp(depth * np.float32(-1.0 / NEAR_M))


@njit(**INLINE_KERNEL_OPTIONS)
def far_part(depth, near):
    """The fraction of a pixel that is far, and its distance in metres, from the means of distance and nearness.

    Part of it stands at 0 and the rest at D: (1 - exp(-D / NEAR_M)) / (D / NEAR_M) is then what is lost of nearness
    over the mean distance, which Newton's method is asked for D.
    """
    mean = depth * F(1.0 / NEAR_M)
    if mean < F(1e-3):
        return F(1), depth
    wanted = (F(1) - near) / mean
    if wanted >= ALIKE * (F(1) - math.exp(-mean)) / mean or wanted <= F(0):
        return F(1), depth
    x = max(mean, F(1) / wanted - F(0.5))
    for _ in range(NEWTON_STEPS):
        left = math.exp(-x)
        value, slope = (F(1) - left) / x, (left * (x + F(1)) - F(1)) / (x * x)
        x = max(mean, x - (value - wanted) / slope)
    return mean / x, x * F(NEAR_M)


@njit(**KERNEL_OPTIONS)
def _split(depth, near, fraction, far):
    for y in range(depth.shape[0]):
        for x in range(depth.shape[1]):
            fraction[y, x], far[y, x] = far_part(depth[y, x], near[y, x])


def far_parts(depth: Floats, near: Floats) -> FarParts:
    """Split every pixel into a near and a far part.

    Parameters
    ----------
    depth : ndarray
        Mean distances, metres, (H, W).
    near : ndarray
        Mean of `nearness`, (H, W).

    Returns
    -------
    FarParts
        Fraction of the far part and its distance.
    """
    parts = FarParts(np.empty_like(depth), np.empty_like(depth))
    _split(np.ascontiguousarray(depth), np.ascontiguousarray(near), *parts)
    return parts
