# SPDX-License-Identifier: Apache-2.0
"""Angles of directions and shadows: azimuth and elevation of a vector, and the width of a penumbra."""

from __future__ import annotations

import math
from typing import Any

from numpy.typing import NDArray


def azimuth_of(vector: NDArray[Any] | tuple[float, ...]) -> float:
    """Compute the azimuth of a direction.

    Parameters
    ----------
    vector : ndarray or tuple of float
        Direction of any length, (3,): x east, y north, z up.

    Returns
    -------
    float
        Degrees clockwise from north, 0 to 360.

    Examples
    --------
    >>> azimuth_of((1.0, 0.0, 0.5)), azimuth_of((0.0, -2.0, 0.0))
    (90.0, 180.0)
    """
    return math.degrees(math.atan2(float(vector[0]), float(vector[1]))) % 360.0


def elevation_of(vector: NDArray[Any] | tuple[float, ...]) -> float:
    """Compute the elevation of a direction.

    Parameters
    ----------
    vector : ndarray or tuple of float
        Direction of any length, (3,): x east, y north, z up.

    Returns
    -------
    float
        Degrees above the horizon, −90 to 90.

    Examples
    --------
    >>> elevation_of((0.0, 3.0, 3.0)), elevation_of((0.0, 0.0, -2.0))
    (45.0, -90.0)
    """
    x, y, z = (float(v) for v in vector)
    return math.degrees(math.atan2(z, math.hypot(x, y)))


def azimuth_elevation(vector: NDArray[Any] | tuple[float, ...]) -> tuple[float, float]:
    """Compute azimuth and elevation of a direction, the inverse of `sun.position.direction`.

    Parameters
    ----------
    vector : ndarray or tuple of float
        Direction of any length, (3,): x east, y north, z up.

    Returns
    -------
    tuple of float
        Azimuth 0 to 360 and elevation −90 to 90, degrees.
    """
    return azimuth_of(vector), elevation_of(vector)


def penumbra_m(diameter_deg: float, distance_m: float) -> float:
    """Compute the width of a penumbra at right angles to the light, from umbra to full sun.

    Parameters
    ----------
    diameter_deg : float
        Angular diameter of the sun, degrees.
    distance_m : float
        Distance from the caster, metres.

    Returns
    -------
    float
        Width, metres: 2 · distance · tan(diameter / 2).

    Examples
    --------
    >>> round(100 * penumbra_m(0.533, 4.0), 1)
    3.7
    """
    return 2.0 * distance_m * math.tan(math.radians(diameter_deg) / 2.0)
