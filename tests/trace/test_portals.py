# SPDX-License-Identifier: Apache-2.0
"""Windows as portals: found where they light a room, even-handed, and less noisy."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest

from gloamet.sky.air import Air
from gloamet.sky.dome import SUN_DIAMETER_DEG, assemble_dome, uniform_dome
from gloamet.sky.sky_solver import SkySolver
from gloamet.stage.camera import Camera
from gloamet.stage.props import sphere
from gloamet.stage.scene import Material, Part, Scene
from gloamet.trace.film import Film, Renderer
from gloamet.trace.lights.environment import build_environment
from gloamet.trace.lights.portals import (
    AREA,
    HIGH,
    INWARD,
    LOW,
    PORTAL_WORDS,
    count_portals,
    portal_pdf,
    sample_portal,
)
from gloamet.trace.render_scene import RenderScene, build_render_scene
from tests.conftest import box, called, level, make_scene, quad

WHITE = Material("white", (0.7, 0.7, 0.7))
GLASS = Material("glass", (1.0, 1.0, 1.0), 0.0, 0.0, 1.0)
INSIDE = Camera((1.7, 1.5, 1.5), (-1.0, -1.5, 1.2), 60.0)


def point(*values: float) -> tuple[np.float32, ...]:
    return tuple(np.float32(v) for v in values)


def room() -> Scene:
    """4 x 4 x 3 m about the origin, a window of 1.5 x 1.2 m in the south wall, its sill at 1 m."""
    x0, x1, z0, z1, y = -0.75, 0.75, 1.0, 2.2, -2.0
    south = [
        quad((-2, y, 0), (2, y, 0), (2, y, z0), (-2, y, z0)),
        quad((-2, y, z1), (2, y, z1), (2, y, 3), (-2, y, 3)),
        quad((-2, y, z0), (x0, y, z0), (x0, y, z1), (-2, y, z1)),
        quad((x1, y, z0), (2, y, z0), (2, y, z1), (x1, y, z1)),
    ]
    rest = box((-2, -2, 0), (2, 2, 3)).reshape(6, 2, 3, 3)
    others = [face for face in rest if not np.allclose(face[..., 1], y)]
    walls = np.concatenate([*others, *south])
    pane = quad((x0, y, z0), (x1, y, z0), (x1, y, z1), (x0, y, z1))
    return make_scene((walls, WHITE), (pane, GLASS))


def test_a_window_is_found_with_its_rectangle_its_side_and_its_room() -> None:
    portals = build_render_scene(room()).portals
    assert portals.shape == (1, PORTAL_WORDS)
    p = portals[0]
    assert p[AREA] == pytest.approx(1.8, rel=1e-3)
    assert p[INWARD : INWARD + 3] == pytest.approx([0, 1, 0], abs=1e-5)
    assert p[LOW : LOW + 3] == pytest.approx([-2, -2, 0], abs=0.35)
    assert p[HIGH : HIGH + 3] == pytest.approx([2, 2, 3], abs=0.35)
    assert called(count_portals)(portals, point(1.0, 1.0, 1.0)) == 1
    assert called(count_portals)(portals, point(1.0, -3.0, 1.0)) == 0
    assert called(count_portals)(portals, point(1.0, 30.0, 1.0)) == 0


def test_a_pane_in_the_open_a_roof_of_glass_and_a_ball_are_no_windows() -> None:
    fence = quad((-1, 0, 0), (1, 0, 0), (1, 0, 1), (-1, 0, 1))
    assert len(build_render_scene(make_scene((level(20.0), WHITE), (fence, GLASS))).portals) == 0
    canopy = quad((-3, -3, 3), (3, -3, 3), (3, 3, 3), (-3, 3, 3))
    assert len(build_render_scene(make_scene((level(20.0), WHITE), (canopy, GLASS))).portals) == 0
    ball = room()
    ball = replace(ball, parts=(ball.parts[0], Part("ball", 1, sphere(0.5))))
    assert len(build_render_scene(ball).portals) == 0


def test_portals_are_kept_while_neither_shapes_nor_glass_change() -> None:
    scene = build_render_scene(room())
    repainted = replace(scene.scene, materials=(replace(WHITE, roughness=0.4), GLASS))
    assert build_render_scene(repainted, before=scene).portals is scene.portals
    walled = replace(scene.scene, materials=(WHITE, WHITE))
    assert len(build_render_scene(walled, before=scene).portals) == 0


def test_directions_through_a_portal_have_the_density_that_is_said() -> None:
    # the mean of 1 / density over the samples is the solid angle of the rectangle; on its axis that is
    # 4 asin(sin a sin b) with the half angles a and b seen from the point (closed form of a pyramid)
    portals = build_render_scene(room()).portals
    eye, rng = point(0.0, 0.5, 1.6), np.random.default_rng(3)
    inverse, density_of = [], called(portal_pdf)
    for u, a, b in rng.random((4000, 3)).astype(np.float32):
        d = called(sample_portal)(portals, 1, u, a, b, eye)
        density = density_of(portals, 1, eye, d)
        assert density > 0
        inverse.append(1.0 / density)
    a, b = math.atan(0.75 / 2.5), math.atan(0.6 / 2.5)
    assert np.mean(inverse) == pytest.approx(4 * math.asin(math.sin(a) * math.sin(b)), rel=0.01)
    assert density_of(portals, 1, eye, point(0, 1, 0)) == 0.0
    assert density_of(portals, 1, eye, point(1, 0, 0)) == 0.0


def exposed(  # type: ignore[no-untyped-def]
    tracer: Renderer, scene: RenderScene, lights, samples: int, of: str = "sky"
) -> tuple[np.ndarray, float]:
    """Mean of a light, and the error of a pixel from the two halves of the samples."""
    film = Film(32, 32)
    assert tracer.accumulate(film, scene, lights, INSIDE, samples, 4)
    first = film.mean(of).copy()
    assert tracer.accumulate(film, scene, lights, INSIDE, samples, 4)
    second = 2 * film.mean(of) - first
    return film.mean(of).mean((0, 1)), float(np.abs(first - second).mean() / first.mean())


@pytest.mark.parametrize("uniform", [True, False])
def test_portals_change_the_noise_and_not_the_light(
    tracer: Renderer, solver: SkySolver, uniform: bool
) -> None:
    even = assemble_dome(uniform_dome(100.0).table, 0.0, 45.0, SUN_DIAMETER_DEG, np.zeros(3), 0.0)
    dome = even if uniform else solver.dome(Air(), 180.0, 50.0)
    scene, lights = build_render_scene(room()), build_environment(dome)
    without = replace(scene, portals=np.zeros((0, PORTAL_WORDS), np.float32))
    light, error = exposed(tracer, scene, lights, 256)
    plain_light, plain_error = exposed(tracer, without, lights, 256)
    assert light == pytest.approx(plain_light, rel=0.015)
    assert error < 0.8 * plain_error


@pytest.mark.parametrize(("azimuth", "elevation"), [(180.0, 35.0), (150.0, 20.0)])
def test_patches_of_sun_are_found_by_the_window_and_count_once(
    tracer: Renderer, solver: SkySolver, azimuth: float, elevation: float
) -> None:
    # Veach 1997: two ways to one light, weighted, give what either gives alone
    scene, lights = build_render_scene(room()), build_environment(solver.dome(Air(), azimuth, elevation))
    without = replace(scene, portals=np.zeros((0, PORTAL_WORDS), np.float32))
    light, error = exposed(tracer, scene, lights, 512, "sun")
    plain_light, plain_error = exposed(tracer, without, lights, 512, "sun")
    assert light == pytest.approx(plain_light, rel=0.015)
    assert error < 0.7 * plain_error


def test_a_point_outside_is_lit_as_if_there_were_no_portals(tracer: Renderer) -> None:
    scene, lights = build_render_scene(room()), build_environment(uniform_dome(100.0))
    without = replace(scene, portals=np.zeros((0, PORTAL_WORDS), np.float32))
    outside = Camera((6.0, -8.0, 2.0), (0.0, -2.0, 0.6), 4.0)
    films = []
    for stage in (scene, without):
        film = Film(8, 8)
        assert tracer.accumulate(film, stage, lights, outside, 16, 1)
        films.append(film.light())
    assert films[0] == pytest.approx(films[1], rel=1e-5)
