# SPDX-License-Identifier: Apache-2.0
"""Sun rays from the sample points of cells, in packets of one cell: nearby origins, one direction.

places (cells, up to LANES, HIT_WORDS) as `final_gather.random_walk` notes them. lit (cells, places, 4): three channels
of what reaches the base, cosine times visibility, and the luminance that the specular lobe returns before.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from gloamet.jit import INLINE_KERNEL_OPTIONS, INNER_KERNEL_OPTIONS, KERNEL_OPTIONS, F
from gloamet.thread_barrier import next_index
from gloamet.trace.geometry.rays import FAR_AT, FREE, occluded8
from gloamet.trace.geometry.sampler import GOLDEN, random_pair
from gloamet.trace.geometry.vec import BLACK, dot, luminance, triple
from gloamet.trace.lights.environment import sun_direction
from gloamet.trace.relight.final_gather import (
    HIT_ALPHA,
    HIT_NORMAL,
    HIT_POSITION,
    HIT_SPECULAR,
    HIT_TRANSLUCENCY,
)
from gloamet.trace.relight.sun_rays import Packet, read_ray, write_ray
from gloamet.trace.surfaces.bsdf import DIELECTRIC_LOBE, directional_albedo
from gloamet.trace.surfaces.visibility import (
    ANY_MASK,
    OPAQUE_ONLY,
    T_MAX,
    offset_to_back,
    transmittance_along_ray,
)

CELLS_PER_TASK = 1024


@njit(**INLINE_KERNEL_OPTIONS)
def _aim_rays(sun, positions, c, packet, lit):
    """Write what a cell's places get of an open sun, and the rays of those that face it; returns how many."""
    count, cell = 0, positions[c]
    for k in range(len(cell)):
        # each place aims at a point of the disc that stays its own
        a, b = random_pair(np.uint64(c * 16 + k) * GOLDEN + np.uint64(5))
        towards = sun_direction(sun, a, b)
        origin, normal = triple(cell, k, HIT_POSITION), triple(cell, k, HIT_NORMAL)
        cosine, through = dot(normal, towards), cell[k, HIT_TRANSLUCENCY]
        fraction = F(1) - through
        if cosine < F(0) and through > F(0):
            origin = offset_to_back(origin, normal)
            cosine, fraction = -cosine, through
        if cosine <= F(0) or towards[2] <= F(0):
            lit[c, k, 0] = lit[c, k, 1] = lit[c, k, 2] = lit[c, k, 3] = F(0)
            continue
        specular, taken = cell[k, HIT_SPECULAR], F(0)
        if specular > F(0):
            taken = specular * directional_albedo(DIELECTRIC_LOBE, cosine, cell[k, HIT_ALPHA])
        cosine *= fraction
        lit[c, k, 0] = lit[c, k, 1] = lit[c, k, 2] = cosine * (F(1) - taken)
        lit[c, k, 3] = cosine * taken
        write_ray(packet, count, origin, towards)
        packet.packets[packet.row, FREE + count] = F(k)
        count += 1
    return count


@njit(**INLINE_KERNEL_OPTIONS)
def _attenuate(lit, c, k, through):
    """What is left of a place's light behind panes."""
    lit[c, k, 0], lit[c, k, 1] = lit[c, k, 0] * through[0], lit[c, k, 1] * through[1]
    lit[c, k, 2], lit[c, k, 3] = lit[c, k, 2] * through[2], lit[c, k, 3] * luminance(through)


@njit(**INNER_KERNEL_OPTIONS)
def trace_cell_sun(scene, sun, positions, c, packet, lit):
    """Fill lit[c]."""
    packets, row = packet
    count = _aim_rays(sun, positions, c, packet, lit)
    if count == 0:
        return
    occluded8(scene.handle, packets, row, count, ANY_MASK)
    left = 0
    for lane in range(count):
        if packets[row, FAR_AT + lane] >= F(0):
            continue
        position = packets[row, FREE + lane]
        if not scene.transmissive:
            _attenuate(lit, c, int(position), BLACK)
            continue
        ray = read_ray(packet, lane)
        write_ray(packet, left, ray.origin, ray.direction)
        packets[row, FREE + left] = position
        left += 1
    if left == 0:
        return
    occluded8(scene.handle, packets, row, left, OPAQUE_ONLY)
    for lane in range(left):
        through = BLACK
        if packets[row, FAR_AT + lane] >= F(0):
            through = transmittance_along_ray(scene, read_ray(packet, lane), T_MAX)
        _attenuate(lit, c, int(packets[row, FREE + lane]), through)


@njit(**INNER_KERNEL_OPTIONS)
def trace_cells_sun(counters, k, scene, sun, positions, phase, stride, packet, lit):
    """Pieces of list k: from `phase` on every `stride`-th cell."""
    while True:
        begin = next_index(counters, k) * CELLS_PER_TASK
        if begin >= len(positions):
            break
        for c in range(begin + (phase - begin) % stride, min(len(positions), begin + CELLS_PER_TASK), stride):
            trace_cell_sun(scene, sun, positions, c, packet, lit)


@njit(**KERNEL_OPTIONS)
def trace_all_cells_sun(counters, scene, sun, positions, packets, lit):
    """Every cell, all threads together; counters (2,) int64 of zeros."""
    packet = Packet(packets, next_index(counters, 1))
    trace_cells_sun(counters, 0, scene, sun, positions, 0, 1, packet, lit)
