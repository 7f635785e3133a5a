# SPDX-License-Identifier: Apache-2.0
"""Antialiasing of relit pictures: outlines mixed from pixels found once per camera, fine textures averaged.

A pixel has SUBSAMPLES positions; each takes the colour of one of the pixels around it. covers (n,
SUBSAMPLES) int32 holds their indices, so that outlines are means of the picture's own pixels and no ray is traced when
light changes.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numba import njit

from gloamet.jit import INLINE_KERNEL_OPTIONS, INNER_KERNEL_OPTIONS, KERNEL_OPTIONS, F
from gloamet.trace.geometry.camera_rays import camera_ray
from gloamet.trace.geometry.embree import CAMERA_MASK
from gloamet.trace.geometry.records import Scalar, Triple
from gloamet.trace.geometry.vec import add, dot, put, scale, sub, triple
from gloamet.trace.relight.points import (
    ALBEDO,
    EMPTY_PIXEL,
    FACE_NORMAL,
    PATH_WEIGHT,
    PIXEL_KIND,
    POINT_POSITION,
    SKY_PIXEL,
    SURFACE_PIXEL,
)
from gloamet.trace.relight.specular_chain import AHEAD, ESCAPED, HIT, trace_specular_chain

SUBSAMPLES, REACH, FAR_REACH = 8, 2, 4  # places of a pixel that are looked at; how far the like pixel may be
SAME_PLACE = F(0.1)  # of the distance to the eye
SAME_TURN, SAME_DEPTH, SAME_COLOUR = F(0.97), F(0.04), F(0.25)
# the order in which places are looked at, and how many do where these and the pixels round show one thing alone
ORDER, FEW = np.array([1, 2, 5, 6, 0, 3, 4, 7]), 4
SAME_TINT = F(0.02)
_CAMERA = np.int32(CAMERA_MASK)


class Seen(NamedTuple):
    """What a place of a pixel shows: PIXEL_KIND, position, face normal, colour, and the weight of panes before it."""

    kind: Scalar
    position: Triple
    normal: Triple
    colour: Triple
    weight: Triple


@njit(**INLINE_KERNEL_OPTIONS)
def _largest_difference(a, b):
    """The largest difference of two colours in a channel."""
    return max(abs(a[0] - b[0]), max(abs(a[1] - b[1]), abs(a[2] - b[2])))


@njit(**INLINE_KERNEL_OPTIONS)
def _taxicab(a):
    """Length of a vector, for comparing."""
    return abs(a[0]) + abs(a[1]) + abs(a[2])


@njit(**INLINE_KERNEL_OPTIONS)
def _shape_difference(g, j, seen):
    """How little pixel j's surface is the one seen: from 1 on it is another."""
    turn = dot(triple(g.points, j, FACE_NORMAL), seen.normal)
    offset = sub(triple(g.points, j, POINT_POSITION), seen.position)
    apart, far = abs(dot(offset, seen.normal)), _taxicab(offset) + F(1e-4)
    return max((F(1) - turn) / (F(1) - SAME_TURN), apart / (SAME_DEPTH * far + F(1e-4)))


@njit(**INLINE_KERNEL_OPTIONS)
def _colour_difference(g, j, seen):
    """How little pixel j shows the sky, or this colour through panes like these: from 1 on another."""
    if g.shading[j, PIXEL_KIND] != seen.kind:
        return F(9)
    off = _largest_difference(triple(g.shading, j, PATH_WEIGHT), seen.weight)
    if seen.kind == F(SURFACE_PIXEL):
        off = max(off, _largest_difference(triple(g.shading, j, ALBEDO), seen.colour) / SAME_COLOUR)
    return off


@njit(**INLINE_KERNEL_OPTIONS)
def _difference(g, j, seen):
    """How little pixel j shows a surface (or the sky) like this one: 0 the same, from 1 on another thing."""
    off = _colour_difference(g, j, seen)
    if seen.kind == F(SURFACE_PIXEL) and off < F(1):
        off = max(off, _shape_difference(g, j, seen))
    return off


@njit(**INLINE_KERNEL_OPTIONS)
def _best_match(g, x, y, eye, seen):
    """The pixel round (x, y) most like what was seen; failing that the next of like colour; else itself."""
    width, height = g.width, g.height
    best, least = y * width + x, F(1)
    for b in range(max(0, y - REACH), min(height, y + REACH + 1)):
        for a in range(max(0, x - REACH), min(width, x + REACH + 1)):
            off = _difference(g, b * width + a, seen) + F(0.1) * F((a - x) * (a - x) + (b - y) * (b - y))
            if off < least:
                best, least = b * width + a, off
    if least < F(1) or seen.kind != F(SURFACE_PIXEL):
        return best
    # threads and leaves turn every way: there the colour and being as far away must do
    away = F(FAR_REACH * FAR_REACH + 1)
    reach = SAME_PLACE * _taxicab(sub(seen.position, eye))
    for b in range(max(0, y - FAR_REACH), min(height, y + FAR_REACH + 1)):
        for a in range(max(0, x - FAR_REACH), min(width, x + FAR_REACH + 1)):
            j, off = b * width + a, F((a - x) * (a - x) + (b - y) * (b - y))
            apart = _taxicab(sub(triple(g.points, j, POINT_POSITION), seen.position))
            if off < away and apart < reach and _colour_difference(g, j, seen) < F(1):
                best, away = j, off
    return best


