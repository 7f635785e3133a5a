# SPDX-License-Identifier: Apache-2.0
"""Light through openings against closed forms, and the ray structure by itself."""

from __future__ import annotations

import math

import numpy as np
import pytest

from gloamet.errors import GloametError
from gloamet.sky.dome import uniform_dome
from gloamet.stage.camera import Camera
from gloamet.stage.scene import Material, Scene
from gloamet.trace.film import Film, Renderer
from gloamet.trace.geometry import embree
from gloamet.trace.geometry.rays import intersect, occluded
from gloamet.trace.geometry.records import Ray
from gloamet.trace.lights.environment import build_environment
from gloamet.trace.render_scene import build_render_scene
from tests.conftest import box, called, level, make_scene, quad

F, ANY = np.float32, np.int32(-1)


BLACK = Material("black", (0.0, 0.0, 0.0))
CARD = Material("card", (0.5, 0.5, 0.5))


@pytest.mark.proof(
    "Sky component under a round opening", source="projected solid angle over π", kind="physics"
)
@pytest.mark.parametrize("half", [0.25, 0.5, 1.0, 2.0])
def test_sky_component_under_a_round_opening(tracer: Renderer, half: float) -> None:
    # a level point under a disc of half-angle a in a black lid sees L pi sin^2 a (CIE: sky component)
    height, turns = 1.0, 64
    p = np.linspace(0, 2 * np.pi, turns + 1)
    rim = np.stack([half * np.cos(p), half * np.sin(p), np.full_like(p, height)], 1)
    far = np.stack([60 * np.cos(p), 60 * np.sin(p), np.full_like(p, height)], 1)
    lid = np.concatenate([quad(rim[k], far[k], far[k + 1], rim[k + 1]) for k in range(turns)])
    scene = build_render_scene(make_scene((level(0.05), CARD), (lid, BLACK)))
    film = Film(8, 8)
    below = Camera((0.0, 0.0, 0.5), (0.0, 0.0, 0.0), 2.0)
    assert tracer.accumulate(film, scene, build_environment(uniform_dome(100.0)), below, 512, 1)
    wanted = 0.5 * 100.0 * half**2 / (half**2 + height**2)
    assert film.mean("sky").mean() == pytest.approx(wanted, rel=0.02)


def test_a_wall_sees_half_the_sky_and_half_the_ground(tracer: Renderer) -> None:
    wall = quad((-5, 0, 0), (5, 0, 0), (5, 0, 10), (-5, 0, 10))
    scene = build_render_scene(make_scene((wall, CARD)))
    film = Film(8, 8)
    front = Camera((0.0, -4.0, 5.0), (0.0, 0.0, 5.0), 5.0)
    dome = uniform_dome(100.0)
    assert tracer.accumulate(film, scene, build_environment(dome), front, 256, 1)
    assert film.mean("sky").mean() == pytest.approx(50.0, rel=0.01)


def test_a_closed_room_is_dark(tracer: Renderer) -> None:
    scene = build_render_scene(make_scene((box((-2, -2, 0), (2, 2, 3)), CARD)))
    film = Film(16, 16)
    inside = Camera((0.0, 0.0, 1.5), (1.0, 0.3, 1.4), 70.0)
    assert tracer.accumulate(film, scene, build_environment(uniform_dome(100.0)), inside, 32, 8)
    # a ray may slip between two triangles now and then; light may not
    assert film.light().mean() < 0.01


def test_closest_hits_and_masks() -> None:
    glass = Material("glass", (1, 1, 1), 0.0, 0.0, 1.0)
    scene = build_render_scene(make_scene((level(5.0, 2.0), glass), (level(5.0, 0.0), CARD)))
    assert scene.geometry.first.tolist() == [0, 2, 4, 4, 4, 4]
    handle = scene.rays.handle
    ray = Ray((F(0.3), F(0.2), F(5.0)), (F(0), F(0), F(-1)))
    find, blocked = called(intersect), called(occluded)
    hit = find(handle, ray, F(0), F(1e30), ANY)
    assert (hit.distance, hit.geometry, hit.instance) == (3.0, embree.TRANSMISSIVE, -1)
    assert abs(hit.normal[2]) > 0
    assert hit.normal[:2] == (0, 0)
    assert all(0 <= x <= 1 for x in hit.barycentric)
    assert hit.primitive in (0, 1)
    assert find(handle, ray, F(0), F(1e30), np.int32(embree.OPAQUE_MASK)).distance == 5.0
    assert blocked(handle, ray, F(1e30), np.int32(embree.TRANSMISSIVE_MASK))
    assert not blocked(handle, ray, F(2.5), ANY)
    assert find(handle, ray, F(0), F(1), ANY).primitive == -1


def test_the_library_is_found_and_every_call_is_there() -> None:
    assert "libembree4" in embree.library_path()
    assert embree.library().device


def test_a_missing_call_of_the_library_is_told_at_once(monkeypatch: pytest.MonkeyPatch) -> None:
    embree.library.cache_clear()
    with monkeypatch.context() as m:
        m.setitem(embree._SIGNATURES, "rtcDoesNotExist", (None, []))
        with pytest.raises(GloametError, match="rtcDoesNotExist"):
            embree.library()
    embree.library.cache_clear()
    assert embree.library().device


def test_an_empty_scene_is_a_sentence() -> None:
    with pytest.raises(GloametError, match="no triangles"):
        build_render_scene(Scene(None, (), ()))


def test_far_and_near_shadows_meet_their_objects(tracer: Renderer) -> None:
    # no gap of light where a box stands on the ground, a kilometre from the origin
    east = 1000.0
    ground = quad((east - 20, -20, 0), (east + 20, -20, 0), (east + 20, 20, 0), (east - 20, 20, 0))
    scene = build_render_scene(make_scene((ground, CARD), (box((east - 1, -1, 0), (east + 1, 1, 2)), BLACK)))
    film = Film(64, 8)
    edge = Camera((east, 1.0, 3.0), (east, 1.05, 0.0), 2.0)
    assert tracer.accumulate(film, scene, build_environment(uniform_dome(100.0)), edge, 64, 1)
    light = film.mean("sky")[..., 1]
    assert np.isfinite(light).all()
    assert light.max() < 0.5 * 100 * 0.75


def test_angles_of_the_picture_are_the_cameras(tracer: Renderer) -> None:
    # a square that fills a 90 degree view exactly from its half-width away
    scene = build_render_scene(make_scene((level(2.0), CARD)))
    film = Film(40, 40)
    camera = Camera((0.0, 0.0, 2.0), (0.0, 0.0, 0.0), 2 * math.degrees(math.atan(1.25)))
    assert tracer.accumulate(film, scene, build_environment(uniform_dome(0.0)), camera, 16, 0)
    covered = (1.0 - film.mean("albedo")[..., 1]) / (1.0 - 0.5)  # nothing at all counts as of albedo 1
    assert covered.mean() == pytest.approx((1 / 1.25) ** 2, abs=0.01)
