# SPDX-License-Identifier: Apache-2.0
"""Kernels on packed RGBX pixels of a finished picture: luminance, sharpness, grain, and enlarging.

Layouts: pixels (H, W) uint32, each the bytes RGBX. An axis of the enlarged picture is places (N, 2) int32: the pixel
before, and the fraction of the one after it in 256ths.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from gloamet.develop.threads import ROWS_PER_TASK
from gloamet.jit import IEEE_INLINE_KERNEL_OPTIONS, IEEE_KERNEL_OPTIONS
from gloamet.thread_barrier import next_index

F = np.float32
_EVEN_BYTES, _ODD_BYTES = np.uint32(0x00FF00FF), np.uint32(0xFF00FF00)
_HALF = np.uint32(0x00800080)  # so that it is rounded: a picture cut down would be half a code darker
OPAQUE = np.uint32(0xFF000000)


@njit(**IEEE_INLINE_KERNEL_OPTIONS)
def pack_rgbx(r, g, b):
    """Pack red, green and blue, 0..255, into one word."""
    return np.uint32(int(r) | (int(g) << 8) | (int(b) << 16) | 0xFF000000)


@njit(**IEEE_INLINE_KERNEL_OPTIONS)
def _unpack(pixel):
    """Red, green and blue, 0..255, of a word."""
    return (
        F(pixel & np.uint32(255)),
        F((pixel >> np.uint32(8)) & np.uint32(255)),
        F((pixel >> np.uint32(16)) & np.uint32(255)),
    )


@njit(**IEEE_INLINE_KERNEL_OPTIONS)
def held_code(value):
    """A value held in 0..255."""
    return min(max(value, F(0)), F(255))


@njit(**IEEE_KERNEL_OPTIONS)
def luminance_rows(counters, pixels, weights, out):
    """Weighted sums (H, W), 0..1, of the codes of packed pixels (H, W)."""
    while True:
        y0 = next_index(counters, 0) * ROWS_PER_TASK
        if y0 >= len(pixels):
            break
        for y in range(y0, min(y0 + ROWS_PER_TASK, len(pixels))):
            for x in range(pixels.shape[1]):
                r, g, b = _unpack(pixels[y, x])
                out[y, x] = (weights[0] * r + weights[1] * g + weights[2] * b) * F(1.0 / 255.0)


@njit(**IEEE_KERNEL_OPTIONS)
def finish_rows(counters, pixels, weights, detail, noise, amount):
    """Packed pixels (H, W) with codes of detail (H, W) and grain of noise (H, W) added, in place; what is not wanted
    has no rows. Grain is `amount` l (1 - l) of the pixel's own luminance l."""
    while True:
        y0 = next_index(counters, 0) * ROWS_PER_TASK
        if y0 >= len(pixels):
            break
        for y in range(y0, min(y0 + ROWS_PER_TASK, len(pixels))):
            for x in range(pixels.shape[1]):
                r, g, b = _unpack(pixels[y, x])
                more = detail[y, x] if len(detail) else F(0)
                if len(noise):
                    level = (weights[0] * r + weights[1] * g + weights[2] * b) * F(1.0 / 255.0)
                    more += amount * level * (F(1) - level) * noise[y, x]
                more = more * F(255) + F(0.5)
                pixels[y, x] = pack_rgbx(held_code(r + more), held_code(g + more), held_code(b + more))


@njit(**IEEE_INLINE_KERNEL_OPTIONS)
def _lerp_rgbx(a, b, fraction):
    """Four bytes part of the way from a to b, share in 256ths."""
    rest = np.uint32(256) - fraction
    even = np.uint32((a & _EVEN_BYTES) * rest) + np.uint32((b & _EVEN_BYTES) * fraction) + _HALF
    odd = (
        np.uint32(((a >> np.uint32(8)) & _EVEN_BYTES) * rest)
        + np.uint32(((b >> np.uint32(8)) & _EVEN_BYTES) * fraction)
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
