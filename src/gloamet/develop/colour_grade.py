# SPDX-License-Identifier: Apache-2.0
"""Colour after the view transform: saturation, vibrance, hue bands, toning, black and white, and a look-up table.

Code values of an sRGB screen in 0..1 (..., 3) enter and leave; colour is changed in Oklab, where hue, strength and
lightness are apart. Grey stays grey through all of it, but for toning and a table.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from gloamet.colour.oklab import linear_to_oklab, oklab_to_linear
from gloamet.colour.views import REC709_LUMINANCE
from gloamet.develop.colour_table import apply_table
from gloamet.develop.links import ColourGrade, HueBand

if TYPE_CHECKING:
    from gloamet.develop.grade_kernels import GradeArrays

Floats = NDArray[np.float32]

# Oklab hues of red, orange, yellow, green, cyan, blue, violet and magenta, degrees: those of the full colours of a
# screen, orange (#ff8000) and violet (#8000ff) among them.
BAND_HUES_DEG = (29.2, 53.0, 109.8, 142.5, 194.8, 264.1, 294.3, 328.4)
TONING = 0.12  # chroma of full toning
SWATCH = (0.68, 0.14)  # lightness and chroma of a band's swatch
BALANCE = 0.35  # lightness by which the border of toning moves


def band_colour(hue_deg: float) -> Floats:
    """Compute a swatch colour of a hue band.

    Parameters
    ----------
    hue_deg : float
        Hue in degrees.

    Returns
    -------
    ndarray
        Linear Rec. 709, (3,).
    """
    hue = np.radians(hue_deg)
    lab = np.array([SWATCH[0], SWATCH[1] * np.cos(hue), SWATCH[1] * np.sin(hue)])
    return np.clip(oklab_to_linear(lab), 0.0, 1.0).astype(np.float32)


def acts(colour: ColourGrade) -> bool:
    """Whether it changes a picture."""
    return colour.on and colour.strength > 0.0 and (_shifts(colour) or bool(colour.table))


def _shifts(colour: ColourGrade) -> bool:
    return (
        colour.saturation != 1.0
        or colour.vibrance != 0.0
        or colour.black_and_white
        or _tones(colour)
        or any(band != HueBand() for band in colour.bands)
    )


def _tones(colour: ColourGrade) -> bool:
    return colour.shadow_toning > 0.0 or colour.highlight_toning > 0.0


def _toning(tone: tuple[float, float, float], amount: float) -> list[float]:
    """What is added to the opponent colours of a part, of no length for a grey tone."""
    a, b = (float(v) for v in linear_to_oklab(np.array(tone))[1:])
    length = float(np.hypot(a, b))
    return [0.0, 0.0] if length < 1e-6 else [TONING * amount * a / length, TONING * amount * b / length]


def _grey_weights(colour: ColourGrade) -> Floats:
    """Weights of linear light behind the filter; a black filter is none."""
    weights = REC709_LUMINANCE * np.array(colour.filter)
    total = float(weights.sum())
    return np.asarray(weights / total if total > 0.0 else REC709_LUMINANCE, np.float32)


def _arrays(colour: ColourGrade) -> GradeArrays:
    from gloamet.develop.grade_kernels import GradeArrays

    bands = [(band.hue, band.saturation, band.lightness) for band in colour.bands]
    tones = [
        _toning(colour.shadow_tone, colour.shadow_toning),
        _toning(colour.highlight_tone, colour.highlight_toning),
    ]
    return GradeArrays(
        np.float32(1.0 if colour.table else colour.strength),
        np.float32(colour.saturation),
        np.float32(colour.vibrance),
        np.array(BAND_HUES_DEG, np.float32),
        np.array(bands if any(map(any, bands)) else [], np.float32).reshape(-1, 3),
        np.array(tones if _tones(colour) else [], np.float32).reshape(-1, 2),
        np.float32(0.5 - BALANCE * colour.toning_balance),
        _grey_weights(colour) if colour.black_and_white else np.zeros(0, np.float32),
    )


def grade_codes(codes: Floats, colour: ColourGrade) -> Floats:
    """Apply the colour link to display codes.

    Parameters
    ----------
    codes : ndarray
        Display codes 0 to 1, (..., 3).
    colour : ColourGrade
        Settings of the link.

    Returns
    -------
    ndarray
        Codes, (..., 3), some possibly outside 0 to 1; the same array while the link is neutral.

    Raises
    ------
    GloametError
        The look-up table cannot be read.
    """
    if not acts(colour):
        return codes
    out = codes
    if _shifts(colour):
        from gloamet.develop.grade_kernels import COLOURS_PER_TASK, grade_colours
        from gloamet.develop.threads import THREADS, on_all_threads

        out = np.empty(codes.shape, np.float32)
        flat = np.ascontiguousarray(codes, np.float32).reshape(-1, 3)
        rows = np.empty((THREADS, 3, COLOURS_PER_TASK), np.float32)
        on_all_threads(grade_colours, flat, _arrays(colour), rows, out.reshape(-1, 3))
    if colour.table:
        tabled = apply_table(np.clip(out, 0.0, 1.0), colour.table)
        out = out + np.float32(colour.table_strength) * (tabled - out)
        out = codes + np.float32(colour.strength) * (out - codes)
    return out
