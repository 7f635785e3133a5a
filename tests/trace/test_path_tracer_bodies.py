# SPDX-License-Identifier: Apache-2.0
"""Surfaces beyond the plain ones, against closed forms: lamps, holes, leaves, coats, normal maps, copies."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest

from gloamet.colour.spaces import REC709_TO_AP1, luminance
from gloamet.light_layers import even_gains
from gloamet.sky.dome import SUN_DIAMETER_DEG, assemble_dome, uniform_dome
from gloamet.stage.camera import Camera
from gloamet.stage.props import sphere
from gloamet.stage.scene import Lamp, Material, Part, Scene, Shape, Texture
from gloamet.trace import render_scene as compiling
from gloamet.trace.film import Film, Renderer
from gloamet.trace.first_hits import first_hits, probe
from gloamet.trace.lights.environment import Environment, build_environment
from gloamet.trace.render_scene import RenderScene, build_render_scene
from tests.conftest import box, level, make_scene, quad

DOWN = Camera((0.0, 0.0, 10.0), (0.0, 0.0, 0.0), 2.0)
GREY = Material("grey", (0.5, 0.5, 0.5))
NIGHT = uniform_dome(0.0)
# 100 cd/m2 above the horizon, nothing below it
HALF = assemble_dome(uniform_dome(100.0).table, 180.0, 45.0, SUN_DIAMETER_DEG, np.zeros(3), 0.0)


def expose(
    tracer: Renderer,
    scene: Scene | RenderScene,
    lights: Environment,
    camera: Camera = DOWN,
    samples: int = 256,
    bounces: int = 2,
    size: int = 16,
) -> Film:
    film = Film(size, size)
    stage = scene if isinstance(scene, RenderScene) else build_render_scene(scene)
    assert tracer.accumulate(film, stage, lights, camera, samples, bounces)
    return film


def sheet(size: float, z: float, down: bool = False) -> np.ndarray:
    corners = level(size, z)
    return corners[:, ::-1] if down else corners


def textured(material: Material, pixels: np.ndarray, repeat: float = 1.0) -> Scene:
    """A level square of 20 m with a picture laid `repeat` times along it."""
    points = np.array([[-10, -10, 0], [10, -10, 0], [10, 10, 0], [-10, 10, 0]], np.float32)
    uvs = np.array([[0, 1], [1, 1], [1, 0], [0, 0]], np.float32) * np.float32(repeat)
    shape = Shape(points, np.array([[0, 1, 2], [0, 2, 3]], np.uint32), None, uvs)
    return Scene(None, (Part("sheet", 0, shape),), (material,), (Texture("picture", pixels),))


def one(rgba: tuple[int, int, int, int]) -> np.ndarray:
    return np.full((4, 4, 4), rgba, np.uint8)


# -- light of the scene's own


@pytest.mark.parametrize(("half", "height"), [(0.5, 1.0), (1.0, 1.0), (0.1, 3.0)])
def test_a_glowing_square_lights_a_card_as_the_view_factor_says(
    tracer: Renderer, half: float, height: float
) -> None:
    # Howell, catalogue of configuration factors, B-4 taken four times: element below a square's centre
    glow = Material("glow", (0, 0, 0), emission=(1000.0, 1000.0, 1000.0), emits_back=False)
    lamp = sheet(half, height, down=True)
    scene = make_scene((level(0.2), GREY), (lamp, glow))
    x = half / height
    quarter = x / math.sqrt(1 + x * x) * math.atan(x / math.sqrt(1 + x * x)) * 2 / (2 * math.pi)
    below = Camera((0.0, -0.4, 0.3), (0.0, 0.0, 0.0), 1.0)
    film = expose(tracer, scene, build_environment(NIGHT), below, 512)
    white = luminance(REC709_TO_AP1 @ np.full(3, 1000.0))
    assert luminance(film.mean("lamps").mean((0, 1))) == pytest.approx(0.5 * white * 4 * quarter, rel=0.02)
    assert not film.mean("sky").any()
    assert not film.mean("sun").any()


def test_a_point_lamp_falls_off_with_the_square_and_the_cosine(tracer: Renderer) -> None:
    lamp = Lamp("bulb", "point", (3.0, 0.0, 4.0), intensity_cd=800.0)
    scene = replace(make_scene((level(0.2), GREY)), lamps=(lamp,))
    film = expose(tracer, scene, build_environment(NIGHT), samples=16)
    wanted = 0.5 / math.pi * 800.0 / 25.0 * (4.0 / 5.0)
    assert luminance(film.mean("lamps").mean((0, 1))) == pytest.approx(wanted, rel=0.01)


def test_a_spot_is_whole_inside_its_cone_and_nothing_outside(tracer: Renderer) -> None:
    lamp = Lamp("spot", "spot", (0.0, 0.0, 5.0), (0.0, 0.0, -1.0), 1000.0, (1, 1, 1), 10.0, 20.0)
    scene = replace(make_scene((level(30.0), GREY)), lamps=(lamp,))
    lights = build_environment(NIGHT)
    inside = expose(tracer, scene, lights, samples=16).mean("lamps").mean((0, 1))
    assert luminance(inside) == pytest.approx(0.5 / math.pi * 1000.0 / 25.0, rel=0.01)
    outside = Camera((3.0, 0.0, 10.0), (3.0, 0.0, 0.0), 2.0)
    assert not expose(tracer, scene, lights, outside, 16).mean("lamps").any()


def test_a_glowing_ball_met_by_chance_and_by_aim_gives_one_answer(tracer: Renderer) -> None:
    # a mirror sees the lamp by chance only, matt ground mostly by aim: both read its own luminance and E
    glow = Material("glow", (0, 0, 0), emission=(500.0, 500.0, 500.0), emits_back=False)
    ball = replace(Part("ball", 1, sphere(0.5)), matrix=np.diag([1, 1, 1, 1.0]))
    matrix = np.eye(4)
    matrix[2, 3] = 4.0
    scene = make_scene((level(0.3), GREY))
    scene = replace(scene, parts=(*scene.parts, replace(ball, matrix=matrix)), materials=(GREY, glow))
    below = Camera((0.0, -0.6, 0.5), (0.0, 0.0, 0.0), 1.0)
    film = expose(tracer, scene, build_environment(NIGHT), below, 512)
    white = luminance(REC709_TO_AP1 @ np.full(3, 500.0))
    # a sphere over a facing element: sin^2 of its half angle (Howell B-26)
    assert luminance(film.mean("lamps").mean((0, 1))) == pytest.approx(
        0.5 * white * (0.5 / 4.0) ** 2, rel=0.03
    )
    mirror = Material("mirror", (1, 1, 1), 0.0, 1.0)
    shiny = replace(scene, materials=(mirror, glow))
    # looking down at the mirror so that the ball is seen in it
    seen = Camera((0.0, 0.0, 1.0), (0.0, 0.0, 0.0), 1.0)
    film = expose(tracer, shiny, build_environment(NIGHT), seen, 16)
    assert luminance(film.mean("lamps").mean((0, 1))) == pytest.approx(white, rel=0.01)


def test_a_lamp_gain_scales_only_the_lamps(tracer: Renderer) -> None:
    lamp = Lamp("bulb", "point", (0.0, 0.0, 4.0), intensity_cd=800.0)
    scene = replace(make_scene((level(30.0), GREY)), lamps=(lamp,))
    film = expose(tracer, scene, build_environment(uniform_dome(3.0)), samples=16)
    plain, doubled = film.light(), film.light(even_gains(lamps=2.0))
    assert doubled - plain == pytest.approx(film.mean("lamps"), rel=1e-4, abs=1e-5)


# -- holes, leaves, coats, pictures


def test_a_hole_in_a_sheet_lets_everything_through_and_its_rest_nothing(tracer: Renderer) -> None:
    for alpha, seen in ((255, 0.0), (0, 100.0)):
        leaf = Material("leaf", (0.5, 0.5, 0.5), base_texture=0, alpha_cutoff=0.5)
        scene = textured(leaf, one((255, 255, 255, alpha)))
        up = Camera((0.0, 0.0, -5.0), (0.0, 0.001, 0.0), 2.0)
        film = expose(tracer, scene, build_environment(HALF), up, 64)
        assert film.mean("sky").mean() == pytest.approx(seen, rel=0.01)


def test_the_sun_comes_through_the_open_share_of_a_cut_out_sheet(tracer: Renderer) -> None:
    pixels = one((255, 255, 255, 255)).repeat(8, 0).repeat(8, 1)
    pixels[:, ::2, 3] = 0  # every other column open
    leaf = Material("leaf", (0.0, 0.0, 0.0), base_texture=0, alpha_cutoff=0.5)
    cover = textured(leaf, pixels, repeat=40.0)
    matrix = np.eye(4)
    matrix[2, 3] = 2.0
    floor = make_scene((level(20.0), GREY))
    scene = Scene(
        None,
        (replace(cover.parts[0], matrix=matrix), replace(floor.parts[0], material=1)),
        (leaf, GREY),
        cover.textures,
    )
    sun = assemble_dome(np.zeros_like(NIGHT.table), 180.0, 89.0, SUN_DIAMETER_DEG, np.full(3, 1000.0), 0.0)
    below = Camera((0.0, -1.0, 1.0), (0.0, 0.0, 0.0), 30.0)
    film = expose(tracer, scene, build_environment(sun), below, 64, 1)
    full = 0.5 * 1000.0 * math.sin(math.radians(89.0)) / math.pi
    assert film.mean("sun").mean() == pytest.approx(0.5 * full, rel=0.05)


@pytest.mark.parametrize("fraction", [0.0, 0.3, 1.0])
def test_a_leaf_sends_its_share_through_and_keeps_the_sum(tracer: Renderer, fraction: float) -> None:
    # a sheet under half a sky: seen from above 1 - t of it, from below t, whatever t is
    leaf = Material("leaf", (0.6, 0.6, 0.6), diffuse_transmission=fraction)
    scene = make_scene((level(200.0), leaf))
    lights = build_environment(HALF)
    above = expose(tracer, scene, lights, DOWN, 256, 1).mean("sky").mean()
    up = Camera((0.0, 0.0, -10.0), (0.0, 0.001, 0.0), 2.0)
    below = expose(tracer, scene, lights, up, 256, 1).mean("sky").mean()
    assert above == pytest.approx(60.0 * (1.0 - fraction), rel=0.02, abs=0.3)
    assert below == pytest.approx(60.0 * fraction, rel=0.02, abs=0.3)


def test_a_clear_coat_adds_gloss_and_no_energy(tracer: Renderer) -> None:
    lights = build_environment(uniform_dome(1.0))
    white = Material("white", (1.0, 1.0, 1.0), coat=1.0, coat_roughness=0.1)
    ball = replace(make_scene((level(1.0), white)), parts=(Part("ball", 0, sphere(1.0)),))
    film = expose(tracer, ball, lights, Camera((0, -6, 0.0), (0, 0, 0), 15.0), 256, 12)
    top = film.mean("sky")[:8].mean()  # the upper half sees mostly sky
    assert 0.95 < top <= 1.005  # what the rim loses between coat and base, and no more
    black = Material("black", (0.0, 0.0, 0.0), coat=1.0, coat_roughness=0.0)
    film = expose(tracer, make_scene((level(50.0), black)), lights, DOWN, 256)
    # a black plane with a coat of index 1.5 mirrors 4 % straight on (Fresnel)
    assert film.mean("sky").mean() == pytest.approx(0.04, rel=0.03)


def test_a_flat_normal_map_changes_nothing_and_a_tilted_one_turns_the_surface(tracer: Renderer) -> None:
    sun = assemble_dome(np.zeros_like(NIGHT.table), 90.0, 60.0, SUN_DIAMETER_DEG, np.full(3, 1000.0), 0.0)
    lights = build_environment(sun)
    plain = expose(tracer, textured(GREY, one((255,) * 4)), lights, samples=64, bounces=1)
    mapped = replace(GREY, normal_texture=0)
    flat = expose(tracer, textured(mapped, one((128, 128, 255, 255))), lights, samples=64, bounces=1)
    assert flat.mean("sun").mean() == pytest.approx(plain.mean("sun").mean(), rel=0.01)
    # tilted by 30 degrees along +u, east: the sun in the east at 60 degrees now falls in straight
    tilt = tuple(round(127.5 * (1 + v)) for v in (math.sin(math.radians(30)), 0, math.cos(math.radians(30))))
    steep = expose(tracer, textured(mapped, one((*tilt, 255))), lights, samples=64, bounces=1)
    assert steep.mean("sun").mean() == pytest.approx(0.5 * 1000.0 / math.pi, rel=0.02)
    # and its strength 0 is flat again
    weak = replace(mapped, normal_strength=0.0)
    calm = expose(tracer, textured(weak, one((*tilt, 255))), lights, samples=64, bounces=1)
    assert calm.mean("sun").mean() == pytest.approx(plain.mean("sun").mean(), rel=0.01)


def test_texture_strength_leads_from_the_mean_to_the_picture(tracer: Renderer) -> None:
    pixels = one((255, 255, 255, 255))
    pixels[:, :2, :3] = 0
    lights = build_environment(uniform_dome(1.0))
    scene = textured(Material("paint", (1, 1, 1), base_texture=0), pixels)
    spread = []
    for strength in (0.0, 0.5, 1.0):
        now = replace(scene, materials=(replace(scene.materials[0], texture_strength=strength),))
        wide = Camera((0.0, 0.0, 10.0), (0.0, 0.0, 0.0), 80.0)
        picture = expose(tracer, now, lights, wide, 64, 1).mean("sky")[..., 1]
        assert picture.mean() == pytest.approx(0.5, abs=0.05)
        spread.append(float(picture.std()))
    assert spread[0] < 0.1 * spread[2]
    assert spread[1] == pytest.approx(0.5 * spread[2], rel=0.1)


def test_vertex_colours_tint_and_blend(tracer: Renderer) -> None:
    points = np.array([[-10, -10, 0], [10, -10, 0], [10, 10, 0], [-10, 10, 0]], np.float32)
    colours = np.array([[1, 0, 0], [0, 1, 0], [0, 1, 0], [1, 0, 0]], np.float32)
    shape = Shape(points, np.array([[0, 1, 2], [0, 2, 3]], np.uint32), colours=colours)
    scene = Scene(None, (Part("sheet", 0, shape),), (Material("white", (1, 1, 1)),))
    film = expose(tracer, scene, build_environment(uniform_dome(1.0)), samples=64, bounces=1)
    assert film.mean("sky").mean((0, 1)) == pytest.approx(REC709_TO_AP1 @ [0.5, 0.5, 0.0], abs=0.02)


def test_a_solid_slab_transmits_what_its_two_faces_leave(tracer: Renderer) -> None:
    # Fresnel at normal incidence with all reflections inside: 2 n / (n^2 + 1), 92.3 % for n = 1.5
    glass = Material("glass", (1.0, 1.0, 1.0), 0.0, 0.0, 1.0, 1.5, False)
    slab = make_scene((box((-200, -200, 0), (200, 200, 1)), glass))
    up = Camera((0.0, 0.0, -10.0), (0.0, 0.001, 0.0), 1.0)
    film = expose(tracer, slab, build_environment(HALF), up, 256, 24)
    assert film.mean("sky").mean() == pytest.approx(100.0 * 2 * 1.5 / (1.5**2 + 1), rel=0.01)


def test_a_picture_on_a_plane_is_seen_where_its_coordinates_say(tracer: Renderer) -> None:
    pixels = one((255, 255, 255, 255)).repeat(8, 0).repeat(8, 1)
    pixels[:16, :16, 1:3] = 0  # the picture's upper left, v = 0..0.5 in glTF: north-west here
    scene = textured(Material("paint", (1, 1, 1), base_texture=0), pixels)
    wide = Camera((0.0, 0.0, 10.0), (0.0, 0.0, 0.0), 80.0)
    light = expose(tracer, scene, build_environment(uniform_dome(1.0)), wide, 64, 1).mean("sky")
    red, white = light[:7, :7].mean((0, 1)), light[9:, 9:].mean((0, 1))
    assert red == pytest.approx(REC709_TO_AP1 @ [1.0, 0.0, 0.0], abs=0.03)
    assert white == pytest.approx([1.0, 1.0, 1.0], abs=0.03)


# -- copies and mirrors


def test_copies_give_the_picture_of_the_flattened_scene(
    tracer: Renderer, monkeypatch: pytest.MonkeyPatch
) -> None:
    ball, parts = sphere(0.4, 24), []
    for k in range(9):
        matrix = np.eye(4)
        matrix[:3, :3] = np.diag([1.0, 1.0 + 0.2 * k, -1.0 if k % 2 else 1.0])
        matrix[:3, 3] = [k % 3 - 1.0, k // 3 - 1.0, 0.5]
        parts.append(Part(f"ball {k}", 0, ball, matrix))
    floor = make_scene((level(5.0), GREY)).parts[0]
    scene = Scene(None, (*parts, replace(floor, material=1)), (Material("gloss", (0.6, 0.3, 0.2), 0.3), GREY))
    lights = build_environment(uniform_dome(10.0))
    camera = Camera((3.0, -5.0, 3.0), (0.0, 0.0, 0.3), 40.0)
    pictures, hits = [], []
    for least in (10**9, 1):
        monkeypatch.setattr(compiling, "SAVED_TRIANGLES", least)
        stage = build_render_scene(scene)
        assert len(stage.geometry.instance_first) == (9 if least == 1 else 0)
        pictures.append(expose(tracer, stage, lights, camera, 256, 3, 32).light())
        hits.append(first_hits(stage, camera, 64, 64, tracer.pool))
    assert pictures[1].mean() == pytest.approx(pictures[0].mean(), rel=0.005)
    assert np.abs(pictures[1] - pictures[0]).mean() < 0.05 * pictures[0].mean()
    assert (hits[0].part == hits[1].part).mean() > 0.999
    same = hits[0].part == hits[1].part
    assert np.abs(hits[0].normal - hits[1].normal)[same].max() < 1e-3


@pytest.mark.parametrize("least", [0, 10**9])
def test_mirrored_parts_keep_their_fronts(
    tracer: Renderer, monkeypatch: pytest.MonkeyPatch, least: int
) -> None:
    monkeypatch.setattr(compiling, "SAVED_TRIANGLES", least)
    cube = make_scene((box((0, 0, 0), (1, 1, 1)), GREY)).parts[0]
    flipped = np.diag([-1.0, 1.0, 1.0, 1.0])
    scene = Scene(None, (cube, replace(cube, name="twin", matrix=flipped)), (GREY,))
    stage = build_render_scene(scene)
    for x in (0.5, -0.5):
        hit = probe(stage, (x, 0.5, 5.0), (0, 0, -1))
        assert hit is not None
        assert not hit.from_behind
        assert hit.normal == pytest.approx([0, 0, 1], abs=1e-6)


def test_a_part_that_throws_no_shade_and_one_that_is_unseen(tracer: Renderer) -> None:
    sun = assemble_dome(np.zeros_like(NIGHT.table), 180.0, 80.0, SUN_DIAMETER_DEG, np.full(3, 1000.0), 0.0)
    lights = build_environment(sun)
    base = make_scene((level(20.0), GREY), (quad((-9, -9, 4), (9, -9, 4), (9, 9, 4), (-9, 9, 4)), GREY))
    under = Camera((0.0, -3.0, 1.0), (0.0, 0.0, 0.0), 10.0)
    above = Camera((0.0, 0.0, 10.0), (0.0, 0.0, 0.0), 5.0)
    for casts, visible in ((True, True), (True, False), (False, True)):
        scene = replace(base, parts=(base.parts[0], replace(base.parts[1], casts=casts, visible=visible)))
        lit = expose(tracer, scene, lights, under, 16, 1).mean("sun").mean() > 1.0
        assert lit == (not casts)
        depth = expose(tracer, scene, lights, above, 4, 1).mean("depth").mean()
        assert depth == pytest.approx(6.0 if visible else 10.0, abs=0.05)
