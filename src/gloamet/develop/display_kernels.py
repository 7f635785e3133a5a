# SPDX-License-Identifier: Apache-2.0
"""The screen kernels: exposure matrix, tone, a view and colour, a row at a time.

Layouts: picture (H, 3 W) float32 in, out (H, W) uint32, each the bytes RGBX. A cube holds CUBE_SIZE**3 colours, three
values each with red fastest, and one spare value; the lookup is tetrahedral. A baked view is a cube of codes 0..1
over a log2 allocation; the colour grade is another cube, over square roots of linear display light, and a view before
it is baked as positions on its axes. The other views are a matrix, the film curve between two channel mixes where
there is one, and the sRGB curve of CURVE_SIZE + 1 codes over 0..1. Tone is a table of TABLE_SIZE factors over stops,
and one per channel. Steps that are switched off have arrays of length 0. The working row is (3, W) float32, one
channel after another, so that eight pixels are processed at once.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

from gloamet.develop.light_kernels import finite
from gloamet.develop.pixel_kernels import OPAQUE, enlarge_rows, held_code, pack_rgbx
from gloamet.develop.threads import ROWS_PER_TASK
from gloamet.jit import IEEE_INLINE_KERNEL_OPTIONS, IEEE_KERNEL_OPTIONS
from gloamet.quick_math import exp2, log2
from gloamet.thread_barrier import barrier_wait, next_index

CUBE_SIZE = 73
LOG_LOW, LOG_RANGE = -12.0, 20.0  # stops below and span above, around 1.0
CURVE_SIZE = 16384
_RED_STEP, _GREEN_STEP, _BLUE_STEP = np.int32(1), np.int32(CUBE_SIZE), np.int32(CUBE_SIZE * CUBE_SIZE)
_LAST_STEP = np.int32(1 + CUBE_SIZE + CUBE_SIZE * CUBE_SIZE)
F = np.float32
_LOWEST = F(2.0**LOG_LOW)
_STEPS = F((CUBE_SIZE - 1) / LOG_RANGE)
TABLE_STEPS, TABLE_SIZE = 128, 36 * 128 + 1  # of tables over stops: steps a stop, and their number
TABLE_LOWEST, TABLE_GREY = -16.0, 0.18  # stops from grey at which tables begin, and what grey is
_DARKEST = F(TABLE_GREY * 2.0**TABLE_LOWEST)
_TABLE_LOW = F(math.log2(TABLE_GREY) + TABLE_LOWEST)


@njit(**IEEE_KERNEL_OPTIONS)
def _expose(pixels, matrix, row):
    """A row of the picture, (3 W,), through the matrix: one axis, so that eight pixels are worked on at once."""
    a, b, c = matrix[0, 0], matrix[0, 1], matrix[0, 2]
    d, e, f = matrix[1, 0], matrix[1, 1], matrix[1, 2]
    g, h, i = matrix[2, 0], matrix[2, 1], matrix[2, 2]
    red, green, blue = row[0], row[1], row[2]
    for x in range(len(red)):
        p, q, s = finite(pixels[3 * x]), finite(pixels[3 * x + 1]), finite(pixels[3 * x + 2])
        red[x], green[x], blue[x] = a * p + b * q + c * s, d * p + e * q + f * s, g * p + h * q + i * s


@njit(**IEEE_KERNEL_OPTIONS)
def _to_cube_positions(values):
    """Linear values (W,) become positions on the cube's axis; the tests send not-a-number to the dark end."""
    for x in range(len(values)):
        value = values[x] if values[x] > _LOWEST else _LOWEST
        value = value if value < F(1e6) else F(1e6)
        position = (log2(value) - F(LOG_LOW)) * _STEPS
        values[x] = position if position < F(CUBE_SIZE - 1.001) else F(CUBE_SIZE - 1.001)


