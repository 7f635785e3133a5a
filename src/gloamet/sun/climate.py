# SPDX-License-Identifier: Apache-2.0
"""Typical values of a site: the month's Linke turbidity and the altitude, from shipped tables.

Degrees enter, numbers leave. Both tables are means (of one and of half a degree), so a mountain top is lower here
than it is; NOTICE names where they come from.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from gloamet.shipped_data import DATA

TABLES = DATA / "climate.npz"
LINKE_STEP = 20.0  # the table holds twentieths
ALTITUDE_STEP_M, LOWEST_M = 28.0, -450.0


@lru_cache(maxsize=1)
def _tables() -> tuple[NDArray[np.uint8], NDArray[np.uint8]]:
    with np.load(TABLES) as file:
        return file["linke"], file["altitude"]


def _between(table: NDArray, latitude_deg: float, longitude_deg: float) -> float:
    """A table (rows from 90 N, columns from 180 W) between the middles of its cells."""
    rows, columns = table.shape
    y = min(max((90.0 - latitude_deg) / 180.0 * rows - 0.5, 0.0), rows - 1.0)
    x = (longitude_deg + 180.0) / 360.0 * columns - 0.5
    i, j = int(y), int(np.floor(x))
    fy, fx, below = y - i, x - j, min(i + 1, rows - 1)
    left, right = j % columns, (j + 1) % columns
    upper = (1.0 - fx) * table[i, left] + fx * table[i, right]
    lower = (1.0 - fx) * table[below, left] + fx * table[below, right]
    return float((1.0 - fy) * upper + fy * lower)


def linke_turbidity(latitude_deg: float, longitude_deg: float, month: int) -> float:
    """Return the typical Linke turbidity of a month at a site.

    Parameters
    ----------
    latitude_deg : float
        Latitude, degrees north, −90 to 90.
    longitude_deg : float
        Longitude, degrees east, −180 to 180.
    month : int
        Month, 1 to 12.

    Returns
    -------
    float
        Linke turbidity.

    References
    ----------
    .. [1] J. Remund et al., "Worldwide Linke turbidity information", ISES Solar World Congress, 2003.

    Examples
    --------
    >>> round(linke_turbidity(57.4, 21.5, 5), 1)
    2.6
    """
    return _between(_tables()[0][month - 1], latitude_deg, longitude_deg) / LINKE_STEP


def altitude_m(latitude_deg: float, longitude_deg: float) -> float:
    """Return the mean altitude of the land around a site.

    Parameters
    ----------
    latitude_deg : float
        Latitude, degrees north, −90 to 90.
    longitude_deg : float
        Longitude, degrees east, −180 to 180.

    Returns
    -------
    float
        Metres above sea level, not negative.

    Examples
    --------
    >>> 1500 < altitude_m(39.7, -105.2) < 2300
    True
    """
    return max(0.0, _between(_tables()[1], latitude_deg, longitude_deg) * ALTITUDE_STEP_M + LOWEST_M)
