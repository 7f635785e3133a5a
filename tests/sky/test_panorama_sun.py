# SPDX-License-Identifier: Apache-2.0
"""Suns in panoramas: found where they stand, measured, taken out with their light counted.

Skies are this program's own with a sun put where it is known to be; what is checked is where it is found.
"""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy.ndimage import gaussian_filter, zoom

from gloamet.colour.spaces import AP1_LUMINANCE
from gloamet.output.environment_export import export_environment_map
from gloamet.sky.air import Air
from gloamet.sky.dome import SkyDome
from gloamet.sky.environment_map import PanoramaPicture
from gloamet.sky.panorama_dome import (
    LightOptions,
    Placing,
    blurred,
    laid,
    panorama_dome,
    prepare_panorama,
    suns_of,
)
from gloamet.sky.panorama_sun import (
    filled,
    find_suns,
    pixel_directions,
    removed_light,
    sample,
    solid_angles,
    sun_at,
)
from gloamet.sky.sky_solver import SkySolver
from gloamet.sun.angles import azimuth_elevation
from gloamet.sun.position import direction

HEIGHTS = (4.0, 15.0, 35.0, 62.0, 86.0)
SEAM = 180.7  # an azimuth by the picture's edge


def sky_with_sun(solver: SkySolver, azimuth: float, elevation: float, sun: bool = True) -> np.ndarray:
    dome = solver.dome(Air(3.0), azimuth, elevation)
    return np.asarray(export_environment_map(dome, 2048, with_sun=sun), np.float32)


def off_deg(found: tuple[float, float], azimuth: float, elevation: float) -> float:
    return math.degrees(math.acos(min(1.0, float(direction(*found) @ direction(azimuth, elevation)))))


def clouds(picture: np.ndarray, seed: int) -> np.ndarray:
    """Ragged bright clouds over a third of the sky, thin enough for the sun to shine through."""
    noise = gaussian_filter(np.random.default_rng(seed).normal(size=(64, 128)), (2, 3), mode="wrap")
    cover = np.clip(zoom(noise / noise.std(), 16, order=1), 0.0, 1.0)[..., None]
    out = picture.copy()
    out[:1024] = picture[:1024] * (1.0 - 0.7 * cover[:1024]) + cover[:1024] * 1e4
    return out


@pytest.mark.proof("The sun of a panorama is found", source="its known position", kind="physics")
@pytest.mark.parametrize("elevation", HEIGHTS)
@pytest.mark.parametrize("azimuth", [0.3, 97.3, SEAM])
def test_a_sun_is_found_within_a_tenth_of_a_degree(
    azimuth: float, elevation: float, solver: SkySolver
) -> None:
    picture = sky_with_sun(solver, azimuth, elevation)
    found = find_suns(picture)
    assert len(found) == 1
    assert off_deg(found[0][:2], azimuth, elevation) < 0.1
    dome = solver.dome(Air(3.0), azimuth, elevation)
    # pixels of 0.18 degrees cut the disc, and the ring that is taken off holds aureole
    wanted = float(AP1_LUMINANCE @ dome.sun_irradiance)
    assert AP1_LUMINANCE @ np.array(found[0].irradiance) == pytest.approx(wanted, rel=0.05)


@pytest.mark.parametrize("elevation", HEIGHTS)
def test_clouds_do_not_lead_astray(elevation: float, solver: SkySolver) -> None:
    for seed in (3, 4):
        found = find_suns(clouds(sky_with_sun(solver, 97.3, elevation), seed))
        assert off_deg(found[0][:2], 97.3, elevation) < 0.3


@pytest.mark.parametrize("elevation", HEIGHTS)
def test_a_clipped_sun_is_found_by_its_plateau(elevation: float, solver: SkySolver) -> None:
    picture = sky_with_sun(solver, 97.3, elevation)
    found = find_suns(np.minimum(picture, 100.0 * np.median(picture[:1024])))
    assert found[0].clipped and off_deg(found[0][:2], 97.3, elevation) < 0.3


@pytest.mark.parametrize("elevation", [35.0, 62.0])
def test_a_sun_lost_in_a_wide_white_patch_is_found_by_the_glow_round_it(
    elevation: float, solver: SkySolver
) -> None:
    picture = sky_with_sun(solver, 97.3, elevation)
    level = {35.0: 12.0, 62.0: 6.0}[elevation]
    found = find_suns(np.minimum(picture, level * np.median(picture[:1024])))
    assert found[0].clipped and found[0].radius_deg > 5.0
    assert off_deg(found[0][:2], 97.3, elevation) < 0.3


