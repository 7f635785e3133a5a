# SPDX-License-Identifier: Apache-2.0
"""The sun's position against the published algorithm and two independent libraries."""

from __future__ import annotations

import warnings
from datetime import UTC, datetime

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pvlib import spa

from gloamet.sun import position
from gloamet.sun.position import delta_t_s, direction, refraction_deg, sun_position

FIRST, LAST = -631152000.0, 4133980800.0  # 1950 to 2101


def angle_deg(a: np.ndarray, b: np.ndarray) -> np.ndarray:
    return np.degrees(2 * np.arcsin(np.minimum(1, np.linalg.norm(a - b, axis=-1) / 2)))


@pytest.mark.proof(
    "Position of the sun in NREL's worked example",
    source="Reda & Andreas, NREL/TP-560-34302 (2008)",
    kind="published",
)
def test_worked_example_of_the_solar_position_algorithm() -> None:
    # Reda & Andreas, NREL/TP-560-34302: 2003-10-17 12:30:30 UTC-7 in Golden
    p = sun_position(1066419030.0, 39.742476, -105.1786, 1830.14, 820.0, 11.0)
    assert 90.0 - float(p.elevation_deg) == pytest.approx(50.11162, abs=0.002)
    assert float(p.azimuth_deg) == pytest.approx(194.34024, abs=0.002)
    assert float(p.equation_of_time_min) == pytest.approx(14.641503, abs=0.01)


@pytest.mark.proof(
    "Position of the sun against the full algorithm, 1950 to 2050",
    source="pvlib.solarposition (NREL SPA)",
    kind="library",
)
def test_agrees_with_the_full_algorithm_everywhere() -> None:
    rng = np.random.default_rng(1)
    times, lats, lons = rng.uniform(FIRST, LAST, 400), rng.uniform(-90, 90, 400), rng.uniform(-180, 180, 400)
    lats[:4] = (90.0, -90.0, 0.0, 89.9)
    ours = sun_position(times, lats, lons)
    for i in range(400):
        theirs = spa.solar_position_numpy(
            times[i : i + 1], lats[i], lons[i], 0, 1013.25, 12, float(delta_t_s(times[i])), 0.5667, 1
        )
        apart = angle_deg(
            direction(theirs[4], theirs[3]), direction(ours.azimuth_deg[i], ours.elevation_true_deg[i])
        )
        assert apart[0] < 0.005
        if ours.elevation_true_deg[i] > -0.8:
            assert float(theirs[2][0]) == pytest.approx(ours.elevation_deg[i], abs=0.005)


@pytest.mark.proof(
    "Position of the sun against an independent ephemeris",
    source="astropy get_sun, built-in ephemeris",
    kind="library",
)
def test_agrees_with_astropy_offline() -> None:
    from astropy import units
    from astropy.coordinates import AltAz, EarthLocation, get_sun
    from astropy.time import Time
    from astropy.utils import iers

    rng = np.random.default_rng(2)
    times = rng.uniform(0.0, 1.7e9, 60)
    lat, lon = 57.4, 21.5
    with iers.conf.set_temp("auto_download", False), warnings.catch_warnings():
        warnings.simplefilter("ignore")
        when = Time(times, format="unix")
        position = EarthLocation(lat=lat * units.deg, lon=lon * units.deg)
        sun = get_sun(when).transform_to(AltAz(obstime=when, location=position))
    ours = sun_position(times, lat, lon)
    apart = angle_deg(
        direction(sun.az.deg, sun.alt.deg), direction(ours.azimuth_deg, ours.elevation_true_deg)
    )
    assert apart.max() < 0.01


@given(st.floats(-90, 89.9))
def test_refraction_never_turns_the_sun_back(elevation: float) -> None:
    step = 0.05
    below, above = elevation + refraction_deg(elevation), elevation + step + refraction_deg(elevation + step)
    assert above > below
    assert above - below < 4 * step


@pytest.mark.proof(
    "Refraction at the horizon is about 0.57°",
    source="Meeus, Astronomical Algorithms, ch. 16",
    kind="published",
)
def test_horizon_refraction_is_about_the_handbook_value() -> None:
    # the true elevation of a sun seen on the horizon: Meeus, Astronomical Algorithms, ch. 16
    assert float(refraction_deg(-0.5667)) == pytest.approx(0.5667, abs=0.02)


@given(st.floats(FIRST, LAST), st.floats(-89, 89), st.floats(-179, 179))
def test_one_instant_equals_the_same_instant_in_an_array(time: float, lat: float, lon: float) -> None:
    one = sun_position(time, lat, lon)
    many = sun_position(np.full(3, time), lat, lon)
    assert float(one.elevation_deg) == pytest.approx(many.elevation_deg[1], abs=1e-6)


def test_morning_and_afternoon_mirror_each_other_at_solstice() -> None:
    noon = 1782043200.0  # 2026-06-21 12:00 UTC
    p = sun_position(noon + np.array([-10800.0, 10800.0]), 40.0, 0.0)
    late = 60.0 * float(np.mean(p.equation_of_time_min))
    q = sun_position(noon - late + np.array([-10800.0, 10800.0]), 40.0, 0.0)
    assert q.elevation_deg[0] == pytest.approx(q.elevation_deg[1], abs=0.02)
    assert q.azimuth_deg[0] + q.azimuth_deg[1] == pytest.approx(360.0, abs=0.05)


@pytest.mark.proof(
    "Every term of the solar series", source="pvlib's tables of Reda & Andreas 2004", kind="library"
)
def test_every_term_of_the_suns_series_is_that_of_the_library() -> None:
    for ours, theirs, least in (
        (position.L0_TERMS, spa.L0[1:], 500.0),
        (position.L1_TERMS, spa.L1[1:], 4000.0),
        (position.R0_TERMS, spa.R0[1:], 10_000.0),
    ):
        kept = theirs[theirs[:, 0] >= least]
        assert len(ours) == len(kept)
        assert ours == pytest.approx(kept, rel=1e-6)
    constants = (position.L0_CONSTANT, position.L1_RATE, position.L2_CONSTANT, position.R0_CONSTANT)
    assert constants == pytest.approx([spa.L0[0, 0], spa.L1[0, 0], spa.L2[0, 0], spa.R0[0, 0]], rel=1e-9)


@pytest.mark.proof(
    "Terrestrial time minus universal time", source="pvlib's polynomials of Espenak & Meeus", kind="library"
)
@pytest.mark.parametrize("year", [*range(1900, 2151, 10)])
def test_delta_t_is_that_of_espenak_and_meeus(year: int) -> None:
    second = datetime(year, 7, 1, tzinfo=UTC).timestamp()
    # straight lines between their values: 3 s at most, which move the sun by 0.00004 degrees
    assert position.delta_t_s(second) == pytest.approx(float(spa.calculate_deltat(year, 7)), abs=3.0)


@pytest.mark.parametrize(
    "year", [1900, 1925, 1950, 1960, 1970, 1980, 1990, 2000, 2010, 2020, 2050, 2100, 2150]
)
def test_delta_t_is_theirs_at_the_years_between_which_it_is_drawn(year: int) -> None:
    # their polynomials leave their own table by 0.21 s at most (1925)
    theirs = float(spa.calculate_deltat(year, 1))
    assert position.delta_t_s((year - 1970) * 31_556_952.0) == pytest.approx(theirs, abs=0.21)
