# SPDX-License-Identifier: Apache-2.0
"""Pictures at the screen's own pixels from a smaller cache: light, shadow and outlines where they belong."""

from __future__ import annotations

import math
from itertools import count

import numpy as np
import pytest

from gloamet.develop.display import develop_screen
from gloamet.develop.settings import DevelopSettings
from gloamet.light_layers import even_gains
from gloamet.sky.air import Air
from gloamet.sky.sky_solver import SkySolver
from gloamet.stage.camera import Camera
from gloamet.stage.ground import GroundPlane
from gloamet.stage.scene import Material, Scene
from gloamet.trace.film import Film, Renderer
from gloamet.trace.lights.environment import Environment, build_environment
from gloamet.trace.relight.cache import RelightCache
from gloamet.trace.relight.fine_display import FineDisplay
from gloamet.trace.relight.points import UNIT_SOURCE_GAINS
from gloamet.trace.render_scene import RenderScene, build_render_scene
from gloamet.trace.upsample import resize_bilinear
from tests.conftest import box, level, make_scene
from tests.trace.test_path_tracer_bodies import textured

SMALL, LARGE = (80, 60), (240, 180)
COURT = Camera((5.5, -7.5, 3.2), (0.0, 0.0, 0.6), 40.0)
ABOVE = Camera((0.0, 0.0, 10.0), (0.0, 0.001, 0.0), 40.0)
PIXEL_M = (
    2.0 * 10.0 * math.tan(math.radians(20.0)) / LARGE[1]
)  # of the large picture on the ground, from above


def never() -> bool:
    return False


def court(ground: float = 0.45) -> Scene:
    return make_scene(
        (level(40.0), Material("plain", (ground, ground, ground))),
        (box((-1, -1, 0), (1, 1, 2)), Material("red", (0.6, 0.15, 0.1))),
    )


def day(solver: SkySolver, azimuth_deg: float = 150.0, elevation_deg: float = 40.0) -> Environment:
    return build_environment(solver.dome(Air(3.0), azimuth_deg, elevation_deg))


def fine_of(
    scene: RenderScene, camera: Camera, lights: Environment, tracer: Renderer
) -> tuple[RelightCache, FineDisplay]:
    cache = RelightCache(scene, camera, *SMALL, tracer.pool, tracer.threads)
    while not cache.full:
        assert cache.improve(lights)
    fine = FineDisplay(cache, *LARGE)
    assert fine.improve(never) and fine.ready
    return cache, fine


@pytest.fixture(scope="module")
def both(solver: SkySolver, tracer: Renderer) -> tuple[RelightCache, FineDisplay]:
    return fine_of(build_render_scene(court()), COURT, day(solver), tracer)


def test_a_shaded_picture_is_nearer_to_the_traced_one_than_an_enlarged_one(
    both: tuple[RelightCache, FineDisplay], solver: SkySolver, tracer: Renderer
) -> None:
    cache, fine = both
    lights, film = day(solver, 200.0, 30.0), Film(*LARGE)
    tracer.accumulate(film, cache.scene, lights, COURT, 192, 16)
    exact = film.light(even_gains(lamps=0.0))
    stretched = resize_bilinear(cache.relit(lights, at_rest=True), exact.shape)
    shaded = fine.shade(lights, UNIT_SOURCE_GAINS)
    # half of what is left is the traced picture's own noise
    assert shaded.mean() == pytest.approx(exact.mean(), rel=0.01)
    assert np.abs(shaded - exact).mean() < 0.65 * np.abs(stretched - exact).mean()


