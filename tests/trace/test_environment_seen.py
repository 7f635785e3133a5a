# SPDX-License-Identifier: Apache-2.0
"""What a camera sees past all objects: its fraction of a pixel, another sky than the one that lights, or nothing."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest

from gloamet.colour.spaces import luminance
from gloamet.sky.dome import SkyDome, assemble_dome, uniform_dome
from gloamet.stage.camera import Camera
from gloamet.stage.scene import Material, Scene
from gloamet.trace.film import Film, Renderer
from gloamet.trace.lights.environment import before_backdrop, build_environment, combine_environments
from gloamet.trace.relight.cache import RelightCache
from gloamet.trace.render_scene import build_render_scene
from tests.conftest import make_scene, quad

GREY = Material("grey", (0.5, 0.5, 0.5), 1.0, 0.0)
MIRROR = Material("mirror", (1.0, 1.0, 1.0), 0.0, 1.0)
GLASS = Material("glass", (1.0, 1.0, 1.0), transmission=1.0)
UP = Camera((0.0, 0.0, 1.0), (0.0, 10.0, 4.0), 20.0)  # towards the sky in the north


def upright(x0: float, x1: float, y: float) -> np.ndarray:
    return quad((x0, y, -50.0), (x1, y, -50.0), (x1, y, 50.0), (x0, y, 50.0))


def expose(tracer: Renderer, scene: Scene, lights, samples: int = 64, camera: Camera = UP) -> Film:  # type: ignore[no-untyped-def]
    film = Film(32, 32)
    assert tracer.accumulate(film, build_render_scene(scene), lights, camera, samples)
    return film


def other_sky(seen: float) -> SkyDome:
    dome = assemble_dome(uniform_dome(100.0).table, 0.0, 60.0, 0.533, np.full(3, 500.0), 0.2)
    return replace(dome, seen_table=uniform_dome(seen).table)


HALF = make_scene((upright(0.0, 50.0, 8.0), GREY))


def test_half_of_a_picture_is_past_a_wall_that_covers_the_other(tracer: Renderer) -> None:
    transparency = expose(tracer, HALF, build_environment(other_sky(100.0))).mean("transparency")
    assert transparency[:, :15].min() == 1.0 and transparency[:, 17:].max() == 0.0
    assert transparency.mean() == pytest.approx(0.5, abs=0.01)


def test_a_camera_may_see_another_sky_than_the_one_that_lights(tracer: Renderer) -> None:
    plain = expose(tracer, HALF, build_environment(other_sky(100.0))).light()
    other = expose(tracer, HALF, build_environment(other_sky(7.0))).light()
    np.testing.assert_array_equal(plain[:, 17:], other[:, 17:])  # the wall has the same light
    np.testing.assert_allclose(luminance(other[:, :15]), 7.0, rtol=1e-4)


def test_through_a_pane_it_sees_the_other_sky_and_in_a_mirror_the_one_that_lights(tracer: Renderer) -> None:
    lights = build_environment(replace(other_sky(7.0), sun_irradiance=np.zeros(3)))
    pane = expose(tracer, make_scene((upright(-50.0, 50.0, 8.0), GLASS)), lights, 256)
    # a pane of index 1.5 lets 92 % pass and throws 8 % back, of the sky behind the camera
    assert pane.mean("transparency").mean() == pytest.approx(0.92, abs=0.01)
    assert luminance(pane.light()).mean() == pytest.approx(0.92 * 7.0 + 0.08 * 100.0, rel=0.02)
    mirror = expose(tracer, make_scene((upright(-50.0, 50.0, 8.0), MIRROR)), lights)
    assert mirror.mean("transparency").max() == 0.0
    assert luminance(mirror.light()).mean() == pytest.approx(100.0, rel=0.02)


def test_before_a_backdrop_nothing_is_seen_and_all_is_lit(tracer: Renderer) -> None:
    lights = build_environment(other_sky(100.0))
    plain, dark = expose(tracer, HALF, lights), expose(tracer, HALF, before_backdrop(lights))
    np.testing.assert_array_equal(plain.light()[:, 17:], dark.light()[:, 17:])
    assert not dark.light()[:, :15].any()
    np.testing.assert_array_equal(plain.mean("transparency"), dark.mean("transparency"))


def test_below_the_horizon_a_backdrop_hides_the_lit_ground_too(tracer: Renderer) -> None:
    down = Camera((0.0, 0.0, 1.0), (0.0, 10.0, -4.0), 20.0)
    lights = build_environment(other_sky(100.0))
    assert expose(tracer, HALF, lights, 4, down).light()[:, :15].min() > 1.0
    assert not expose(tracer, HALF, before_backdrop(lights), 4, down).light()[:, :15].any()


def test_the_disc_is_dimmed_where_the_camera_sees_it_and_lights_as_before(tracer: Renderer) -> None:
    at_sun = Camera((0.0, 0.0, 1.0), (0.0, math.cos(math.radians(60)), 1 + math.sin(math.radians(60))), 0.2)
    dome = other_sky(0.0)
    whole, dimmed = (
        expose(tracer, HALF, build_environment(replace(dome, seen_disc=fraction)), 16, at_sun).mean("sun")
        for fraction in (1.0, 0.25)
    )
    np.testing.assert_allclose(dimmed[:, :15], 0.25 * whole[:, :15], rtol=1e-5)
    lit = [
        expose(tracer, HALF, build_environment(replace(dome, seen_disc=s)), 4).light()[:, 17:] for s in (1, 0)
    ]
    np.testing.assert_array_equal(*lit)


def test_a_relit_picture_sees_past_things_as_the_exact_one_does(tracer: Renderer) -> None:
    scene = make_scene((upright(0.0, 50.0, 8.0), GREY), (upright(-50.0, -1.0, 9.0), GLASS))
    lights, compiled = build_environment(other_sky(7.0)), build_render_scene(scene)
    film = Film(32, 32)
    tracer.accumulate(film, compiled, lights, UP, 256)
    cache = RelightCache(compiled, UP, 32, 32, tracer.pool, tracer.threads)
    while not cache.full:
        assert cache.improve(combine_environments(lights))
    assert np.abs(cache.transparency() - film.mean("transparency")).mean() < 0.01
    relit, exact = (luminance(p)[:, :14].mean() for p in (cache.relit(lights), film.light()))
    assert relit == pytest.approx(exact, rel=0.02)
    dark = cache.relit(before_backdrop(lights))
    assert luminance(dark)[:, 11:14].max() == 0.0


@pytest.mark.parametrize(("azimuth", "elevation"), [(37.0, 22.0), (205.0, 48.0)])
def test_the_suns_disc_stands_in_the_relit_picture_where_the_camera_has_it(
    tracer: Renderer, azimuth: float, elevation: float
) -> None:
    a, e = math.radians(azimuth), math.radians(elevation)
    sun = np.array([math.cos(e) * math.sin(a), math.cos(e) * math.cos(a), math.sin(e)])
    aside = np.array([0.06, -0.04, 0.05])  # a few degrees beside the middle of the picture
    camera = Camera((0.0, 0.0, 1.0), tuple((10.0 * sun + 10.0 * aside + [0.0, 0.0, 1.0]).tolist()), 20.0)
    dome = assemble_dome(uniform_dome(100.0).table, azimuth, elevation, 2.0, np.full(3, 500.0), 0.2)
    lights, compiled = (
        build_environment(dome),
        build_render_scene(make_scene((upright(900.0, 901.0, 900.0), GREY))),
    )
    cache = RelightCache(compiled, camera, 64, 64, tracer.pool, tracer.threads)
    while not cache.full:
        assert cache.improve(combine_environments(lights))
    bright = luminance(cache.relit(lights)) > 1000.0
    rows, columns = np.nonzero(bright)
    position = camera.project_point(np.array(camera.eye) + 1e3 * sun, 1.0)
    assert position is not None
    assert ((columns.mean() + 0.5) / 64, (rows.mean() + 0.5) / 64) == pytest.approx(position, abs=0.01)
    # a disc of two degrees in a picture of twenty, whose pixels grow towards its edge by the tangent
    across = 64.0 * math.tan(math.radians(1.0)) / math.tan(math.radians(10.0))
    assert bright.sum() == pytest.approx(math.pi / 4.0 * across**2, rel=0.25)


def test_depth_goes_through_panes_and_on_by_mirrors(tracer: Renderer) -> None:
    # a pane or a mirror 8 m off, before walls 300 m away in front and behind: what the air is looked through; what a
    # pane reflects is as far as the pane, or a faint image of far things would fog it
    far = quad((-500, 300, -50), (500, 300, -50), (500, 300, 500), (-500, 300, 500))
    both = ((far, GREY), (far * [1.0, -1.0, 1.0], GREY))
    lights = build_environment(other_sky(1.0))

    def depth(*parts: tuple[np.ndarray, Material]) -> float:
        film = expose(tracer, make_scene(*parts), lights, 256)
        return float(film.mean("depth")[14:18, 14:18].mean())

    slope = math.sqrt(1.0 + 0.3**2)  # the eye looks up by three in ten
    assert depth((upright(-50.0, 50.0, 8.0), MIRROR), *both) == pytest.approx(316.0 * slope, rel=0.01)
    pane = depth((upright(-50.0, 50.0, 8.0), GLASS), *both)
    assert pane == pytest.approx((0.92 * 300.0 + 0.08 * 8.0) * slope, rel=0.01)
    assert depth((upright(-50.0, 50.0, 8.0), MIRROR)) == 0.0  # the sky in a mirror is sky
