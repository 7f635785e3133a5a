"""The sky against handbook illuminance, standards, and a Monte Carlo walk of the same atmosphere."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from gloamet.colour.spaces import AP1_TO_XYZ, luminance, xyz_to_xy
from gloamet.colour.temperature import correlated_temperature
from gloamet.sky.air import Air, optical_depths
from gloamet.sky.atmosphere import columns, profiles
from gloamet.sky.dome import (
    BANDS_TO_AP1,
    SkyDome,
    SkySolver,
    aerosol_phase_array,
    dome_radiance,
    rayleigh_phase_array,
    sun_transmittance,
    uniform_dome,
)
from gloamet.sky.spectrum import SOLAR_XYZ_LX, WAVELENGTH_NM, rayleigh_optical_depth

from .reference_walk import walk

CLEAR = Air(turbidity=2.03)


def lux(dome: SkyDome) -> tuple[float, float]:
    return float(luminance(dome.sun_irradiance)), float(luminance(dome.sky_horizontal))


def test_luminous_solar_constant() -> None:
    # integral of the extraterrestrial column of ASTM G173-03 with V(lambda): 133.1 klx
    assert SOLAR_XYZ_LX[:, 1].sum() == pytest.approx(133_100, rel=0.005)


@pytest.mark.parametrize("elevation", [5, 10, 20, 30, 45, 60, 75])
def test_clear_sky_within_a_fifth_of_the_handbook(solver: SkySolver, elevation: float) -> None:
    # IES clear-day availability (IESNA Lighting Handbook / RP-21)
    s = math.sin(math.radians(elevation))
    sun, sky = lux(solver.dome(CLEAR, 180.0, elevation))
    assert sun == pytest.approx(133_100 * math.exp(-0.21 / s), rel=0.2)
    assert sky == pytest.approx(800 + 15_500 * math.sqrt(s), rel=0.2)


def test_direct_sun_of_the_standard_spectrum() -> None:
    # ASTM G173-03 direct at air mass 1.5: 97.1 klx, 5233 K; its air holds an optical depth of 0.084 at 500 nm
    aod550 = 0.084 * (550 / 500) ** -1.3
    air = Air(turbidity=1 + 10.3 * aod550)
    elevation = math.degrees(math.asin(1 / 1.5))
    sun = sun_transmittance(optical_depths(air), elevation) @ BANDS_TO_AP1
    assert float(luminance(sun)) == pytest.approx(97_100, rel=0.03)
    assert correlated_temperature(AP1_TO_XYZ @ sun) == pytest.approx(5233, rel=0.03)


def test_rayleigh_optical_depth_of_the_published_table() -> None:
    # Bodhaine et al. 1999, table 3: 0.36022 at 400 nm, 0.09743 at 550 nm (360 ppm CO2), to 1 %
    assert rayleigh_optical_depth([400.0, 550.0]) == pytest.approx([0.36022, 0.09743], rel=0.01)


@pytest.mark.parametrize(
    ("elevation", "lx", "factor"), [(-6, 3.4, 1.5), (-12, 0.008, 2.0), (-18, 0.0006, 1.3)]
)
def test_twilight_of_the_handbook(solver: SkySolver, elevation: float, lx: float, factor: float) -> None:
    # RCA Electro-Optics Handbook, moonless, from memory
    _, sky = lux(solver.dome(CLEAR, 180.0, elevation))
    assert lx / factor < sky < lx * factor


def test_zenith_is_blue_as_measured(solver: SkySolver) -> None:
    zenith = solver.dome(CLEAR, 180.0, 30.0).table[-1, 0].astype(float)
    assert xyz_to_xy(AP1_TO_XYZ @ zenith) == pytest.approx([0.249, 0.254], abs=0.005)


@pytest.mark.parametrize(("elevation", "kelvin"), [(2, 1897), (5, 2842), (10, 3721), (20, 4491), (45, 5108)])
def test_low_sun_reddens(solver: SkySolver, elevation: float, kelvin: float) -> None:
    sun = solver.dome(CLEAR, 180.0, elevation).sun_irradiance
    assert correlated_temperature(AP1_TO_XYZ @ sun) == pytest.approx(kelvin, rel=0.02)


def test_phase_functions_keep_energy() -> None:
    mu = np.polynomial.legendre.leggauss(400)
    for phase in (rayleigh_phase_array, aerosol_phase_array):
        assert 2 * np.pi * (mu[1] * phase(mu[0])).sum() == pytest.approx(1.0, abs=1e-6)


def test_sky_is_symmetric_about_the_sun(solver: SkySolver) -> None:
    table = solver.dome(Air(4.0, 9.0), 0.0, 25.0).table
    assert np.allclose(table[:, 1:], table[:, :0:-1], rtol=1e-4)


def test_turning_the_sun_turns_the_sky(solver: SkySolver) -> None:
    a, b = solver.dome(CLEAR, 0.0, 25.0).table, solver.dome(CLEAR, 90.0, 25.0).table
    assert np.allclose(np.roll(a, a.shape[1] // 4, axis=1), b, rtol=1e-3)


@given(st.floats(1.2, 12), st.floats(-17, 88))
@settings(max_examples=15, deadline=None)
def test_light_is_finite_and_never_negative(solver: SkySolver, turbidity: float, elevation: float) -> None:
    dome = solver.dome(Air(turbidity), 123.0, elevation)
    assert np.isfinite(dome.table).all()
    assert (dome.table >= 0).all()
    assert luminance(dome.sky_horizontal) >= 0.0005


def test_light_falls_steadily_as_the_sun_sinks(solver: SkySolver) -> None:
    levels = [lux(solver.dome(CLEAR, 0.0, e))[1] for e in np.arange(6.0, -17.9, -0.5)]
    assert (np.diff(levels) < 0).all()
    assert max(a / b for a, b in zip(levels[:-1], levels[1:], strict=True)) < 2.2


def test_bright_ground_brightens_the_sky(solver: SkySolver) -> None:
    dark, snow = (lux(solver.dome(Air(2.5, None, a), 0.0, 40.0))[1] for a in (0.0, 0.8))
    assert 1.2 < snow / dark < 1.7


def test_haze_dims_the_sun_and_shortens_the_view(solver: SkySolver) -> None:
    clear, hazy = Air(2.5), Air(2.5, 4.0)
    assert hazy.visibility_km < 4.0 < clear.visibility_km
    assert lux(solver.dome(hazy, 0.0, 20.0))[0] < 0.7 * lux(solver.dome(clear, 0.0, 20.0))[0]


def test_readouts_of_the_air_match_the_published_formulas() -> None:
    from pvlib.atmosphere import kasten96_lt

    for aod, linke, visibility in ((0.05, 2.6, 87), (0.1, 3.0, 50), (0.2, 3.9, 27), (0.5, 6.3, 11)):
        air = Air(1 + 10.3 * aod)
        aod700 = aod * (700 / 550) ** -1.3
        assert air.linke_turbidity == pytest.approx(kasten96_lt(2.0, 1.5, aod700), rel=0.01)
        assert air.linke_turbidity == pytest.approx(linke, abs=0.06)
        assert air.visibility_km == pytest.approx(visibility, rel=0.04)


def test_a_uniform_dome_gives_pi_times_its_radiance() -> None:
    dome = uniform_dome(100.0)
    assert dome.sky_horizontal == pytest.approx([100 * math.pi] * 3, rel=1e-4)
    assert dome.ground_sky == pytest.approx([100.0] * 3, rel=1e-4)


def test_lookup_returns_the_nodes(solver: SkySolver) -> None:
    dome = solver.dome(CLEAR, 40.0, 30.0)
    assert dome_radiance(dome, np.array([0.0, 0.0, 1.0])) == pytest.approx(dome.table[-1, 0], rel=1e-4)
    assert dome_radiance(dome, np.array([1.0, 0.0, 0.0])) == pytest.approx(dome.table[0, 64], rel=1e-4)


# Bands the prototypes reached for the isotropic closure with delta-scaled aerosol
@pytest.mark.parametrize(
    ("aod", "elevation", "band"),
    [(0.05, 60, 0.04), (0.05, 10, 0.05), (0.3, 30, 0.05), (0.3, 60, 0.06), (0.3, 5, 0.1)],
)
def test_closure_agrees_with_a_monte_carlo_walk(
    solver: SkySolver, aod: float, elevation: float, band: float
) -> None:
    air = Air(1 + 10.3 * aod, None, 0.2)
    tables, _through, _level = solver.spectral(air, elevation)
    n = int(np.argmin(np.abs(WAVELENGTH_NM - 543)))
    e = (np.arange(60) + 0.5) / 60 * np.pi / 2
    a = (np.arange(48) + 0.5) / 48 * np.pi
    y, x = np.sqrt(e / (np.pi / 2)) * 31, a / np.pi * 8
    i, j = np.minimum(y.astype(int), 30), np.minimum(x.astype(int), 7)
    fy, fx = (y - i)[:, None, None], (x - j)[None, :, None]
    t = tables[..., n]
    at = (t[i][:, j] * (1 - fx) + t[i][:, j + 1] * fx) * (1 - fy)
    at = at + (t[i + 1][:, j] * (1 - fx) + t[i + 1][:, j + 1] * fx) * fy
    s = math.radians(elevation)
    c = np.sin(e)[:, None] * math.sin(s) + np.cos(e)[:, None] * math.cos(s) * np.cos(a)[None]
    light = at[..., 0] * rayleigh_phase_array(c) + at[..., 1] * aerosol_phase_array(c) + at[..., 2]
    ours = (light * (np.cos(e) * np.sin(e))[:, None]).sum() * (np.pi / 2 / 60) * (2 * np.pi / 48)
    tau = optical_depths(air).stacked()[:, n]
    theirs, error = walk(profiles(), columns(), tau, 0.95, 0.2, math.sin(s), True, 0.0, 80_000, 1)
    assert error / theirs < 0.02
    assert ours == pytest.approx(theirs, rel=band + 3 * error / theirs)
