# SPDX-License-Identifier: Apache-2.0
"""Correlated colour temperature in both directions: from a colour to kelvin, from kelvin and tint to a white.

Colours enter as XYZ, temperatures are kelvin, tint is a thousandth of the distance from daylight in the
CIE 1960 diagram (positive towards green).
"""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike, NDArray

from gloamet.colour.spaces import (
    AP1_TO_XYZ,
    CAT16,
    D60_WHITE,
    XYZ_TO_AP1,
    adaptation_matrix,
    xy_to_xyz,
    xyz_to_xy,
)

Array = NDArray[np.float64]
DAYLIGHT_DUV = 0.0032  # daylight of 5000-6500 K lies this far above the Planckian locus (CIE 15)
MIN_KELVIN, MAX_KELVIN = 1000.0, 40000.0


def planckian_uv(kelvin: ArrayLike) -> Array:
    """CIE 1960 uv of a black body, shape (..., 2); 1000-15000 K to 1e-4.

    Krystek, "An algorithm to calculate correlated colour temperature", Color Res. Appl. 10 (1985).
    """
    t = np.asarray(kelvin, float)
    u = 0.860117757 + 1.54118254e-4 * t + 1.28641212e-7 * t**2
    v = 0.317398726 + 4.22806245e-5 * t + 4.20481691e-8 * t**2
    u = u / (1.0 + 8.42420235e-4 * t + 7.08145163e-7 * t**2)
    v = v / (1.0 - 2.89741816e-5 * t + 1.61456053e-7 * t**2)
    return np.stack([u, v], -1)


def _uv(xyz: Array) -> Array:
    x, y = np.moveaxis(xyz_to_xy(xyz), -1, 0)
    scale = -2.0 * x + 12.0 * y + 3.0
    return np.stack([4.0 * x / scale, 6.0 * y / scale], -1)


_MIRED = np.linspace(1e6 / MAX_KELVIN, 1e6 / MIN_KELVIN, 976)
_LOCUS = planckian_uv(1e6 / _MIRED)


def correlated_temperature(xyz: ArrayLike) -> float:
    """Compute the correlated colour temperature of a colour.

    The nearest point of the Planckian locus in CIE 1960 uv, on a grid of one mired with a parabola through the best
    three.

    Parameters
    ----------
    xyz : array_like
        XYZ of the colour, (3,).

    Returns
    -------
    float
        Kelvin, 1000 to 40000; nan for black.

    References
    ----------
    .. [1] M. Krystek, Color Research and Application 10, 1985 (the locus).
    """
    colour = np.asarray(xyz, float)
    if not colour.sum() > 0.0:
        return float("nan")
    distance = ((_LOCUS - _uv(colour)) ** 2).sum(-1)
    i = int(np.clip(np.argmin(distance), 1, len(_MIRED) - 2))
    a, b, c = distance[i - 1 : i + 2]
    bend = a - 2.0 * b + c
    shift = 0.0 if bend <= 0.0 else float(np.clip(0.5 * (a - c) / bend, -1.0, 1.0))
    return float(1e6 / (_MIRED[i] + shift * (_MIRED[1] - _MIRED[0])))


def _daylight_duv(kelvin: float) -> float:
    """How far daylight lies above the Planckian locus, nothing below 3500 K."""
    s = float(np.clip((kelvin - 3500.0) / 1500.0, 0.0, 1.0))
    return DAYLIGHT_DUV * s * s * (3.0 - 2.0 * s)


def white_xy(kelvin: float, tint: float) -> Array:
    """Compute the chromaticity of the light that a white balance makes neutral.

    Tint 0 is on the Planckian locus below 3500 K and on the daylight locus above 5000 K.

    Parameters
    ----------
    kelvin : float
        Colour temperature, kelvin.
    tint : float
        Tint across green and magenta; positive is green.

    Returns
    -------
    ndarray
        Chromaticity, (2,).
    """
    here = planckian_uv(kelvin)
    along = planckian_uv(kelvin * 1.001) - here
    normal = np.array([along[1], -along[0]]) / np.hypot(*along)
    if normal[1] < 0.0:
        normal = -normal
    u, v = here + normal * (_daylight_duv(kelvin) + tint / 1000.0)
    scale = 2.0 * u - 8.0 * v + 4.0
    return np.array([3.0 * u / scale, 2.0 * v / scale])


def balance_matrix(kelvin: float, tint: float) -> Array:
    """Compute the white-balance matrix for a light.

    Parameters
    ----------
    kelvin : float
        Colour temperature of the light, kelvin.
    tint : float
        Tint of the light; positive is green.

    Returns
    -------
    ndarray
        AP1 matrix by CAT16, (3, 3), about identity at 6000 K, tint 0.
    """
    adapt = adaptation_matrix(xy_to_xyz(white_xy(kelvin, tint)), xy_to_xyz(D60_WHITE), CAT16)
    return XYZ_TO_AP1 @ adapt @ AP1_TO_XYZ


def distance_from_locus(xyz: ArrayLike) -> float:
    """Compute Duv, the distance of a colour from the Planckian locus.

    Parameters
    ----------
    xyz : array_like
        XYZ of the colour, (3,).

    Returns
    -------
    float
        Distance in CIE 1960 uv, positive above the locus (greenish); nan for black.

    References
    ----------
    .. [1] ANSI C78.377.
    """
    colour = np.asarray(xyz, float)
    kelvin = correlated_temperature(colour)
    if not np.isfinite(kelvin):
        return float("nan")
    here, on = _uv(colour), planckian_uv(kelvin)
    along = planckian_uv(kelvin * 1.001) - on
    normal = np.array([along[1], -along[0]]) / np.hypot(*along)
    normal = -normal if normal[1] < 0.0 else normal
    return float((here - on) @ normal)


def balance_on(xyz: ArrayLike) -> tuple[float, float]:
    """Compute the white balance that makes a colour neutral.

    The inverse of `white_xy`.

    Parameters
    ----------
    xyz : array_like
        XYZ of the colour, (3,).

    Returns
    -------
    tuple of float
        Kelvin and tint; nan for black.
    """
    kelvin = correlated_temperature(xyz)
    return kelvin, 1000.0 * (distance_from_locus(xyz) - _daylight_duv(kelvin))