# measured: 2.4 at worst below 14 degrees, where the horizon's glow moves the white patch, 0.7 above
@pytest.mark.parametrize(
    ("elevation", "near"), [(6.0, 2.5), (8.0, 2.5), (10.0, 2.5), (12.0, 2.5), (15.0, 1.0), (20.0, 1.0)]
)
def test_the_nearer_the_horizon_the_less_is_known_of_a_sun_lost_in_white(
    elevation: float, near: float, solver: SkySolver
) -> None:
    picture = sky_with_sun(solver, 97.3, elevation)
    for level in (100.0, 50.0):
        found = find_suns(np.minimum(picture, level * np.median(picture[:1024])))
        assert found[0].clipped and off_deg(found[0][:2], 97.3, elevation) < near


@pytest.mark.parametrize("elevation", HEIGHTS)
def test_a_clear_sky_without_its_disc_has_no_sun(elevation: float, solver: SkySolver) -> None:
    assert not find_suns(sky_with_sun(solver, 97.3, elevation, sun=False))


def test_an_even_sky_and_a_lamp_below_the_horizon_are_no_suns() -> None:
    picture = np.ones((256, 512, 3), np.float32)
    assert not find_suns(picture)
    picture[180:184, 100:104] = 1e5
    assert not find_suns(picture)


def test_what_stands_at_a_picked_place_is_measured_there(solver: SkySolver) -> None:
    picture = sky_with_sun(solver, 97.3, 35.0)
    picked = sun_at(picture, 98.0, 35.4)
    assert picked[:2] == (98.0, 35.4)
    found = find_suns(picture)[0]
    assert picked.irradiance == pytest.approx(found.irradiance, rel=0.02)


