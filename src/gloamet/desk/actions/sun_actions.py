# SPDX-License-Identifier: Apache-2.0
"""Actions on the sun: manual and real sun, moments, pins, as changes of the document.

Each function takes a session and asks it for one change; a change is one step of undo. Bearings here are true:
clockwise from north.
"""

from __future__ import annotations

from collections.abc import Sequence
from datetime import UTC, date, datetime, timedelta
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from gloamet.aim.moments import AlmanacSite
from gloamet.desk.state.session import Session
from gloamet.document.model import Document
from gloamet.document.targets import AimPin
from gloamet.errors import GloametError
from gloamet.sky.air import turbidity_of_linke
from gloamet.sun.angles import azimuth_of, elevation_of
from gloamet.sun.climate import altitude_m, linke_turbidity
from gloamet.sun.nearest import RealMoment, TimeWindow, instant_of_elevation
from gloamet.sun.site import resolve_zone
from gloamet.sun.year import season_instants
from gloamet.translation.sequence import drive_sun

STEPS = {
    "minute": timedelta(minutes=1),
    "hour": timedelta(hours=1),
    "day": timedelta(days=1),
    "week": timedelta(days=7),
}
Array = NDArray[np.float64]


def sun_now(session: Session) -> tuple[float, float]:
    """True azimuth and apparent elevation of the sun, however it is placed."""
    sun = session.document.sun
    if sun.mode != "almanac":
        return sun.azimuth_deg, sun.elevation_deg
    moment = session.moment()
    return moment.azimuth_deg, moment.elevation_deg


def site_from_document(document: Document) -> AlmanacSite:
    """The document's place, clock, year and north."""
    site, sun = document.site, document.sun
    zone = resolve_zone(site.timezone)
    return AlmanacSite(site.latitude_deg, site.longitude_deg, zone, sun.wall_time.year, sun.north_deg)


def time_window_from_document(document: Document) -> TimeWindow:
    """The moments that count."""
    aim = document.aim
    first, last = (date(2025, 1, 1) + timedelta(days=d - 1) for d in (aim.first_day, aim.last_day))
    return TimeWindow(aim.from_hour, aim.to_hour, (first.month, first.day), (last.month, last.day))


# -- modes


def take_by_hand(session: Session) -> None:
    """Switch to a manual sun at its present position."""
    azimuth, elevation = sun_now(session)
    session.change("sun", mode="manual", azimuth_deg=azimuth % 360.0, elevation_deg=max(elevation, -20.0))


def back_to_almanac(session: Session) -> None:
    """The clock sets the sun again."""
    session.change("sun", mode="almanac")


def follow_driver(session: Session, key: str | None = None, **values: object) -> None:
    """Let something of the model lead the sun; `values` change who leads and how."""
    document = session.document.change("sun", mode="driver", **values)
    if session.loaded.scene is not None and document.sun.driver:
        try:
            document = drive_sun(document, session.loaded.scene)
        except GloametError as error:
            session.noticed.emit(str(error), "warning")
            return
    session.commit(document, key)


def fields_of_direction(document: Document, towards: Array) -> dict[str, Any]:
    """Fields of a sun placed by hand along a direction of the scene."""
    azimuth = azimuth_of(towards) - document.sun.north_deg
    elevation = max(elevation_of(towards), -20.0)
    return {"mode": "manual", "azimuth_deg": azimuth % 360.0, "elevation_deg": elevation}


def set_sun_direction(session: Session, towards: Array, key: str | None = None) -> None:
    """Place the sun by hand along a direction of the scene."""
    session.change("sun", key, **fields_of_direction(session.document, towards))


def go_real(session: Session, moment: RealMoment) -> None:
    """Go to a real moment."""
    session.go_to(moment.when)


def site_fields(latitude_deg: float, longitude_deg: float, zone: str, name: str = "") -> dict[str, Any]:
    """Fields of a site at coordinates, with the altitude of its land."""
    return {
        "name": name,
        "latitude_deg": round(latitude_deg, 6),
        "longitude_deg": round(longitude_deg, 6),
        "timezone": zone,
        "altitude_m": round(altitude_m(latitude_deg, longitude_deg)),
    }


# -- moments


