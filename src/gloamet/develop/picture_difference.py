# SPDX-License-Identifier: Apache-2.0
"""Difference of two pictures: colour difference of the developed ones, stops of the light.

Codes 0..1 of an sRGB screen, or light in AP1, (..., 3) enter; differences leave.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from gloamet.colour.lab import xyz_to_lab
from gloamet.colour.spaces import (
    AP1_LUMINANCE,
    D65_WHITE,
    REC709_PRIMARIES,
    rgb_to_xyz_matrix,
    srgb_to_linear,
    xy_to_xyz,
)

Array = NDArray[Any]
_TO_XYZ = rgb_to_xyz_matrix(REC709_PRIMARIES, D65_WHITE)
_WHITE = xy_to_xyz(D65_WHITE)
DARK = 1e-4  # light of both pictures below which stops mean nothing, of a picture's own brightest hundredth


def codes_to_lab(codes: Array) -> Array:
    """Convert sRGB codes to CIE L*a*b*.

    Parameters
    ----------
    codes : ndarray
        Display codes 0 to 1, (..., 3).

    Returns
    -------
    ndarray
        L*a*b* with the D65 white, (..., 3).
    """
    return xyz_to_lab(srgb_to_linear(codes) @ _TO_XYZ.T / _WHITE)


def delta_e_2000(one: Array, other: Array) -> Array:
    """Compute the CIEDE2000 colour difference.

    Parameters
    ----------
    one : ndarray
        L*a*b* colours, (..., 3).
    other : ndarray
        L*a*b* colours, (..., 3).

    Returns
    -------
    ndarray
        Differences, (...).

    References
    ----------
    .. [1] G. Sharma, W. Wu, E. Dalal, "The CIEDE2000 color-difference formula", Color Research and Application 30,
       2005.
    """
    l1, a1, b1 = np.moveaxis(np.asarray(one, float), -1, 0)
    l2, a2, b2 = np.moveaxis(np.asarray(other, float), -1, 0)
    mean = 0.5 * (np.hypot(a1, b1) + np.hypot(a2, b2))
    g = 1.0 + 0.5 * (1.0 - np.sqrt(mean**7 / (mean**7 + 25.0**7)))
    c1, c2 = np.hypot(g * a1, b1), np.hypot(g * a2, b2)
    h1, h2 = (np.degrees(np.arctan2(b, g * a)) % 360.0 for a, b in ((a1, b1), (a2, b2)))
    grey = c1 * c2 == 0.0
    turn = np.where(grey, 0.0, (h2 - h1 + 180.0) % 360.0 - 180.0)
    far = np.abs(h1 - h2) > 180.0
    middle = np.where(far, np.where(h1 + h2 < 360.0, h1 + h2 + 360.0, h1 + h2 - 360.0), h1 + h2) / 2.0
    middle = np.where(grey, h1 + h2, middle)
    dl, dc = l2 - l1, c2 - c1
    dh = 2.0 * np.sqrt(c1 * c2) * np.sin(np.radians(turn) / 2.0)
    lightness, chroma = 0.5 * (l1 + l2), 0.5 * (c1 + c2)
    t = (
        1.0
        - 0.17 * np.cos(np.radians(middle - 30.0))
        + 0.24 * np.cos(np.radians(2.0 * middle))
        + 0.32 * np.cos(np.radians(3.0 * middle + 6.0))
        - 0.20 * np.cos(np.radians(4.0 * middle - 63.0))
    )
    sl = 1.0 + 0.015 * (lightness - 50.0) ** 2 / np.sqrt(20.0 + (lightness - 50.0) ** 2)
    sc, sh = 1.0 + 0.045 * chroma, 1.0 + 0.015 * chroma * t
    around = 30.0 * np.exp(-(((middle - 275.0) / 25.0) ** 2))
    rotation = -2.0 * np.sqrt(chroma**7 / (chroma**7 + 25.0**7)) * np.sin(np.radians(2.0 * around))
    p, q, r = dl / sl, dc / sc, dh / sh
    return np.asarray(np.sqrt(np.maximum(p * p + q * q + r * r + rotation * q * r, 0.0)))


def code_difference(one: Array, other: Array) -> Array:
    """Compute the CIEDE2000 difference of two pictures' codes.

    Parameters
    ----------
    one : ndarray
        Display codes 0 to 1, (..., 3).
    other : ndarray
        Display codes 0 to 1, (..., 3).

    Returns
    -------
    ndarray
        Differences, (...).
    """
    return delta_e_2000(codes_to_lab(one), codes_to_lab(other))


def stops_difference(one: Array, other: Array) -> Array:
    """Compute the luminance difference of two pictures in stops.

    Parameters
    ----------
    one : ndarray
        Light in AP1, (..., 3).
    other : ndarray
        Light in AP1, (..., 3).

    Returns
    -------
    ndarray
        Log2 of the ratio, (...); nan where both are dark.
    """
    a, b = (np.nan_to_num(light, nan=0.0, posinf=1e9) @ AP1_LUMINANCE for light in (one, other))
    floor = DARK * max(float(np.quantile(np.maximum(a, b), 0.99)), 1e-12)
    known = np.maximum(a, b) > floor
    return np.where(known, np.log2(np.maximum(a, floor) / np.maximum(b, floor)), np.nan)
