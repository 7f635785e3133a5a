# SPDX-License-Identifier: Apache-2.0
"""A panorama's own sun: sharp shadow in the right place, in the exact and in the relit picture; turning it turns light.

Closed forms: the tip of a pole's shadow lies at the cotangent of the sun's elevation, opposite its azimuth.
"""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest

from gloamet.colour.spaces import luminance
from gloamet.light_layers import LIGHT_LAYERS, Gains, even_gains
from gloamet.preview.relighting import relit_by
from gloamet.sky.dome import SkyDome, uniform_dome
from gloamet.sky.environment_map import PanoramaPicture
from gloamet.sky.panorama_dome import LightOptions, Placing, panorama_dome, prepare_panorama, suns_of
from gloamet.stage.camera import Camera
from gloamet.stage.scene import Material
from gloamet.sun.position import direction
from gloamet.trace.film import Film, Renderer
from gloamet.trace.lights.environment import Environment, build_environment, panorama_environment
from gloamet.trace.relight.cache import RelightCache
from gloamet.trace.render_scene import RenderScene, build_render_scene
from gloamet.translation.document_to_panorama import seen_picture
from tests.conftest import box, level, make_scene

GREY, MIRROR = Material("grey", (0.5, 0.5, 0.5)), Material("mirror", (1.0, 1.0, 1.0), 0.0, 1.0)
TOP = Camera((0.0, 0.0, 12.0), (0.0, 0.001, 0.0), 60.0)  # north is up in the picture
SIZE = 160, 160
METRES = 2.0 * 12.0 * math.tan(math.radians(30.0))  # that the picture shows of the ground
HEIGHT_M, SUN = 2.0, (210.0, 40.0)


def panorama(position: tuple[float, float] = SUN) -> PanoramaPicture:
    """A blue sky of 100 with a small sun."""
    light = np.ones((512, 1024, 3), np.float32) * np.array([70.0, 100.0, 150.0], np.float32)
    from gloamet.sky.panorama_sun import pixel_directions

    azimuth, elevation = pixel_directions(512, 1024)
    cosine = direction(azimuth[None, :], elevation[:, None]) @ direction(*position)
    light[cosine > math.cos(math.radians(0.5))] = 1.5e7
    scale = float(light.max())
    codes = np.round(65535.0 * (light / scale) ** 0.25).astype(np.uint16)
    return PanoramaPicture(codes, scale, light, True, False)


@pytest.fixture(scope="module")
def picture() -> PanoramaPicture:
    return panorama()


@pytest.fixture(scope="module")
def pole() -> RenderScene:
    return build_render_scene(
        make_scene((level(60.0), GREY), (box((-0.15, -0.15, 0.0), (0.15, 0.15, HEIGHT_M)), GREY))
    )


def lit_by(picture: PanoramaPicture, rotation_deg: float = 0.0, sky: SkyDome | None = None) -> Environment:
    prepared = prepare_panorama(picture, LightOptions(), suns_of(picture))
    dome = panorama_dome(prepared, rotation_deg, 0.2)
    seen = seen_picture(prepared.seen, picture.scale, Placing(rotation_deg), 1.0, 1.0)
    second = panorama_environment(dome, seen, True, np.ones(3, np.float32))
    return replace(build_environment(sky or uniform_dome(0.0)), panorama=second)


def relit(scene: RenderScene, lights: Environment, gains: Gains, tracer: Renderer) -> np.ndarray:
    cache = RelightCache(scene, TOP, *SIZE, tracer.pool, tracer.threads)
    while not cache.full:
        assert cache.improve(relit_by(lights, gains)[0].lights)
    out = np.zeros((SIZE[1], SIZE[0], 3), np.float32)
    for fraction in relit_by(lights, gains):
        out += cache.relit(fraction.lights, fraction.gains, True, fraction.indirect)
    return out


def exact(
    scene: RenderScene, lights: Environment, gains: Gains, tracer: Renderer, samples: int
) -> np.ndarray:
    film = Film(*SIZE)
    assert tracer.accumulate(film, scene, lights, TOP, samples, 4)
    return film.light(gains)


def shadow_tip_m(image: np.ndarray) -> tuple[float, float]:
    """East and north of the farthest dark pixel from the pole's foot, metres."""
    level_light = image.mean(2)
    dark = level_light < 0.5 * np.median(level_light)
    rows, columns = np.nonzero(dark)
    east = (columns + 0.5) / SIZE[0] * METRES - METRES / 2.0
    north = METRES / 2.0 - (rows + 0.5) / SIZE[1] * METRES
    far = np.hypot(east, north).argmax()
    return float(east[far]), float(north[far])


@pytest.mark.proof(
    "The shadow of a pole under a panorama", source="cotangent of its sun's elevation", kind="physics"
)
@pytest.mark.parametrize("turn", [0.0, 75.0])
@pytest.mark.parametrize("how", [relit, exact])
def test_a_poles_shadow_lies_where_the_panoramas_sun_throws_it_and_is_sharp(
    how,
    turn: float,
    picture: PanoramaPicture,
    pole: RenderScene,
    tracer: Renderer,  # type: ignore[no-untyped-def]
) -> None:
    lights = lit_by(picture, turn)
    arguments = (pole, lights, even_gains(), tracer)
    image = how(*arguments) if how is relit else how(*arguments, 64)
    long = HEIGHT_M / math.tan(math.radians(SUN[1]))
    away = math.radians(SUN[0] + turn + 180.0)
    tip = shadow_tip_m(image)
    pixel = METRES / SIZE[0]
    assert tip == pytest.approx((long * math.sin(away), long * math.cos(away)), abs=2.0 * pixel + 0.15)
    lit, dark = np.median(image.mean(2)), image.mean(2).min()
    assert dark < 0.35 * lit  # a table of 1.4 degrees alone would wash a thin pole's shade out


