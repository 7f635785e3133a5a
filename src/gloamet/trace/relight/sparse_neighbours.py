# SPDX-License-Identifier: Apache-2.0
"""Pixels that the à-trous filter cannot smooth: threads, leaves, edges one pixel wide. They take a mean of similar
ones.

Found once per camera: pixels (m,) int32 with few similar neighbours, and neighbours (m, MAX_NEIGHBOURS) int32, the
nearest pixels of the same surface, or else of the same colour at the same distance; where there are few they repeat,
with the pixel itself. A gathered picture (3, n) takes the mean of the neighbours at those pixels before it is
filtered.
"""

from __future__ import annotations

from numba import njit

from gloamet.jit import INLINE_KERNEL_OPTIONS, INNER_KERNEL_OPTIONS, KERNEL_OPTIONS, F
from gloamet.trace.relight.atrous_filter import edge_stopping_weight
from gloamet.trace.relight.points import ALBEDO, PIXEL_KIND, POINT_POSITION, SURFACE_PIXEL

MAX_NEIGHBOURS, SEARCH_RADIUS = 16, 6
MIN_SIMILAR = 13  # similar pixels among the 24 around a pixel from which the filter works
SAME_COLOUR, SAME_PLACE = F(0.1), F(0.1)  # of reflectance; of the distance to the eye


@njit(**INLINE_KERNEL_OPTIONS)
def _is_similar(small, eye, i, j, strict):
    """Whether pixel j is similar to pixel i: of the same surface, or, not strict, of a similar one near it."""
    points, shading = small.points, small.shading
    if shading[j, PIXEL_KIND] != F(SURFACE_PIXEL):
        return False
    if strict:
        return edge_stopping_weight(points, i, j) >= F(0.5)
    apart = reach = off = F(0)
    for k in range(3):
        apart += abs(points[j, POINT_POSITION + k] - points[i, POINT_POSITION + k])
        reach += abs(points[i, POINT_POSITION + k] - eye[k])
        off = max(off, abs(shading[j, ALBEDO + k] - shading[i, ALBEDO + k]))
    return apart < SAME_PLACE * reach and off < SAME_COLOUR


@njit(**INLINE_KERNEL_OPTIONS)
def _nearest_similar(small, eye, x, y, strict, neighbours):
    """Write the nearest that serve into a row of neighbours; returns how many there are."""
    width, height = small.width, small.height
    i, count = y * width + x, 0
    for ring in range(1, SEARCH_RADIUS + 1):
        for b in range(max(0, y - ring), min(height, y + ring + 1)):
            for a in range(max(0, x - ring), min(width, x + ring + 1)):
                if max(abs(a - x), abs(b - y)) != ring or count == MAX_NEIGHBOURS:
                    continue
                if _is_similar(small, eye, i, b * width + a, strict):
                    neighbours[count] = b * width + a
                    count += 1
    return count


@njit(**KERNEL_OPTIONS)
def find_sparse_pixels(small, eye, y0, y1, marks, neighbours):
    """Write rows y0..y1 of marks (n,) uint8, 1 for a sparse pixel, and of neighbours (n, MAX_NEIGHBOURS) int32."""
    width, height = small.width, small.height
    for y in range(y0, y1):
        for x in range(width):
            i, like = y * width + x, 0
            marks[i] = 0
            if small.shading[i, PIXEL_KIND] != F(SURFACE_PIXEL):
                continue
            for b in range(max(0, y - 2), min(height, y + 3)):
                for a in range(max(0, x - 2), min(width, x + 3)):
                    if (a != x or b != y) and _is_similar(small, eye, i, b * width + a, True):
                        like += 1
            if like >= MIN_SIMILAR:
                continue
            marks[i] = 1
            count = _nearest_similar(small, eye, x, y, True, neighbours[i])
            if count < MAX_NEIGHBOURS // 2:
                count = _nearest_similar(small, eye, x, y, False, neighbours[i])
            for q in range(
                count, MAX_NEIGHBOURS
            ):  # the same once more: each, and the pixel itself, weighs about as much
                neighbours[i, q] = neighbours[i, q % (count + 1)] if q % (count + 1) < count else i


@njit(**INNER_KERNEL_OPTIONS)
def average_neighbours(pixels, neighbours, picture, first, last, mixed):
    """The mean of pixels first..last (m,) of a picture (3, n) and their neighbours, into mixed (3, m)."""
    fraction = F(1) / F(MAX_NEIGHBOURS + 1)
    for e in range(first, last):
        for k in range(3):
            total = picture[k, pixels[e]]
            for q in range(MAX_NEIGHBOURS):
                total += picture[k, neighbours[e, q]]
            mixed[k, e] = total * fraction


@njit(**INNER_KERNEL_OPTIONS)
def scatter_results(pixels, mixed, first, last, picture):
    """Write what was borrowed where it belongs."""
    for e in range(first, last):
        for k in range(3):
            picture[k, pixels[e]] = mixed[k, e]
