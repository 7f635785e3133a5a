# SPDX-License-Identifier: Apache-2.0
"""The whole sky beside published models: the standard spectra, clear skies of a reference library, twilight."""

from __future__ import annotations

import math
from functools import cache

import colour
import numpy as np
import pvlib
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pvlib.spectrum import get_reference_spectra, spectrl2

from gloamet.colour.spaces import AP1_TO_XYZ, luminance, xyz_to_xy
from gloamet.sky.air import Air
from gloamet.sky.dome import SkyDome, dome_radiance
from gloamet.sky.sky_solver import SkySolver

AOD500 = 0.084  # of ASTM G173-03
# tolerances of 100 and 150 K near 5500 K are 3 to 5 mired; a change of 5 mired is just visible (common practice)
TILT_DEG = 37.0  # of its plane, to the south
STATES = np.random.default_rng(20).uniform(
    (8.0, 1.3, 0.0), (80.0, 6.0, 3000.0), (30, 3)
)  # height, turbidity, altitude


@cache
def weights(first: int, last: int) -> tuple[np.ndarray, np.ndarray]:
    """Wavelengths, and 683 lm/W times the CIE 1931 observer at them."""
    nm = np.arange(float(first), last + 1.0)
    observer = colour.MSDS_CMFS["CIE 1931 2 Degree Standard Observer"]
    each = [np.interp(nm, observer.wavelengths, observer.values[:, k]) for k in range(3)]
    return nm, 683.002 * np.stack(each, 1)


def seen(nm: np.ndarray, watts: np.ndarray) -> np.ndarray:
    fine, each = weights(380, 780)
    return np.asarray(np.interp(fine, nm, watts) @ each)


def kelvin(xyz: np.ndarray) -> float:
    """Correlated colour temperature (Ohno 2013, by colour-science)."""
    uv = colour.UCS_to_uv(colour.XYZ_to_UCS(xyz / xyz[1]))
    return float(colour.temperature.uv_to_CCT_Ohno2013(uv, start=1500, end=100_000)[0])


def xyz(ap1: np.ndarray) -> np.ndarray:
    return np.asarray(AP1_TO_XYZ @ ap1)


def air_mass(elevation: float) -> float:
    """Kasten & Young 1989."""
    return 1.0 / (math.sin(math.radians(elevation)) + 0.50572 * (elevation + 6.07995) ** -1.6364)


def spectral_model(elevation: float, air: Air, albedo: float = 0.2, tilt: float = 0.0, aoi: float = 0.0):  # type: ignore[no-untyped-def]
    """Bird & Riordan 1986 (SPECTRL2 of pvlib) for an air of ours."""
    pressure = 101_325.0 * (1.0 - 2.25577e-5 * air.altitude_m) ** 5.25588  # ISO 2533
    exponent = 1.3
    found = spectrl2(
        apparent_zenith=90.0 - elevation,
        aoi=aoi if tilt else 90.0 - elevation,
        surface_tilt=tilt,
        ground_albedo=albedo,
        surface_pressure=pressure,
        relative_airmass=air_mass(elevation),
        precipitable_water=1.5 * math.exp(-air.altitude_m / 2000.0),
        ozone=air.ozone_du / 1000.0,
        aerosol_turbidity_500nm=air.aod550 * (500.0 / 550.0) ** -exponent,
        dayofyear=94,  # the earth at its mean distance
        alpha=exponent,
    )
    return {
        name: seen(found["wavelength"], np.ravel(found[name])) for name in ("dni", "dhi", "poa_global", "ghi")
        if name in found
    }  # fmt: skip


def on_tilted_plane(dome: SkyDome, tilt: float) -> np.ndarray:
    """Irradiance of a plane that leans to the south, by sun, sky and the ground before it."""
    facing = np.array([0.0, -math.sin(math.radians(tilt)), math.cos(math.radians(tilt))])
    n = 300
    z, turn = (np.arange(n) + 0.5) / n, (np.arange(2 * n) + 0.5) / (2 * n) * 2.0 * np.pi
    z, turn = np.meshgrid(z, turn, indexing="ij")
    level = np.sqrt(1.0 - z * z)
    towards = np.stack([level * np.sin(turn), level * np.cos(turn), z], -1)
    solid = 2.0 * np.pi / z.size
    cosine, below = np.maximum(towards @ facing, 0.0), np.maximum((towards * [1, 1, -1]) @ facing, 0.0)
    sky = (dome_radiance(dome, towards).astype(float) * cosine[..., None]).sum((0, 1)) * solid
    ground = (dome.ground_sun + dome.ground_sky) * below.sum() * solid
    return np.asarray(sky + ground + dome.sun_irradiance * max(0.0, float(dome.sun_direction @ facing)))


