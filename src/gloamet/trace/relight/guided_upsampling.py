# SPDX-License-Identifier: Apache-2.0
"""Enlarging developed pictures along the outlines and textures of the scene, by taps found once per camera.

Joint bilateral upsampling (Kopf et al. 2007) of packed RGBX pixels. taps (n, 4) int32 and fractions (n, 4) uint8, in
255ths, lead from a pixel of the large picture to pixels of the small one; detail (n, 3) uint16, in 256ths, is what its
texture makes of their codes. Outlines are mixed from the large picture's own pixels, as `antialias` finds them.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit
from numpy.typing import NDArray

from gloamet.jit import INNER_KERNEL_OPTIONS, KERNEL_OPTIONS, F
from gloamet.thread_barrier import barrier_wait, next_index
from gloamet.trace.relight.antialias import SUBSAMPLES
from gloamet.trace.relight.points import PIXEL_KIND

COUNTERS, PIXELS_PER_TASK = 6, 8192
DARKEST_ALBEDO, LARGEST_RATIO = 0.02, 4.0
# About the power of the light that display codes go with: of 0, 0.3, 0.45, 0.6, 0.8 and 1 the best, or within 0.25
# codes rms of it, in the three demos as metered and two stops darker.
CODE_POWER = 0.45
_OPAQUE = np.uint32(0xFF000000)


@njit(**KERNEL_OPTIONS)
def find_other_taps(small, big, y0, y1, taps, fractions):
    """Give the pixels of rows y0..y1 that have no taps yet, those of the sky above all, bilinear ones of their kind."""
    width, height = small.width, small.height
    for y in range(y0, y1):
        for x in range(big.width):
            i = y * big.width + x
            kind = big.shading[i, PIXEL_KIND]
            if fractions[i, 0] or fractions[i, 1] or fractions[i, 2] or fractions[i, 3]:
                continue
            u = (F(x) + F(0.5)) * F(width) / F(big.width) - F(0.5)
            v = (F(y) + F(0.5)) * F(height) / F(big.height) - F(0.5)
            left, above = int(math.floor(u)), int(math.floor(v))
            total = F(0)
            for attempt in range(2):  # at last whatever is there
                for k in range(4):
                    a, b = min(max(left + (k & 1), 0), width - 1), min(max(above + (k >> 1), 0), height - 1)
                    j = b * width + a
                    w = (u - F(left) if k & 1 else F(left + 1) - u) * (
                        v - F(above) if k >> 1 else F(above + 1) - v
                    )
                    if attempt == 0 and small.shading[j, PIXEL_KIND] != kind:
                        w = F(0)
                    taps[i, k], fractions[i, k] = j, np.uint8(int(w * F(255)))
                    total += w
                if total > F(0.02):
                    break
            _spread(total, i, fractions)


@njit(**INNER_KERNEL_OPTIONS)
def _spread(total, i, fractions):
    """Let fractions that add up to `total` add up to 255."""
    left, most = 255, 0
    for k in range(4):
        fractions[i, k] = np.uint8(min(F(255), F(fractions[i, k]) / max(total, F(1e-3))))
        left -= int(fractions[i, k])
        if fractions[i, k] > fractions[i, most]:
            most = k
    fractions[i, most] += np.uint8(left)


def texture_detail(
    small: NDArray[np.float32],
    big: NDArray[np.float32],
    taps: NDArray[np.int32],
    fractions: NDArray[np.uint8],
) -> NDArray[np.uint16]:
    """What the texture of large pixels makes of the codes of their taps, in 256ths.

    Parameters
    ----------
    small : ndarray
        Albedo of the small picture's pixels, (m, 3).
    big : ndarray
        Albedo of the large picture's pixels, (n, 3).
    taps : ndarray
        Pixels of the small picture, (n, 4).
    fractions : ndarray
        Their weights in 255ths, (n, 4).

    Returns
    -------
    ndarray
        Factors, (n, 3).
    """
    mean = np.zeros_like(big)
    for k in range(4):
        mean += small[taps[:, k]] * (fractions[:, k, None] * np.float32(1 / 255))
    ratio = np.maximum(big, DARKEST_ALBEDO) / np.maximum(mean, DARKEST_ALBEDO)
    held = np.clip(ratio, 1.0 / LARGEST_RATIO, LARGEST_RATIO)
    return np.asarray(np.round(256.0 * held**CODE_POWER), np.uint16)


@njit(**INNER_KERNEL_OPTIONS)
def _enlarge_pixel(small, taps, fractions, detail, i):
    """The packed pixel i of the large picture."""
    r = g = b = np.uint32(0)
    for k in range(4):
        pixel, w = small[taps[i, k]], np.uint32(fractions[i, k])
        r += w * (pixel & np.uint32(255))
        g += w * ((pixel >> np.uint32(8)) & np.uint32(255))
        b += w * ((pixel >> np.uint32(16)) & np.uint32(255))
    half, most, whole = np.uint32(255 * 128), np.uint32(255), np.uint32(255 * 256)
    r = min(most, (r * np.uint32(detail[i, 0]) + half) // whole)
    g = min(most, (g * np.uint32(detail[i, 1]) + half) // whole)
    b = min(most, (b * np.uint32(detail[i, 2]) + half) // whole)
    return r | (g << np.uint32(8)) | (b << np.uint32(16)) | _OPAQUE


@njit(**INNER_KERNEL_OPTIONS)
def _mix_outline(covers, e, picture):
    """The mean of the pixels that outline pixel e is mixed from."""
    even = odd = np.uint32(0)
    for q in range(SUBSAMPLES):
        pixel = picture[covers[e, q]]
        even += pixel & np.uint32(0x00FF00FF)
        odd += (pixel >> np.uint32(8)) & np.uint32(0xFF)
    half = np.uint32(SUBSAMPLES // 2)
    r, b = (
        ((even & np.uint32(0xFFFF)) + half) // np.uint32(SUBSAMPLES),
        ((even >> np.uint32(16)) + half) // np.uint32(SUBSAMPLES),
    )
    return r | ((odd + half) // np.uint32(SUBSAMPLES) << np.uint32(8)) | (b << np.uint32(16)) | _OPAQUE


@njit(**KERNEL_OPTIONS)
def enlarge_guided(counters, threads, small, taps, fractions, detail, edges, covers, mixed, out):
    """Fill out (n,) uint32 from small (m,) uint32, then mix the outlines: all threads together.

    counters is (COUNTERS,) int64 of zeros; edges (e,), covers (e, SUBSAMPLES) and mixed (e,) uint32, room for what is
    mixed, are of the large picture's outlines.
    """
    for step in range(3):
        count = len(out) if step == 0 else len(edges)
        while True:
            first = next_index(counters, 2 * step) * PIXELS_PER_TASK
            if first >= count:
                break
            for i in range(first, min(count, first + PIXELS_PER_TASK)):
                if step == 0:
                    out[i] = _enlarge_pixel(small, taps, fractions, detail, i)
                elif step == 1:
                    mixed[i] = _mix_outline(covers, i, out)
                else:
                    out[edges[i]] = mixed[i]
        barrier_wait(counters, 2 * step + 1, threads)