def test_two_suns_throw_two_shadows_in_the_relit_picture_as_in_the_exact(
    picture: PanoramaPicture, pole: RenderScene, tracer: Renderer
) -> None:
    day = replace(
        uniform_dome(50.0),
        sun_azimuth_deg=60.0,
        sun_elevation_deg=45.0,
        sun_irradiance=np.full(3, 3000.0),
        sun_visible=1.0,
    )
    lights = lit_by(picture, 0.0, day)
    assert len(relit_by(lights, Gains())) == 2
    a, b = relit(pole, lights, Gains(), tracer), exact(pole, lights, Gains(), tracer, 96)
    assert a.mean() == pytest.approx(float(b.mean()), rel=0.03)
    blocks = [p.reshape(40, 4, 40, 4, 3).mean((1, 3, 4)) for p in (a, b)]
    assert np.quantile(np.abs(blocks[0] / blocks[1] - 1.0), 0.97) < 0.12


def test_a_turned_panorama_is_a_turned_scene(picture: PanoramaPicture, tracer: Renderer) -> None:
    """Light on walls that face east under a panorama turned by 90 degrees is that on walls that faced north before."""

    from gloamet.meter.cards import measure_cards

    scene = build_render_scene(make_scene((level(1.0), Material("black", (0.0, 0.0, 0.0)))))
    position = [(0.0, 0.0, 5.0)]
    k = LIGHT_LAYERS.index("panorama")
    before = measure_cards(scene, lit_by(picture), position, [(0.0, -1.0, 0.2)], 4096, tracer.pool).whole[
        0, k
    ]
    after = measure_cards(
        scene, lit_by(picture, 90.0), position, [(-1.0, 0.0, 0.2)], 4096, tracer.pool
    ).whole[0, k]
    assert after == pytest.approx(before, rel=0.01)
    assert float(luminance(before.astype(float))) > 100.0


def test_behind_and_in_mirrors_it_is_seen_at_its_own_resolution(tracer: Renderer) -> None:
    """Bars of a pixel of 1024 are 0.35 degrees wide; a table's cell is 1.4."""
    light = np.full((512, 1024, 3), 10.0, np.float32)
    light[:, ::2] = 1000.0
    codes = np.round(65535.0 * (light / 1000.0) ** 0.25).astype(np.uint16)
    lights = lit_by(PanoramaPicture(codes, 1000.0, light, True, False))
    camera = Camera((0.0, 0.0, 1.6), (8.0, 6.0, 2.6), 8.0)  # neither north nor east: 53 degrees
    wall = box((-40.0, 10.0, -3.0), (40.0, 10.1, 6.0))
    empty = build_render_scene(make_scene((box((50, 50, 0), (51, 51, 1)), GREY)))
    mirrored = build_render_scene(make_scene((wall, MIRROR)))
    for scene in (empty, mirrored):
        film = Film(*SIZE)
        assert tracer.accumulate(film, scene, lights, camera, 32, 4)
        rows = film.mean("panorama")[40:120].mean(0)[:, 1]
        assert rows.max() > 600.0 and rows.min() < 400.0, (rows.max(), rows.min())
        cache = RelightCache(scene, camera, *SIZE, tracer.pool, tracer.threads)
        fraction = relit_by(lights, Gains())[0]
        while not cache.full:
            assert cache.improve(fraction.lights)
        again = cache.relit(fraction.lights, fraction.gains, True, fraction.indirect)[40:120].mean(0)[:, 1]
        assert again == pytest.approx(rows, rel=0.25, abs=120.0)


def test_roles_are_kept_apart(picture: PanoramaPicture, tracer: Renderer) -> None:
    prepared = prepare_panorama(picture, LightOptions(), suns_of(picture))
    dome, tint = panorama_dome(prepared, 0.0, 0.2), np.ones(3, np.float32)
    camera = Camera((0.0, -6.0, 1.6), (0.0, 0.0, 1.2), 50.0)
    scene = build_render_scene(make_scene((box((-1, -1, 0), (1, 1, 2)), GREY)))

    def of_roles(ahead: float, mirrored: float, lights: bool) -> np.ndarray:
        seen = seen_picture(prepared.seen, picture.scale, Placing(), ahead, mirrored)
        second = panorama_environment(dome, seen, lights, tint)
        film = Film(48, 48)
        env = replace(build_environment(uniform_dome(0.0)), panorama=second)
        assert tracer.accumulate(film, scene, env, camera, 8, 4)
        return film.mean("panorama")[..., 1]

    hidden, unlit = of_roles(0.0, 1.0, True), of_roles(1.0, 1.0, False)
    assert not hidden[:8].any() and hidden[24:34, 20:28].min() > 5.0  # no sky, but a lit box
    assert unlit[:8].min() > 50.0 and not unlit[24:34, 20:28].any()
