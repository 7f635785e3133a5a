# SPDX-License-Identifier: Apache-2.0
"""Lamps that a mirror throws onto a diffuse surface: as bright as their image, small ones dimmed as stated."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from gloamet.colour.spaces import luminance
from gloamet.sky.dome import uniform_dome
from gloamet.stage.camera import Camera
from gloamet.stage.scene import Material, Scene, Texture
from gloamet.trace.film import Film, Renderer
from gloamet.trace.lights.environment import build_environment
from gloamet.trace.render_scene import build_render_scene
from gloamet.trace.surfaces.materials import MIRRORED_LAMP_WEIGHT, SMALL_LAMP_M2
from tests.conftest import level, make_scene, quad

WHITE = Material("white", (0.8, 0.8, 0.8))
MIRROR = Material("mirror", (1.0, 1.0, 1.0), 0.0, 1.0)
LAMP = Material("lamp", (0.0, 0.0, 0.0), emission=(1000.0, 1000.0, 1000.0), emits_back=False)
NIGHT = build_environment(uniform_dome(0.0))
DOWN = Camera((0.0, 0.0, 0.5), (0.0, 0.0, 0.0), 2.0)


def lamp(side: float, z: float, *, up: bool) -> np.ndarray:
    """A square lamp beside the place that is looked at, facing up or down."""
    a, b, h = 0.3, 0.3 + side, side / 2
    square = quad((a, -h, z), (b, -h, z), (b, h, z), (a, h, z))
    return square if up else square[:, ::-1]


def seen(tracer: Renderer, scene: Scene, camera: Camera, bounces: int, samples: int) -> float:
    film = Film(24, 16)
    assert tracer.accumulate(film, build_render_scene(scene), NIGHT, camera, samples, bounces)
    return float(luminance(film.mean("lamps")).mean())


@pytest.mark.parametrize(("side", "fraction"), [(0.5, 1.0), (0.1, 0.1)])
def test_a_lamp_in_a_mirror_lights_as_its_image_would_and_less_when_it_is_small(
    tracer: Renderer, side: float, fraction: float
) -> None:
    assert min(1.0, side**2 / SMALL_LAMP_M2) == pytest.approx(fraction)
    floor = (level(2.0), WHITE)
    mirrored = make_scene(floor, (level(2.0, 0.6)[:, ::-1], MIRROR), (lamp(side, 0.3, up=True), LAMP))
    image = make_scene(floor, (lamp(side, 0.9, up=False), LAMP))
    expected = seen(tracer, image, DOWN, 1, 64)
    assert expected > 1.0
    assert seen(tracer, mirrored, DOWN, 2, 1024) == pytest.approx(fraction * expected, rel=0.08)


def test_a_small_lamp_looked_at_in_a_mirror_is_as_bright_as_it_is(tracer: Renderer) -> None:
    scene = make_scene((level(2.0, 0.6)[:, ::-1], MIRROR), (lamp(0.1, 0.3, up=True), LAMP))
    up = Camera((0.35, 0.0, 0.4), (0.35, 0.0, 0.6), 2.0)
    assert seen(tracer, scene, up, 2, 16) == pytest.approx(1000.0, rel=1e-3)


def test_what_glows_through_a_picture_is_not_dimmed_for_mirrors_are_how_it_lights() -> None:
    glowing = Texture("glow", np.full((2, 2, 4), 255, np.uint8))
    screen = replace(LAMP, emission_texture=0)
    scene = replace(make_scene((level(0.01), screen), (level(0.01), LAMP)), textures=(glowing,))
    fractions = build_render_scene(scene).materials[:2, MIRRORED_LAMP_WEIGHT]
    assert fractions == pytest.approx([1.0, 0.0004 / SMALL_LAMP_M2])
