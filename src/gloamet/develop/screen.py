"""The screen kernels: exposure matrix, then a view, a row at a time.

Layouts: picture (H, W, 3) float32 in, out (H, W, 4) uint8 RGBX. A baked view is a cube (CUBE**3, 4) float32
of code values with red fastest behind a log2 allocation, looked up by tetrahedra; plain sRGB is a curve of
CURVE + 1 code values over 0..1. An axis of the enlarged picture is places (N, 2) int32: the pixel before, and the
share of the one after it in 256ths.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from gloamet.jit import EXACT_JIT as JIT
from gloamet.team import meet, take

CUBE = 65
LOG_LOW, LOG_RANGE = -12.0, 20.0  # stops below and span above, around 1.0
CURVE = 16384
BAND = 16  # rows of a piece of work
COUNTERS = 4  # of work done together
_EVEN, _ODD = np.uint32(0x00FF00FF), np.uint32(0xFF00FF00)
F = np.float32
_LOWEST = F(2.0**LOG_LOW)
_STEPS = F((CUBE - 1) / LOG_RANGE)


@njit(inline="always", **JIT)
def log2(value):
    """Base-2 logarithm of a positive float32 to 2e-5: exponent bits and a polynomial of the mantissa."""
    bits = F(value).view(np.int32)
    m = np.int32((bits & np.int32(0x007FFFFF)) | np.int32(0x3F800000)).view(np.float32)
    p = (F(0.04300496) * m - F(0.40251339)) * m + F(1.58947429)
    p = ((p * m - F(3.48987855)) * m + F(5.04785541)) * m - F(2.78792621)
    return F((bits >> np.int32(23)) - np.int32(127)) + p


@njit(inline="always", **JIT)
def _finite(value):
    """The value itself; infinity becomes very bright and not-a-number black."""
    if value < F(1e12):
        return value
    return F(1e12) if value > F(0) else F(0)


@njit(inline="always", **JIT)
def _place(value):
    """Position of a linear value on the cube's axis; the test sends not-a-number to the dark end."""
    if not value > _LOWEST:
        return F(0)
    return min((log2(min(value, F(1e6))) - F(LOG_LOW)) * _STEPS, F(CUBE - 1.001))


@njit(**JIT)
def develop_rows(picture, matrix, cube, y0, y1, out):
    """Develop rows y0..y1 into out through a baked cube."""
    for y in range(y0, y1):
        for x in range(picture.shape[1]):
            r, g, b = _finite(picture[y, x, 0]), _finite(picture[y, x, 1]), _finite(picture[y, x, 2])
            pr = _place(matrix[0, 0] * r + matrix[0, 1] * g + matrix[0, 2] * b)
            pg = _place(matrix[1, 0] * r + matrix[1, 1] * g + matrix[1, 2] * b)
            pb = _place(matrix[2, 0] * r + matrix[2, 1] * g + matrix[2, 2] * b)
            i, j, k = np.int32(pr), np.int32(pg), np.int32(pb)
            fr, fg, fb = pr - F(i), pg - F(j), pb - F(k)
            # tetrahedral: walk from the low corner to the high one along the largest fractions first
            first = (k * CUBE + j) * CUBE + i
            sr, sg, sb = 1, CUBE, CUBE * CUBE
            if fr >= fg:
                if fg >= fb:
                    a, c, p, q, s = first + sr, first + sr + sg, fr, fg, fb
                elif fr >= fb:
                    a, c, p, q, s = first + sr, first + sr + sb, fr, fb, fg
                else:
                    a, c, p, q, s = first + sb, first + sr + sb, fb, fr, fg
            elif fb > fg:
                a, c, p, q, s = first + sb, first + sg + sb, fb, fg, fr
            elif fb > fr:
                a, c, p, q, s = first + sg, first + sg + sb, fg, fb, fr
            else:
                a, c, p, q, s = first + sg, first + sr + sg, fg, fr, fb
            last = first + sr + sg + sb
            for n in range(3):
                value = (F(1) - p) * cube[first, n] + (p - q) * cube[a, n]
                value += (q - s) * cube[c, n] + s * cube[last, n]
                out[y, x, n] = np.uint8(min(max(value + F(0.5), F(0)), F(255)))
            out[y, x, 3] = np.uint8(255)


@njit(**JIT)
def develop_rows_plain(picture, matrix, curve, y0, y1, out):
    """Develop rows y0..y1 into out by a matrix to the display's primaries and a curve."""
    for y in range(y0, y1):
        for x in range(picture.shape[1]):
            r, g, b = _finite(picture[y, x, 0]), _finite(picture[y, x, 1]), _finite(picture[y, x, 2])
            for n in range(3):
                value = matrix[n, 0] * r + matrix[n, 1] * g + matrix[n, 2] * b
                if not value > F(0):
                    value = F(0)
                out[y, x, n] = curve[np.int32(min(value, F(1)) * F(CURVE) + F(0.5))]
            out[y, x, 3] = np.uint8(255)


@njit(inline="always", **JIT)
def _between(a, b, share):
    """Four bytes part of the way from a to b, share in 256ths."""
    rest = np.uint32(256) - share
    even = np.uint32(np.uint32((a & _EVEN) * rest) + np.uint32((b & _EVEN) * share)) >> np.uint32(8)
    odd = np.uint32(((a >> np.uint32(8)) & _EVEN) * rest) + np.uint32(((b >> np.uint32(8)) & _EVEN) * share)
    return np.uint32((even & _EVEN) | (np.uint32(odd) & _ODD))


@njit(**JIT)
def enlarge_rows(small, down, across, y0, y1, room, out):
    """Rows y0..y1 of out (H, W) uint32, four bytes a pixel, between the pixels of small (h, w).

    room (w + 1,) is filled.
    """
    width = small.shape[1]
    for y in range(y0, y1):
        v = np.uint32(down[y, 1])
        above, below = small[down[y, 0]], small[min(down[y, 0] + 1, small.shape[0] - 1)]
        for x in range(width):
            room[x] = _between(above[x], below[x], v)
        room[width] = room[width - 1]
        row = out[y]
        for x in range(len(row)):
            i = across[x, 0]
            row[x] = _between(room[i], room[i + 1], np.uint32(across[x, 1]))


@njit(inline="always", **JIT)
def _enlarge(team, threads, words, down, across, room, large):
    """Once all rows are developed: the picture at the size wished for, where that is another."""
    if len(down) == 0:
        return
    own = room[take(team, 3)]
    meet(team, 1, threads)
    while True:
        y = take(team, 2) * BAND
        if y >= len(down):
            break
        enlarge_rows(words, down, across, y, min(len(down), y + BAND), own, large)


@njit(**JIT)
def develop_view(team, threads, picture, matrix, cube, out, words, down, across, room, large):
    """Develop a picture through a baked cube, all threads together.

    words is out, four bytes in one; room has a row of (w + 1) words for each thread.
    """
    while True:
        y = take(team, 0) * BAND
        if y >= len(picture):
            break
        develop_rows(picture, matrix, cube, y, min(len(picture), y + BAND), out)
    _enlarge(team, threads, words, down, across, room, large)


@njit(**JIT)
def develop_plain(team, threads, picture, matrix, curve, out, words, down, across, room, large):
    """The same by a matrix and a curve."""
    while True:
        y = take(team, 0) * BAND
        if y >= len(picture):
            break
        develop_rows_plain(picture, matrix, curve, y, min(len(picture), y + BAND), out)
    _enlarge(team, threads, words, down, across, room, large)