@pytest.mark.parametrize("elevation_deg", [15.0, 45.0, 80.0])
def test_a_shadow_is_as_long_as_the_height_times_the_cotangent_within_a_pixel(
    elevation_deg: float, solver: SkySolver, tracer: Renderer
) -> None:
    """A block's shadow, seen from above, read off the large picture; a small one's pixel is three times as wide."""
    high = 0.4
    scene = make_scene(
        (level(40.0), Material("plain", (0.5, 0.5, 0.5))),
        (box((-0.5, -0.5, 0), (0.5, 0.5, high)), Material("block", (0.5, 0.5, 0.5))),
    )
    lights = day(solver, 270.0, elevation_deg)  # from the west: the shadow falls to the east, to the right
    cache, fine = fine_of(build_render_scene(scene), ABOVE, lights, tracer)
    cache.relit(lights, at_rest=True)
    row = fine.shade(lights, UNIT_SOURCE_GAINS)[LARGE[1] // 2, :, 1]
    lit = np.flatnonzero(row[LARGE[0] // 2 :] > 0.6 * row[-20:].mean())
    ground = lit[lit * PIXEL_M > 0.5 * 10.0 / (10.0 - high) + PIXEL_M]  # past the roof, which is lit too
    tip_m = ground[0] * PIXEL_M
    assert tip_m == pytest.approx(0.5 + high / math.tan(math.radians(elevation_deg)), abs=1.5 * PIXEL_M)


def test_outlines_of_an_enlarged_picture_let_nothing_through(both: tuple[RelightCache, FineDisplay]) -> None:
    """A picture that is bright on the block and dark elsewhere stays so on either side of the block's outline."""
    cache, fine = both
    albedo = cache.features().albedo
    on_block = albedo[..., 0] > 2.0 * albedo[..., 2]
    picture = np.where(on_block[..., None], np.uint8(200), np.uint8(40)) * np.ones(4, np.uint8)
    out = fine.enlarge(picture)[..., :3].astype(int)
    large = fine.features().albedo
    where = large[..., 0] > 2.0 * large[..., 2]
    inside = np.ones_like(where)
    for axis in (0, 1):
        for step in (-2, -1, 1, 2):  # away from the outline, whose pixels show both
            inside &= np.roll(where, step, axis) == where
    inside[:2] = inside[-2:] = inside[:, :2] = inside[:, -2:] = False
    assert where[inside].sum() > 1000
    assert np.abs(out[inside & where] - 200).max() <= 2
    assert np.abs(out[inside & ~where] - 40).max() <= 2


def test_a_fine_texture_comes_back_when_a_picture_is_enlarged(solver: SkySolver, tracer: Renderer) -> None:
    """Stripes: some two large pixels light, two dark, which a small pixel cannot show."""
    period_m = 4.6 * PIXEL_M  # no edge of a stripe on that of a pixel
    tiles = np.zeros((8, 8, 3), np.uint8)
    tiles[:, :4], tiles[:, 4:] = 188, 137  # sRGB of 0.5 and 0.25
    scene = textured(Material("striped", (1.0, 1.0, 1.0), base_texture=0), tiles, 20.0 / period_m)
    cache, fine = fine_of(build_render_scene(scene), ABOVE, day(solver), tracer)
    # in even light, by the developing chain: what a picture of the screen's own pixels would show
    settings = DevelopSettings(14.0)
    small, large = (
        develop_screen(np.ascontiguousarray(4000.0 * albedo), settings)
        for albedo in (cache.features().albedo, fine.features().albedo)
    )
    middle = np.s_[60:120, 60:180]
    out = fine.enlarge(small)[..., 1][middle].astype(float)
    stretched = resize_bilinear(small[..., 1:2].astype(np.float32), large.shape)[..., 0]
    large = large[..., 1].astype(float)
    assert np.quantile(large[middle], 0.9) / np.quantile(large[middle], 0.1) > 1.25
    assert np.abs(out - large[middle]).mean() < 0.5 * np.abs(stretched[middle] - large[middle]).mean()


def test_another_ground_is_shown_without_making_the_display_again(
    solver: SkySolver, tracer: Renderer
) -> None:
    scenes = [
        build_render_scene(
            make_scene((box((-1, -1, 0), (1, 1, 1)), Material("m", (0.4, 0.4, 0.4)))),
            GroundPlane(radius_m=np.inf, reflectance=a),
        )
        for a in (0.2, 0.6)
    ]
    lights = day(solver)
    cache, fine = fine_of(scenes[0], COURT, lights, tracer)
    dark = fine_light(cache, fine, lights)
    cache.recolour_ground(scenes[1])
    fine.recolour_ground()
    assert fine_light(cache, fine, lights)[-10:].mean() == pytest.approx(3.0 * dark[-10:].mean(), rel=0.02)


def fine_light(cache: RelightCache, fine: FineDisplay, lights: Environment) -> np.ndarray:
    cache.relit(lights, at_rest=True)
    return fine.shade(lights, UNIT_SOURCE_GAINS)


def test_a_ground_may_be_recoloured_while_the_display_is_not_there_yet(
    solver: SkySolver, tracer: Renderer
) -> None:
    """A hand that drags the ground's reflectance stops the display again and again."""
    model = make_scene((box((-1, -1, 0), (1, 1, 1)), Material("m", (0.4, 0.4, 0.4))))
    dark, light = (build_render_scene(model, GroundPlane(radius_m=np.inf, reflectance=a)) for a in (0.2, 0.6))
    cache, made = fine_of(dark, COURT, day(solver), tracer)
    before = fine_light(cache, made, day(solver))
    fine = FineDisplay(cache, *LARGE)
    for patience in (2, 20):  # nothing yet, and one of the layers
        asked = count()
        assert not fine.improve(lambda asked=asked, patience=patience: next(asked) >= patience)  # type: ignore[misc]
        fine.recolour_ground()
    cache.recolour_ground(light)
    fine.recolour_ground()
    assert fine.improve(never)
    assert fine_light(cache, fine, day(solver))[-10:].mean() == pytest.approx(
        3.0 * before[-10:].mean(), rel=0.02
    )


def test_a_display_that_is_stopped_goes_on_later(
    both: tuple[RelightCache, FineDisplay], solver: SkySolver
) -> None:
    cache, finished = both
    fine = FineDisplay(cache, *LARGE)
    for patience in count(1, 7):
        asked = count()
        if fine.improve(lambda asked=asked, patience=patience: next(asked) >= patience):  # type: ignore[misc]
            break
        assert patience < 1000
    lights = day(solver)
    assert np.array_equal(fine_light(cache, fine, lights), fine_light(cache, finished, lights))


def test_a_very_large_screen_gets_the_largest_display_of_its_shape(
    both: tuple[RelightCache, FineDisplay],
) -> None:
    fine = FineDisplay(both[0], 3840, 2160)
    assert fine.width * fine.height == pytest.approx(800_000, rel=0.01)
    assert fine.width / fine.height == pytest.approx(3840 / 2160, rel=0.01)
