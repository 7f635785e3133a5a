# SPDX-License-Identifier: Apache-2.0
"""Kernels of the links on scene light: exposure, scattered light, distortion, local light and details.

Layouts: picture and out (H, W, 3) float32 light in AP1; small (h, w, C) means of blocks of factor x factor pixels;
weights (H, W). Each kernel takes rows in turn by `counters`, on as many threads as call it.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numba import njit

from gloamet.develop.threads import ROWS_PER_TASK
from gloamet.jit import IEEE_INLINE_KERNEL_OPTIONS, IEEE_KERNEL_OPTIONS
from gloamet.quick_math import exp2, log2
from gloamet.thread_barrier import next_index

F = np.float32


@njit(**IEEE_INLINE_KERNEL_OPTIONS)
def finite(value):
    """The value itself; infinity becomes very bright and not-a-number black."""
    return value if value < F(1e12) else (F(1e12) if value > F(0) else F(0))


@njit(**IEEE_KERNEL_OPTIONS)
def expose_rows(counters, picture, matrix, out):
    """The picture through a matrix (3, 3)."""
    while True:
        y0 = next_index(counters, 0) * ROWS_PER_TASK
        if y0 >= len(picture):
            break
        for y in range(y0, min(y0 + ROWS_PER_TASK, len(picture))):
            for x in range(picture.shape[1]):
                p, q, s = finite(picture[y, x, 0]), finite(picture[y, x, 1]), finite(picture[y, x, 2])
                for c in range(3):
                    out[y, x, c] = matrix[c, 0] * p + matrix[c, 1] * q + matrix[c, 2] * s


@njit(**IEEE_INLINE_KERNEL_OPTIONS)
def _over(p, q, s, least, weights):
    """The fraction of light above a threshold of luminance."""
    luminance = weights[0] * p + weights[1] * q + weights[2] * s
    return max(F(1) - least / max(luminance, F(1e-9)), F(0))


@njit(**IEEE_KERNEL_OPTIONS)
def shrink_rows(counters, picture, factor, least, weights, small):
    """Means of blocks into small (h, w, 6): all light, and that above a threshold."""
    height, width = picture.shape[0], picture.shape[1]
    while True:
        j = next_index(counters, 0)
        if j >= len(small):
            break
        small[j] = F(0)
        y1 = min((j + 1) * factor, height)
        for y in range(j * factor, y1):
            for x in range(width):
                p, q, s = picture[y, x, 0], picture[y, x, 1], picture[y, x, 2]
                over, i = _over(p, q, s, least, weights), x // factor
                small[j, i, 0] += p
                small[j, i, 1] += q
                small[j, i, 2] += s
                small[j, i, 3] += over * p
                small[j, i, 4] += over * q
                small[j, i, 5] += over * s
        for i in range(small.shape[1]):
            pixels = (y1 - j * factor) * (min((i + 1) * factor, width) - i * factor)
            for c in range(6):
                small[j, i, c] /= F(pixels)


@njit(**IEEE_INLINE_KERNEL_OPTIONS)
def _neighbours(at, count):
    """Index before a place, held inside, the one after it, and the fraction of that; unsigned ones are not checked."""
    at = min(max(at, F(0)), F(count - 1))
    low = np.int32(at)
    return np.uint64(low), np.uint64(min(low + 1, np.int32(count - 1))), at - F(low)


@njit(**IEEE_INLINE_KERNEL_OPTIONS)
def _place(x, factor, count):
    """Block before a pixel's middle, the one after it, and the fraction of that."""
    return _neighbours((F(x) + F(0.5)) / F(factor) - F(0.5), count)


@njit(**IEEE_INLINE_KERNEL_OPTIONS)
def _between(small, down, across, c):
    """A channel of small between its pixels; down and across are places of `_place`."""
    (j, below, v), (i, right, u), c = down, across, np.uint64(c)
    upper = small[j, i, c] + u * (small[j, right, c] - small[j, i, c])
    lower = small[below, i, c] + u * (small[below, right, c] - small[below, i, c])
    return upper + v * (lower - upper)


@njit(**IEEE_KERNEL_OPTIONS)
def scatter_rows(counters, picture, small, factor, fractions, weights, out):
    """What stays of the picture, and the light of small (h, w, 3) laid over it; shares: kept of all light, taken of
    that above a threshold, the threshold."""
    kept, taken, least = fractions
    while True:
        y0 = next_index(counters, 0) * ROWS_PER_TASK
        if y0 >= len(picture):
            break
        for y in range(y0, min(y0 + ROWS_PER_TASK, len(picture))):
            down = _place(y, factor, small.shape[0])
            for x in range(picture.shape[1]):
                across = _place(x, factor, small.shape[1])
                p, q, s = picture[y, x, 0], picture[y, x, 1], picture[y, x, 2]
                stays = kept - taken * _over(p, q, s, least, weights)
                for c in range(3):
                    out[y, x, c] = stays * picture[y, x, c] + _between(small, down, across, c)


