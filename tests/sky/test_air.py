# SPDX-License-Identifier: Apache-2.0
"""What the air's numbers mean, against handbook values."""

from __future__ import annotations

import numpy as np
import pytest

from gloamet.colour.spaces import AP1_TO_XYZ, luminance, xyz_to_xy
from gloamet.sky.air import Air, ground_albedo, optical_depths
from gloamet.sky.dome import dome_radiance
from gloamet.sky.particles import HAZE, PARTICLES, KindName
from gloamet.sky.sky_solver import BANDS_TO_AP1, SkySolver, sun_transmittance
from gloamet.sky.spectrum import WAVELENGTH_NM

ZENITH = np.array([[0.0, 0.0, 1.0]])
# Molecules per cm2 of one Dobson unit: by definition 10 um of gas at 0 C and 1013.25 hPa (Loschmidt 2.6868e19 per cm3)
MOLECULES_PER_DOBSON = 2.6868e19 * 1e-3
# Cross-section of ozone at the top of the Chappuis band, 602 nm, 293 K, cm2: Serdyuchenko et al. 2014 (from memory)
CHAPPUIS_CM2 = 5.1e-21


@pytest.mark.proof(
    "Absorption of an ozone column at 602 nm", source="Serdyuchenko et al. 2014, from memory", kind="memory"
)
def test_ozone_dims_orange_light_by_its_column_and_cross_section() -> None:
    depth = optical_depths(Air(ozone_du=400.0), np.array([602.0])).ozone[0]
    # Leckner's older table, averaged over 25 nm, lies 16 % below the peak of the newer measurement
    assert depth == pytest.approx(400.0 * MOLECULES_PER_DOBSON * CHAPPUIS_CM2, rel=0.2)
    blue = int(np.argmin(abs(WAVELENGTH_NM - 440.0)))
    assert optical_depths(Air(ozone_du=400.0)).ozone[blue] < 0.1 * depth


@pytest.mark.proof("Ozone makes the twilight zenith blue", source="Hulburt, JOSA 43 (1953)", kind="published")
def test_ozone_makes_the_twilight_zenith_blue(solver: SkySolver) -> None:
    """Hulburt 1953: in twilight the blue of the zenith is the ozone's doing; by day it changes little."""

    def x_of(ozone_du: float, elevation_deg: float) -> float:
        dome = solver.dome(Air(2.0, ozone_du=ozone_du), 180.0, elevation_deg)
        return float(xyz_to_xy(AP1_TO_XYZ @ dome_radiance(dome, ZENITH)[0])[0])

    twilight = x_of(150.0, -4.0) - x_of(450.0, -4.0)
    noon = x_of(150.0, 50.0) - x_of(450.0, 50.0)
    assert twilight > 0.02  # a difference that is seen: about ten thresholds
    assert 0.0 < noon < 0.25 * twilight


@pytest.mark.proof(
    "Particles: Ångström exponent, single-scattering albedo, asymmetry",
    source="OPAC (Hess et al. 1998), from memory",
    kind="memory",
)
@pytest.mark.parametrize(
    ("kind", "exponent", "albedo", "asymmetry"),
    [  # OPAC, 80 % humidity, 550 nm: continental clean to average, urban, maritime clean, desert
        ("rural", (1.10, 1.42), (0.925, 0.972), (0.703, 0.713)),
        ("urban", (1.14, 1.43), (0.817, 0.817), (0.689, 0.689)),
        ("maritime", (0.08, 0.12), (0.997, 0.997), (0.772, 0.772)),
        ("dust", (0.17, 0.20), (0.888, 0.888), (0.729, 0.729)),
    ],
)
def test_particles_are_those_of_the_published_kinds(
    kind: KindName, exponent: tuple[float, float], albedo: tuple[float, float], asymmetry: tuple[float, float]
) -> None:
    depths = optical_depths(Air(4.0, particles=kind), np.array([450.0, 550.0, 700.0]))
    slope = -np.log(depths.aerosol[2] / depths.aerosol[0]) / np.log(700.0 / 450.0)
    # OPAC gives it below and above half a micrometre: between them, and near their mean
    assert exponent[0] <= slope <= exponent[1]
    assert slope == pytest.approx(sum(exponent) / 2.0, rel=0.06)
    assert depths.aerosol[1] == pytest.approx(
        3.0 / 10.3, rel=0.01
    )  # the same turbidity is the same depth at 550 nm
    fraction = depths.aerosol_scatter / depths.aerosol
    assert (albedo[0] - 1e-9 <= fraction).all() and (fraction <= albedo[1] + 1e-9).all()
    assert asymmetry[0] <= PARTICLES[kind].asymmetry <= asymmetry[1]


def test_dust_reddens_a_low_sun_less_than_rural_air_and_soot_dims_the_sky(solver: SkySolver) -> None:
    rural, urban, medium, sea = (
        solver.dome(Air(5.0, particles=kind), 180.0, 8.0) for kind in ("rural", "urban", "dust", "maritime")
    )

    def redness(light: np.ndarray) -> float:
        return float(light[0] / light[2])

    assert redness(medium.sun_irradiance) < 0.7 * redness(rural.sun_irradiance)
    # swallowed is what an albedo of 0.82 takes and one of 0.95 or 0.997 does not
    assert luminance(urban.sky_horizontal) < 0.9 * luminance(rural.sky_horizontal)
    assert luminance(sea.sky_horizontal) > luminance(rural.sky_horizontal)


