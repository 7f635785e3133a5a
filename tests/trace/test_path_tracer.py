# SPDX-License-Identifier: Apache-2.0
"""Light transport against closed forms: planes, shadows, furnaces, glass, layers."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest

from gloamet.colour.spaces import REC709_TO_AP1, luminance
from gloamet.light_layers import even_gains
from gloamet.sky.air import Air
from gloamet.sky.dome import SUN_DIAMETER_DEG, SkyDome, assemble_dome, uniform_dome
from gloamet.sky.sky_solver import SkySolver
from gloamet.stage.camera import Camera
from gloamet.stage.scene import Material, Scene
from gloamet.trace.film import Film, Renderer
from gloamet.trace.lights.environment import build_environment
from gloamet.trace.render_scene import build_render_scene
from tests.conftest import box, level, make_scene, quad

DOWN = Camera((0.0, 0.0, 10.0), (0.0, 0.0, 0.0), 20.0)


def expose(
    tracer: Renderer,
    scene: Scene,
    dome: SkyDome,
    camera: Camera,
    size: int = 32,
    samples: int = 64,
    bounces: int = 4,
) -> Film:
    film = Film(size, size)
    assert tracer.accumulate(
        film, build_render_scene(scene), build_environment(dome), camera, samples, bounces
    )
    return film


def matt(value: float) -> Material:
    return Material("matt", (value, value, value), 1.0, 0.0)


def sun_only(
    elevation: float, azimuth: float = 180.0, diameter: float = SUN_DIAMETER_DEG, lx: float = 1000.0
) -> SkyDome:
    return assemble_dome(
        np.zeros_like(uniform_dome(0.0).table), azimuth, elevation, diameter, np.full(3, lx), 0.0
    )


def sphere(radius: float, centre: tuple[float, float, float], rings: int = 48) -> np.ndarray:
    theta = np.linspace(0, np.pi, rings + 1)
    phi = np.linspace(0, 2 * np.pi, 2 * rings + 1)
    t, p = np.meshgrid(theta, phi, indexing="ij")
    v = radius * np.stack([np.sin(t) * np.cos(p), np.sin(t) * np.sin(p), np.cos(t)], -1) + centre
    quads = [
        (v[i, j], v[i + 1, j], v[i + 1, j + 1], v[i, j + 1]) for i in range(rings) for j in range(2 * rings)
    ]
    return np.concatenate([quad(*q) for q in quads])


@pytest.mark.proof("A diffuse card has a luminance of ρ E / π", source="Lambert's law", kind="physics")
@pytest.mark.parametrize("elevation", [60.0, 25.0, 5.0])
def test_a_level_card_reads_reflectance_times_illuminance_over_pi(
    tracer: Renderer, solver: SkySolver, elevation: float
) -> None:
    dome = solver.dome(Air(2.6), 140.0, elevation)
    film = expose(tracer, make_scene((level(100.0), matt(0.6))), dome, DOWN, samples=256)
    for layer, lx in (("sun", dome.sun_horizontal), ("sky", dome.sky_horizontal)):
        wanted = 0.6 * lx / math.pi
        assert film.mean(layer).mean((0, 1)) == pytest.approx(wanted, rel=0.01)


def test_a_coloured_card_keeps_its_colour(tracer: Renderer) -> None:
    red = Material("red", (0.7, 0.1, 0.05), 1.0, 0.0)
    film = expose(tracer, make_scene((level(100.0), red)), uniform_dome(10.0), DOWN)
    assert film.mean("sky").mean((0, 1)) == pytest.approx(10.0 * (REC709_TO_AP1 @ [0.7, 0.1, 0.05]), rel=0.02)


@pytest.mark.proof("A white sphere vanishes in a uniform sky", source="white furnace", kind="physics")
def test_a_white_sphere_vanishes_in_a_uniform_sky(tracer: Renderer) -> None:
    scene = make_scene((sphere(1.0, (0.0, 0.0, 0.0)), matt(1.0)))
    film = expose(
        tracer, scene, uniform_dome(50.0), Camera((0.0, -4.0, 0.5), (0.0, 0.0, 0.0), 40.0), 48, 64, 32
    )
    assert film.mean("sky").mean() == pytest.approx(50.0, rel=0.003)
    assert np.abs(film.mean("sky")[20:28, 20:28].mean((0, 1)) - 50.0).max() < 1.0


@pytest.mark.proof(
    "A white metal reflects all light at any roughness", source="white furnace", kind="physics"
)
@pytest.mark.parametrize("roughness", [0.0, 0.1, 0.3, 0.6, 1.0])
def test_a_smooth_white_metal_returns_all_light(tracer: Renderer, roughness: float) -> None:
    metal = Material("metal", (1.0, 1.0, 1.0), roughness, 1.0)
    film = expose(tracer, make_scene((level(100.0), metal)), uniform_dome(50.0), DOWN, samples=64)
    assert film.mean("sky").mean() == pytest.approx(50.0, rel=0.01)


def test_gloss_never_adds_energy(tracer: Renderer) -> None:
    for roughness in (0.0, 0.2, 0.5, 0.8):
        for camera in (DOWN, Camera((0.0, -10.0, 1.0), (0.0, 0.0, 0.0), 5.0)):
            white = Material("lacquer", (1.0, 1.0, 1.0), roughness, 0.0)
            film = expose(tracer, make_scene((level(1000.0), white)), uniform_dome(50.0), camera, samples=128)
            assert 0.97 * 50 < film.mean("sky").mean() < 50.5


@pytest.mark.proof("The tip of a pole's shadow", source="cotangent of the sun's elevation", kind="physics")
@pytest.mark.parametrize(("azimuth", "elevation"), [(180.0, 45.0), (225.0, 30.0), (80.0, 60.0)])
def test_shadow_tip_of_a_pole_matches_cotangent(tracer: Renderer, azimuth: float, elevation: float) -> None:
    h, r = 10.0, 0.02
    scene = make_scene((level(80.0), matt(0.8)), (box((-r, -r, 0), (r, r, h)), matt(0.8)))
    length = h / math.tan(math.radians(elevation))
    away = math.radians(azimuth + 180.0)
    tip = np.array([length * math.sin(away), length * math.cos(away), 0.0])
    # look straight down at the tip from high above: 0.5 m wide, 200 pixels
    camera = Camera((tip[0], tip[1], 100.0), (tip[0], tip[1], 0.0), math.degrees(2 * math.atan(0.25 / 100.0)))
    film = expose(tracer, scene, sun_only(elevation, azimuth, 0.01), camera, 200, 8)
    dark = film.mean("sun")[..., 1] < 0.5 * 1000 * math.sin(math.radians(elevation)) * 0.8 / math.pi
    y, x = np.nonzero(dark)
    east, north = (x + 0.5) / 200 * 0.5 - 0.25, 0.25 - (y + 0.5) / 200 * 0.5
    along = east * math.sin(away) + north * math.cos(away)
    assert dark.any()
    # the farthest corner of the pole's top casts the tip; a pixel is 2.5 mm wide
    corner = r * (abs(math.sin(away)) + abs(math.cos(away)))
    assert along.max() == pytest.approx(corner, abs=0.0025)
    assert abs((east * math.cos(away) - north * math.sin(away)).mean()) < 0.02


@pytest.mark.proof(
    "The penumbra is a 107th of the distance wide", source="2 tan(0.2665°), common practice", kind="practice"
)
def test_penumbra_of_an_edge_is_distance_over_107_wide(tracer: Renderer) -> None:
    # sun overhead, a roof 4 m up: umbra to light over 4 m / 107 (practice; 2 tan 0.2665 deg)
    roof = quad((-20.0, -20.0, 4.0), (0.0, -20.0, 4.0), (0.0, 20.0, 4.0), (-20.0, 20.0, 4.0))
    scene = make_scene((level(50.0), matt(0.5)), (roof, matt(0.5)))
    dome = sun_only(90.0)
    film = Film(200, 8)
    below = Camera((0.0, 0.0, 3.0), (0.0, 0.0, 0.0), math.degrees(2 * math.atan(0.002 / 3.0)))
    assert tracer.accumulate(film, build_render_scene(scene), build_environment(dome), below, 200, 1)
    profile = film.mean("sun")[..., 1].mean(0) / (0.5 * 1000 / math.pi)
    x = (np.arange(200) + 0.5) / 200 * 0.1 - 0.05
    assert profile[100] == pytest.approx(0.5, abs=0.05)
    half = 4.0 * math.tan(math.radians(SUN_DIAMETER_DEG / 2))
    assert profile[x < -half - 0.001].max() == 0.0
    assert profile[x > half + 0.001] == pytest.approx(1.0, abs=0.05)
    assert profile[(x > -half + 0.002) & (x < half - 0.002)].min() > 0.0


def test_sun_and_sky_layers_add_up_to_the_whole(tracer: Renderer, solver: SkySolver) -> None:
    scene = make_scene((level(20.0), matt(0.5)), (box((-1, -1, 0), (1, 1, 2)), matt(0.7)))
    film = expose(tracer, scene, solver.dome(Air(), 120.0, 40.0), Camera((6, -8, 4), (0, 0, 1)), 48, 16)
    assert film.light() == pytest.approx(film.mean("sun") + film.mean("sky"), rel=1e-5)
    assert film.light(even_gains(2.0, 0.0)) == pytest.approx(2.0 * film.mean("sun"), rel=1e-6)


@pytest.mark.proof("Interreflection in a closed room", source="geometric series", kind="physics")
@pytest.mark.parametrize("reflectance", [0.5, 0.8])
def test_interreflection_of_a_closed_room_follows_the_series(tracer: Renderer, reflectance: float) -> None:
    # walls that glow alike and reflect rho: after n bounces each shows Le (1 + rho + ... + rho^n), whatever the shape
    glowing = replace(matt(reflectance), emission=(1.0, 1.0, 1.0))
    room = make_scene((box((-2, -2, 0), (2, 3, 4)), glowing))
    camera = Camera((0, 0, 1.0), (1.0, 0.4, 0.0), 60.0)
    levels = [
        float(expose(tracer, room, uniform_dome(0.0), camera, 16, 256, n).mean("lamps")[..., 1].mean())
        for n in (0, 1, 2, 4, 8)
    ]
    sums = [sum(reflectance**k for k in range(n + 1)) for n in (0, 1, 2, 4, 8)]
    # a matt surface of index 1.5 gives back a little less than its colour says
    assert np.array(levels) / levels[0] == pytest.approx(np.array(sums), rel=0.02)


@pytest.mark.proof("A pane transmits 92 %", source="Fresnel, n = 1.5", kind="physics")
def test_a_thin_pane_transmits_92_percent(tracer: Renderer) -> None:
    # Fresnel, n = 1.5, both faces and all reflections between them: 92.3 % (4.3 % each face at normal incidence)
    pane = Material("pane", (1.0, 1.0, 1.0), 0.0, 0.0, 1.0, 1.5, True)
    scene = make_scene((level(200.0), matt(0.5)), (level(150.0, 9.0), pane))
    dome = sun_only(70.0)
    film = expose(tracer, scene, dome, DOWN, samples=64, bounces=1)
    seen_and_lit = film.mean("sun").mean() / (0.5 * 1000 * math.sin(math.radians(70.0)) / math.pi)
    # seen through the pane once; the ground there lies in the pane's own shadow: once more
    assert seen_and_lit == pytest.approx((2 * 1.5 / (1.5**2 + 1)) ** 2, rel=0.01)


def test_the_sun_shines_through_a_pane_and_not_through_a_wall(tracer: Renderer) -> None:
    for material, lit in ((Material("pane", (1, 1, 1), 0.0, 0.0, 1.0), True), (matt(0.5), False)):
        wall = quad((-5, 1, 0), (5, 1, 0), (5, 1, 8), (-5, 1, 8))
        scene = make_scene((level(50.0), matt(0.5)), (wall, material))
        ahead = Camera((0.0, 3.0, 4.0), (0.0, 3.0, 0.0), 10.0)  # behind the wall, sun in the south
        film = expose(tracer, scene, sun_only(45.0), ahead, samples=32, bounces=1)
        assert (film.mean("sun").mean() > 50.0) == lit


def test_the_same_seed_gives_the_same_picture_whatever_the_threads(solver: SkySolver) -> None:
    scene = make_scene((level(20.0), matt(0.5)), (box((-1, -1, 0), (1, 1, 2)), matt(0.7)))
    dome, camera = solver.dome(Air(), 120.0, 40.0), Camera((6, -8, 4), (0, 0, 1))
    one = expose(Renderer(1), scene, dome, camera, 40, 3)
    three = expose(Renderer(3), scene, dome, camera, 40, 3)
    assert np.array_equal(one.layers["sky"], three.layers["sky"])
    assert one.rays == three.rays


def test_a_cancelled_pass_says_so(tracer: Renderer) -> None:
    film = Film(64, 64)
    scene = build_render_scene(make_scene((level(1.0), matt(0.5))))
    assert not tracer.accumulate(
        film, scene, build_environment(uniform_dome(1.0)), DOWN, cancelled=lambda: True
    )
    assert film.samples == 0


def test_the_void_below_the_horizon_sends_up_exactly_the_lit_ground(
    tracer: Renderer, solver: SkySolver
) -> None:
    dome = solver.dome(Air(ground_reflectance=0.3), 180.0, 40.0)
    ceiling = quad((-50, -50, 5), (-50, 50, 5), (50, 50, 5), (50, -50, 5))
    up = Camera((0.0, 0.0, 0.0), (0.0, 0.01, 5.0), 10.0)
    film = expose(tracer, make_scene((ceiling, matt(0.5))), dome, up, samples=128, bounces=1)
    total = dome.sun_horizontal + dome.sky_horizontal
    assert luminance(film.light().mean((0, 1))) == pytest.approx(
        0.5 * 0.3 * luminance(total) / math.pi, rel=0.02
    )


def test_depth_and_normals_are_those_of_the_first_surface(tracer: Renderer) -> None:
    film = expose(tracer, make_scene((level(100.0), matt(0.5))), uniform_dome(1.0), DOWN, samples=4)
    assert film.mean("depth")[16, 16] == pytest.approx(10.0, abs=0.1)
    assert film.mean("normal")[16, 16] == pytest.approx([0, 0, 1], abs=1e-4)
    assert film.mean("albedo")[16, 16] == pytest.approx([0.5] * 3, abs=0.01)