def level_light(picture: np.ndarray) -> np.ndarray:
    height, width = picture.shape[:2]
    elevation = np.radians(90.0 - (np.arange(height // 2) + 0.5) / height * 180.0)
    weight = solid_angles(height, width)[: height // 2] * np.sin(elevation)
    return np.asarray(np.einsum("y,yxc->c", weight, picture[: height // 2].astype(float)))


@pytest.mark.proof(
    "Illuminance of a panorama with its sun removed", source="sum over its pixels", kind="physics"
)
@pytest.mark.parametrize("elevation", [15.0, 62.0, 86.0])
def test_what_is_lifted_out_and_what_stays_are_what_was_there(elevation: float, solver: SkySolver) -> None:
    picture = sky_with_sun(solver, SEAM, elevation)
    sun = find_suns(picture)[0]
    middle = direction(*sun[:2])
    bare = filled(picture, middle, sun.glow_deg)
    _facing, level = removed_light(picture, bare, middle)
    assert level + level_light(bare) == pytest.approx(level_light(picture), rel=0.01)
    assert (bare <= picture).all()
    assert not find_suns(bare)
    dome = solver.dome(Air(3.0), SEAM, elevation)
    assert AP1_LUMINANCE @ level > 0.97 * float(AP1_LUMINANCE @ dome.sun_horizontal)


def as_panorama(light: np.ndarray) -> PanoramaPicture:
    scale = float(light.max())
    codes = np.round(65535.0 * (light / scale) ** 0.25).astype(np.uint16)
    return PanoramaPicture(codes, scale, light, True, False)


@pytest.mark.parametrize("turn", [0.0, 77.0, -150.0])
def test_its_sun_becomes_a_disc_of_its_own_with_all_its_light(turn: float, solver: SkySolver) -> None:
    dome: SkyDome = solver.dome(Air(3.0), 97.3, 35.0)
    picture = as_panorama(sky_with_sun(solver, 97.3, 35.0))
    prepared = prepare_panorama(picture, LightOptions(), suns_of(picture))
    out = panorama_dome(prepared, turn, 0.2)
    assert off_deg((out.sun_azimuth_deg, out.sun_elevation_deg), 97.3 + turn, 35.0) < 0.1
    whole = out.sun_horizontal + out.sky_horizontal
    assert whole == pytest.approx(dome.sun_horizontal + dome.sky_horizontal, rel=0.01)
    assert out.sun_horizontal == pytest.approx(dome.sun_horizontal, rel=0.05)


def test_a_lifted_panorama_lights_without_its_sun_and_says_how_much_that_was(solver: SkySolver) -> None:
    dome = solver.dome(Air(3.0), 97.3, 35.0)
    picture = as_panorama(sky_with_sun(solver, 97.3, 35.0))
    kept = prepare_panorama(picture, LightOptions(), suns_of(picture))
    lifted = prepare_panorama(picture, LightOptions(lifted=True), suns_of(picture))
    out, before = panorama_dome(lifted, 0.0, 0.2), panorama_dome(kept, 0.0, 0.2)
    assert not out.sun_irradiance.any()
    whole = before.sun_horizontal + before.sky_horizontal
    assert out.sky_horizontal + lifted.removed_level == pytest.approx(whole, rel=0.01)
    assert AP1_LUMINANCE @ lifted.lifted == pytest.approx(
        float(AP1_LUMINANCE @ dome.sun_irradiance), rel=0.15
    )  # its aureole goes with it
    seen = lifted.seen[:1024].max() / picture.codes.max()
    assert seen**4 < 1e-3  # the disc is not seen either


@pytest.mark.proof("A softened panorama keeps its illuminance", source="sum over the sphere", kind="physics")
@pytest.mark.parametrize("blur", [3.0, 12.0, 40.0])
def test_softening_keeps_the_mean_and_an_even_sky(blur: float) -> None:
    rng = np.random.default_rng(5)
    picture = rng.random((128, 256, 3)).astype(np.float32)
    picture[20:22, 30:33] = 1e3
    soft = blurred(picture, blur)
    weight = solid_angles(128, 256)
    before, after = (np.einsum("y,yxc->c", weight, p.astype(float)) for p in (picture, soft))
    assert after == pytest.approx(before, rel=1e-4)
    assert soft.max() < 0.2 * picture.max()
    assert blurred(np.ones((128, 256, 3), np.float32), blur) == pytest.approx(
        np.ones((128, 256, 3)), rel=6e-3
    )


@pytest.mark.parametrize(
    ("placing", "position", "wanted"),
    [
        (Placing(30.0), (10.0, 20.0), (40.0, 20.0)),
        (Placing(0.0, 20.0), (0.0, 50.0), (0.0, 30.0)),  # the north sinks
        (Placing(0.0, 20.0), (180.0, 50.0), (180.0, 70.0)),  # the south rises
        (Placing(0.0, 0.0, True), (60.0, 10.0), (300.0, 10.0)),
        (Placing(0.0, 0.0, False, 0.5), (60.0, 40.0), (60.0, 20.0)),
        (Placing(90.0, 20.0), (0.0, 50.0), (90.0, 30.0)),  # tilted first, then turned
    ],
)
def test_a_panorama_lies_as_it_is_placed(
    placing: Placing, position: tuple[float, float], wanted: tuple[float, float]
) -> None:
    assert placing.to_world(*position) == pytest.approx(wanted, abs=1e-6)
    assert placing.to_file(*wanted) == pytest.approx(position, abs=1e-6)
    picture = np.ones((256, 512, 3), np.float32)
    y, x = round((90.0 - position[1]) / 180.0 * 256), round((position[0] / 360.0 + 0.5) * 512) % 512
    picture[y - 2 : y + 2, np.arange(x - 2, x + 2) % 512] = 100.0
    still = placing._replace(rotation_deg=0.0)
    there = sample(laid(picture, still), direction(*still.to_world(*position)))
    assert there[0] > 50.0


def test_a_place_comes_back_from_its_vector() -> None:
    for azimuth, elevation in ((0.0, 0.0), (359.0, -20.0), (123.0, 89.0)):
        assert azimuth_elevation(direction(azimuth, elevation)) == pytest.approx(
            (azimuth, elevation), abs=1e-6
        )


@pytest.mark.proof(
    "Angular diameter of a wide sun in a panorama", source="its known diameter", kind="physics"
)
@pytest.mark.parametrize("radius", [0.8, 1.5])
def test_a_wide_sun_becomes_a_disc_as_wide(radius: float) -> None:
    azimuth, elevation = pixel_directions(1024, 2048)
    angle = np.degrees(np.arccos(direction(azimuth[None, :], elevation[:, None]) @ direction(130.0, 40.0)))
    picture = as_panorama(np.where(angle[..., None] < radius, 1e5, 1.0).repeat(3, -1).astype(np.float32))
    out = panorama_dome(prepare_panorama(picture, LightOptions(), suns_of(picture)), 0.0, 0.2)
    # cells of 0.1 degree cut the disc
    assert out.sun_diameter_deg == pytest.approx(2.0 * radius, rel=0.1)


@pytest.mark.parametrize("blur_deg", [6.0, 20.0])
def test_light_is_softened_about_its_own_place_by_a_bell_of_that_width(blur_deg: float) -> None:
    height, width = 128, 256
    picture = np.zeros((height, width, 3), np.float32)
    picture[40, 70] = 1e4
    soft = blurred(picture, blur_deg)[..., 1].astype(float) * solid_angles(height, width)[:, None]
    azimuth, elevation = pixel_directions(height, width)
    directions = np.array([[direction(float(a), float(e)) for a in azimuth] for e in elevation])
    mean = np.einsum("yx,yxk->k", soft, directions) / soft.sum()
    # von Mises and Fisher's distribution: the mean direction has the length coth(k) - 1/k
    k = 1.0 / math.radians(blur_deg) ** 2
    assert 1.0 - np.linalg.norm(mean) == pytest.approx(1.0 - (1.0 / math.tanh(k) - 1.0 / k), rel=0.05)
    assert mean / np.linalg.norm(mean) == pytest.approx(directions[40, 70], abs=0.01)
