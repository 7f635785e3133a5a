# SPDX-License-Identifier: Apache-2.0
"""The sun's day at a site: sunrise, sunset, noon, twilights, and the path between them.

A calendar date, a place and a time zone enter; instants as aware datetimes leave, None where the sun does
not do the thing that day. Polar day and polar night are told apart.
"""

from __future__ import annotations

from dataclasses import dataclass, fields
from datetime import UTC, date, datetime, timedelta, tzinfo
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from gloamet.sun.position import HORIZON_DIP_DEG, SunPosition, sun_position

SCAN_STEP_S = 300.0
CIVIL_DEG, NAUTICAL_DEG, ASTRONOMICAL_DEG = -6.0, -12.0, -18.0  # USNO definitions of the twilights
DayKind = Literal["sun rises and sets", "polar day", "polar night"]


@dataclass(frozen=True)
class DayEvents:
    """Instants of one local day in the zone asked for; None where an event does not happen that day."""

    kind: DayKind
    solar_noon: datetime
    noon_elevation_deg: float
    sunrise: datetime | None
    sunset: datetime | None
    civil_dawn: datetime | None
    civil_dusk: datetime | None
    nautical_dawn: datetime | None
    nautical_dusk: datetime | None
    astronomical_dawn: datetime | None
    astronomical_dusk: datetime | None

    def instants(self) -> dict[str, datetime | None]:
        """Every event by name, in the order of the fields."""
        skipped = ("kind", "noon_elevation_deg")
        return {f.name: getattr(self, f.name) for f in fields(self) if f.name not in skipped}


def day_span_s(day: date, tz: tzinfo) -> tuple[float, float]:
    """Return the first and last instant of a local day.

    Parameters
    ----------
    day : date
        Local calendar day.
    tz : tzinfo
        Time zone of the site.

    Returns
    -------
    tuple of float
        Unix seconds; 23 or 25 hours apart when the clock changes.
    """
    start = datetime(day.year, day.month, day.day, tzinfo=tz)
    after = day + timedelta(days=1)
    return start.timestamp(), datetime(after.year, after.month, after.day, tzinfo=tz).timestamp()


def day_path(
    day: date, lat_deg: float, lon_deg: float, tz: tzinfo, steps: int
) -> tuple[NDArray, SunPosition]:
    """Compute the sun at evenly spaced instants of a day.

    Parameters
    ----------
    day : date
        Local calendar day.
    lat_deg : float
        Latitude, degrees north, −90 to 90.
    lon_deg : float
        Longitude, degrees east, −180 to 180.
    tz : tzinfo
        Time zone of the site.
    steps : int
        Number of instants.

    Returns
    -------
    tuple of ndarray and SunPosition
        Unix seconds, (steps,), and positions.
    """
    times = np.linspace(*day_span_s(day, tz), steps)
    return times, sun_position(times, lat_deg, lon_deg)


def _refine(low: float, high: float, target_deg: float, lat_deg: float, lon_deg: float) -> float:
    """The crossing between two instants on either side of a true elevation, to about 0.1 s."""
    f_low = float(sun_position(low, lat_deg, lon_deg).elevation_true_deg) - target_deg
    for _ in range(12):
        mid = 0.5 * (low + high)
        f_mid = float(sun_position(mid, lat_deg, lon_deg).elevation_true_deg) - target_deg
        if (f_mid > 0.0) == (f_low > 0.0):
            low, f_low = mid, f_mid
        else:
            high = mid
    return 0.5 * (low + high)


def _peak(times: NDArray, elevation: NDArray) -> tuple[float, float]:
    """Time and height of the highest point, by the parabola through the highest sample."""
    i = int(np.clip(np.argmax(elevation), 1, len(times) - 2))
    a, b, c = elevation[i - 1 : i + 2]
    bend = a - 2.0 * b + c
    shift = 0.0 if bend == 0.0 else float(np.clip(0.5 * (a - c) / bend, -1.0, 1.0))
    return float(times[i] + shift * (times[1] - times[0])), float(b - 0.25 * (a - c) * shift)


def day_events(day: date, lat_deg: float, lon_deg: float, tz: tzinfo) -> DayEvents:
    """Compute sunrise, sunset, solar noon and twilights of a day.

    Rise and set are those of the upper limb on a sea horizon (centre at −0.833° true elevation); twilights are at
    −6°, −12° and −18°.

    Parameters
    ----------
    day : date
        Local calendar day.
    lat_deg : float
        Latitude, degrees north, −90 to 90.
    lon_deg : float
        Longitude, degrees east, −180 to 180.
    tz : tzinfo
        Time zone of the site.

    Returns
    -------
    DayEvents
        The events.
    """
    start, end = day_span_s(day, tz)
    times = np.linspace(start, end, int(round((end - start) / SCAN_STEP_S)) + 1)
    elevation = sun_position(times, lat_deg, lon_deg).elevation_true_deg

    def crossing(target: float, upward: bool) -> datetime | None:
        above = elevation > target
        hits = np.flatnonzero(above[1:] & ~above[:-1] if upward else ~above[1:] & above[:-1])
        if not len(hits):
            return None
        i = hits[0] if upward else hits[-1]
        return local(_refine(times[i], times[i + 1], target, lat_deg, lon_deg))

    def local(second: float) -> datetime:
        return datetime.fromtimestamp(round(second), UTC).astimezone(tz)

    noon_s, height = _peak(times, elevation)
    kind: DayKind = "sun rises and sets"
    if elevation.min() > HORIZON_DIP_DEG:
        kind = "polar day"
    elif elevation.max() < HORIZON_DIP_DEG:
        kind = "polar night"
    levels = (HORIZON_DIP_DEG, CIVIL_DEG, NAUTICAL_DEG, ASTRONOMICAL_DEG)
    pairs = [(crossing(level, True), crossing(level, False)) for level in levels]
    return DayEvents(kind, local(noon_s), height, *(instant for pair in pairs for instant in pair))