@pytest.mark.parametrize("height_m", [100.0, 300.0, 1500.0])
def test_a_deeper_haze_takes_what_its_depth_says_from_a_high_sun(height_m: float) -> None:
    clear, hazy = Air(2.5), Air(2.5, haze_visibility_km=8.0, haze_height_m=height_m)
    green = int(np.argmin(abs(WAVELENGTH_NM - 550.0)))
    taken = -np.log(sun_transmittance(hazy, 60.0)[green] / sun_transmittance(clear, 60.0)[green])
    # Koschmieder's extinction times the scale height, by the air mass of a flat layer
    wanted = 3.912 / 8.0 * height_m / 1000.0 / np.sin(np.radians(60.0))
    assert taken == pytest.approx(wanted, rel=0.04)  # profiles have rows 50 m apart


def test_haze_is_whiter_than_the_air_it_lies_in(solver: SkySolver) -> None:
    """Its light is more even over wavelength, and more of it goes on ahead."""
    depths = optical_depths(Air(3.0, haze_visibility_km=5.0), np.array([450.0, 700.0]))
    assert depths.haze[0] / depths.haze[1] < 1.2 < depths.aerosol[0] / depths.aerosol[1]
    assert HAZE.asymmetry > PARTICLES["rural"].asymmetry
    horizon = np.array([[np.cos(np.radians(8.0)), 0.0, np.sin(np.radians(8.0))]])
    clear, hazy = (
        dome_radiance(solver.dome(air, 180.0, 40.0), horizon)[0]
        for air in (Air(2.5), Air(2.5, haze_visibility_km=4.0, haze_height_m=400.0))
    )
    assert hazy[2] / hazy[0] < clear[2] / clear[0]


def test_a_hazy_sky_gives_level_ground_what_its_bands_add_up_to(solver: SkySolver) -> None:
    """The dome, summed direction by direction, and the adding of bands that the ground's light comes from."""
    air = Air(1.5, haze_visibility_km=4.0, haze_height_m=500.0, ground_reflectance=0.3)
    _tables, through, level = solver.spectral(air, 35.0)
    direct = through * np.sin(np.radians(35.0))
    dome = solver.dome(air, 70.0, 35.0)
    # the dome's rows are wide where the aureole is steep
    wanted = float(luminance((level - direct) @ BANDS_TO_AP1))
    assert luminance(dome.sky_horizontal) == pytest.approx(wanted, rel=0.02)


def test_light_round_the_sun_falls_as_the_droplets_of_the_haze_scatter(solver: SkySolver) -> None:
    clear, hazy = Air(1.0, ground_reflectance=0.0), Air(1.0, haze_visibility_km=20.0, ground_reflectance=0.0)
    height = 45.0
    # two directions of one height, so that the air before them is the same
    turns = np.radians([10.0, 40.0])
    e = np.radians(height)
    towards = np.stack([np.cos(e) * np.sin(turns), np.cos(e) * np.cos(turns), np.full(2, np.sin(e))], -1)
    added = luminance(
        dome_radiance(solver.dome(hazy, 0.0, height), towards)
        - dome_radiance(solver.dome(clear, 0.0, height), towards)
    )

    def lobes(c: float) -> float:  # Henyey & Greenstein 1941, twice; asymmetry 0.80 of mist, from memory
        g, h = (0.80 + 0.07 * 0.45) / 0.93, -0.45
        ahead, behind = ((1 - x * x) / (1 + x * x - 2 * x * c) ** 1.5 for x in (g, h))
        return 0.93 * ahead + 0.07 * behind

    near, far = (lobes(float(c)) for c in np.cos(e) ** 2 * np.cos(turns) + np.sin(e) ** 2)
    # a little of the added light has been scattered twice, and is more even
    assert added[0] / added[1] == pytest.approx(near / far, rel=0.15)


@pytest.mark.parametrize("tint", [(1.3, 0.9, 0.6), (0.6, 1.1, 0.9), (0.9, 1.0, 1.4)])
def test_a_coloured_ground_has_its_colour_and_its_reflectance_under_sunlight(
    tint: tuple[float, float, float],
) -> None:
    luminous = float(luminance(np.array(tint)))
    unit = tuple(v / luminous for v in tint)
    albedo = ground_albedo(Air(ground_reflectance=0.3, ground_tint=unit))  # type: ignore[arg-type]
    sun = BANDS_TO_AP1.sum(0)
    assert albedo @ BANDS_TO_AP1 / sun == pytest.approx(0.3 * np.array(unit), rel=1e-6)
    assert albedo.min() >= 0.0 and albedo.max() <= 1.0
    assert ground_albedo(Air(ground_reflectance=0.3)) == pytest.approx(np.full(16, 0.3))


def test_a_red_ground_reddens_the_sky_above_it_and_a_dark_one_has_no_colour(solver: SkySolver) -> None:
    red = (1.9, 0.7, 0.4)
    unit = tuple(v / float(luminance(np.array(red))) for v in red)

    def redness(reflectance: float, tint: tuple[float, ...]) -> float:
        dome = solver.dome(Air(ground_reflectance=reflectance, ground_tint=tint), 180.0, 40.0)  # type: ignore[arg-type]
        return float(dome.sky_horizontal[0] / dome.sky_horizontal[2])

    assert redness(0.6, unit) > 1.03 * redness(0.6, (1.0, 1.0, 1.0))
    assert redness(0.0, unit) == pytest.approx(redness(0.0, (1.0, 1.0, 1.0)), rel=1e-9)
