"""Smooth outlines of a relit picture: pixels that an edge of the scene passes through mix the pixels round it.

Made once per camera by rays through four places of each such pixel; each place is given the pixel near by that
shows the same thing there. A picture (n, 3) is then smoothed for any light without a ray. Arrays: edges (m,)
int32 are pixels, covers (m, PLACES) int32 the pixels that they are mixed from in equal parts.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from gloamet.jit import JIT
from gloamet.trace.embree import CAMERA_MASK
from gloamet.trace.paths import camera_ray
from gloamet.trace.relight.chain import ESCAPED, MET, look
from gloamet.trace.relight.gather import FACE, PLACE
from gloamet.trace.relight.screen import ALBEDO, KIND, NONE, SKY, SURFACE, WEIGHT

F = np.float32
PLACES, REACH = 4, 2  # places of a pixel that are looked at; how far the like pixel may be
SAME_TURN, SAME_DEPTH, SAME_COLOUR = F(0.97), F(0.04), F(0.25)
_CAMERA = np.int32(CAMERA_MASK)


@njit(inline="always", **JIT)
def _unlike(points, paint, j, kind, p, n, colour, weight):
    """How little pixel j shows a surface (or the sky) like this one: 0 the same, from 1 on another thing."""
    if paint[j, KIND] != kind:
        return F(9)
    off = F(0)
    for k in range(3):
        off = max(off, abs(paint[j, WEIGHT + k] - weight[k]))
    if kind == F(SURFACE):
        turn = points[j, FACE] * n[0] + points[j, FACE + 1] * n[1] + points[j, FACE + 2] * n[2]
        ex, ey, ez = points[j, PLACE] - p[0], points[j, PLACE + 1] - p[1], points[j, PLACE + 2] - p[2]
        apart = abs(ex * n[0] + ey * n[1] + ez * n[2])
        far = abs(ex) + abs(ey) + abs(ez) + F(1e-4)
        off = max(off, max((F(1) - turn) / (F(1) - SAME_TURN), apart / (SAME_DEPTH * far + F(1e-4))))
        for k in range(3):
            off = max(off, abs(paint[j, ALBEDO + k] - colour[k]) / SAME_COLOUR)
    return off


@njit(inline="always", **JIT)
def _shown(points, paint, i):
    """What pixel i shows, in the words of `_unlike`."""
    return (
        paint[i, KIND],
        (points[i, PLACE], points[i, PLACE + 1], points[i, PLACE + 2]),
        (points[i, FACE], points[i, FACE + 1], points[i, FACE + 2]),
        (paint[i, ALBEDO], paint[i, ALBEDO + 1], paint[i, ALBEDO + 2]),
        (paint[i, WEIGHT], paint[i, WEIGHT + 1], paint[i, WEIGHT + 2]),
    )


@njit(**JIT)
def find_edges(points, paint, width, height, y0, y1, marks):
    """Mark the pixels of rows y0..y1 that show something else than one of the four beside them."""
    for y in range(y0, y1):
        for x in range(width):
            i = y * width + x
            kind, p, n, colour, weight = _shown(points, paint, i)
            marks[i] = 0
            for a, b in ((1, 0), (-1, 0), (0, 1), (0, -1)):
                c, d = min(max(x + a, 0), width - 1), min(max(y + b, 0), height - 1)
                if _unlike(points, paint, d * width + c, kind, p, n, colour, weight) >= F(1):
                    marks[i] = 1


@njit(inline="always", **JIT)
def _best(points, paint, width, height, x, y, kind, p, n, colour, weight):
    """The pixel round (x, y) most like what was found; the pixel itself where none is."""
    best, least = y * width + x, F(1)
    for b in range(max(0, y - REACH), min(height, y + REACH + 1)):
        for a in range(max(0, x - REACH), min(width, x + REACH + 1)):
            off = _unlike(points, paint, b * width + a, kind, p, n, colour, weight)
            off += F(0.1) * F((a - x) * (a - x) + (b - y) * (b - y))
            if off < least:
                best, least = b * width + a, off
    return best


@njit(**JIT)
def find_covers(scene, arrays, camera, points, paint, width, height, edges, first, last, covers):
    """Look through PLACES of the pixels edges[first..last] and write which pixels they are mixed from."""
    for e in range(first, last):
        x, y = edges[e] % width, edges[e] // width
        for q in range(PLACES):
            # the four lie on turned corners, so that upright and level edges meet them one by one
            u, v = F(0.125) + F(0.25) * F(q), F(0.125) + F(0.25) * F((2 * q + 1) % 5)
            ox, oy, oz, dx, dy, dz = camera_ray(camera, x, y, width, height, u, v, F(0), F(0))
            found = look(scene, arrays, _CAMERA, np.uint64(0), ox, oy, oz, dx, dy, dz)
            paints = found[6]
            kind = F(SURFACE) if found[0] == MET else F(SKY) if found[0] == ESCAPED else F(NONE)
            covers[e, q] = _best(
                points, paint, width, height, x, y, kind, found[1], found[2], (paints[4], paints[5], paints[6]),
                found[5],
            )  # fmt: skip


@njit(**JIT)
def mix_edges(covers, first, last, picture, mixed):
    """The colours of edges first..last, for `put_edges` to write once all are read."""
    for e in range(first, last):
        for k in range(3):
            total = F(0)
            for q in range(PLACES):
                total += picture[covers[e, q], k]
            mixed[e, k] = total / F(PLACES)


@njit(**JIT)
def put_edges(edges, first, last, mixed, picture):
    """Write mixed colours where they belong."""
    for e in range(first, last):
        i = edges[e]
        picture[i, 0], picture[i, 1], picture[i, 2] = mixed[e, 0], mixed[e, 1], mixed[e, 2]
