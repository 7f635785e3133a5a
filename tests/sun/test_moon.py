"""The moon against an independent library and published values."""

from __future__ import annotations

import warnings
from datetime import UTC, datetime

import numpy as np
import pytest
from astropy.coordinates import AltAz, EarthLocation, get_body
from astropy.time import Time
from astropy.utils import iers

from gloamet.colour.spaces import luminance
from gloamet.sun.moon import MOON_TINT, magnitude, moon_at
from gloamet.sun.nearest import angle_deg
from gloamet.sun.position import direction, refraction_deg


@pytest.mark.proof(
    "The moon stands where an ephemeris has it, 1950 to 2045",
    source="astropy get_body, built-in ephemeris",
    kind="library",
)
def test_the_moon_stands_where_astropy_has_it_from_1950_to_2045() -> None:
    dice, worst = np.random.default_rng(8), 0.0
    with warnings.catch_warnings(), iers.conf.set_temp("auto_download", False):
        warnings.simplefilter("ignore")
        with iers.conf.set_temp("auto_max_age", None), iers.conf.set_temp("iers_degraded_accuracy", "ignore"):
            for _ in range(60):
                second = float(dice.uniform(-6.3e8, 2.37e9))
                lat, lon = float(dice.uniform(-85, 85)), float(dice.uniform(-180, 180))
                place, at = EarthLocation(lat=lat, lon=lon), Time(second, format="unix")
                seen = get_body("moon", at, place).transform_to(AltAz(obstime=at, location=place))
                height = float(seen.alt.deg)
                moon = moon_at(second, lat, lon)
                wanted = direction(float(seen.az.deg), height + float(refraction_deg(height)))
                worst = max(worst, float(angle_deg(direction(moon.azimuth_deg, moon.elevation_deg), wanted)))
                assert moon.distance_km == pytest.approx(float(seen.distance.km), rel=0.002)
    assert worst < 0.05


def test_phases_are_those_of_the_calendar() -> None:
    # full moon 3 Jan 2026 10:03, last quarter 10 Jan 15:48, new moon 18 Jan 19:52, first quarter 26 Jan 04:47 UT
    # (USNO, Phases of the Moon 2026, from memory)
    for day, hour, phase, lit in (
        (3, 10, "full moon", 1.0),
        (10, 16, "last quarter", 0.5),
        (18, 20, "new moon", 0.0),
        (26, 5, "first quarter", 0.5),
    ):
        moon = moon_at(datetime(2026, 1, day, hour, tzinfo=UTC).timestamp(), 0.0, 0.0)
        assert moon.phase == phase
        assert moon.lit == pytest.approx(lit, abs=0.02)


def test_a_full_moon_gives_a_quarter_of_a_lux_and_a_half_one_a_tenth_of_it() -> None:
    # Krisciunas & Schaefer 1991: magnitude -12.73 full, about -10 at the quarters
    assert magnitude(0.0, 384400.0) == pytest.approx(-12.73)
    assert magnitude(90.0, 384400.0) == pytest.approx(-10.1, abs=0.15)
    full = 10 ** (-0.4 * (magnitude(0.0, 384400.0) + 14.18))
    assert full == pytest.approx(0.267, rel=0.2)  # Allen, Astrophysical Quantities (from memory)
    assert magnitude(30.0, 363300.0) < magnitude(30.0, 405500.0)


def test_moonlight_is_redder_than_sunlight_by_its_index() -> None:
    # B - V of the full moon 0.92, of the sun 0.65 (Allen, Astrophysical Quantities, from memory): magnitudes of blue to
    # green light; AP1's blue and green stand for the two bands
    blue, green = float(MOON_TINT[2]), float(MOON_TINT[1])
    assert blue / green == pytest.approx(10 ** (-0.4 * (0.92 - 0.65)), rel=0.05)
    assert luminance(MOON_TINT) == pytest.approx(1.0, abs=0.02)  # a hue: the level is that of the magnitude
    assert MOON_TINT[0] > green > blue
