"""Smooth outlines of a relit picture: pixels that an edge of the scene passes through mix the pixels round it.

Made once per camera by rays through four places of each such pixel; each place is given the pixel near by that
shows the same thing there. A picture (n, 3) is then smoothed for any light without a ray. Arrays: edges (m,)
int32 are pixels, covers (m, PLACES) int32 the pixels that they are mixed from in equal parts.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from gloamet.jit import KERNEL_OPTIONS
from gloamet.trace.camera_rays import camera_ray
from gloamet.trace.embree import CAMERA_MASK
from gloamet.trace.relight.final_gather import FACE_NORMAL, POINT_POSITION
from gloamet.trace.relight.gbuffer import (
    ALBEDO,
    EMPTY_PIXEL,
    PATH_WEIGHT,
    PIXEL_KIND,
    SKY_PIXEL,
    SURFACE_PIXEL,
)
from gloamet.trace.relight.specular_chain import ESCAPED, HIT, trace_specular_chain

F = np.float32
SUBSAMPLES, REACH, FAR_REACH = 8, 2, 4  # places of a pixel that are looked at; how far the like pixel may be
SAME_PLACE = F(0.1)  # of the distance to the eye
SAME_TURN, SAME_DEPTH, SAME_COLOUR = F(0.97), F(0.04), F(0.25)
# the order in which places are looked at, and how many do where these and the pixels round show one thing alone
ORDER, FEW = np.array([1, 2, 5, 6, 0, 3, 4, 7]), 4
SAME_TINT = F(0.02)
_CAMERA = np.int32(CAMERA_MASK)


@njit(inline="always", **KERNEL_OPTIONS)
def _apart(points, j, p, n):
    """How little pixel j's surface is the one with place p and normal n: from 1 on it is another."""
    turn = (
        points[j, FACE_NORMAL] * n[0] + points[j, FACE_NORMAL + 1] * n[1] + points[j, FACE_NORMAL + 2] * n[2]
    )
    ex, ey, ez = (
        points[j, POINT_POSITION] - p[0],
        points[j, POINT_POSITION + 1] - p[1],
        points[j, POINT_POSITION + 2] - p[2],
    )
    apart = abs(ex * n[0] + ey * n[1] + ez * n[2])
    far = abs(ex) + abs(ey) + abs(ez) + F(1e-4)
    return max((F(1) - turn) / (F(1) - SAME_TURN), apart / (SAME_DEPTH * far + F(1e-4)))


@njit(inline="always", **KERNEL_OPTIONS)
def _unlike_paint(paint, j, kind, colour, weight):
    """How little pixel j shows the sky, or this colour through panes like these: from 1 on another."""
    if paint[j, PIXEL_KIND] != kind:
        return F(9)
    off = F(0)
    for k in range(3):
        off = max(off, abs(paint[j, PATH_WEIGHT + k] - weight[k]))
        if kind == F(SURFACE_PIXEL):
            off = max(off, abs(paint[j, ALBEDO + k] - colour[k]) / SAME_COLOUR)
    return off


@njit(inline="always", **KERNEL_OPTIONS)
def _unlike(points, paint, j, kind, p, n, colour, weight):
    """How little pixel j shows a surface (or the sky) like this one: 0 the same, from 1 on another thing."""
    off = _unlike_paint(paint, j, kind, colour, weight)
    if kind == F(SURFACE_PIXEL) and off < F(1):
        off = max(off, _apart(points, j, p, n))
    return off


@njit(inline="always", **KERNEL_OPTIONS)
def _best(points, paint, width, height, x, y, eye, kind, p, n, colour, weight):
    """The pixel round (x, y) most like what was found; failing that the next of like colour; else itself."""
    best, least = y * width + x, F(1)
    for b in range(max(0, y - REACH), min(height, y + REACH + 1)):
        for a in range(max(0, x - REACH), min(width, x + REACH + 1)):
            off = _unlike(points, paint, b * width + a, kind, p, n, colour, weight)
            off += F(0.1) * F((a - x) * (a - x) + (b - y) * (b - y))
            if off < least:
                best, least = b * width + a, off
    if least < F(1) or kind != F(SURFACE_PIXEL):
        return best
    # threads and leaves turn every way: there the colour and being as far away must do
    away = F(FAR_REACH * FAR_REACH + 1)
    reach = SAME_PLACE * (abs(p[0] - eye[0]) + abs(p[1] - eye[1]) + abs(p[2] - eye[2]))
    for b in range(max(0, y - FAR_REACH), min(height, y + FAR_REACH + 1)):
        for a in range(max(0, x - FAR_REACH), min(width, x + FAR_REACH + 1)):
            j, off = b * width + a, F((a - x) * (a - x) + (b - y) * (b - y))
            apart = abs(points[j, POINT_POSITION] - p[0]) + abs(points[j, POINT_POSITION + 1] - p[1])
            apart += abs(points[j, POINT_POSITION + 2] - p[2])
            if off < away and apart < reach and _unlike_paint(paint, j, kind, colour, weight) < F(1):
                best, away = j, off
    return best


