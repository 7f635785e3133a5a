# SPDX-License-Identifier: Apache-2.0
"""Incident cards against closed forms: open ground, a vertical card, a wall, a lamp, a room's bounce."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest

from gloamet.colour.spaces import luminance
from gloamet.light_layers import LIGHT_LAYERS, Gain, Gains
from gloamet.meter.card_light import BALL_PX, CardLight, ball_pixels
from gloamet.meter.cards import measure_cards, radiance_along
from gloamet.sky.air import Air
from gloamet.sky.dome import uniform_dome
from gloamet.sky.sky_solver import SkySolver
from gloamet.stage.scene import Lamp, Material
from gloamet.trace.film import Renderer
from gloamet.trace.lights.environment import build_environment
from gloamet.trace.render_scene import build_render_scene
from tests.conftest import box, level, make_scene

BLACK = Material("black", (0.0, 0.0, 0.0))
UP, NORTH = (0.0, 0.0, 1.0), (0.0, 1.0, 0.0)


def lux(card: CardLight, name: str, k: int = 0) -> float:
    return float(luminance(card.whole[k, LIGHT_LAYERS.index(name)].astype(float)))


@pytest.mark.proof("A horizontal card in the open", source="the light meter on the same sky", kind="physics")
def test_a_level_card_in_the_open_reads_what_the_sky_gives_level_ground(
    tracer: Renderer, solver: SkySolver
) -> None:
    dome = solver.dome(Air(2.6), 140.0, 35.0)
    scene = build_render_scene(make_scene((level(1.0), BLACK)))
    card = measure_cards(scene, build_environment(dome), [(0, 0, 5.0)], [UP], 1024, tracer.pool)
    assert lux(card, "sun") == pytest.approx(float(luminance(dome.sun_horizontal)), rel=1e-3)
    assert lux(card, "sky") == pytest.approx(float(luminance(dome.sky_horizontal)), rel=0.01)
    assert not card.indirect[:, :2].any()


@pytest.mark.proof("A vertical card under a uniform sky", source="E / 2", kind="physics")
def test_a_vertical_card_under_an_even_sky_gets_half_of_it(tracer: Renderer) -> None:
    # E = pi L over the whole sky, half of it on a wall; black ground sends nothing back
    scene = build_render_scene(make_scene((level(500.0), BLACK)))
    env = build_environment(uniform_dome(1000.0))
    card = measure_cards(scene, env, [(0, 0, 2.0), (0, 0, 2.0)], [UP, NORTH], 4096, tracer.pool)
    assert lux(card, "sky", 0) == pytest.approx(math.pi * 1000.0, rel=0.01)
    assert lux(card, "sky", 1) == pytest.approx(0.5 * math.pi * 1000.0, rel=0.01)


@pytest.mark.proof(
    "A horizontal card beside a long wall",
    source="view factor of a perpendicular strip (from memory)",
    kind="memory",
)
def test_a_card_behind_a_wall_loses_the_walls_view_factor(tracer: Renderer) -> None:
    # a wall without end of height h at a distance d takes (1 - cos(atan(h/d)))/2 of an even sky from horizontal ground
    # (view factor of an infinitely long perpendicular strip: Howell's catalogue B-71's limit, from memory)
    wall = box((-400, 2, -5), (400, 2.2, 3))
    scene = build_render_scene(make_scene((level(500.0), BLACK), (wall, BLACK)))
    env = build_environment(uniform_dome(1000.0))
    card = measure_cards(scene, env, [(0, 0, 0.001)], [UP], 16384, tracer.pool)
    hidden = 0.5 * (1.0 - math.cos(math.atan(3.0 / 2.0)))
    assert lux(card, "sky") == pytest.approx((1.0 - hidden) * math.pi * 1000.0, rel=0.01)


@pytest.mark.proof("A card under a lamp", source="inverse square and cosine", kind="physics")
def test_a_card_under_a_lamp_follows_the_inverse_square_and_the_cosine(tracer: Renderer) -> None:
    scene = make_scene((level(1.0), BLACK))
    lamp = Lamp("lamp", "point", (0.0, 0.0, 4.0), intensity_cd=800.0)
    compiled = build_render_scene(replace(scene, lamps=(lamp,)))
    night = build_environment(uniform_dome(0.0))
    tilted = (math.sin(math.radians(60.0)), 0.0, 0.5)
    card = measure_cards(compiled, night, [(0, 0, 2.0), (0, 0, 2.0)], [UP, tilted], 64, tracer.pool)
    assert lux(card, "lamps", 0) == pytest.approx(800.0 / 4.0, rel=1e-3)
    assert lux(card, "lamps", 1) == pytest.approx(800.0 / 4.0 * 0.5, rel=1e-3)


def test_what_a_lit_floor_sends_up_has_bounced_and_what_comes_straight_has_not(
    tracer: Renderer, solver: SkySolver
) -> None:
    # a card that looks down on an endless floor of albedo 0.5 gets half of what falls on the floor
    floor = build_render_scene(make_scene((level(3000.0), Material("floor", (0.5, 0.5, 0.5)))))
    dome = solver.dome(Air(2.6), 140.0, 35.0)
    card = measure_cards(floor, build_environment(dome), [(0, 0, 1.0)], [(0, 0, -1.0)], 4096, tracer.pool)
    assert lux(card, "sun") == pytest.approx(0.5 * float(luminance(dome.sun_horizontal)), rel=0.01)
    assert lux(card, "sky") == pytest.approx(0.5 * float(luminance(dome.sky_horizontal)), rel=0.02)
    assert card.indirect[:, :2] == pytest.approx(card.whole[:, :2], rel=1e-5)


def test_a_panorama_reads_like_a_sky_in_its_own_row(tracer: Renderer, solver: SkySolver) -> None:
    scene = build_render_scene(make_scene((level(1.0), BLACK)))
    env = replace(build_environment(uniform_dome(10.0)), panorama=build_environment(uniform_dome(500.0)))
    card = measure_cards(scene, env, [(0, 0, 5.0)], [UP], 1024, tracer.pool)
    assert lux(card, "panorama") == pytest.approx(math.pi * 500.0, rel=0.01)
    assert lux(card, "sky") == pytest.approx(math.pi * 10.0, rel=0.01)
    seen = radiance_along(scene, env, [(0, 0, 5.0)], [UP], 4, tracer.pool)
    assert float(luminance(seen[0, 3].astype(float))) == pytest.approx(500.0, rel=1e-4)


def test_gains_weigh_what_comes_straight_and_what_has_bounced_apart() -> None:
    whole, indirect = np.full((1, 4, 3), 10.0, np.float32), np.full((1, 4, 3), 4.0, np.float32)
    two, none = (2.0, 2.0, 2.0), (0.0, 0.0, 0.0)
    straight, later = Gains(*([Gain(two, none)] * 4)), Gains(*([Gain(none, two)] * 4))
    assert CardLight(whole, indirect).under(straight).whole == pytest.approx(np.full((1, 4, 3), 12.0))
    assert CardLight(whole, indirect).under(later).indirect == pytest.approx(np.full((1, 4, 3), 8.0))


def test_the_ball_is_a_half_sphere_that_faces_the_eye() -> None:
    inside, normals = ball_pixels()
    assert np.linalg.norm(normals, axis=1) == pytest.approx(np.ones(len(normals)))
    assert normals[:, :2].mean(0) == pytest.approx([0.0, 0.0], abs=1e-9)
    assert (normals[:, 2] > 0.0).all()
    assert inside.mean() == pytest.approx(math.pi / 4.0, rel=0.03)  # a rim of a pixel's half is left out
    # right of the middle it looks right, above it up
    rows, columns = np.nonzero(inside)
    assert (np.sign(normals[:, 0]) == np.sign(columns - (BALL_PX - 1) / 2)).all()
    assert (np.sign(normals[:, 1]) == np.sign((BALL_PX - 1) / 2 - rows)).all()