def step(session: Session, unit: str, sign: int) -> None:
    """One minute, hour, day, week or month on or back; minutes and hours pass, days and longer keep the clock."""
    wall = session.document.sun.wall_time
    if unit in ("minute", "hour"):
        session.go_to(session.moment().instant + sign * STEPS[unit])
        return
    if unit == "month":
        months = wall.year * 12 + wall.month - 1 + sign
        year, month = divmod(months, 12)
        last = (date(year + (month == 11), (month + 1) % 12 + 1, 1) - timedelta(days=1)).day
        wall = wall.replace(year=year, month=month + 1, day=min(wall.day, last))
    else:
        wall = wall + sign * STEPS[unit]
    go_date(session, wall.date())


def go_now(session: Session) -> None:
    """The date and time of this machine's clock."""
    session.go_to(datetime.now(UTC).replace(second=0, microsecond=0))


def go_date(session: Session, day: date) -> None:
    """Go to another date at the same clock time, or at the time when the sun has its present elevation."""
    document = session.document
    if session.state.keep_elevation:
        moment = session.moment()
        site, height = document.site, moment.elevation_deg
        zone = resolve_zone(site.timezone)
        later = session.moment().instant + timedelta(minutes=2)
        rising = _elevation_at(session, later) > moment.elevation_deg
        at = instant_of_elevation(day, height, rising, site.latitude_deg, site.longitude_deg, zone)
        if at is None:
            session.noticed.emit(
                f"The sun never reaches elevation {height:.1f}° on {day.day} {day:%B}.", "note"
            )
            return
        session.go_to(at)
        return
    session.change("sun", wall_time=datetime.combine(day, document.sun.wall_time.time()), mode="almanac")


def _elevation_at(session: Session, instant: datetime) -> float:
    from gloamet.sun.position import sun_position

    site = session.document.site
    return float(sun_position(instant.timestamp(), site.latitude_deg, site.longitude_deg).elevation_deg)


def season_day(session: Session, name: str) -> date:
    """The local date of an equinox or solstice of the document's year."""
    document = session.document
    instant = season_instants(document.sun.wall_time.year)[name]
    return instant.astimezone(resolve_zone(document.site.timezone)).date()


# -- north


def set_north_from_wall(session: Session, normal: Array, azimuth_deg: float) -> None:
    """Rotate north so that a wall with this outward normal faces an azimuth; the clock stays."""
    north = (azimuth_of(normal) - azimuth_deg + 180.0) % 360.0 - 180.0
    session.change("sun", north_deg=north)


def wall_azimuth(session: Session, normal: Array) -> float:
    """The azimuth that a wall faces."""
    return (azimuth_of(normal) - session.document.sun.north_deg) % 360.0


# -- pins


def to_tuple(point: Array | Sequence[float]) -> tuple[float, float, float]:
    """A point as the document keeps it."""
    x, y, z = (float(v) for v in point)
    return x, y, z


def add_pin(session: Session, pin: AimPin) -> None:
    """One aim more; a frame or glint pin replaces the one before."""
    kept = [old for old in session.document.aim.pins if pin.kind == "shadow" or old.kind != pin.kind]
    session.change("aim", pins=(*kept, pin))


def change_pin(session: Session, index: int, key: str | None = None, **values: object) -> None:
    """Move an end of a pin, or switch it."""
    session.change(("aim", "pins", index), key, **values)


def remove_pin(session: Session, index: int) -> None:
    """Forget a pin."""
    pins = session.document.aim.pins
    session.change("aim", pins=pins[:index] + pins[index + 1 :])


class UsualAir(NamedTuple):
    """The typical turbidity of a month at a site, and its label."""

    turbidity: float
    label: str


def usual_turbidity(document: Document) -> UsualAir:
    """What is usual at the document's place in its month, for its kind of particles."""
    site, when = document.site, document.sun.wall_time
    linke = linke_turbidity(site.latitude_deg, site.longitude_deg, when.month)
    turbidity = round(turbidity_of_linke(linke, document.air.particles), 2)
    return UsualAir(turbidity, f"Typical in {when:%B}: Linke {linke:.1f}, turbidity {turbidity:.1f}")


def use_usual_turbidity(session: Session) -> None:
    """Set it."""
    session.change("air", turbidity=usual_turbidity(session.document).turbidity)