@njit(**IEEE_KERNEL_OPTIONS)
def _corners(row, index, fraction):
    """The tetrahedron of a cube that each place of a row (3, W) lies in: its low corner and the steps from there to the
    second and third one, index (3, W), and the fractions of all four, (4, W). Without a branch: which of six it is is
    chance."""
    red, green, blue = row[0], row[1], row[2]
    for x in range(row.shape[1]):
        u, v, t = red[x], green[x], blue[x]
        i, j, k = np.int32(u), np.int32(v), np.int32(t)
        fr, fg, fb = u - F(i), v - F(j), t - F(k)
        # walk from the low corner to the high one along the largest fractions first
        most, least = max(fr, max(fg, fb)), min(fr, min(fg, fb))
        middle = max(min(fr, fg), min(max(fr, fg), fb))
        index[0, x] = np.int32(np.int32(k * _GREEN_STEP + j) * _GREEN_STEP + i)
        index[1, x] = _RED_STEP if fr == most else (_GREEN_STEP if fg == most else _BLUE_STEP)
        index[2, x] = _LAST_STEP - (
            _BLUE_STEP if fb == least else (_GREEN_STEP if fg == least else _RED_STEP)
        )
        fraction[0, x], fraction[1, x] = F(1) - most, most - middle
        fraction[2, x], fraction[3, x] = middle - least, least


@njit(**IEEE_KERNEL_OPTIONS)
def _tetrahedral_lookup(row, cube, own):
    """A row of places (3, W) becomes the values of a cube there; `own` is a `RowArrays`."""
    index, fraction, mixed = own.corners, own.fractions, own.mixed
    _corners(row, index, fraction)
    for x in range(len(mixed)):  # a fourth value, the next colour's first, so that all are worked on at once
        first = np.uint64(3 * index[0, x])
        a, c = first + np.uint64(3 * index[1, x]), first + np.uint64(3 * index[2, x])
        last = first + np.uint64(3 * _LAST_STEP)
        w, p, q, s = fraction[0, x], fraction[1, x], fraction[2, x], fraction[3, x]
        one, two, three = np.uint64(1), np.uint64(2), np.uint64(3)
        mixed[x, 0] = w * cube[first] + p * cube[a] + q * cube[c] + s * cube[last]
        mixed[x, 1] = w * cube[first + one] + p * cube[a + one] + q * cube[c + one] + s * cube[last + one]
        mixed[x, 2] = w * cube[first + two] + p * cube[a + two] + q * cube[c + two] + s * cube[last + two]
        mixed[x, 3] = (
            w * cube[first + three] + p * cube[a + three] + q * cube[c + three] + s * cube[last + three]
        )
    red, green, blue = row[0], row[1], row[2]
    for x in range(len(mixed)):
        red[x], green[x], blue[x] = mixed[x, 0], mixed[x, 1], mixed[x, 2]


@njit(**IEEE_INLINE_KERNEL_OPTIONS)
def _rounded(code):
    """A code 0..1 or past it as 0..255, half a code more: cut down, it is rounded."""
    return held_code(code * F(255) + F(0.5))


@njit(**IEEE_KERNEL_OPTIONS)
def _pack_codes(row, out):
    """Pack a row of codes (3, W), in or outside 0..1, into words."""
    red, green, blue = row[0], row[1], row[2]
    for x in range(len(out)):
        out[x] = pack_rgbx(_rounded(red[x]), _rounded(green[x]), _rounded(blue[x]))


@njit(**IEEE_KERNEL_OPTIONS)
def _clamp_positions(row):
    """A row of places (3, W) on the axes of a cube, held inside it."""
    for channel in range(3):
        values = row[channel]
        for x in range(len(values)):
            values[x] = min(max(values[x], F(0)), F(CUBE_SIZE - 1.001))


@njit(**IEEE_KERNEL_OPTIONS)
def _root_positions(row):
    """A row of linear display light (3, W) becomes places in the cube of colour."""
    for channel in range(3):
        values = row[channel]
        for x in range(len(values)):
            values[x] = F(CUBE_SIZE - 1) * math.sqrt(max(values[x], F(0)))


@njit(**IEEE_KERNEL_OPTIONS)
def _to_table_positions(values):
    """Linear values (W,) become places in a table over stops from grey; the ends go on."""
    for x in range(len(values)):
        value = values[x] if values[x] > _DARKEST else _DARKEST
        value = value if value < F(1e9) else F(1e9)
        position = (log2(value) - _TABLE_LOW) * F(TABLE_STEPS)
        values[x] = position if position < F(TABLE_SIZE - 1.01) else F(TABLE_SIZE - 1.01)


