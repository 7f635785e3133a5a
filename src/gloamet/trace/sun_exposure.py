# SPDX-License-Identifier: Apache-2.0
"""Sunlit points under many suns, for the scan of a year.

points (P, 3) and normals (P, 3) float32; suns (N, 3) float32 unit vectors towards the sun's middle; shares (N,)
float32, the part of the points each sun reaches, through clear glass too.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numba import njit
from numpy.typing import NDArray

from gloamet.jit import KERNEL_OPTIONS, F
from gloamet.thread_pool import shared_pool
from gloamet.trace.geometry.records import Ray
from gloamet.trace.geometry.vec import dot, largest, neg, triple
from gloamet.trace.render_scene import RenderScene
from gloamet.trace.surfaces.visibility import T_MAX, offset_to_back, shadow_transmittance

MIN_TRANSMITTANCE = F(0.02)  # of the sun's light: less is no sun
SUNS_PER_TASK = 512  # suns between two looks at whether to stop
Floats = NDArray[np.float32]


@njit(**KERNEL_OPTIONS)
def _sunlit_rows(scene, points, normals, both_sides, suns, first, last, fractions):
    for k in range(first, last):
        towards, lit = triple(suns, k, 0), 0
        for i in range(len(points)):
            point, normal = triple(points, i, 0), triple(normals, i, 0)
            if dot(normal, towards) > F(0):
                normal = neg(normal)
            elif not both_sides:
                continue
            through = shadow_transmittance(scene, Ray(offset_to_back(point, normal), towards), T_MAX)
            if largest(through) > MIN_TRANSMITTANCE:
                lit += 1
        fractions[k] = F(lit) / F(len(points))


def sunlit_fractions(
    scene: RenderScene,
    points: Floats,
    normals: Floats,
    both_sides: bool,
    suns: NDArray[np.floating],
    cancelled: Callable[[], bool] | None = None,
) -> Floats:
    """Compute the fraction of points that each sun reaches.

    Parameters
    ----------
    scene : RenderScene
        The render scene.
    points : ndarray
        Points, metres, (n, 3).
    normals : ndarray
        Unit normals, (n, 3).
    both_sides : bool
        Whether light may fall on the back of a thin sheet.
    suns : ndarray
        Unit vectors to suns above the horizon, (m, 3).
    cancelled : callable or None, optional
        Tells whether to stop; None never stops.

    Returns
    -------
    ndarray
        Fractions 0 to 1, (m,); zeros after cancelling.
    """
    fractions = np.zeros(len(suns), np.float32)
    points, normals = np.ascontiguousarray(points, np.float32), np.ascontiguousarray(normals, np.float32)
    suns, arrays = np.ascontiguousarray(suns, np.float32), scene.arrays()
    before = (arrays, points, normals, both_sides, suns)

    def piece(first: int) -> None:
        if cancelled is None or not cancelled():
            _sunlit_rows(*before, first, min(len(suns), first + SUNS_PER_TASK), fractions)

    pool = shared_pool()
    list(pool.map(piece, range(0, len(suns), SUNS_PER_TASK)))
    return fractions
