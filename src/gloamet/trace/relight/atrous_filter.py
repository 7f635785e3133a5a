# SPDX-License-Identifier: Apache-2.0
"""The à-trous filter of a gathered picture, with edge-stopping weights computed once per camera.

A pass of level k looks at eight neighbours 2**k pixels apart. weights (levels, 9, n) uint8 are products of
likeness in normal, plane and a guide (log light of cleaned pictures under a few skies), so that shadows in
corners keep their shape; inverses (levels, n) float32 are one over their sums. Evaluating is linear in the
light: nothing flickers while it changes. A picture (3, n + 2 margins) has REACH * (width + 1) places before and
after it that no weight counts, so that no neighbour needs a look at the edge.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit

from gloamet.jit import INLINE_KERNEL_OPTIONS, INNER_KERNEL_OPTIONS, KERNEL_OPTIONS, F
from gloamet.trace.geometry.vec import dot, sub, triple
from gloamet.trace.relight.points import FACE_NORMAL, PIXEL_KIND, POINT_NORMAL, POINT_POSITION, SURFACE_PIXEL

FILTER_LEVELS = 5
FILTER_REACH = 1 << (FILTER_LEVELS - 1)


@njit(**INLINE_KERNEL_OPTIONS)
def _unlike(guide, i, j):
    """Squared difference of two pixels' guides."""
    total = F(0)
    for g in range(guide.shape[1]):
        total = total + (guide[i, g] - guide[j, g]) * (guide[i, g] - guide[j, g])
    return total


@njit(**INLINE_KERNEL_OPTIONS)
def edge_stopping_weight(points, i, j):
    """Weight 0..1 of two pixels by the angle between their normals and their distance from one plane."""
    if dot(triple(points, i, POINT_NORMAL), triple(points, j, POINT_NORMAL)) < F(0.9):
        return F(0)
    offset = sub(triple(points, j, POINT_POSITION), triple(points, i, POINT_POSITION))
    apart = abs(dot(offset, triple(points, i, FACE_NORMAL)))
    return math.exp(-F(8) * apart / (math.sqrt(dot(offset, offset)) + F(1e-6)))


@njit(**KERNEL_OPTIONS)
def despeckle_guide(small, guide, y0, y1, calm):
    """Rows y0..y1 of the guide without specks: none further out than the second of its like neighbours.

    A denoised picture keeps single bright pixels at joints and edges; as a guide they would guard their own noise.
    """
    points, shading, width, height = small
    for y in range(y0, y1):
        for x in range(width):
            i = y * width + x
            for g in range(guide.shape[1]):
                least = second = F(1e30)
                most = other = F(-1e30)
                count = 0
                for b in range(max(0, y - 2), min(height, y + 3)):
                    for a in range(max(0, x - 2), min(width, x + 3)):
                        j = b * width + a
                        if (
                            j == i
                            or shading[j, PIXEL_KIND] != F(SURFACE_PIXEL)
                            or edge_stopping_weight(points, i, j) < F(0.5)
                        ):
                            continue
                        v = guide[j, g]
                        count += 1
                        second, least = min(second, max(v, least)), min(least, v)
                        other, most = max(other, min(v, most)), max(most, v)
                calm[i, g] = guide[i, g]
                if count >= 2:
                    low, high = (second, other) if count >= 5 else (least, most)
                    calm[i, g] = min(max(guide[i, g], low), high)


@njit(**KERNEL_OPTIONS)
def make_filter_weights(small, guide, tolerance, y0, y1, weights, inverses):
    """Weights of rows y0..y1; guide (n, guides or 0), tolerance its standard deviation."""
    points, shading, width, height = small
    sharp = F(0.5) / (tolerance * tolerance)
    for y in range(y0, y1):
        for x in range(width):
            i = y * width + x
            for level in range(weights.shape[0]):
                for k in range(9):
                    weights[level, k, i] = 0
                weights[level, 4, i] = 255
                inverses[level, i] = F(1 / 255)
            if shading[i, PIXEL_KIND] != F(SURFACE_PIXEL):
                continue
            for level in range(weights.shape[0]):
                step, total = 1 << level, 255
                for k in range(9):
                    a, b = x + (k % 3 - 1) * step, y + (k // 3 - 1) * step
                    if k == 4 or a < 0 or b < 0 or a >= width or b >= height:
                        continue
                    j = b * width + a
                    if shading[j, PIXEL_KIND] != F(SURFACE_PIXEL):
                        continue
                    like = edge_stopping_weight(points, i, j)
                    if like == F(0):
                        continue
                    near = F(0.5) if k % 2 == 1 else F(0.25)
                    w = near * like * math.exp(-_unlike(guide, i, j) * sharp)
                    weights[level, k, i] = np.uint8(w * F(255) + F(0.5))
                    total += weights[level, k, i]
                inverses[level, i] = F(1) / F(total)


@njit(**INNER_KERNEL_OPTIONS)
def atrous_pass(picture, weights, inverses, level, width, y0, y1, out):
    """One pass of a picture (3, n + 2 margins) over rows y0..y1."""
    step = 1 << level
    margin = FILTER_REACH * (width + 1)
    for y in range(y0, y1):
        a, b = y * width, (y + 1) * width
        for channel in range(3):
            # a tap at a time along a whole row, which runs on all lanes of the processor
            row = out[channel, margin + a : margin + b]
            w, p = weights[level, 4, a:b], picture[channel, margin + a : margin + b]
            for x in range(width):
                row[x] = F(w[x]) * p[x]
            for k in range(9):
                if k != 4:
                    o = margin + ((k // 3 - 1) * width + k % 3 - 1) * step
                    w, p = weights[level, k, a:b], picture[channel, o + a : o + b]
                    for x in range(width):
                        row[x] += F(w[x]) * p[x]
            inverse = inverses[level, a:b]
            for x in range(width):
                row[x] *= inverse[x]