@njit(**IEEE_KERNEL_OPTIONS)
def _look_up(positions, table):
    """Places (W,) become the values of a table there."""
    for x in range(len(positions)):
        i = np.uint64(np.int32(positions[x]))
        low = table[i]
        positions[x] = low + (positions[x] - F(np.int32(positions[x]))) * (table[i + np.uint64(1)] - low)


@njit(**IEEE_KERNEL_OPTIONS)
def _tone_row(row, gain, tone, factor):
    """A row of scene light (3, W) under factors (W,) and through the curves of a `ToneArrays`; factor (W,) is
    filled."""
    red, green, blue = row[0], row[1], row[2]
    if len(gain):
        for x in range(len(gain)):
            red[x] *= gain[x]
            green[x] *= gain[x]
            blue[x] *= gain[x]
    if len(tone.brightness):
        a = tone.luminance
        for x in range(len(red)):
            factor[x] = a[0] * red[x] + a[1] * green[x] + a[2] * blue[x]
        _to_table_positions(factor)
        _look_up(factor, tone.brightness)
        for x in range(len(red)):
            red[x], green[x], blue[x] = factor[x] * red[x], factor[x] * green[x], factor[x] * blue[x]
    if tone.channels.shape[1]:
        for channel in range(3):
            values = row[channel]
            for x in range(len(values)):
                factor[x] = values[x]
            _to_table_positions(factor)
            _look_up(factor, tone.channels[channel])
            for x in range(len(values)):
                values[x] *= factor[x]


@njit(**IEEE_KERNEL_OPTIONS)
def _through_matrix(row, matrix):
    """A row of colours (3, W) through a matrix."""
    red, green, blue = row[0], row[1], row[2]
    for x in range(len(red)):
        r, g, b = red[x], green[x], blue[x]
        red[x] = matrix[0, 0] * r + matrix[0, 1] * g + matrix[0, 2] * b
        green[x] = matrix[1, 0] * r + matrix[1, 1] * g + matrix[1, 2] * b
        blue[x] = matrix[2, 0] * r + matrix[2, 1] * g + matrix[2, 2] * b


@njit(**IEEE_KERNEL_OPTIONS)
def _film_curve(values, film):
    """Linear values (W,) through the film's curve W x^n / (x^n + s)."""
    for x in range(len(values)):
        held = min(max(values[x], F(1e-9)), F(1e9))
        raised = exp2(film.slope * log2(held))
        values[x] = film.white * raised / (raised + film.speed)


@njit(**IEEE_KERNEL_OPTIONS)
def _film_row(row, film):
    """A row of scene light (3, W) becomes linear display light by a `FilmCurve`, held inside the screen's colours."""
    red, green, blue = row[0], row[1], row[2]
    to, inset, outset = film.matrix, film.inset, film.outset
    keep = F(1) / (F(1) - outset)
    for x in range(len(red)):
        r, g, b = max(red[x], F(0)), max(green[x], F(0)), max(blue[x], F(0))
        mean = (r + g + b) * F(1.0 / 3.0)
        red[x], green[x], blue[x] = r + inset * (mean - r), g + inset * (mean - g), b + inset * (mean - b)
    for channel in range(3):
        _film_curve(row[channel], film)
    for x in range(len(red)):
        r, g, b = red[x], green[x], blue[x]
        mean = (r + g + b) * F(1.0 / 3.0)
        r, g, b = (r - outset * mean) * keep, (g - outset * mean) * keep, (b - outset * mean) * keep
        p = to[0, 0] * r + to[0, 1] * g + to[0, 2] * b
        q = to[1, 0] * r + to[1, 1] * g + to[1, 2] * b
        s = to[2, 0] * r + to[2, 1] * g + to[2, 2] * b
        grey = film.luminance[0] * p + film.luminance[1] * q + film.luminance[2] * s
        least = min(p, min(q, s))
        inside = grey / max(grey - least, F(1e-9)) if least < F(0) else F(1)
        red[x], green[x], blue[x] = (
            grey + (p - grey) * inside,
            grey + (q - grey) * inside,
            grey + (s - grey) * inside,
        )


@njit(**IEEE_INLINE_KERNEL_OPTIONS)
def _curve_value(value, curve):
    held = min(max(value, F(0)), F(1))
    return np.uint32(curve[np.uint64(np.int32(held * F(CURVE_SIZE) + F(0.5)))])


