"""From a site and a clock time to the sun of that moment, with everything the desk and command line show."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime, tzinfo
from functools import lru_cache

from gloamet.sun.day import DayEvents, day_events
from gloamet.sun.place import read_clock
from gloamet.sun.position import sun_position


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
    """The sun when a clock shows `when` (naive), or at that instant (aware)."""
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
    """The events of the local day the moment falls on."""
    return day_events(moment.local.date(), lat_deg, lon_deg, tz)