@njit(inline="always", **KERNEL_OPTIONS)
def _tint_apart(paint, i, r, g, b):
    """How far a colour is from pixel i's: from 1 on a texture shows."""
    off = max(abs(paint[i, ALBEDO] - r), max(abs(paint[i, ALBEDO + 1] - g), abs(paint[i, ALBEDO + 2] - b)))
    return off / SAME_TINT


@njit(inline="always", **KERNEL_OPTIONS)
def _is_calm(points, paint, width, height, x, y):
    """Whether the middles of the pixels round (x, y) show what its own does, in one colour."""
    i = y * width + x
    p = (points[i, POINT_POSITION], points[i, POINT_POSITION + 1], points[i, POINT_POSITION + 2])
    n = (
        points[i, FACE_NORMAL],
        points[i, FACE_NORMAL + 1],
        points[i, FACE_NORMAL + 2],
    )
    colour = (paint[i, ALBEDO], paint[i, ALBEDO + 1], paint[i, ALBEDO + 2])
    weight = (paint[i, PATH_WEIGHT], paint[i, PATH_WEIGHT + 1], paint[i, PATH_WEIGHT + 2])
    for b in range(max(0, y - 1), min(height, y + 2)):
        for a in range(max(0, x - 1), min(width, x + 2)):
            j = b * width + a
            if _unlike(points, paint, j, paint[i, PIXEL_KIND], p, n, colour, weight) >= F(1):
                return False
            other = _tint_apart(paint, j, colour[0], colour[1], colour[2]) >= F(1)
            if other and paint[i, PIXEL_KIND] == F(SURFACE_PIXEL):
                return False
    return True


@njit(inline="always", **KERNEL_OPTIONS)
def _look_through(scene, arrays, camera, width, height, x, y, q):
    """What place q of a pixel shows; each has a row and a column to itself, so that any edge meets them one by one."""
    u, v = (F(q) + F(0.5)) / F(SUBSAMPLES), (F(5 * q % SUBSAMPLES) + F(0.5)) / F(SUBSAMPLES)
    ox, oy, oz, dx, dy, dz = camera_ray(camera, x, y, width, height, u, v, F(0), F(0))
    return trace_specular_chain(scene, arrays, _CAMERA, np.uint64(0), ox, oy, oz, dx, dy, dz)


@njit(**KERNEL_OPTIONS)
def find_edge_coverage(scene, arrays, camera, points, paint, width, height, y0, y1, covers, albedo):
    """Look through PLACES of the pixels of rows y0..y1: which pixels each is mixed from, and its mean albedo.

    covers (n, PLACES) int32; albedo (n, 3) is the mean over the places that show the surface of the pixel's
    middle: a texture seen at a slant is finer than a pixel, one look would leave grain.
    """
    eye = camera[0]
    for y in range(y0, y1):
        for x in range(width):
            i = y * width + x
            mine = paint[i, PIXEL_KIND]
            r, g, b, count = paint[i, ALBEDO], paint[i, ALBEDO + 1], paint[i, ALBEDO + 2], F(1)
            for q in range(SUBSAMPLES):
                covers[i, q] = i
            calm = _is_calm(points, paint, width, height, x, y)
            for k in range(SUBSAMPLES):
                if calm and k == FEW:
                    break
                q = ORDER[k]
                found = _look_through(scene, arrays, camera, width, height, x, y, q)
                colour = found[6][4], found[6][5], found[6][6]
                kind = (
                    F(SURFACE_PIXEL)
                    if found[0] == HIT
                    else F(SKY_PIXEL)
                    if found[0] == ESCAPED
                    else F(EMPTY_PIXEL)
                )
                if kind == F(SURFACE_PIXEL) and mine == kind and _apart(points, i, found[1], found[2]) < F(1):
                    r, g, b, count = r + colour[0], g + colour[1], b + colour[2], count + F(1)
                    calm = calm and _tint_apart(paint, i, colour[0], colour[1], colour[2]) < F(1)
                elif kind == F(SURFACE_PIXEL) or mine != kind:
                    covers[i, q] = _best(
                        points, paint, width, height, x, y, eye, kind, found[1], found[2], colour, found[5]
                    )
                    calm = False
            albedo[i, 0], albedo[i, 1], albedo[i, 2] = r / count, g / count, b / count


@njit(**KERNEL_OPTIONS)
def average_coverage(covers, first, last, picture, mixed):
    """The colours of edges first..last, for `write_edges` to write once all are read."""
    for e in range(first, last):
        for k in range(3):
            total = F(0)
            for q in range(SUBSAMPLES):
                total += picture[covers[e, q], k]
            mixed[e, k] = total / F(SUBSAMPLES)


@njit(**KERNEL_OPTIONS)
def write_edges(edges, first, last, mixed, picture):
    """Write mixed colours where they belong."""
    for e in range(first, last):
        i = edges[e]
        picture[i, 0], picture[i, 1], picture[i, 2] = mixed[e, 0], mixed[e, 1], mixed[e, 2]
