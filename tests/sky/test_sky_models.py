# SPDX-License-Identifier: Apache-2.0
"""The sky by the model chosen: what each keeps, and what it shares with the physical one."""

from __future__ import annotations

import math

import numpy as np
import pytest

from gloamet.colour.spaces import AP1_TO_XYZ, luminance
from gloamet.colour.temperature import correlated_temperature
from gloamet.sky.air import Air
from gloamet.sky.dome import dome_radiance
from gloamet.sky.general_skies import cie_relative_luminance, preetham_xyy
from gloamet.sky.sky_models import SkyModel, caveat, model_dome
from gloamet.sky.sky_solver import SkySolver

AIR = Air(2.5)
UP = np.array([0.0, 0.0, 1.0])


def level(dome) -> float:  # type: ignore[no-untyped-def]
    return float(luminance(dome.sky_horizontal))


def towards(azimuth_deg: float, elevation_deg: float) -> np.ndarray:
    a, e = math.radians(azimuth_deg), math.radians(elevation_deg)
    return np.array([math.cos(e) * math.sin(a), math.cos(e) * math.cos(a), math.sin(e)])


@pytest.mark.parametrize("number", [1, 5, 9, 12, 15])
def test_a_level_that_is_chosen_is_what_the_ground_gets_at_its_colour(solver: SkySolver, number: int) -> None:
    for elevation in (50.0, -4.0):
        model = SkyModel("cie", number, 9000.0, 7500.0)
        dome = model_dome(model, AIR, 130.0, elevation, 0.533, solver)
        assert level(dome) == pytest.approx(9000.0, rel=2e-3)
        assert correlated_temperature(AP1_TO_XYZ @ dome.sky_horizontal) == pytest.approx(7500.0, rel=0.01)


def test_an_even_sky_is_pi_times_as_bright_on_the_ground_as_anywhere(solver: SkySolver) -> None:
    dome = model_dome(SkyModel("uniform", horizontal_lx=10_000.0), AIR, 0.0, 40.0, 0.533, solver)
    seen = luminance(
        dome_radiance(dome, np.stack([towards(a, e) for a, e in ((0, 5), (140, 40), (200, 85))]))
    )
    assert seen == pytest.approx(10_000.0 / math.pi, rel=2e-3)
    assert not dome.sun_horizontal.any()


@pytest.mark.parametrize(("number", "extinction"), [(12, 0.21), (15, 0.21), (8, 0.80)])
def test_the_sun_of_a_general_sky_is_that_of_the_handbook(
    solver: SkySolver, number: int, extinction: float
) -> None:
    # IES, RP-21 (from memory): 127.5 klx above the air, exp(-c m) of it below
    for elevation in (20.0, 60.0):
        sine = math.sin(math.radians(elevation))
        dome = model_dome(SkyModel("cie", number), AIR, 0.0, elevation, 0.533, solver)
        wanted = 127_500.0 * math.exp(-extinction / sine)
        assert luminance(dome.sun_irradiance) == pytest.approx(wanted, rel=1e-4)
        assert luminance(dome.sun_horizontal) == pytest.approx(wanted * sine, rel=1e-3)


def test_natural_levels_meet_the_physical_sky_where_both_are_clear(solver: SkySolver) -> None:
    # one formula of a handbook for all clear days, a sky of this turbidity, and one that is known to be too bright
    for elevation in (15.0, 40.0, 70.0):
        ours = level(solver.dome(AIR, 0.0, elevation))
        general, preetham = (
            level(model_dome(model, AIR, 0.0, elevation, 0.533, solver)) / ours
            for model in (SkyModel("cie", 12), SkyModel("preetham"))
        )
        assert 0.65 < general < 1.1
        assert 1.0 < preetham < 1.6
        assert (preetham > 1.45) == ("too bright" in caveat(SkyModel("preetham"), AIR, elevation))