@njit(**IEEE_KERNEL_OPTIONS)
def _apply_curve(row, curve, out):
    """A row of linear display light (3, W) through a curve."""
    red, green, blue = row[0], row[1], row[2]
    for x in range(len(out)):
        r, g, b = _curve_value(red[x], curve), _curve_value(green[x], curve), _curve_value(blue[x], curve)
        out[x] = r | (g << np.uint32(8)) | (b << np.uint32(16)) | OPAQUE


class FilmCurve(NamedTuple):
    """Scene light to linear display light: a film's curve W x^n / (x^n + s) between two mixtures of the channels, then
    a matrix; without a slope n the matrix alone."""

    slope: np.float32
    white: np.float32
    speed: np.float32
    inset: np.float32
    outset: np.float32
    matrix: NDArray[np.float32]
    luminance: NDArray[np.float32]


class ToneArrays(NamedTuple):
    """Factors of brightness over stops, and of each channel (3, N); weights of luminance."""

    brightness: NDArray[np.float32]
    channels: NDArray[np.float32]
    luminance: NDArray[np.float32]


class ViewArrays(NamedTuple):
    """Exposure and white balance as one matrix, what changes brightness, and the view: a baked cube, or a film, or the
    sRGB curve alone; and a cube of colour."""

    matrix: NDArray[np.float32]
    tone: ToneArrays
    cube: NDArray[np.float32]
    film: FilmCurve
    curve: NDArray[np.uint8]
    colour: NDArray[np.float32]


class EnlargedArrays(NamedTuple):
    """The picture at another size, with its resampling axes; no rows where it is not needed."""

    down: NDArray[np.int32]
    across: NDArray[np.int32]
    out: NDArray[np.uint32]


class RowArrays(NamedTuple):
    """What a thread works in: a row on its way (4, W), its tetrahedra's corners (3, W) and shares (4, W), what they
    give (W, 4), and a row that is enlarged (W + 1,). All threads' together, with one axis more in front."""

    row: NDArray[np.float32]
    corners: NDArray[np.int32]
    fractions: NDArray[np.float32]
    mixed: NDArray[np.float32]
    room: NDArray[np.uint32]


@njit(**IEEE_KERNEL_OPTIONS)
def _develop_row(pixels, gain, view, own, out):
    """Develop one row (3 W,) into out (W,) in a `RowArrays`."""
    row, coloured = own.row[:3], len(view.colour) > 0
    _expose(pixels, view.matrix, row)
    _tone_row(row, gain, view.tone, own.row[3])
    if len(view.cube):
        for channel in range(3):
            _to_cube_positions(row[channel])
        _tetrahedral_lookup(row, view.cube, own)
    else:
        if view.film.slope > F(0):
            _film_row(row, view.film)
        else:
            _through_matrix(row, view.film.matrix)
        if not coloured:
            _apply_curve(row, view.curve, out)
            return
        _root_positions(row)
    if coloured:
        _clamp_positions(row)
        _tetrahedral_lookup(row, view.colour, own)
    _pack_codes(row, out)


@njit(**IEEE_KERNEL_OPTIONS)
def develop_rows(counters, threads, picture, gain, view, out, work, large):
    """Develop a picture by its `ViewArrays`, and enlarge it by `EnlargedArrays`, all threads together.

    gain (H, W) are factors of pixels, none where there is none; work is the `RowArrays` of all threads.
    """
    k = next_index(counters, 0)
    own = RowArrays(work.row[k], work.corners[k], work.fractions[k], work.mixed[k], work.room[k])
    while True:
        y = next_index(counters, 1) * ROWS_PER_TASK
        if y >= len(picture):
            break
        for n in range(y, min(len(picture), y + ROWS_PER_TASK)):
            _develop_row(picture[n], gain[min(n, len(gain) - 1)], view, own, out[n])
    down = large.down
    if len(down) == 0:
        return
    barrier_wait(counters, 2, threads)
    while True:
        y = next_index(counters, 3) * ROWS_PER_TASK
        if y >= len(down):
            break
        enlarge_rows(out, down, large.across, y, min(len(down), y + ROWS_PER_TASK), own.room, large.out)
