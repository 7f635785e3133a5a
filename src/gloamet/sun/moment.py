# SPDX-License-Identifier: Apache-2.0
"""From a site and a clock time to the sun of that moment, with all values that are displayed."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime, tzinfo
from functools import lru_cache

from gloamet.sun.day import DayEvents, day_events
from gloamet.sun.position import sun_position
from gloamet.sun.site import read_clock


@dataclass(frozen=True)
class Moment:
    """The sun at one instant of a place; angles in degrees, elevation apparent."""

    instant: datetime
    local: datetime
    note: str | None
    azimuth_deg: float
    elevation_deg: float
    elevation_true_deg: float
    declination_deg: float
    equation_of_time_min: float


def moment_at(when: datetime, lat_deg: float, lon_deg: float, tz: tzinfo) -> Moment:
    """Compute the sun at a clock time.

    Parameters
    ----------
    when : datetime
        A naive clock time at the site, or an aware instant.
    lat_deg : float
        Latitude, degrees north, −90 to 90.
    lon_deg : float
        Longitude, degrees east, −180 to 180.
    tz : tzinfo
        Time zone of the site.

    Returns
    -------
    Moment
        Instant, sun position and a note on clock changes.
    """
    return _moment_at(when, when.fold, lat_deg, lon_deg, tz)


@lru_cache(maxsize=32)  # window and worker ask for the same moment several times each
def _moment_at(when: datetime, _fold: int, lat_deg: float, lon_deg: float, tz: tzinfo) -> Moment:
    """_fold tells repeated hours apart, which are equal as dates."""
    note = None
    if when.tzinfo is None:
        reading = read_clock(when, tz)
        instant, note = reading.instant, reading.note
    else:
        instant = when.astimezone(UTC)
    p = sun_position(instant.timestamp(), lat_deg, lon_deg)
    return Moment(
        instant,
        instant.astimezone(tz),
        note,
        float(p.azimuth_deg),
        float(p.elevation_deg),
        float(p.elevation_true_deg),
        float(p.declination_deg),
        float(p.equation_of_time_min),
    )


def events_of(moment: Moment, lat_deg: float, lon_deg: float, tz: tzinfo) -> DayEvents:
    """Compute the events of the local day of a moment.

    Parameters
    ----------
    moment : Moment
        The moment.
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
    return day_events(moment.local.date(), lat_deg, lon_deg, tz)