@pytest.mark.proof(
    "Direct sun of the standard spectrum: 97.1 klx, 5230 K",
    source="ASTM G173-03, by pvlib",
    kind="published",
)
def test_the_direct_sun_is_that_of_the_standard_spectrum(solver: SkySolver) -> None:
    table = get_reference_spectra(standard="ASTM G173-03")
    theirs = seen(table.index.to_numpy(), table["direct"].to_numpy())
    # the standard's air: rural particles of exponent 1.14, 343.8 DU of ozone
    air = Air(1.0 + 10.3 * AOD500 * (550.0 / 500.0) ** -1.14, ozone_du=343.8)
    dome = solver.dome(air, 180.0, math.degrees(math.asin(1.0 / 1.5)))
    ours = xyz(dome.sun_irradiance)
    assert ours[1] == pytest.approx(theirs[1], rel=0.03)
    assert kelvin(ours) == pytest.approx(kelvin(theirs), abs=100.0)


@pytest.mark.proof(
    "Light on a plane towards the sun at air mass 1.5",
    source="ASTM G173-03, and Bird & Riordan 1986 (SPECTRL2), both by pvlib",
    kind="published",
)
def test_the_whole_light_on_the_standards_plane_lies_by_two_published_models(solver: SkySolver) -> None:
    air = Air(1.0 + 10.3 * AOD500 * (550.0 / 500.0) ** -1.3, ozone_du=343.8)
    elevation = math.degrees(math.asin(1.0 / 1.5))
    ours = xyz(on_tilted_plane(solver.dome(air, 180.0, elevation), TILT_DEG))
    other = spectral_model(elevation, air, tilt=TILT_DEG, aoi=90.0 - elevation - TILT_DEG)["poa_global"]
    table = get_reference_spectra(standard="ASTM G173-03")
    standard = seen(table.index.to_numpy(), table["global"].to_numpy())
    assert ours[1] == pytest.approx(other[1], rel=0.03)
    assert kelvin(ours) == pytest.approx(kelvin(other), abs=100.0)
    # the standard's own model gives the sky a quarter less light than that one: ours stands above both
    assert ours[1] == pytest.approx(standard[1], rel=0.07)
    assert kelvin(ours) == pytest.approx(kelvin(standard), abs=150.0)


@pytest.mark.proof(
    "Sun, sky and their colours at 30 random elevations, turbidities, altitudes",
    source="Bird & Riordan 1986, SPECTRL2 of pvlib",
    kind="library",
)
@pytest.mark.parametrize("state", STATES, ids=lambda s: "-".join(f"{v:.4g}" for v in s))
def test_a_clear_sky_is_that_of_a_published_spectral_model(solver: SkySolver, state: np.ndarray) -> None:
    elevation, turbidity, altitude = (float(v) for v in state)
    air = Air(turbidity, altitude_m=altitude)
    theirs, dome = spectral_model(elevation, air), solver.dome(air, 180.0, elevation)
    sun, sky = xyz(dome.sun_irradiance), xyz(dome.sky_horizontal)
    # its one air mass serves particles too, which lie lower and so weigh more near the horizon
    assert sun[1] == pytest.approx(theirs["dni"][1], rel=0.02 if elevation > 15 else 0.08)
    assert kelvin(sun) == pytest.approx(kelvin(theirs["dni"]), rel=0.015)
    # it counts what is scattered more than once by a fit, which leaves the sky darker the thicker the air
    assert 0.98 < sky[1] / theirs["dhi"][1] < (1.15 if elevation > 20 else 1.35)
    level = sun[1] * math.sin(math.radians(elevation)) + sky[1]
    whole = theirs["dni"][1] * math.sin(math.radians(elevation)) + theirs["dhi"][1]
    assert level == pytest.approx(whole, rel=0.07 if elevation > 20 else 0.16)
    # in reciprocal temperature, in which the eye is even: 14 mired at 20 degrees
    assert 1e6 / kelvin(sky) == pytest.approx(
        1e6 / kelvin(theirs["dhi"]), abs=14.0 if elevation > 20 else 22.0
    )


GLOBAL_EFFICACY = (  # a, c, d by bins of clearness: Perez et al., Solar Energy 44 (1990), W left out
    (96.63, 11.50, -9.16), (107.54, 1.79, -1.19), (98.73, 4.40, -6.95), (92.72, 8.36, -8.31),
    (86.73, 7.10, -10.94), (88.34, 6.06, -7.60), (78.63, 4.93, -11.37), (99.65, -4.46, -3.15),
)  # fmt: skip
CLEARNESS = (1.065, 1.23, 1.5, 1.95, 2.8, 4.5, 6.2)


