"""Rays to the sun from the places of cells, those of a cell together: they stand close, and go one way.

places (cells, up to LANES, HIT_WORDS) as `gather.wander` notes them. lit (cells, places, 4): three channels of what
reaches the base, cosine times visibility, and the luminance that the gloss returns before.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from gloamet.colour.spaces import AP1_LUMINANCE
from gloamet.jit import KERNEL_OPTIONS
from gloamet.thread_barrier import next_index
from gloamet.trace.bsdf import directional_albedo
from gloamet.trace.direct_lighting import sun_direction
from gloamet.trace.rays import FAR_AT, FREE, LANES, occluded8
from gloamet.trace.sampler import GOLDEN, random_pair
from gloamet.trace.visibility import ANY_MASK, OPAQUE_ONLY, offset_to_back, transmittance_along_ray

F = np.float32
CELLS_PER_TASK = 1024  # of a piece of work
_FAR = F(1e30)
_RED, _GREEN, _BLUE = AP1_LUMINANCE.astype(np.float32)
_NORMAL, _GLOSS, _ALPHA, _THROUGH = 3, 9, 10, 11  # words of a place


@njit(inline="always", **KERNEL_OPTIONS)
def _write_ray(packets, row, lane, x, y, z, dx, dy, dz, k):
    """Write a ray into a lane, and which place it belongs to."""
    packets[row, lane], packets[row, LANES + lane], packets[row, 2 * LANES + lane] = x, y, z
    packets[row, 4 * LANES + lane], packets[row, 5 * LANES + lane], packets[row, 6 * LANES + lane] = (
        dx,
        dy,
        dz,
    )
    packets[row, FAR_AT + lane], packets[row, FREE + lane] = _FAR, F(k)


@njit(inline="always", **KERNEL_OPTIONS)
def _aim_rays(sun, places, c, packets, row, lit):
    """Write what a cell's places get of an open sun, and the rays of those that face it; returns how many."""
    count = 0
    for k in range(places.shape[1]):
        # each place aims at a point of the disc that stays its own
        a, b = random_pair(np.uint64(c * 16 + k) * GOLDEN + np.uint64(5))
        dx, dy, dz = sun_direction(sun, a, b)
        x, y, z = places[c, k, 0], places[c, k, 1], places[c, k, 2]
        nx, ny, nz = places[c, k, _NORMAL], places[c, k, _NORMAL + 1], places[c, k, _NORMAL + 2]
        cosine = nx * dx + ny * dy + nz * dz
        through = places[c, k, _THROUGH]
        share = F(1) - through
        if cosine < F(0) and through > F(0):
            x, y, z = offset_to_back(x, y, z, nx, ny, nz)
            cosine, share = -cosine, through
        if cosine <= F(0) or dz <= F(0):
            lit[c, k, 0] = lit[c, k, 1] = lit[c, k, 2] = lit[c, k, 3] = F(0)
            continue
        gloss, cosine = places[c, k, _GLOSS], cosine * share
        taken = gloss * directional_albedo(1, cosine / share, places[c, k, _ALPHA]) if gloss > F(0) else F(0)
        lit[c, k, 0] = lit[c, k, 1] = lit[c, k, 2] = cosine * (F(1) - taken)
        lit[c, k, 3] = cosine * taken
        _write_ray(packets, row, count, x, y, z, dx, dy, dz, k)
        count += 1
    return count


@njit(inline="always", **KERNEL_OPTIONS)
def _attenuate(lit, c, k, r, g, b):
    lit[c, k, 0], lit[c, k, 1], lit[c, k, 2] = lit[c, k, 0] * r, lit[c, k, 1] * g, lit[c, k, 2] * b
    lit[c, k, 3] *= _RED * r + _GREEN * g + _BLUE * b


@njit(**KERNEL_OPTIONS)
def trace_cell_sun(scene, pervious, arrays, sun, places, c, packets, row, lit):
    """Fill lit[c]; a row of packets is its room."""
    count = _aim_rays(sun, places, c, packets, row, lit)
    if count == 0:
        return
    occluded8(scene, packets, row, count, ANY_MASK)
    left = 0
    for lane in range(count):
        if packets[row, FAR_AT + lane] >= F(0):
            continue
        k = int(packets[row, FREE + lane])
        if not pervious:
            _attenuate(lit, c, k, F(0), F(0), F(0))
            continue
        _write_ray(
            packets, row, left, packets[row, lane], packets[row, LANES + lane], packets[row, 2 * LANES + lane],
            packets[row, 4 * LANES + lane], packets[row, 5 * LANES + lane], packets[row, 6 * LANES + lane], k,
        )  # fmt: skip
        left += 1
    if left == 0:
        return
    occluded8(scene, packets, row, left, OPAQUE_ONLY)
    for lane in range(left):
        r = g = b = F(0)
        if packets[row, FAR_AT + lane] >= F(0):
            r, g, b = transmittance_along_ray(
                scene, arrays, packets[row, lane], packets[row, LANES + lane], packets[row, 2 * LANES + lane],
                packets[row, 4 * LANES + lane], packets[row, 5 * LANES + lane], packets[row, 6 * LANES + lane],
                _FAR,
            )  # fmt: skip
        _attenuate(lit, c, int(packets[row, FREE + lane]), r, g, b)


@njit(**KERNEL_OPTIONS)
def trace_cells_sun(team, k, scene, pervious, arrays, sun, places, phase, stride, packets, row, lit):
    """Pieces of list k: from `phase` on every `stride`-th cell."""
    while True:
        begin = next_index(team, k) * CELLS_PER_TASK
        if begin >= len(places):
            break
        for c in range(begin + (phase - begin) % stride, min(len(places), begin + CELLS_PER_TASK), stride):
            trace_cell_sun(scene, pervious, arrays, sun, places, c, packets, row, lit)


@njit(**KERNEL_OPTIONS)
def trace_all_cells_sun(team, scene, pervious, arrays, sun, places, packets, lit):
    """Every cell, all threads together; team (2,) int64 of zeros."""
    row = next_index(team, 1)
    trace_cells_sun(team, 0, scene, pervious, arrays, sun, places, 0, 1, packets, row, lit)
