# SPDX-License-Identifier: Apache-2.0
"""Rise, set and twilight against an independent library, and the days that have none."""

from __future__ import annotations

import warnings
from datetime import UTC, date, datetime, timedelta
from zoneinfo import ZoneInfo

import numpy as np
import pytest
from astropy import units
from astropy.coordinates import AltAz, EarthLocation, get_sun
from astropy.time import Time
from astropy.utils import iers

from gloamet.sun.day import day_events, day_span_s
from gloamet.sun.position import sun_position


@pytest.mark.proof(
    "Sunrise, transit and sunset of NREL's worked example",
    source="Reda & Andreas, NREL/TP-560-34302 (2008)",
    kind="published",
)
def test_worked_example_of_rise_transit_and_set() -> None:
    # Reda & Andreas, NREL/TP-560-34302: 06:12:43, 11:46:05, 17:20:19 local standard time. The example works
    # by the day of universal time: its sunset is that of the evening before, local date.
    golden = (39.742476, -105.1786, ZoneInfo("Etc/GMT+7"))
    today, eve = day_events(date(2003, 10, 17), *golden), day_events(date(2003, 10, 16), *golden)
    for instant, wanted in (
        (today.sunrise, "06:12:43"),
        (today.solar_noon, "11:46:05"),
        (eve.sunset, "17:20:19"),
    ):
        assert instant is not None
        h, m, s = map(int, wanted.split(":"))
        seconds = instant.hour * 3600 + instant.minute * 60 + instant.second
        # the highest point differs from the meridian transit by a few seconds
        assert abs(seconds - (h * 3600 + m * 60 + s)) <= 15


@pytest.mark.proof(
    "Sunrise and sunset to the minute at four places", source="astropy, horizon at −0.833°", kind="library"
)
@pytest.mark.parametrize(("lat", "lon"), [(57.4, 21.5), (-33.9, 151.2), (0.0, -78.5), (64.1, -21.9)])
def test_sunrise_and_sunset_within_a_minute_of_an_independent_library(lat: float, lon: float) -> None:
    # astropy's geometric altitude at our instants must be -0.833 degrees to what the sun moves in a minute
    tz = ZoneInfo(f"Etc/GMT{-round(lon / 15):+d}")
    rng = np.random.default_rng(3)
    days = [date(2026, 1, 1) + timedelta(days=int(d)) for d in rng.integers(0, 365, 8)]
    events = [day_events(day, lat, lon, tz) for day in days]
    instants = [t.timestamp() for e in events for t in (e.sunrise, e.sunset) if t is not None]
    assert len(instants) == 16
    position = EarthLocation(lat=lat * units.deg, lon=lon * units.deg)
    with (
        iers.conf.set_temp("auto_download", False),
        iers.conf.set_temp("auto_max_age", None),
        warnings.catch_warnings(),
    ):
        warnings.simplefilter("ignore")
        frame = AltAz(obstime=Time(instants, format="unix"), location=position)
        before = AltAz(obstime=Time(np.subtract(instants, 60.0), format="unix"), location=position)
        now = get_sun(frame.obstime).transform_to(frame).alt.deg
        minute = np.abs(now - get_sun(before.obstime).transform_to(before).alt.deg)
    assert (np.abs(now + 0.8333) < 0.3 * minute).all()


def test_the_sun_stands_at_the_named_depth_at_every_twilight() -> None:
    e = day_events(date(2026, 3, 1), 47.0, 11.0, ZoneInfo("Europe/Vienna"))
    for instant, depth in ((e.civil_dawn, -6), (e.nautical_dusk, -12), (e.astronomical_dusk, -18)):
        assert instant is not None
        p = sun_position(instant.timestamp(), 47.0, 11.0)
        assert float(p.elevation_true_deg) == pytest.approx(depth, abs=0.01)


def test_polar_day_and_polar_night_are_told_apart() -> None:
    svalbard = (78.2, 15.6, ZoneInfo("Arctic/Longyearbyen"))
    june, december = day_events(date(2026, 6, 21), *svalbard), day_events(date(2026, 12, 21), *svalbard)
    assert june.kind == "polar day"
    assert june.sunrise is None
    assert december.kind == "polar night"
    assert december.sunset is None
    assert day_events(date(2026, 3, 21), *svalbard).kind == "sun rises and sets"


@pytest.mark.parametrize("lat", [90.0, -90.0])
def test_the_poles_have_a_day_of_their_own(lat: float) -> None:
    e = day_events(date(2026, 6, 21), lat, 0.0, ZoneInfo("UTC"))
    assert e.kind == ("polar day" if lat > 0 else "polar night")


def test_days_of_a_clock_change_are_23_and_25_hours_long() -> None:
    tz = ZoneInfo("Europe/Riga")
    spring, autumn = day_span_s(date(2026, 3, 29), tz), day_span_s(date(2026, 10, 25), tz)
    assert spring[1] - spring[0] == 23 * 3600
    assert autumn[1] - autumn[0] == 25 * 3600
    e = day_events(date(2026, 3, 29), 57.4, 21.5, tz)
    assert e.sunrise is not None
    assert e.sunrise < datetime(2026, 3, 29, 12, tzinfo=UTC)
