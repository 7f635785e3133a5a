# SPDX-License-Identifier: Apache-2.0
"""Gains of light per channel: temperature shift, tint and saturation as factors, and a separate gain for indirect
light.

Factors of AP1 channels leave; white keeps its luminance under all of them.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from gloamet.colour.spaces import AP1_LUMINANCE, REC709_TO_AP1, XYZ_TO_AP1, xy_to_xyz
from gloamet.colour.temperature import white_xy

Array = NDArray[np.float64]
Floats = NDArray[np.float32]
NEUTRAL_KELVIN = 6500.0  # that warmth is counted from


@lru_cache(maxsize=64)  # asked for with every picture, and mostly the same
def warmth_gain(mired: float) -> Array:
    """Compute the AP1 gain that makes light of 6500 K warmer.

    Parameters
    ----------
    mired : float
        Shift in mired; positive is warmer.

    Returns
    -------
    ndarray
        Gain of each AP1 channel, (3,); the luminance of white stays.
    """
    kelvin = 1e6 / (1e6 / NEUTRAL_KELVIN + mired)
    white, warm = (XYZ_TO_AP1 @ xy_to_xyz(white_xy(k, 0.0)) for k in (NEUTRAL_KELVIN, kelvin))
    gain = np.asarray((warm / (AP1_LUMINANCE @ warm)) / (white / (AP1_LUMINANCE @ white)))
    gain.setflags(write=False)
    return gain


def tint_gain(tint: tuple[float, float, float], strength: float) -> Array:
    """Compute the AP1 gain of a tint.

    Parameters
    ----------
    tint : tuple of float
        Linear Rec. 709 colour, each 0 to 1.
    strength : float
        Strength of the tint, 0 to 1.

    Returns
    -------
    ndarray
        Gain of each AP1 channel, (3,); the luminance of white stays.
    """
    colour = np.maximum(REC709_TO_AP1 @ np.array(tint), 1e-3)
    return np.asarray(1.0 + strength * (colour / (AP1_LUMINANCE @ colour) - 1.0))


def saturation_gain(colour: tuple[float, float, float] | Array, saturation: float) -> Array:
    """Compute the AP1 gain that changes the saturation of light of a given colour.

    A gain per channel and no matrix, so that light responds in the same way on every surface.

    Parameters
    ----------
    colour : tuple of float or ndarray
        Colour of the light, AP1, any brightness.
    saturation : float
        Factor of the saturation; 0 is grey, 1 changes nothing.

    Returns
    -------
    ndarray
        Gain of each AP1 channel, (3,); the luminance of the light stays.
    """
    light = np.asarray(colour, float)
    level = float(AP1_LUMINANCE @ light)
    if level <= 0.0 or saturation == 1.0:
        return np.ones(3)
    own = np.maximum(light / level, 1e-3)
    wanted = np.maximum(1.0 + saturation * (own - 1.0), 1e-3)
    return np.asarray(wanted / (AP1_LUMINANCE @ wanted) / own)


def colour_tuple(values: NDArray[np.floating]) -> tuple[float, float, float]:
    """Convert an array of three numbers to a tuple of floats.

    Parameters
    ----------
    values : ndarray
        Three numbers, (3,).

    Returns
    -------
    tuple of float
        The same numbers.
    """
    red, green, blue = (float(v) for v in values)
    return red, green, blue


def apply_gain(
    whole: Floats, indirect: Floats | None, direct_gain: tuple[float, ...], indirect_gain: tuple[float, ...]
) -> Floats:
    """Apply separate gains to the direct and the indirect part of a light.

    Parameters
    ----------
    whole : ndarray
        The light, AP1 cd/m², (..., 3).
    indirect : ndarray or None
        Its indirect part, (..., 3); None treats all of it as direct.
    direct_gain : tuple of float
        Gain of the direct part for each AP1 channel.
    indirect_gain : tuple of float
        Gain of the indirect part for each AP1 channel.

    Returns
    -------
    ndarray
        The light under its gains, (..., 3).
    """
    out = whole * np.array(direct_gain, np.float32)
    if indirect is not None and direct_gain != indirect_gain:
        out += indirect * (np.array(indirect_gain, np.float32) - np.array(direct_gain, np.float32))
    return np.asarray(out, np.float32)
