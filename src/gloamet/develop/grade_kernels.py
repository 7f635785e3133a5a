# SPDX-License-Identifier: Apache-2.0
"""The kernel of the colour link: sRGB codes to Oklab and back.

Layouts: codes and out (N, 3) float32 in 0..1. What does not act has no entries in `GradeArrays`.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

from gloamet.colour.oklab import CONES_TO_LAB, CONES_TO_RGB, LAB_TO_CONES, RGB_TO_CONES
from gloamet.jit import IEEE_INLINE_KERNEL_OPTIONS, IEEE_KERNEL_OPTIONS
from gloamet.quick_math import LOG2_E, exp2, log2
from gloamet.thread_barrier import next_index

F = np.float32
COLOURS_PER_TASK = 2048
PALE = F(0.03)  # chroma under which a colour has hardly a hue
VIVID = F(0.09)  # chroma over which vibrance hardly acts
LIGHTER = F(0.12)  # lightness that a band at its end adds to a vivid colour
TONED_OVER = F(0.12)  # of lightness: half the width of the border between dark and light parts
_TO_CONES, _TO_LAB = RGB_TO_CONES.astype(F), CONES_TO_LAB.astype(F)
_FROM_LAB, _TO_RGB = LAB_TO_CONES.astype(F), CONES_TO_RGB.astype(F)


class GradeArrays(NamedTuple):
    """Strength of the link; factor and vibrance; hues of the bands in degrees (8,) and what each does (8, 3): turn in
    degrees, share of saturation and of lightness more; colour (2, 2) that dark and light parts are toned with, and the
    lightness between them; weights (3,) of a black-and-white film."""

    strength: np.float32
    saturation: np.float32
    vibrance: np.float32
    hues: NDArray[np.float32]
    bands: NDArray[np.float32]
    toning: NDArray[np.float32]
    middle: np.float32
    grey: NDArray[np.float32]


@njit(**IEEE_INLINE_KERNEL_OPTIONS)
def _times(m, a, b, c):
    return (
        m[0, 0] * a + m[0, 1] * b + m[0, 2] * c,
        m[1, 0] * a + m[1, 1] * b + m[1, 2] * c,
        m[2, 0] * a + m[2, 1] * b + m[2, 2] * c,
    )


@njit(**IEEE_INLINE_KERNEL_OPTIONS)
def _power(v, exponent):
    """A power of a number not below 0, to 3e-5 of its size."""
    return exp2(log2(max(v, F(1e-30))) * exponent)


@njit(**IEEE_INLINE_KERNEL_OPTIONS)
def _decoded(v):
    """IEC 61966-2-1; codes below black go on as their mirror image."""
    size = abs(v)
    light = size / F(12.92) if size <= F(0.04045) else _power((size + F(0.055)) / F(1.055), F(2.4))
    return math.copysign(light, v)


@njit(**IEEE_INLINE_KERNEL_OPTIONS)
def _encoded(v):
    """The inverse; it goes on past the screen's colours, so that what lies between two results has no kink."""
    size = abs(v)
    code = F(12.92) * size if size <= F(0.0031308) else F(1.055) * _power(size, F(1.0 / 2.4)) - F(0.055)
    return math.copysign(code, v)


@njit(**IEEE_INLINE_KERNEL_OPTIONS)
def _cube_root(v):
    return math.copysign(_power(abs(v), F(1.0 / 3.0)), v)


@njit(**IEEE_INLINE_KERNEL_OPTIONS)
def _band_fraction(hues, hue_deg):
    """The two bands around a hue, and the fraction of the second."""
    last = len(hues) - 1
    for n in range(last):
        if hues[n] <= hue_deg < hues[n + 1]:
            past = (hue_deg - hues[n]) / (hues[n + 1] - hues[n])
            return n, n + 1, F(0.5) - F(0.5) * math.cos(F(math.pi) * past)
    past = (hue_deg - hues[last]) if hue_deg >= hues[last] else hue_deg + F(360) - hues[last]
    past /= hues[0] + F(360) - hues[last]
    return last, 0, F(0.5) - F(0.5) * math.cos(F(math.pi) * past)


