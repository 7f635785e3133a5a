"""The screen kernels: exposure matrix, then a view, a row at a time.

Layouts: picture (H, W, 3) float32 in, out (H, W) uint32, each the bytes RGBX. A baked view is a cube (CUBE**3, 4)
float32 of code values with red fastest behind a log2 allocation, looked up by tetrahedra; plain sRGB is a curve of
CURVE + 1 code values over 0..1. A row on its way is (3, W) float32: steps over one channel at a time are worked on
eight pixels at once. An axis of the enlarged picture is places (N, 2) int32: the pixel before, and the share of the
one after it in 256ths.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

from gloamet.jit import IEEE_INLINE_KERNEL_OPTIONS, IEEE_KERNEL_OPTIONS
from gloamet.thread_barrier import barrier_wait, next_index

CUBE_SIZE = 65
LOG_LOW, LOG_RANGE = -12.0, 20.0  # stops below and span above, around 1.0
CURVE_SIZE = 16384
ROWS_PER_TASK = 16  # rows of a piece of work
COUNTER_COUNT = 4  # of work done together
_RED_STRIDE, _GREEN_STRIDE, _BLUE_STRIDE = (
    np.uint64(1),
    np.uint64(CUBE_SIZE),
    np.uint64(CUBE_SIZE * CUBE_SIZE),
)  # steps; unsigned ones are not checked
_EVEN_BYTES, _ODD_BYTES = np.uint32(0x00FF00FF), np.uint32(0xFF00FF00)
_HALF = np.uint32(0x00800080)  # so that it is rounded: a picture cut down would be half a code darker
F = np.float32
_LOWEST = F(2.0**LOG_LOW)
_STEPS = F((CUBE_SIZE - 1) / LOG_RANGE)


@njit(**IEEE_INLINE_KERNEL_OPTIONS)
def log2(value):
    """Base-2 logarithm of a positive float32 to 2e-5: exponent bits and a polynomial of the mantissa."""
    bits = F(value).view(np.int32)
    m = np.int32((bits & np.int32(0x007FFFFF)) | np.int32(0x3F800000)).view(np.float32)
    p = (F(0.04300496) * m - F(0.40251339)) * m + F(1.58947429)
    p = ((p * m - F(3.48987855)) * m + F(5.04785541)) * m - F(2.78792621)
    return F((bits >> np.int32(23)) - np.int32(127)) + p


@njit(**IEEE_INLINE_KERNEL_OPTIONS)
def _finite(value):
    """The value itself; infinity becomes very bright and not-a-number black."""
    return value if value < F(1e12) else (F(1e12) if value > F(0) else F(0))


@njit(**IEEE_KERNEL_OPTIONS)
def _expose(pixels, matrix, row):
    """A row of the picture, (W, 3), through the matrix."""
    a, b, c = matrix[0, 0], matrix[0, 1], matrix[0, 2]
    d, e, f = matrix[1, 0], matrix[1, 1], matrix[1, 2]
    g, h, i = matrix[2, 0], matrix[2, 1], matrix[2, 2]
    red, green, blue = row[0], row[1], row[2]
    for x in range(len(pixels)):
        p, q, s = _finite(pixels[x, 0]), _finite(pixels[x, 1]), _finite(pixels[x, 2])
        red[x], green[x], blue[x] = a * p + b * q + c * s, d * p + e * q + f * s, g * p + h * q + i * s


@njit(**IEEE_KERNEL_OPTIONS)
def _to_cube_positions(values):
    """Linear values (W,) become positions on the cube's axis; the tests send not-a-number to the dark end."""
    for x in range(len(values)):
        value = values[x] if values[x] > _LOWEST else _LOWEST
        value = value if value < F(1e6) else F(1e6)
        place = (log2(value) - F(LOG_LOW)) * _STEPS
        values[x] = place if place < F(CUBE_SIZE - 1.001) else F(CUBE_SIZE - 1.001)


@njit(**IEEE_INLINE_KERNEL_OPTIONS)
def _pack_rgbx(r, g, b):
    """Red, green and blue, 0..255, as one word."""
    return np.uint32(int(r) | (int(g) << 8) | (int(b) << 16) | 0xFF000000)