@njit(**IEEE_KERNEL_OPTIONS)
def shrink_stops_rows(counters, picture, factor, weights, least, small):
    """Means of blocks of log2 luminance into small (h, w)."""
    height, width = picture.shape[0], picture.shape[1]
    while True:
        j = next_index(counters, 0)
        if j >= len(small):
            break
        small[j] = F(0)
        y1 = min((j + 1) * factor, height)
        for y in range(j * factor, y1):
            for x in range(width):
                p, q, s = finite(picture[y, x, 0]), finite(picture[y, x, 1]), finite(picture[y, x, 2])
                small[j, x // factor] += log2(max(weights[0] * p + weights[1] * q + weights[2] * s, least))
        for i in range(small.shape[1]):
            small[j, i] /= F((y1 - j * factor) * (min((i + 1) * factor, width) - i * factor))


@njit(**IEEE_KERNEL_OPTIONS)
def details_rows(counters, picture, line, factor, weights, least, amount, gain):
    """Factors (H, W) by which details differ more from their surroundings, slope and rest in line (h, w, 2)."""
    while True:
        y0 = next_index(counters, 0) * ROWS_PER_TASK
        if y0 >= len(picture):
            break
        for y in range(y0, min(y0 + ROWS_PER_TASK, len(picture))):
            down = _place(y, factor, line.shape[0])
            for x in range(picture.shape[1]):
                across = _place(x, factor, line.shape[1])
                p, q, s = finite(picture[y, x, 0]), finite(picture[y, x, 1]), finite(picture[y, x, 2])
                stops = log2(max(weights[0] * p + weights[1] * q + weights[2] * s, least))
                base = _between(line, down, across, 0) * stops + _between(line, down, across, 1)
                gain[y, x] = exp2(amount * (stops - base))


@njit(**IEEE_KERNEL_OPTIONS)
def _distorted_positions(y, shape, bent, scale, first, fraction):
    """Where the pixels of row y look through a lens: the pixel before, first (W,), and the shares of the one after it
    across and down, (2, W). Eight at once."""
    height, width = shape
    over_half = F(4) / F(height * height + width * width)
    down = F(y) + F(0.5) - F(0.5) * F(height)
    for x in range(len(first)):
        across = F(x) + F(0.5) - F(0.5) * F(width)
        factor = scale * (F(1) + bent * (down * down + across * across) * over_half)
        v = min(max(down * factor + F(0.5) * F(height) - F(0.5), F(0)), F(height - 1))
        u = min(max(across * factor + F(0.5) * F(width) - F(0.5), F(0)), F(width - 1))
        j, i = min(np.int32(v), np.int32(height - 2)), min(np.int32(u), np.int32(width - 2))
        first[x] = np.int32(j * width + i)
        fraction[0, x], fraction[1, x] = u - F(i), v - F(j)


@njit(**IEEE_KERNEL_OPTIONS)
def bend_rows(counters, picture, shape, bent, scales, firsts, fractions, out):
    """A picture (3 H W,) of two rows and columns at least through a lens: a pixel r half diagonals from the centre
    shows the place r (1 + bent r²) times the scale of its channel; edges are drawn out. A thread works in its own of
    firsts (threads, W) and shares (threads, 2, W)."""
    height, width = shape
    k = next_index(counters, 1)
    first, fraction = firsts[k], fractions[k]
    one, below = np.uint64(3), np.uint64(3 * width)
    while True:
        y0 = next_index(counters, 0) * ROWS_PER_TASK
        if y0 >= height:
            break
        for y in range(y0, min(y0 + ROWS_PER_TASK, height)):
            row = out[y]
            for c in range(3):
                if c == 0 or scales[c] != scales[c - 1]:
                    _distorted_positions(y, shape, bent, scales[c], first, fraction)
                for x in range(width):
                    a, u, v = np.uint64(3 * first[x] + c), fraction[0, x], fraction[1, x]
                    upper = picture[a] + u * (picture[a + one] - picture[a])
                    a += below
                    lower = picture[a] + u * (picture[a + one] - picture[a])
                    row[3 * x + c] = upper + v * (lower - upper)


class LocalLight(NamedTuple):
    """What a mask makes of light at full weight: stops, stops of each channel, factor of saturation, slope about grey
    less 1, log2 of grey, and weights of luminance."""

    stops: np.float32
    warmth: tuple[np.float32, np.float32, np.float32]
    saturation: np.float32
    slope: np.float32
    grey: np.float32
    luminance: tuple[np.float32, np.float32, np.float32]


@njit(**IEEE_KERNEL_OPTIONS)
def _local_light_row(pixels, weights, light, out):
    """A row (3 W,), three values a pixel, with a `LocalLight` by weights (W,). It is one axis and no pixel takes a
    branch, so that eight pixels are worked on at once."""
    a = light.luminance
    for x in range(len(weights)):
        w, p, q, s = weights[x], pixels[3 * x], pixels[3 * x + 1], pixels[3 * x + 2]
        grey = a[0] * p + a[1] * q + a[2] * s
        colour = F(1) + w * (light.saturation - F(1))
        over = log2(max(grey, F(1e-5))) - light.grey
        stops = w * (light.stops + light.slope * over)
        out[3 * x] = (grey + colour * (p - grey)) * exp2(stops + w * light.warmth[0])
        out[3 * x + 1] = (grey + colour * (q - grey)) * exp2(stops + w * light.warmth[1])
        out[3 * x + 2] = (grey + colour * (s - grey)) * exp2(stops + w * light.warmth[2])


@njit(**IEEE_KERNEL_OPTIONS)
def local_light_rows(counters, picture, weights, light, out):
    """The picture (H, 3 W) with a `LocalLight` by weights (H, W)."""
    while True:
        y0 = next_index(counters, 0) * ROWS_PER_TASK
        if y0 >= len(picture):
            break
        for y in range(y0, min(y0 + ROWS_PER_TASK, len(picture))):
            covered = False
            for x in range(weights.shape[1]):
                covered |= weights[y, x] > F(0)
            if covered:
                _local_light_row(picture[y], weights[y], light, out[y])
                continue
            for x in range(picture.shape[1]):
                out[y, x] = picture[y, x]
