# SPDX-License-Identifier: Apache-2.0
"""A year of the sun at one site: a grid of days and clock times, and the solstices and equinoxes.

A year, a place and a zone enter; arrays of Unix seconds and degrees, or instants, leave. A column of the grid is a
day, a row a clock time; in the hour a clock skips or repeats the row is that of the clock before the change.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta, tzinfo
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from gloamet.sun.position import DEG, ecliptic, sun_position

Array = NDArray[np.float64]
SEASONS = ("March equinox", "June solstice", "September equinox", "December solstice")


@dataclass(frozen=True)
class YearGrid:
    """times_s, azimuth_deg and elevation_deg (days, steps): `steps` a day from local midnight on."""

    year: int
    times_s: Array
    azimuth_deg: Array
    elevation_deg: Array

    @property
    def minutes(self) -> float:
        """Between two rows."""
        return 1440.0 / self.times_s.shape[1]

    def day(self, index: int) -> date:
        """The calendar day of a column."""
        return date(self.year, 1, 1) + timedelta(days=int(index))


def days_of(year: int) -> int:
    """365 or 366."""
    return (date(year + 1, 1, 1) - date(year, 1, 1)).days


def _clock_offsets(year: int, tz: tzinfo, steps: int) -> Array:
    """Clock minus UTC in seconds, (days, steps): a change of the clock holds from the row after it."""

    def offset(at: datetime) -> float:
        return (at.replace(tzinfo=tz).utcoffset() or timedelta()).total_seconds()

    first = datetime(year, 1, 1)
    at_midnight = [offset(first + timedelta(days=d)) for d in range(days_of(year) + 1)]
    out = np.repeat(np.array(at_midnight[:-1])[:, None], steps, 1)
    for d in np.flatnonzero(np.diff(at_midnight)):
        start = first + timedelta(days=int(d))
        out[d] = [offset(start + timedelta(minutes=k * 1440.0 / steps)) for k in range(steps)]
    return out


@lru_cache(maxsize=2)
def year_grid(
    year: int, latitude_deg: float, longitude_deg: float, tz: tzinfo, minutes: int = 15
) -> YearGrid:
    """Compute the sun through a year.

    Parameters
    ----------
    year : int
        The year.
    latitude_deg : float
        Latitude, degrees north, −90 to 90.
    longitude_deg : float
        Longitude, degrees east, −180 to 180.
    tz : tzinfo
        Time zone of the site.
    minutes : int, optional
        Step, minutes; divides 1440.

    Returns
    -------
    YearGrid
        Read-only grid of apparent positions.
    """
    steps, days = 1440 // minutes, days_of(year)
    clock = datetime(year, 1, 1, tzinfo=UTC).timestamp() + 86400.0 * np.arange(days)[:, None]
    times = clock + 60.0 * minutes * np.arange(steps)[None] - _clock_offsets(year, tz, steps)
    sun = sun_position(times, latitude_deg, longitude_deg)
    for array in (times, sun.azimuth_deg, sun.elevation_deg):
        array.setflags(write=False)
    return YearGrid(year, times, sun.azimuth_deg, sun.elevation_deg)


def season_instants(year: int) -> dict[str, datetime]:
    """Compute equinoxes and solstices of a year.

    The apparent longitude of the sun is 0°, 90°, 180° and 270°; within a minute of reference [1].

    Parameters
    ----------
    year : int
        The year.

    Returns
    -------
    dict of str to datetime
        Instants in UTC by name.

    References
    ----------
    .. [1] J. Meeus, "Astronomical Algorithms", chapter 27.

    Examples
    --------
    >>> season_instants(2026)["June solstice"].strftime("%d %b %H:%M")
    '21 Jun 08:24'
    """
    out = {}
    for k, (name, month) in enumerate(zip(SEASONS, (3, 6, 9, 12), strict=True)):
        t = datetime(year, month, 21, tzinfo=UTC).timestamp()
        for _ in range(6):
            longitude = float(DEG * ecliptic(t)[0])
            off = (90.0 * k - longitude + 180.0) % 360.0 - 180.0
            t += off / 360.0 * 365.2422 * 86400.0
        out[name] = datetime.fromtimestamp(round(t), UTC)
    return out