@pytest.mark.proof(
    "Horizontal illuminance at 30 random elevations, turbidities, altitudes",
    source="Bird & Hulstrom 1981 by pvlib × luminous efficacy of Perez et al. 1990",
    kind="library",
)
@pytest.mark.parametrize("state", STATES, ids=lambda s: "-".join(f"{v:.4g}" for v in s))
def test_level_light_is_a_clear_sky_model_times_luminous_efficacy(
    solver: SkySolver, state: np.ndarray
) -> None:
    elevation, turbidity, altitude = (float(v) for v in state)
    air = Air(turbidity, altitude_m=altitude)
    mass, pressure = air_mass(elevation), 101_325.0 * (1.0 - 2.25577e-5 * altitude) ** 5.25588
    depths = (air.aod550 * (nm / 550.0) ** -1.3 for nm in (380.0, 500.0))
    water = 1.5 * math.exp(-altitude / 2000.0)
    clear = pvlib.clearsky.bird(
        90.0 - elevation, mass, *depths, water, ozone=0.3, pressure=pressure, dni_extra=1364.0
    )
    ghi, dni, dhi = (float(np.ravel(clear[name])[0]) for name in ("ghi", "dni", "dhi"))
    zenith = math.radians(90.0 - elevation)
    clearness = ((dhi + dni) / dhi + 1.041 * zenith**3) / (1.0 + 1.041 * zenith**3)
    a, c, d = GLOBAL_EFFICACY[int(np.searchsorted(CLEARNESS, clearness, "right"))]
    wanted = ghi * (a + c * math.cos(zenith) + d * math.log(dhi * mass / 1364.0))
    dome = solver.dome(air, 180.0, elevation)
    ours = float(luminance(dome.sun_horizontal + dome.sky_horizontal))
    # the efficacies are means of measured skies, 105 lm/W here, and spread by 5 %; a clear sky by the spectral model
    # above gives 110: ours stands with that one, on the upper side
    assert 0.9 < ours / wanted < 1.15


@given(
    elevation=st.floats(1.0, 90.0), turbidity=st.floats(1.2, 9.0), haze_visibility_km=st.floats(2.0, 60.0)
)  # fmt: skip
@settings(max_examples=15)
def test_thicker_air_never_gives_level_ground_more_light_nor_more_than_the_sun_sends(
    solver: SkySolver, elevation: float, turbidity: float, haze_visibility_km: float
) -> None:
    def whole(air: Air) -> float:
        dome = solver.dome(air, 180.0, elevation)
        return float(luminance(dome.sun_horizontal + dome.sky_horizontal))

    dark = {"ground_reflectance": 0.0}
    clear, thicker = whole(Air(turbidity, **dark)), whole(Air(1.15 * turbidity, **dark))  # type: ignore[arg-type]
    hazy = whole(Air(turbidity, haze_visibility_km, **dark))  # type: ignore[arg-type]
    assert clear < 133_100.0 * math.sin(math.radians(elevation)) or elevation < 5.0
    assert thicker < clear * 1.0001 and hazy < clear * 1.0001


def opposite(solver: SkySolver, sun: float, height: float) -> tuple[float, float]:
    """CIE x, y of the sky at a height opposite the sun."""
    dome, h = solver.dome(Air(2.0), 0.0, sun), math.radians(height)
    x, y = xyz_to_xy(xyz(dome_radiance(dome, np.array([[0.0, -math.cos(h), math.sin(h)]]))[0].astype(float)))
    return float(x), float(y)


@pytest.mark.proof(
    "Pink band above the Earth’s shadow opposite the sun",
    source="Lee & Hernández-Andrés, Appl. Opt. 54 (2015), from memory",
    kind="memory",
)
@pytest.mark.parametrize(("sun", "belt", "shadow"), [(-1.0, 4.0, 1.0), (-2.0, 7.0, 2.0)])
def test_opposite_the_sun_a_pink_belt_stands_over_the_blue_shadow(
    solver: SkySolver, sun: float, belt: float, shadow: float
) -> None:
    pink, blue = opposite(solver, sun, belt), opposite(solver, sun, shadow)
    # daylight of that x by the CIE's locus is greener: pink is the purple side of it
    locus = -3.0 * pink[0] ** 2 + 2.870 * pink[0] - 0.275
    assert pink[1] < locus - 0.008
    assert pink[0] > 0.31 and blue[0] < 0.30
    assert opposite(solver, sun, 40.0)[0] < pink[0]


def test_the_belt_rises_as_the_sun_sinks_and_then_all_is_grey_blue(solver: SkySolver) -> None:
    heights = np.arange(0.5, 30.0, 0.5)
    reddest = [
        heights[np.argmax([opposite(solver, sun, h)[0] for h in heights])] for sun in (-0.5, -1.0, -2.0)
    ]
    assert reddest[0] < reddest[1] < reddest[2]
    for height in heights[::6]:
        assert opposite(solver, -5.0, height)[0] < 0.27
