# SPDX-License-Identifier: Apache-2.0
"""The light meter and the moment it is read at."""

from __future__ import annotations

import math
from dataclasses import replace
from datetime import UTC, datetime

import numpy as np
import pytest

from gloamet.colour.spaces import luminance
from gloamet.light_layers import even_gains
from gloamet.meter.light import illuminance_ev, luminance_ev, read_light
from gloamet.sky.air import Air
from gloamet.sky.dome import visible_disc_fraction
from gloamet.sky.sky_palette import ELEVATIONS_DEG, solve_sky_palette
from gloamet.sky.sky_solver import SkySolver
from gloamet.sun.moment import events_of, moment_at
from gloamet.sun.site import resolve_zone


def test_gains_are_stops_on_the_meter(solver: SkySolver) -> None:
    dome = solver.dome(Air(2.5), 180.0, 40.0)
    plain, turned = read_light(dome), read_light(dome, even_gains(2.0, 0.5))
    assert turned.sun_horizontal_lx == pytest.approx(2 * plain.sun_horizontal_lx)
    assert turned.sky_horizontal_lx == pytest.approx(0.5 * plain.sky_horizontal_lx)
    assert turned.sun_sky_stops == pytest.approx(plain.sun_sky_stops + 2.0)
    assert turned.sun_cct_k == plain.sun_cct_k


def test_a_panorama_adds_to_the_fill(solver: SkySolver) -> None:
    dome = solver.dome(Air(2.5), 180.0, 40.0)
    plain, twice = read_light(dome), read_light(dome, even_gains(), replace(dome, sun_irradiance=np.zeros(3)))
    assert twice.panorama_horizontal_lx == pytest.approx(plain.sky_horizontal_lx)
    assert twice.sky_horizontal_lx == plain.sky_horizontal_lx
    assert twice.sun_sky_stops == pytest.approx(plain.sun_sky_stops - 1.0)
    assert twice.panorama_cct_k == pytest.approx(plain.sky_cct_k)
    whole = plain.sun_horizontal_lx + 2.0 * plain.sky_horizontal_lx
    assert twice.incident_ev == pytest.approx(illuminance_ev(whole))
    assert plain.panorama_horizontal_lx == 0.0


def test_bright_daylight_is_about_ev_15(solver: SkySolver) -> None:
    # practice: sunny 16; 18 % card under sun and sky at 45 degrees EV 15.2
    reading = read_light(solver.dome(Air(2.03), 180.0, 45.0))
    assert reading.card_ev == pytest.approx(15.2, abs=0.3)
    assert reading.incident_ev == pytest.approx(15.0, abs=0.3)


def test_without_sun_there_is_no_ratio_and_no_sun_colour(solver: SkySolver) -> None:
    reading = read_light(solver.dome(Air(2.5), 180.0, -5.0))
    assert reading.sun_horizontal_lx == 0.0
    assert reading.sun_sky_stops == -math.inf
    assert math.isnan(reading.sun_cct_k)
    assert reading.sky_cct_k > 8000


def test_darkness_has_no_ev() -> None:
    assert luminance_ev(0.0) == -math.inf
    assert illuminance_ev(0.0) == -math.inf


@pytest.mark.parametrize(
    ("elevation", "fraction"), [(1.0, 1.0), (0.0, 0.5), (-1.0, 0.0), (0.2665, 1.0), (-0.2665, 0.0)]
)
def test_share_of_the_disc_above_the_horizon(elevation: float, fraction: float) -> None:
    assert visible_disc_fraction(elevation, 0.533) == pytest.approx(fraction, abs=1e-6)


def test_the_sun_sets_without_a_jump(solver: SkySolver) -> None:
    levels = [float(luminance(solver.dome(Air(2.5), 0.0, e / 50).sun_horizontal)) for e in range(25, -20, -1)]
    assert all(a >= b for a, b in zip(levels[:-1], levels[1:], strict=True))
    assert levels[-1] == 0.0
    assert max(a - b for a, b in zip(levels[:-1], levels[1:], strict=True)) < 40.0


def test_a_moment_is_the_same_by_clock_and_by_instant() -> None:
    riga = resolve_zone("Europe/Riga")
    by_clock = moment_at(datetime(2026, 6, 21, 12, 0), 57.4, 21.5, riga)
    by_instant = moment_at(datetime(2026, 6, 21, 9, 0, tzinfo=UTC), 57.4, 21.5, riga)
    assert by_clock.azimuth_deg == by_instant.azimuth_deg
    assert by_clock.local.hour == by_instant.local.hour == 12
    assert events_of(by_clock, 57.4, 21.5, riga).sunrise is not None


def test_sky_colours_follow_the_day(solver: SkySolver) -> None:
    colours = solve_sky_palette(solver, Air(2.5))
    light = luminance(colours.at(ELEVATIONS_DEG)).mean(1)
    assert (light[1:] > light[:-1]).all()
    noon, dusk = colours.at(np.array([70.0, -4.0]))
    # blue overhead by day, redder towards the horizon at dusk
    assert noon[-1, 2] > noon[-1, 0]
    assert dusk[0, 0] / dusk[0, 2] > 1.5 * dusk[-1, 0] / dusk[-1, 2]
    adapted = luminance(colours.adapted(ELEVATIONS_DEG)).mean(1)
    assert adapted.max() / adapted.min() < 50
    # an eye that follows sees a day of 35 degrees as about 1
    assert float(luminance(colours.adapted(np.array([35.0]))).mean()) == pytest.approx(1.0, rel=0.15)


def test_colours_between_two_heights_lie_between_them(solver: SkySolver) -> None:
    colours = solve_sky_palette(solver, Air(2.5))
    low, middle, high = (
        luminance(s).mean() for s in colours.at(ELEVATIONS_DEG[[10, 11]].mean() + [-0.5, 0.0, 0.5])
    )
    assert low < middle < high
