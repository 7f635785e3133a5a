# SPDX-License-Identifier: Apache-2.0
"""Moonlight on the ground and in the sky."""

from __future__ import annotations

import numpy as np
import pytest

from gloamet.colour.spaces import AP1_LUMINANCE
from gloamet.sky.air import Air, turbidity_of_linke
from gloamet.sky.moonlight import with_moon
from gloamet.sky.sky_palette import solve_sky_palette
from gloamet.sky.sky_solver import SkySolver
from gloamet.sun.moon import Moon
from gloamet.trace.lights.environment import build_environment

FULL = Moon(180.0, 60.0, 1.0, True, 0.267, 384400.0)
AIR = Air(2.5)


def level(dome: object) -> float:
    return float((dome.sun_horizontal + dome.sky_horizontal) @ AP1_LUMINANCE)  # type: ignore[attr-defined]


@pytest.mark.proof(
    "A high full moon gives about 0.2 lx",
    source="RCA Electro-Optics Handbook, from memory; Kyba et al. 2017",
    kind="memory",
)
def test_a_high_full_moon_gives_the_published_illuminance(solver: SkySolver) -> None:
    # 0.1-0.3 lx (RCA Electro-Optics Handbook, from memory); Kyba et al. 2017: rarely above 0.25 lx
    night = solver.dome(AIR, 0.0, -20.0)
    lit = with_moon(night, solver, AIR, FULL, FULL.azimuth_deg)
    assert 0.0003 < level(night) < 0.001  # RCA Electro-Optics Handbook, from memory: starlight and airglow
    assert level(lit) == pytest.approx(0.2, rel=0.2)
    assert lit.sun_direction[2] == pytest.approx(np.sin(np.radians(60.0)), abs=1e-6)


def test_moonlight_is_the_same_air_so_its_parts_stand_as_the_suns_do(solver: SkySolver) -> None:
    day = solver.dome(AIR, 180.0, 60.0)
    lit = with_moon(solver.dome(AIR, 0.0, -20.0), solver, AIR, FULL, 180.0)
    ratio = [float(d.sun_horizontal @ AP1_LUMINANCE / (d.sky_horizontal @ AP1_LUMINANCE)) for d in (day, lit)]
    assert ratio[1] == pytest.approx(ratio[0], rel=0.05)


def test_by_day_and_with_the_moon_down_nothing_changes(solver: SkySolver) -> None:
    day, night = solver.dome(AIR, 180.0, 30.0), solver.dome(AIR, 0.0, -20.0)
    assert with_moon(day, solver, AIR, FULL, 180.0) is day
    down = Moon(180.0, -5.0, 1.0, True, 0.267, 384400.0)
    assert with_moon(night, solver, AIR, down, 180.0) is night


def test_the_turbidity_of_a_linke_turbidity_has_that_linke_turbidity() -> None:
    for turbidity in (1.0, 2.0, 3.7, 9.0):
        assert turbidity_of_linke(float(Air(turbidity).linke_turbidity)) == pytest.approx(turbidity, abs=1e-6)
    assert turbidity_of_linke(0.5) == 1.0
    assert turbidity_of_linke(99.0) == 15.0


def test_thin_air_of_a_mountain_makes_a_darker_sky_and_a_brighter_sun(solver: SkySolver) -> None:
    sea, top = solver.dome(Air(2.0), 180.0, 45.0), solver.dome(Air(2.0, altitude_m=3500.0), 180.0, 45.0)
    assert float(top.sky_horizontal @ AP1_LUMINANCE) < 0.92 * float(sea.sky_horizontal @ AP1_LUMINANCE)
    assert float(top.sun_irradiance @ AP1_LUMINANCE) > float(sea.sun_irradiance @ AP1_LUMINANCE)
    # ISO 2533: 657.8 hPa at 3500 m
    assert Air(altitude_m=3500.0).pressure_ratio == pytest.approx(657.8 / 1013.25, rel=0.002)


@pytest.mark.parametrize("height", [-8.0, 2.0, 35.0])
def test_the_light_of_the_year_cloth_is_that_of_the_dome(solver: SkySolver, height: float) -> None:
    colours, dome = solve_sky_palette(solver, AIR), solver.dome(AIR, 0.0, height)
    assert float(colours.level_at(np.array([height]))[0]) == pytest.approx(
        level(dome), rel=0.1
    )  # between heights in the logarithm


def test_a_wider_disc_gives_the_same_light_from_a_larger_part_of_the_sky(solver: SkySolver) -> None:
    true, wide = (build_environment(solver.dome(AIR, 180.0, 40.0, diameter)) for diameter in (0.533, 8.0))
    assert wide.sun.irradiance == pytest.approx(true.sun.irradiance)
    flux = [np.array(e.sun.radiance) * e.sun.solid_angle for e in (wide, true)]
    assert flux[0] == pytest.approx(flux[1], rel=1e-5)
    assert wide.sun.solid_angle / true.sun.solid_angle == pytest.approx((8.0 / 0.533) ** 2, rel=0.01)


def test_altitude_is_not_forgotten_by_what_the_solver_keeps(solver: SkySolver) -> None:
    fresh = SkySolver().dome(Air(2.0, altitude_m=3000.0), 180.0, 30.0)
    solver.dome(Air(2.0), 180.0, 30.0)
    kept = solver.dome(Air(2.0, altitude_m=3000.0), 180.0, 30.0)
    assert np.allclose(kept.table, fresh.table, rtol=1e-6)