@njit(**IEEE_KERNEL_OPTIONS)
def _tetrahedral_lookup(row, cube, out):
    """A row of places (3, W) through a baked cube: without a branch, for which of six tetrahedra it is is chance."""
    red, green, blue = row[0], row[1], row[2]
    for x in range(len(out)):
        i, j, k = np.int32(red[x]), np.int32(green[x]), np.int32(blue[x])
        fr, fg, fb = red[x] - F(i), green[x] - F(j), blue[x] - F(k)
        # walk from the low corner to the high one along the largest fractions first
        most, least = max(fr, max(fg, fb)), min(fr, min(fg, fb))
        middle = max(min(fr, fg), min(max(fr, fg), fb))
        first = np.uint64((k * CUBE_SIZE + j) * CUBE_SIZE + i)
        last = first + (_RED_STRIDE + _GREEN_STRIDE + _BLUE_STRIDE)
        a = first + (_RED_STRIDE if fr == most else (_GREEN_STRIDE if fg == most else _BLUE_STRIDE))
        c = last - (_BLUE_STRIDE if fb == least else (_GREEN_STRIDE if fg == least else _RED_STRIDE))
        w, p, q, s = F(1) - most, most - middle, middle - least, least
        out[x] = _pack_rgbx(
            w * cube[first, 0] + p * cube[a, 0] + q * cube[c, 0] + s * cube[last, 0] + F(0.5),
            w * cube[first, 1] + p * cube[a, 1] + q * cube[c, 1] + s * cube[last, 1] + F(0.5),
            w * cube[first, 2] + p * cube[a, 2] + q * cube[c, 2] + s * cube[last, 2] + F(0.5),
        )


@njit(**IEEE_INLINE_KERNEL_OPTIONS)
def _curve_value(value, curve):
    value = value if value > F(0) else F(0)
    return curve[np.int32(min(value, F(1)) * F(CURVE_SIZE) + F(0.5))]


@njit(**IEEE_KERNEL_OPTIONS)
def _apply_curve(row, curve, out):
    """A row of linear display light (3, W) through a curve."""
    for x in range(row.shape[1]):
        out[x] = _pack_rgbx(
            _curve_value(row[0, x], curve), _curve_value(row[1, x], curve), _curve_value(row[2, x], curve)
        )


@njit(**IEEE_INLINE_KERNEL_OPTIONS)
def _lerp_rgbx(a, b, share):
    """Four bytes part of the way from a to b, share in 256ths."""
    rest = np.uint32(256) - share
    even = np.uint32((a & _EVEN_BYTES) * rest) + np.uint32((b & _EVEN_BYTES) * share) + _HALF
    odd = (
        np.uint32(((a >> np.uint32(8)) & _EVEN_BYTES) * rest)
        + np.uint32(((b >> np.uint32(8)) & _EVEN_BYTES) * share)
        + _HALF
    )
    return np.uint32(((np.uint32(even) >> np.uint32(8)) & _EVEN_BYTES) | (np.uint32(odd) & _ODD_BYTES))


@njit(**IEEE_KERNEL_OPTIONS)
def enlarge_rows(small, down, across, y0, y1, room, out):
    """Rows y0..y1 of out (H, W) uint32, four bytes a pixel, between the pixels of small (h, w).

    room (w + 1,) is filled.
    """
    width = small.shape[1]
    for y in range(y0, y1):
        v = np.uint32(down[y, 1])
        above, below = small[down[y, 0]], small[min(down[y, 0] + 1, small.shape[0] - 1)]
        for x in range(width):
            room[x] = _lerp_rgbx(above[x], below[x], v)
        room[width] = room[width - 1]
        row = out[y]
        for x in range(len(row)):
            i = across[x, 0]
            row[x] = _lerp_rgbx(room[i], room[i + 1], np.uint32(across[x, 1]))


class ViewArrays(NamedTuple):
    """Exposure and white balance as one matrix, and the view: a baked cube, or a curve where that is empty."""

    matrix: NDArray[np.float32]
    cube: NDArray[np.float32]
    curve: NDArray[np.uint8]


class EnlargedArrays(NamedTuple):
    """The picture at another size, with the axes that lead there; no rows where it is not wanted."""

    down: NDArray[np.int32]
    across: NDArray[np.int32]
    out: NDArray[np.uint32]


@njit(**IEEE_KERNEL_OPTIONS)
def develop_rows(counters, threads, picture, view, out, row, room, large):
    """Develop a picture by its `ViewArrays`, and enlarge it by `EnlargedArrays`, all threads together.

    row (threads, 3, W) and room (threads, W + 1) are a thread's own.
    """
    own = next_index(counters, 0)
    while True:
        y = next_index(counters, 1) * ROWS_PER_TASK
        if y >= len(picture):
            break
        for n in range(y, min(len(picture), y + ROWS_PER_TASK)):
            _expose(picture[n], view.matrix, row[own])
            if len(view.cube) == 0:
                _apply_curve(row[own], view.curve, out[n])
                continue
            for channel in range(3):
                _to_cube_positions(row[own, channel])
            _tetrahedral_lookup(row[own], view.cube, out[n])
    down = large.down
    if len(down) == 0:
        return
    barrier_wait(counters, 2, threads)
    while True:
        y = next_index(counters, 3) * ROWS_PER_TASK
        if y >= len(down):
            break
        enlarge_rows(out, down, large.across, y, min(len(down), y + ROWS_PER_TASK), room[own], large.out)