@njit(**IEEE_INLINE_KERNEL_OPTIONS)
def _through_bands(lightness, a, b, grade):
    """A colour through the bands of hue; a pale one has no hue to go by."""
    chroma = a * a + b * b
    coloured = chroma / (chroma + PALE * PALE)
    hue = math.atan2(b, a) * F(180.0 / math.pi)
    first, second, fraction = _band_fraction(grade.hues, hue if hue >= F(0) else hue + F(360))
    one, other = grade.bands[first], grade.bands[second]
    turn = (one[0] + fraction * (other[0] - one[0])) * coloured * F(math.pi / 180.0)
    factor = F(1) + one[1] + fraction * (other[1] - one[1])
    lighter = one[2] + fraction * (other[2] - one[2])
    c, s = math.cos(turn) * factor, math.sin(turn) * factor
    return lightness + LIGHTER * lighter * coloured, a * c - b * s, a * s + b * c


@njit(**IEEE_INLINE_KERNEL_OPTIONS)
def _toned(lightness, a, b, grade):
    """Dark and light parts with a colour of their own; black and white stay."""
    level = min(max(lightness, F(0)), F(1))
    light = F(1) / (F(1) + math.exp((grade.middle - level) / TONED_OVER))
    ends = F(4) * level * (F(1) - level)
    dark, bright = ends * (F(1) - light), ends * light
    return (
        a + dark * grade.toning[0, 0] + bright * grade.toning[1, 0],
        b + dark * grade.toning[0, 1] + bright * grade.toning[1, 1],
    )


@njit(**IEEE_KERNEL_OPTIONS)
def _to_lab(row, count, grade):
    """The first colours of a row of codes (3, N) become Oklab, behind a black-and-white film where there is one."""
    red, green, blue = row[0], row[1], row[2]
    for n in range(count):
        red[n], green[n], blue[n] = _decoded(red[n]), _decoded(green[n]), _decoded(blue[n])
    if len(grade.grey):
        for n in range(count):
            grey = grade.grey[0] * red[n] + grade.grey[1] * green[n] + grade.grey[2] * blue[n]
            red[n], green[n], blue[n] = grey, grey, grey
    for n in range(count):
        u, v, w = _times(_TO_CONES, red[n], green[n], blue[n])
        red[n], green[n], blue[n] = _times(_TO_LAB, _cube_root(u), _cube_root(v), _cube_root(w))


@njit(**IEEE_KERNEL_OPTIONS)
def _grade_lab(row, count, grade):
    """A row of Oklab (3, N) in its new colours."""
    lightness, a, b = row[0], row[1], row[2]
    for n in range(count):
        vivid = exp2(-(a[n] * a[n] + b[n] * b[n]) * F(LOG2_E / (VIVID * VIVID)))
        vivid = grade.saturation * (F(1) + grade.vibrance * vivid)
        a[n], b[n] = a[n] * vivid, b[n] * vivid
    if len(grade.bands):
        for n in range(count):
            lightness[n], a[n], b[n] = _through_bands(lightness[n], a[n], b[n], grade)
    if len(grade.toning):
        for n in range(count):
            a[n], b[n] = _toned(lightness[n], a[n], b[n], grade)


@njit(**IEEE_KERNEL_OPTIONS)
def _to_codes(row, count):
    """A row of Oklab (3, N) becomes codes."""
    lightness, a, b = row[0], row[1], row[2]
    for n in range(count):
        u, v, w = _times(_FROM_LAB, lightness[n], a[n], b[n])
        red, green, blue = _times(_TO_RGB, u * u * u, v * v * v, w * w * w)
        lightness[n], a[n], b[n] = _encoded(red), _encoded(green), _encoded(blue)


@njit(**IEEE_KERNEL_OPTIONS)
def grade_colours(counters, codes, grade, rows, out):
    """Codes (N, 3) by a `GradeArrays`, all threads together; some may lie outside 0..1. A thread works in its own of
    rows (threads, 3, COLOURS_PER_TASK), one channel after the other: eight colours at once."""
    own = rows[next_index(counters, 1)]
    while True:
        first = next_index(counters, 0) * COLOURS_PER_TASK
        if first >= len(codes):
            break
        count = min(COLOURS_PER_TASK, len(codes) - first)
        for n in range(count):
            own[0, n], own[1, n], own[2, n] = codes[first + n, 0], codes[first + n, 1], codes[first + n, 2]
        _to_lab(own, count, grade)
        _grade_lab(own, count, grade)
        _to_codes(own, count)
        for n in range(count):
            for c in range(3):
                old = codes[first + n, c]
                out[first + n, c] = old + grade.strength * (own[c, n] - old)