@njit(**INLINE_KERNEL_OPTIONS)
def _is_textured(g, i, colour):
    """Whether a colour differs enough from pixel i's to show a texture."""
    return _largest_difference(triple(g.shading, i, ALBEDO), colour) >= SAME_TINT


@njit(**INLINE_KERNEL_OPTIONS)
def _is_calm(g, x, y):
    """Whether the middles of the pixels round (x, y) show what its own does, in one colour."""
    i = y * g.width + x
    shading, points = g.shading, g.points
    own = Seen(
        shading[i, PIXEL_KIND],
        triple(points, i, POINT_POSITION),
        triple(points, i, FACE_NORMAL),
        triple(shading, i, ALBEDO),
        triple(shading, i, PATH_WEIGHT),
    )
    for b in range(max(0, y - 1), min(g.height, y + 2)):
        for a in range(max(0, x - 1), min(g.width, x + 2)):
            j = b * g.width + a
            if _difference(g, j, own) >= F(1):
                return False
            if own.kind == F(SURFACE_PIXEL) and _is_textured(g, j, own.colour):
                return False
    return True


@njit(**INLINE_KERNEL_OPTIONS)
def _look_through(scene, camera, g, x, y, q):
    """What place q of a pixel shows; each has a row and a column to itself, so that any edge meets them one by one."""
    offset = ((F(q) + F(0.5)) / F(SUBSAMPLES), (F(5 * q % SUBSAMPLES) + F(0.5)) / F(SUBSAMPLES))
    ray = camera_ray(camera, (x, y), (g.width, g.height), offset, (F(0), F(0)))
    end = trace_specular_chain(scene, _CAMERA, AHEAD, ray)
    kind = F(EMPTY_PIXEL)
    if end.kind == HIT:
        kind = F(SURFACE_PIXEL)
    elif end.kind == ESCAPED:
        kind = F(SKY_PIXEL)
    return Seen(kind, end.position, end.normal, end.surface.albedo, end.weight)


@njit(**KERNEL_OPTIONS)
def find_edge_coverage(scene, camera, g, y0, y1, covers, albedo):
    """Look through SUBSAMPLES places of the pixels of rows y0..y1 of a g-buffer: which pixels each is mixed from, and
    its mean albedo.

    covers (n, SUBSAMPLES) int32; albedo (n, 3) is the mean over the places that show the surface of the pixel's
    middle: a texture seen at a slant is finer than a pixel, one look would leave noise.
    """
    eye = triple(camera, 0, 0)
    for y in range(y0, y1):
        for x in range(g.width):
            i = y * g.width + x
            mine = g.shading[i, PIXEL_KIND]
            mean, count = triple(g.shading, i, ALBEDO), F(1)
            for q in range(SUBSAMPLES):
                covers[i, q] = i
            calm = _is_calm(g, x, y)
            for k in range(SUBSAMPLES):
                if calm and k == FEW:
                    break
                q = ORDER[k]
                seen = _look_through(scene, camera, g, x, y, q)
                surface = seen.kind == F(SURFACE_PIXEL)
                if surface and mine == seen.kind and _shape_difference(g, i, seen) < F(1):
                    mean, count = add(mean, seen.colour), count + F(1)
                    calm = calm and not _is_textured(g, i, seen.colour)
                elif surface or mine != seen.kind:
                    covers[i, q] = _best_match(g, x, y, eye, seen)
                    calm = False
            put(albedo, i, 0, scale(mean, F(1) / count))


@njit(**INNER_KERNEL_OPTIONS)
def average_coverage(covers, first, last, picture, mixed):
    """The colours of edges first..last, for `write_edges` to write once all are read."""
    for e in range(first, last):
        for k in range(3):
            total = F(0)
            for q in range(SUBSAMPLES):
                total += picture[covers[e, q], k]
            mixed[e, k] = total / F(SUBSAMPLES)


@njit(**INNER_KERNEL_OPTIONS)
def write_edges(edges, first, last, mixed, picture):
    """Write mixed colours where they belong."""
    for e in range(first, last):
        i = edges[e]
        picture[i, 0], picture[i, 1], picture[i, 2] = mixed[e, 0], mixed[e, 1], mixed[e, 2]
