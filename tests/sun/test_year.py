# SPDX-License-Identifier: Apache-2.0
"""The year's grid, its turning points, and the way back from a direction to real moments."""

from __future__ import annotations

from contextlib import ExitStack
from datetime import UTC, date, datetime, timedelta
from zoneinfo import ZoneInfo

import numpy as np
import pandas as pd
import pvlib
import pytest
from astropy.coordinates import TETE, get_sun
from astropy.time import Time
from astropy.utils import iers

from gloamet.sun.climate import altitude_m, linke_turbidity
from gloamet.sun.nearest import TimeWindow, angle_deg, instant_of_elevation, nearest_moments
from gloamet.sun.position import direction, sun_position
from gloamet.sun.year import days_of, season_instants, year_grid

RIGA = ZoneInfo("Europe/Riga")
HERE = (57.4, 21.5)


def test_a_row_of_the_grid_is_a_clock_time_in_summer_and_winter() -> None:
    grid = year_grid(2026, *HERE, RIGA, 15)
    for day, row in ((10, 48), (180, 48), (300, 3), (88, 40)):
        local = datetime.fromtimestamp(grid.times_s[day, row], RIGA)
        assert local.date() == grid.day(day)
        assert local.hour * 60 + local.minute == row * 15


@pytest.mark.parametrize(
    "zone", ["Australia/Lord_Howe", "America/Sao_Paulo", "Pacific/Kiritimati", "Asia/Kolkata"]
)
@pytest.mark.parametrize("year", [1950, 1994, 2026, 2100])
def test_the_grid_keeps_time_through_odd_changes_of_the_clock(zone: str, year: int) -> None:
    # Lord Howe moves by half an hour; Kiritimati skipped a whole day in 1994-95
    tz = ZoneInfo(zone)
    grid = year_grid(year, -20.0, 150.0, tz, 30)
    assert grid.times_s.shape == (days_of(year), 48)
    steps = np.diff(grid.times_s.ravel())
    assert np.mean(steps == 1800.0) > 0.97
    wrong = 0
    for day in range(0, len(grid.times_s), 7):
        local = datetime.fromtimestamp(grid.times_s[day, 24], tz)
        wrong += (local.date(), local.hour, local.minute) != (grid.day(day), 12, 0)
    assert wrong <= (zone == "Pacific/Kiritimati" and year == 1994)  # there was no 31 December


@pytest.mark.filterwarnings("ignore")
@pytest.mark.parametrize("year", [1950, 2003, 2026, 2099])
def test_equinoxes_and_solstices_are_where_an_independent_library_has_the_sun(year: int) -> None:
    # astropy's apparent sun: at an equinox its declination is 0, at a solstice it stands still
    for k, instant in enumerate(season_instants(year).values()):
        at = Time(instant.replace(tzinfo=None), scale="utc")
        offline = (("auto_download", False), ("auto_max_age", None), ("iers_degraded_accuracy", "ignore"))
        with ExitStack() as stack:
            for name, value in offline:
                stack.enter_context(iers.conf.set_temp(name, value))
            sun = get_sun(at).transform_to(TETE(obstime=at))
        if k % 2 == 0:
            # declination changes by 0.4 degrees a day: 0.001 degrees are four minutes
            assert sun.dec.deg == pytest.approx(0.0, abs=0.001)
        else:
            assert sun.ra.hour == pytest.approx(6.0 * k, abs=0.001)


def test_the_solstice_and_equinox_of_2026_are_those_of_the_almanac() -> None:
    # USNO, Earth's Seasons 2026 (from memory): 20 Mar 14:46, 21 Jun 08:24, 23 Sep 00:05, 21 Dec 20:50 UT
    wanted = ("2026-03-20 14:46", "2026-06-21 08:24", "2026-09-23 00:05", "2026-12-21 20:50")
    for instant, text in zip(season_instants(2026).values(), wanted, strict=True):
        assert abs(instant - datetime.fromisoformat(text).replace(tzinfo=UTC)) < timedelta(minutes=2)


def test_a_real_sun_is_found_again_with_its_date_and_minute() -> None:
    dice = np.random.default_rng(3)
    for _ in range(40):
        lat, lon = float(dice.uniform(-70, 70)), float(dice.uniform(-180, 180))
        second = datetime(2026, 1, 1, tzinfo=UTC).timestamp() + float(dice.uniform(2, 363)) * 86400
        sun = sun_position(second, lat, lon)
        if sun.elevation_deg < 1.0:
            continue
        found = nearest_moments(
            float(sun.azimuth_deg), float(sun.elevation_deg), 2026, lat, lon, ZoneInfo("UTC")
        )
        assert found[0].error_deg < 0.02
        back = sun_position(found[0].when.timestamp(), lat, lon)
        wanted = direction(sun.azimuth_deg, sun.elevation_deg)
        assert angle_deg(direction(back.azimuth_deg, back.elevation_deg), wanted) < 0.02
        assert any(abs(m.when.timestamp() - second) < 90.0 for m in found)


def test_a_sun_in_the_north_of_a_northern_place_never_happens() -> None:
    best = nearest_moments(0.0, 40.0, 2026, *HERE, RIGA)[0]
    # the highest sun is at 90 - lat + 23.44 in the south; the nearest is at the ends of the longest days
    assert best.error_deg > 30.0
    assert best.elevation_deg > -0.7


def test_only_moments_of_the_window_count_also_over_new_year() -> None:
    window = TimeWindow(8.0, 11.0, (11, 20), (1, 31))
    for moment in nearest_moments(150.0, 8.0, 2026, *HERE, RIGA, window):
        assert moment.when.month in (11, 12, 1)
        assert 8 <= moment.when.hour <= 11
    assert nearest_moments(150.0, 8.0, 2026, *HERE, RIGA, TimeWindow(1.0, 2.0, (12, 1), (12, 31))) == []


@pytest.mark.parametrize("rising", [True, False])
def test_the_same_height_on_another_day_is_the_same_height(rising: bool) -> None:
    at = instant_of_elevation(date(2026, 8, 1), 24.0, rising, *HERE, RIGA)
    assert at is not None
    assert float(sun_position(at.timestamp(), *HERE).elevation_deg) == pytest.approx(24.0, abs=0.01)
    later = float(sun_position(at.timestamp() + 60, *HERE).elevation_deg)
    assert (later > 24.0) == rising
    assert instant_of_elevation(date(2026, 12, 21), 24.0, rising, *HERE, RIGA) is None


@pytest.mark.parametrize(
    ("lat", "lon"), [(57.4, 21.5), (-33.9, 151.2), (30.0, 31.2), (0.0, -78.5), (51.5, 179.9)]
)
@pytest.mark.parametrize("month", [1, 5, 8])
def test_turbidity_of_the_month_is_that_of_the_published_map(lat: float, lon: float, month: int) -> None:
    # pvlib reads the full table of Remund et al. 2003; ours are means of whole degrees
    at = pd.DatetimeIndex([f"2026-{month:02d}-15"], tz="UTC")
    wanted = pvlib.clearsky.lookup_linke_turbidity(at, lat, lon, interp_turbidity=False).iloc[0]
    assert linke_turbidity(lat, lon, month) == pytest.approx(wanted, abs=0.45)


def test_altitude_is_near_the_published_one_and_never_below_the_sea() -> None:
    # pvlib reads the same source at a twelfth of a degree
    assert altitude_m(51.0, 10.0) == pytest.approx(pvlib.location.lookup_altitude(51.0, 10.0), abs=120)
    assert altitude_m(0.0, -30.0) == 0.0
    assert altitude_m(28.0, 87.0) > 2000.0
