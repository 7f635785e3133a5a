# SPDX-License-Identifier: Apache-2.0
"""The aerial perspective against Koschmieder, Beer and Lambert, and the sky it ends in."""

from __future__ import annotations

import math
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from gloamet.colour.spaces import luminance
from gloamet.sky.aerial import AerialTable, lit_by_horizon, rows_between, solve_aerial
from gloamet.sky.air import Air
from gloamet.sky.dome import SkyDome, dome_radiance, uniform_dome
from gloamet.sky.sky_solver import SkySolver
from gloamet.stage.camera import Camera
from gloamet.trace.aerial_perspective import AerialSettings, composite_aerial_perspective
from gloamet.trace.pixel_distances import FarParts, far_parts, nearness

SUN = (150.0, 40.0)
NO_LIGHT = (0.0, 0.0, 0.0)
POOL = ThreadPoolExecutor(2)
WIDTH, HEIGHT = 36, 24


def looking(azimuth_deg: float = 0.0, elevation_deg: float = 0.0) -> Camera:
    a, e = math.radians(azimuth_deg), math.radians(elevation_deg)
    towards = (
        100 * math.cos(e) * math.sin(a),
        100 * math.cos(e) * math.cos(a),
        1.6 + 100 * math.sin(e),
    )
    return Camera((0.0, 0.0, 1.6), towards, 2.0)