def test_the_brightest_place_is_the_sun_wherever_it_stands(solver: SkySolver) -> None:
    for model in (SkyModel("cie", 11), SkyModel("preetham")):
        dome = model_dome(model, AIR, 250.0, 35.0, 0.533, solver)
        row, column = np.unravel_index(np.argmax(luminance(dome.table)), dome.table.shape[:2])
        assert 360.0 * column / dome.table.shape[1] == pytest.approx(250.0, abs=2.0)
        assert 90.0 * (row / (dome.table.shape[0] - 1)) ** 2 == pytest.approx(35.0, abs=2.0)


def test_overcast_hides_the_sun_and_clear_lets_it_through(solver: SkySolver) -> None:
    hidden, partly, clear = (
        float(luminance(model_dome(SkyModel("cie", k), AIR, 0.0, 45.0, 0.533, solver).sun_irradiance))
        for k in (1, 8, 12)
    )
    assert hidden == 0.0
    # IES: 127.5 klx exp(-0.8 m) and exp(-0.21 m), from memory
    assert partly == pytest.approx(127_500 * math.exp(-0.8 * math.sqrt(2.0)), rel=1e-3)
    assert clear == pytest.approx(127_500 * math.exp(-0.21 * math.sqrt(2.0)), rel=1e-3)


def test_after_sunset_every_model_fades_as_the_physical_sky_does(solver: SkySolver) -> None:
    def fall(model: SkyModel) -> float:
        low, dusk = (level(model_dome(model, AIR, 0.0, e, 0.533, solver)) for e in (0.0, -6.0))
        return dusk / low

    for name in ("preetham", "cie", "uniform"):
        assert fall(SkyModel(name)) == pytest.approx(fall(SkyModel()), rel=1e-3)


def test_what_an_artist_should_know_is_said() -> None:
    assert caveat(SkyModel(), AIR, 30.0) == ""
    assert "hidden" in caveat(SkyModel("uniform"), AIR, 30.0)
    assert caveat(SkyModel("cie", 14), AIR, 30.0) == "Sky 14, cloudless turbid, broad corona."
    assert "low sun" in caveat(SkyModel("preetham"), AIR, 4.0)


@pytest.mark.parametrize("number", [1, 12])
@pytest.mark.parametrize("elevation_deg", [8.0, 25.0, 60.0])
def test_the_dome_of_a_general_sky_is_its_formula_at_every_height(
    solver: SkySolver, number: int, elevation_deg: float
) -> None:
    dome = model_dome(SkyModel("cie", number), AIR, 200.0, 35.0, 0.533, solver)
    along = towards(140.0, elevation_deg)
    cosine = float(along @ towards(200.0, 35.0))
    wanted = cie_relative_luminance(
        number, np.array([math.radians(elevation_deg)]), np.array([cosine]), math.radians(35.0)
    )
    ours = luminance(dome_radiance(dome, along)) / luminance(dome_radiance(dome, UP))
    assert ours == pytest.approx(float(wanted[0]), rel=0.01)


def test_a_level_does_not_hold_preethams_sky(solver: SkySolver) -> None:
    plain, levelled = (
        level(model_dome(SkyModel("preetham", horizontal_lx=lx), AIR, 0.0, -5.0, 0.533, solver))
        for lx in (0.0, 9000.0)
    )
    assert levelled == pytest.approx(plain)


def test_preethams_dome_has_the_colour_of_his_formula(solver: SkySolver) -> None:
    dome = model_dome(SkyModel("preetham"), Air(3.0), 0.0, 40.0, 0.533, solver)
    sun = np.radians(40.0)
    zenith, turned = np.array([np.pi / 2.0]), np.array([np.sin(sun)])
    light, x, y = preetham_xyy(3.0, zenith, turned, sun)
    xyz = AP1_TO_XYZ @ dome.table[-1, 0].astype(float)
    assert xyz[1] == pytest.approx(float(light[0]), rel=1e-4)
    assert xyz[:2] / xyz.sum() == pytest.approx([float(x[0]), float(y[0])], rel=1e-4)
