# SPDX-License-Identifier: Apache-2.0
"""Dates and times at which the real sun has a direction or an elevation.

Directions are azimuth and apparent elevation in degrees, north not turned. Moments leave best first, each with the
angle that is left between the real sun and the one asked for.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, date, datetime, tzinfo

import numpy as np
from numpy.typing import NDArray

from gloamet.sun.day import day_path
from gloamet.sun.position import direction, sun_position
from gloamet.sun.year import year_grid

SCAN_MINUTES, FINE_S = 10, 4.0
SAME_DEG = 0.27  # nearer than the sun's own radius: the same sun for every shadow
FAR_DEG = 3.0  # from there on the days beside the nearest tell nothing
Array = NDArray[np.float64]


@dataclass(frozen=True)
class RealMoment:
    """An instant in the requested zone, the real sun at it, and its angle to the requested one."""

    when: datetime
    error_deg: float
    azimuth_deg: float
    elevation_deg: float


@dataclass(frozen=True)
class TimeWindow:
    """Which moments count: clock hours of the day and days of the year, both ends included, and a sun so high.

    A season whose first day is after its last runs over the turn of the year.
    """

    from_hour: float = 0.0
    to_hour: float = 24.0
    first: tuple[int, int] = (1, 1)  # month, day
    last: tuple[int, int] = (12, 31)
    lowest_deg: float = -0.6  # the sun's upper limb is above the horizon

    def holds_day(self, day: date) -> bool:
        """Whether a day counts."""
        at = (day.month, day.day)
        if self.first <= self.last:
            return self.first <= at <= self.last
        return at >= self.first or at <= self.last

    def holds_hour(self, hour: NDArray[np.floating]) -> NDArray[np.bool_]:
        """Which clock hours count."""
        return np.asarray((hour >= self.from_hour) & (hour <= self.to_hour))


ALL_YEAR = TimeWindow()


def angle_deg(a: Array, b: Array) -> Array:
    """Compute the angle between unit vectors, exact for small angles too.

    Parameters
    ----------
    a : ndarray
        Unit vectors, (..., 3).
    b : ndarray
        Unit vectors, (..., 3).

    Returns
    -------
    ndarray
        Degrees, (...).

    Examples
    --------
    >>> round(float(angle_deg(np.array([1.0, 0, 0]), np.array([0, 1.0, 0]))), 6)
    90.0
    """
    half = 0.5 * np.linalg.norm(np.asarray(a) - np.asarray(b), axis=-1)
    return np.asarray(np.degrees(2.0 * np.arcsin(np.minimum(half, 1.0))))


def _refine_moment(
    start_s: Array,
    step_s: float,
    low_s: Array,
    high_s: Array,
    latitude_deg: float,
    longitude_deg: float,
    off: Callable[[Array], Array],
) -> tuple[Array, Array]:
    """Times of least `off` within a step of each start and between low and high, and what is left there."""
    best = start_s.copy()
    while step_s > FINE_S:
        step_s *= 0.5
        tries = best[:, None] + step_s * np.array([-1.0, 0.0, 1.0])
        tries = np.clip(tries, low_s[:, None], high_s[:, None])
        sun = sun_position(tries, latitude_deg, longitude_deg)
        left = off(direction(sun.azimuth_deg, sun.elevation_deg))
        best = tries[np.arange(len(best)), left.argmin(1)]
    sun = sun_position(best, latitude_deg, longitude_deg)
    return best, off(direction(sun.azimuth_deg, sun.elevation_deg))


def _best_days(fine: Array) -> NDArray[np.intp]:
    """Days by their distance in degrees: local minima first, then others that are nearly as good."""
    before, after = np.concatenate([[np.inf], fine[:-1]]), np.concatenate([fine[1:], [np.inf]])
    peak = np.isfinite(fine) & (fine <= before) & (fine <= after) & (fine <= 2.0 * fine.min() + SAME_DEG)
    peaks = np.flatnonzero(peak)
    order = peaks[np.argsort(np.round(fine[peaks], 2), kind="stable")]
    near = max(SAME_DEG, 1.5 * fine.min()) if fine.min() < FAR_DEG else 0.0
    rest = np.setdiff1d(np.flatnonzero(fine <= near), peaks)
    return np.concatenate([order, rest[np.argsort(fine[rest], kind="stable")]])


def nearest_by(
    off: Callable[[Array], Array],
    year: int,
    latitude_deg: float,
    longitude_deg: float,
    tz: tzinfo,
    window: TimeWindow = ALL_YEAR,
    most: int = 12,
) -> list[RealMoment]:
    """Find the moments of a year that minimise a distance of the sun.

    At most one moment per day; days whose neighbours are both better are left out. Of equal ones the earlier is
    first.

    Parameters
    ----------
    off : callable
        Distance in degrees of unit vectors to the sun, (..., 3) to (...).
    year : int
        The year.
    latitude_deg : float
        Latitude, degrees north, −90 to 90.
    longitude_deg : float
        Longitude, degrees east, −180 to 180.
    tz : tzinfo
        Time zone of the site.
    window : TimeWindow, optional
        Hours and season to search.
    most : int, optional
        Largest number of moments.

    Returns
    -------
    list of RealMoment
        Moments, best first; empty when no moment is within the window.
    """
    grid = year_grid(year, latitude_deg, longitude_deg, tz, SCAN_MINUTES)
    left = off(direction(grid.azimuth_deg, grid.elevation_deg))
    hours = np.arange(left.shape[1]) * SCAN_MINUTES / 60.0
    days = np.array([window.holds_day(grid.day(k)) for k in range(len(left))])
    counts = days[:, None] & window.holds_hour(hours)[None] & (grid.elevation_deg >= window.lowest_deg)
    left = np.where(counts, left, np.inf)
    if not np.isfinite(left).any():
        return []
    row = left.argmin(1)
    start = grid.times_s[np.arange(len(left)), row]
    held = np.flatnonzero(np.isfinite(left.min(1)))
    fine = np.full(len(left), np.inf)
    times = np.zeros(len(left))
    low = np.where(np.isfinite(left), grid.times_s, np.inf).min(1)[held]
    high = np.where(np.isfinite(left), grid.times_s, -np.inf).max(1)[held]
    step = 60.0 * SCAN_MINUTES
    times[held], fine[held] = _refine_moment(start[held], step, low, high, latitude_deg, longitude_deg, off)
    order = _best_days(fine)[:most]
    sun = sun_position(times[order], latitude_deg, longitude_deg)
    return [
        RealMoment(
            datetime.fromtimestamp(round(times[k]), UTC).astimezone(tz),
            float(fine[k]),
            float(sun.azimuth_deg[n]),
            float(sun.elevation_deg[n]),
        )
        for n, k in enumerate(order)
    ]


def nearest_moments(
    azimuth_deg: float,
    elevation_deg: float,
    year: int,
    latitude_deg: float,
    longitude_deg: float,
    tz: tzinfo,
    window: TimeWindow = ALL_YEAR,
    most: int = 12,
) -> list[RealMoment]:
    """Find the moments of a year at which the sun is nearest to a direction.

    Parameters
    ----------
    azimuth_deg : float
        Azimuth, degrees clockwise from north.
    elevation_deg : float
        Apparent elevation, degrees, −90 to 90.
    year : int
        The year.
    latitude_deg : float
        Latitude, degrees north, −90 to 90.
    longitude_deg : float
        Longitude, degrees east, −180 to 180.
    tz : tzinfo
        Time zone of the site.
    window : TimeWindow, optional
        Hours and season to search.
    most : int, optional
        Largest number of moments.

    Returns
    -------
    list of RealMoment
        Moments, best first.
    """
    wanted = direction(azimuth_deg, elevation_deg)
    return nearest_by(lambda d: angle_deg(d, wanted), year, latitude_deg, longitude_deg, tz, window, most)


def instant_of_elevation(
    day: date, elevation_deg: float, rising: bool, latitude_deg: float, longitude_deg: float, tz: tzinfo
) -> datetime | None:
    """Find when the sun has an elevation on a day.

    Parameters
    ----------
    day : date
        Local calendar day.
    elevation_deg : float
        Apparent elevation, degrees, −90 to 90.
    rising : bool
        Whether before or after the highest point.
    latitude_deg : float
        Latitude, degrees north, −90 to 90.
    longitude_deg : float
        Longitude, degrees east, −180 to 180.
    tz : tzinfo
        Time zone of the site.

    Returns
    -------
    datetime or None
        The instant; None when the sun does not reach it.
    """
    times, path = day_path(day, latitude_deg, longitude_deg, tz, 289)
    height = path.elevation_deg - elevation_deg
    top = int(height.argmax())
    part = slice(0, top + 1) if rising else slice(top, len(times))
    crossing = np.flatnonzero(np.diff(np.sign(height[part])) != 0)
    if not len(crossing):
        return None
    k = int(crossing[-1 if rising else 0]) + (0 if rising else top)
    low, high = float(times[k]), float(times[k + 1])
    for _ in range(14):
        middle = 0.5 * (low + high)
        above = float(sun_position(middle, latitude_deg, longitude_deg).elevation_deg) > elevation_deg
        low, high = (low, middle) if above == rising else (middle, high)
    return datetime.fromtimestamp(round(0.5 * (low + high)), UTC).astimezone(tz)