def seen(
    table: AerialTable,
    metres: float,
    before: float = 0.0,
    camera: Camera | None = None,
    hand: AerialSettings | None = None,
) -> np.ndarray:
    """The middle of an even picture at one distance, through the air: AP1."""
    picture = np.full((HEIGHT, WIDTH, 3), before, np.float32)
    depth = np.full((HEIGHT, WIDTH), metres, np.float32)
    out = composite_aerial_perspective(
        table, hand or AerialSettings(), camera or looking(), picture, far_parts(depth, nearness(depth)), POOL
    )
    return np.asarray(out[HEIGHT // 2 - 1 : HEIGHT // 2 + 1, WIDTH // 2].mean(0), float)


@pytest.mark.proof(
    "A black hill at the visibility distance keeps 2 % of contrast",
    source="Koschmieder 1924",
    kind="published",
)
@pytest.mark.parametrize(
    "air",
    [
        Air(2.5),
        Air(6.0),
        Air(3.0, particles="maritime"),
        Air(2.5, haze_visibility_km=2.0, haze_height_m=200.0),
    ],
)
def test_a_black_hill_fades_as_koschmieder_says(solver: SkySolver, air: Air) -> None:
    table = solve_aerial(solver, air, SUN, 1.6)
    far = luminance(seen(table, 150_000.0))
    for fraction in (0.25, 0.5, 1.0):
        contrast = 1.0 - luminance(seen(table, fraction * 1000.0 * air.visibility_km)) / far
        # Koschmieder's air is even and has one colour; ours thins by a hundredth over a metre's rise in a kilometre,
        # and red light goes farther
        assert contrast == pytest.approx(math.exp(-3.912 * fraction), abs=0.02)


@pytest.mark.proof(
    "Transmittance of layered air", source="Beer-Lambert law, exponential layers", kind="physics"
)
@pytest.mark.parametrize(("elevation_deg", "km"), [(0.0, 5.0), (0.0, 12.0), (10.0, 8.0), (30.0, 3.0)])
def test_what_passes_is_beers_law_through_layers(solver: SkySolver, elevation_deg: float, km: float) -> None:
    air = Air(4.0, haze_visibility_km=10.0, haze_height_m=400.0)
    table = solve_aerial(solver, air, SUN, 1.6)
    camera = looking(0.0, elevation_deg)
    green = (seen(table, 1000.0 * km, 1000.0, camera) - seen(table, 1000.0 * km, 0.0, camera))[1] / 1000.0
    t = (np.arange(2000) + 0.5) / 2000 * km
    h = np.sqrt(6371.0**2 + t * t + 2 * 6371.0 * t * math.sin(math.radians(elevation_deg))) - 6371.0
    # at 550 nm: 0.0971 over 8.4 km of air, 3/10.3 over 1.5 km of particles, Koschmieder's extinction in 0.4 km of haze
    extinction = 0.0971 / 8.4 * np.exp(-h / 8.4) + 3.0 / 10.3 / 1.5 * np.exp(-h / 1.5)
    extinction += 3.912 / 10.0 * np.exp(-h / 0.4)
    # the green primary is no single wavelength: the more is lost, the redder and clearer is what passes
    assert -math.log(green) == pytest.approx(extinction.sum() * km / 2000, rel=0.06)


@pytest.mark.parametrize("azimuth_deg", [30.0, 150.0, 250.0])
@pytest.mark.parametrize(("sun_deg", "band"), [(40.0, 0.06), (6.0, 0.06), (-4.0, 0.4)])
def test_far_away_the_air_is_the_sky(
    solver: SkySolver, azimuth_deg: float, sun_deg: float, band: float
) -> None:
    air, sun = Air(3.0), (150.0, sun_deg)
    table, dome = solve_aerial(solver, air, sun, 1.6), solver.dome(air, *sun)
    for elevation_deg in (1.0, 4.0):
        a, e = math.radians(azimuth_deg), math.radians(elevation_deg)
        towards = np.array([math.cos(e) * math.sin(a), math.cos(e) * math.cos(a), math.sin(e)])
        wanted = luminance(dome_radiance(dome, towards))
        ours = luminance(seen(table, 150_000.0, 0.0, looking(azimuth_deg, elevation_deg)))
        if (
            sun_deg < 0.0 and azimuth_deg == sun[0]
        ):  # the glow stands beyond all objects, where the sun still shines
            assert ours < 0.8 * wanted
            continue
        # rows and turns of both tables lie apart; in twilight light comes from beyond the table's end too
        assert ours == pytest.approx(wanted, rel=band)


def test_the_light_added_grows_with_distance_and_towards_the_sun(solver: SkySolver) -> None:
    table = solve_aerial(solver, Air(4.0), (150.0, 12.0), 1.6)
    grown = [luminance(seen(table, d)) for d in (0.0, 50.0, 500.0, 3000.0, 12_000.0, 50_000.0)]
    assert grown[0] == 0.0 and (np.diff(grown) > 0.0).all()
    towards, away = (luminance(seen(table, 3000.0, 0.0, looking(a, 2.0))) for a in (150.0, 250.0))
    assert towards > 2.0 * away


def test_haze_is_a_floor_seen_from_above_and_a_wall_from_within(solver: SkySolver) -> None:
    air = Air(2.0, haze_visibility_km=1.5, haze_height_m=120.0)

    def passing(eye_m: float) -> float:
        table = solve_aerial(solver, air, SUN, eye_m)
        return float((seen(table, 4000.0, 1000.0) - seen(table, 4000.0))[1]) / 1000.0

    assert passing(1.6) < 0.001
    assert passing(900.0) > 0.8


@settings(max_examples=25, deadline=None)
@given(st.floats(0.2, 4.0), st.floats(0.0, 1.0), st.floats(0.0, 900.0), st.floats(1000.0, 20_000.0))
def test_the_hand_moves_what_nature_does(
    solver: SkySolver, density: float, strength: float, begin: float, metres: float
) -> None:
    table = solve_aerial(solver, Air(3.0), SUN, 1.6)
    added = seen(table, metres - begin)
    passing = (seen(table, metres - begin, 50.0) - added) / 50.0
    # so many times the depth is the power of what passes (Beer-Lambert), and what is lost comes back as air light
    denser = passing**density
    wanted = 50.0 * denser + added * (1.0 - denser) / (1.0 - passing)
    ours = seen(table, metres, 50.0, hand=AerialSettings(density, strength, begin))
    assert ours == pytest.approx(50.0 + strength * (wanted - 50.0), rel=5e-3)


@pytest.mark.parametrize("hand", [AerialSettings(), AerialSettings(1.7, 0.8, 5.0)], ids=["nature", "hand"])
def test_every_pixel_shows_what_the_middle_of_a_picture_taken_that_way_shows(
    solver: SkySolver, hand: AerialSettings
) -> None:
    # so high that pixels share the air of a block, which things of several distances meet in
    table, height, width = solve_aerial(solver, Air(5.0), (8.0, 9.0), 1.6), 313, 451
    camera = replace(looking(), fov_deg=40.0)
    depth = np.random.default_rng(3).choice([30.0, 400.0, 2500.0, 9000.0], (height, width)).astype(np.float32)
    black = np.zeros((height, width, 3), np.float32)
    out = composite_aerial_perspective(table, hand, camera, black, FarParts(np.ones_like(depth), depth), POOL)
    for y, x in ((0, 0), (40, 300), (41, 301), (140, 226), (156, 30), (230, 420), (311, 210), (312, 450)):
        middle = (2 * (x // 2) + 1) / width, (2 * (y // 2) + 1) / height  # of the block
        east, north, up = camera.ray(*middle, width / height)
        there = looking(math.degrees(math.atan2(east, north)), math.degrees(math.asin(up)))
        # between places of the grid, 1.2 degrees apart, light is taken for straight
        assert out[y, x] == pytest.approx(seen(table, float(depth[y, x]), 0.0, there, hand), rel=4e-3)


def test_the_gains_of_sun_and_sky_are_those_of_single_and_of_further_scattering(solver: SkySolver) -> None:
    table = solve_aerial(solver, Air(4.0), (150.0, 12.0), 1.6)
    # particles throw the sun's light ahead; what was scattered before comes evenly
    for hand, low, high in (
        (AerialSettings(sky_gain=NO_LIGHT), 20.0, math.inf),
        (AerialSettings(sun_gain=NO_LIGHT), 0.9, 1.6),
    ):
        towards, away = (luminance(seen(table, 3000.0, 0.0, looking(a, 2.0), hand)) for a in (150.0, 250.0))
        assert low < towards / away < high


def test_without_sun_and_sky_the_air_only_dims_and_the_sky_itself_is_left_alone(solver: SkySolver) -> None:
    table = solve_aerial(solver, Air(3.0), SUN, 1.6)
    dark = AerialSettings(sun_gain=NO_LIGHT, sky_gain=NO_LIGHT)
    assert seen(table, 9000.0, 0.0, hand=dark).max() == 0.0
    assert 0.0 < seen(table, 9000.0, 70.0, hand=dark)[1] < 70.0
    sun, sky = (
        seen(table, 9000.0, hand=hand)
        for hand in (AerialSettings(sky_gain=NO_LIGHT), AerialSettings(sun_gain=NO_LIGHT))
    )
    assert sun + sky == pytest.approx(seen(table, 9000.0), rel=1e-4)
    assert seen(table, 0.0, 70.0) == pytest.approx(70.0)
    assert seen(table, 100.0, 70.0, hand=AerialSettings(begin_m=200.0)) == pytest.approx(70.0)


def test_under_another_sky_things_fade_into_its_horizon(solver: SkySolver) -> None:
    dome: SkyDome = uniform_dome(300.0)
    table = lit_by_horizon(solve_aerial(solver, Air(8.0), SUN, 1.6), dome.natural_horizon)
    assert seen(table, 140_000.0) == pytest.approx(300.0, rel=0.01)
    near = seen(table, 2000.0, 300.0)
    assert near == pytest.approx(300.0, rel=1e-3)  # as bright as its surroundings: nothing changes


@pytest.mark.parametrize("hand", [AerialSettings(), AerialSettings(2.0, dims_sky=1.0)], ids=["far", "sky"])
@pytest.mark.parametrize("metres", [20.0, 700.0, 9000.0])
def test_what_a_pixel_shows_does_not_hang_on_how_far_others_are(
    solver: SkySolver, metres: float, hand: AerialSettings
) -> None:
    table, picture = solve_aerial(solver, Air(3.0), SUN, 1.6), np.full((HEIGHT, WIDTH, 3), 9.0, np.float32)
    even, mixed = (np.full((HEIGHT, WIDTH), metres, np.float32) for _ in range(2))
    mixed[:, ::3] = 140_000.0
    even[:, 1::3] = mixed[:, 1::3] = 0.0
    ours, theirs = (
        composite_aerial_perspective(
            table, hand, looking(), picture, FarParts(np.ones_like(depth), depth), POOL
        )
        for depth in (even, mixed)
    )
    assert np.array_equal(ours[:, 2::3], theirs[:, 2::3]) and np.array_equal(ours[:, 1::3], theirs[:, 1::3])
    assert (ours[:, 2::3] != 9.0).all() and (ours[:, 1::3] != 9.0).all() == (hand.dims_sky > 0.0)


def test_only_rows_in_view_are_solved_and_they_are_the_same(solver: SkySolver) -> None:
    whole, rows = solve_aerial(solver, Air(3.0), SUN, 1.6), rows_between(-8.0, 12.0)
    part = solve_aerial(solver, Air(3.0), SUN, 1.6, rows)
    assert rows[1] - rows[0] < len(whole.through) // 2
    assert np.array_equal(part.light[slice(*rows)], whole.light[slice(*rows)])
    for elevation_deg in (-7.0, 0.0, 11.0):
        camera = looking(40.0, elevation_deg)
        assert np.array_equal(seen(part, 3000.0, 9.0, camera), seen(whole, 3000.0, 9.0, camera))


@pytest.mark.parametrize(("column", "density"), [(12, 1.0), (17, 1.0), (12, 2.5)])
def test_air_that_takes_less_than_a_share_is_left_out_up_to_where_it_takes_that(
    solver: SkySolver, column: int, density: float
) -> None:
    table = solve_aerial(solver, Air(3.0), SUN, 1.6)
    away_m = 150_000.0 * (column / 31.0) ** 4  # columns lie by the fourth root of distance, 32 up to 150 km
    least = 1.0 - float(table.through[:, column].min()) ** density + 1e-6
    for fraction in (0.5, 0.97, 1.03, 2.0):
        depth = np.full((HEIGHT, WIDTH), fraction * away_m, np.float32)
        before = np.full((HEIGHT, WIDTH, 3), 500.0, np.float32)
        words = table, AerialSettings(density), looking(), before, far_parts(depth, nearness(depth)), POOL
        through, left_out = composite_aerial_perspective(*words), composite_aerial_perspective(*words, least)
        assert (through != 500.0).all()
        np.testing.assert_array_equal(left_out, before if fraction < 1.0 else through)
