# SPDX-License-Identifier: Apache-2.0
"""The moon against an independent library and published values."""

from __future__ import annotations

import warnings
from datetime import UTC, datetime

import erfa
import numpy as np
import pytest
from astropy.coordinates import AltAz, EarthLocation, get_body
from astropy.time import Time
from astropy.utils import iers

from gloamet.colour.spaces import luminance
from gloamet.sun.moon import (
    AU_KM,
    LATITUDE_TERMS,
    LONGITUDE_TERMS,
    MOON_TINT,
    _geocentric,
    magnitude,
    moon_at,
)
from gloamet.sun.nearest import angle_deg
from gloamet.sun.position import direction, refraction_deg


@pytest.mark.proof(
    "Position of the moon, 1950 to 2045",
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
                position, at = EarthLocation(lat=lat, lon=lon), Time(second, format="unix")
                seen = get_body("moon", at, position).transform_to(AltAz(obstime=at, location=position))
                height = float(seen.alt.deg)
                moon = moon_at(second, lat, lon)
                wanted = direction(float(seen.az.deg), height + float(refraction_deg(height)))
                worst = max(worst, float(angle_deg(direction(moon.azimuth_deg, moon.elevation_deg), wanted)))
                assert moon.distance_km == pytest.approx(float(seen.distance.km), rel=0.002)
    assert worst < 0.05


@pytest.mark.proof(
    "Every term of the lunar theory", source="ERFA moon98 (Meeus 1998), by least squares", kind="library"
)
def test_every_term_of_the_moons_theory_is_that_of_the_library() -> None:
    centuries = np.random.default_rng(1).uniform(-1.0, 1.0, 30_000)
    ours = np.array([_geocentric(t) for t in centuries])
    position = erfa.moon98(2451545.0, centuries * 36525.0)["p"]
    x, y, z = np.einsum("nij,nj->in", erfa.ecm06(2451545.0, centuries * 36525.0), position)
    far = np.sqrt(x * x + y * y + z * z)
    longitude = np.degrees(np.arctan2(y, x) - ours[:, 0] + np.pi) % 360.0 - 180.0
    latitude, distance = np.degrees(np.arcsin(z / far) - ours[:, 1]), far * AU_KM - ours[:, 2]
    assert np.abs(longitude).max() < 0.04 and np.abs(latitude).max() < 0.04 and np.abs(distance).max() < 100.0
    # D, M, M' and F: the mean arguments of IERS 2003, by the library
    t = centuries
    arguments = np.stack([f(t) for f in (erfa.fad03, erfa.falp03, erfa.fal03, erfa.faf03)])
    for terms, wave, left, unit in (
        (LONGITUDE_TERMS, np.sin, longitude, 1e-6),
        (LONGITUDE_TERMS, np.cos, distance, 1e-3),
        (LATITUDE_TERMS, np.sin, latitude, 1e-6),
    ):
        waves = np.column_stack([wave(terms[:, :4] @ arguments).T, np.ones_like(t), t])
        missing = np.linalg.lstsq(waves, left / unit, rcond=None)[0][:-2]
        # the terms left out stand like noise beside these: 60 (longitude, latitude) and 150 (distance) in each
        assert np.abs(missing).max() < (250.0 if unit == 1e-6 else 700.0)


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
