# SPDX-License-Identifier: Apache-2.0
"""Light that comes straight and indirect light are layers apart, in the exact and in the relit picture."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from gloamet.colour.spaces import luminance
from gloamet.light_layers import LIGHTS, Gain, Gains, even_gains
from gloamet.preview.relighting import relit_by
from gloamet.sky.air import Air
from gloamet.sky.dome import SkyDome, uniform_dome
from gloamet.sky.panorama_dome import rotated_dome
from gloamet.sky.sky_solver import SkySolver
from gloamet.stage.camera import Camera
from gloamet.stage.scene import Lamp, Material
from gloamet.trace.film import Film, Renderer
from gloamet.trace.lights.environment import Environment, build_environment
from gloamet.trace.relight.cache import RelightCache
from gloamet.trace.render_scene import RenderScene, build_render_scene
from tests.conftest import box, level, make_scene
from tests.trace.test_portals import room

GREY = Material("grey", (0.5, 0.5, 0.5))
COURT = Camera((5.5, -7.5, 3.2), (0.0, 0.0, 0.6), 40.0)
SIZE = 96, 64


@pytest.fixture(scope="module")
def court() -> RenderScene:
    scene = make_scene(
        (level(60.0), GREY),
        (box((-1, -1, 0), (1, 1, 2)), Material("red", (0.7, 0.1, 0.08))),
        (box((1.6, -1.5, 0), (1.7, 1.5, 2.0)), Material("pale", (0.8, 0.8, 0.8))),
    )
    lamp = Lamp("lamp", "point", (0.0, -2.5, 2.5), intensity_cd=5000.0)
    return build_render_scene(replace(scene, lamps=(lamp,)))


def film_of(scene: RenderScene, lights: Environment, tracer: Renderer, samples: int, bounces: int) -> Film:
    film = Film(*SIZE)
    assert tracer.accumulate(film, scene, lights, COURT, samples, bounces)
    return film


@pytest.fixture(scope="module")
def lights(solver: SkySolver) -> Environment:
    later = rotated_dome(solver.dome(Air(4.0), 250.0, 12.0).table, 40.0, 0.2)
    return replace(build_environment(solver.dome(Air(2.5), 200.0, 40.0)), panorama=build_environment(later))


def test_what_comes_straight_is_what_a_path_of_one_bounce_finds(
    court: RenderScene, lights: Environment, tracer: Renderer
) -> None:
    """A path that ends at the first surface but one meets no other surface: all it finds comes straight."""
    whole, short = (film_of(court, lights, tracer, 256, bounces) for bounces in (8, 1))
    for light in LIGHTS:
        straight = whole.mean(light.name) - whole.mean(light.indirect)
        wanted = short.mean(light.name) - short.mean(light.indirect)
        scale = float(luminance(wanted.astype(float)).mean())
        assert float(luminance(straight.astype(float)).mean()) == pytest.approx(scale, rel=0.01), light.name
        assert whole.layers[light.indirect].any(), light.name
        assert (whole.layers[light.indirect] <= whole.layers[light.name] * 1.0001 + 1e-3).all()


def test_an_open_plain_has_nothing_that_has_bounced(tracer: Renderer) -> None:
    plain = build_render_scene(make_scene((level(2000.0), GREY)))
    film = film_of(plain, build_environment(uniform_dome(100.0)), tracer, 16, 8)
    assert not film.layers["sky_indirect"].any()


@pytest.mark.proof("Direct and indirect light of a wall", source="half of the sphere each", kind="physics")
def test_in_a_furnace_half_of_what_a_wall_gets_is_by_the_ground_below(tracer: Renderer) -> None:
    """Sky and ground of the same radiance all round a grey box: its walls see as much of one as of the other."""
    scene = build_render_scene(make_scene((box((-1, -1, -1), (1, 1, 1)), GREY)))
    film = Film(*SIZE)
    camera = Camera((0.0, -6.0, 0.0), (0.0, 0.0, 0.0), 12.0)  # the face that looks north to south
    env = build_environment(uniform_dome(100.0))
    assert tracer.accumulate(film, scene, env, camera, 64, 8)
    face = slice(20, 44), slice(30, 66)
    whole, indirect = film.mean("sky")[face].mean(), film.mean("sky_indirect")[face].mean()
    assert whole == pytest.approx(50.0, rel=0.01)
    assert indirect == pytest.approx(25.0, rel=0.02)  # half of what a wall sees is ground


def test_a_gain_of_bounces_alone_is_linear_in_the_film(
    court: RenderScene, lights: Environment, tracer: Renderer
) -> None:
    film = film_of(court, lights, tracer, 16, 8)
    tint, twice = (1.2, 1.0, 0.7), (2.4, 2.0, 1.4)
    gains = even_gains()._replace(sky=Gain(tint, twice))
    wanted = film.mean("sun") + film.mean("lamps") + film.mean("panorama")
    wanted = wanted + film.mean("sky") * np.array(tint) + film.mean("sky_indirect") * np.array(tint)
    assert film.light(gains) == pytest.approx(wanted, rel=1e-4, abs=1e-3)


@pytest.mark.proof(
    "Gains and tints after rendering", source="the same paths under changed lights", kind="physics"
)
def test_gains_of_the_layers_are_what_a_changed_sky_renders_to(
    court: RenderScene, solver: SkySolver, tracer: Renderer
) -> None:
    """The same paths under a sun twice as bright and a sky dyed per channel: float error alone is left."""
    dome = solver.dome(Air(2.5), 200.0, 40.0)
    dyed = np.array([1.5, 1.0, 0.5])
    film = film_of(court, build_environment(dome), tracer, 8, 6)
    gains = even_gains(sun=2.0)._replace(sky=Gain((1.5, 1.0, 0.5), (1.5, 1.0, 0.5)))
    other: SkyDome = replace(
        dome,
        sun_irradiance=2.0 * dome.sun_irradiance,
        ground_sun=2.0 * dome.ground_sun,
        ground_sky=dyed * dome.ground_sky,
    )
    # the directions that are drawn must stay: only the sky's values change
    env = build_environment(other)
    env = replace(env, table=env.table * dyed.astype(np.float32))
    seen = env.seen._replace(table=env.table, reflected=env.table)
    again = film_of(court, replace(env, seen=seen), tracer, 8, 6)
    assert film.light(gains) == pytest.approx(again.light(even_gains()), rel=2e-4, abs=0.05)


def test_what_a_pane_reflects_on_to_the_ground_has_bounced(tracer: Renderer) -> None:
    """Clear glass sends on what it does not reflect: under an even sky a floor by a pane gets all its light, and what
    the pane takes from the direct share is in the other."""
    floor, pane = (
        Material("floor", (0.05, 0.05, 0.05)),
        Material("pane", (1.0, 1.0, 1.0), 0.0, transmission=1.0),
    )
    fractions = []
    for glass in (True, False):
        walls = [(box((-20.0, 0.0, 0.01), (20.0, 0.02, 20.0)), pane)] if glass else []
        film = Film(24, 16)
        scene = build_render_scene(make_scene((level(60.0), floor), *walls))
        camera = Camera((0.0, -4.0, 3.0), (0.0, -1.0, 0.0), 20.0)
        assert tracer.accumulate(film, scene, build_environment(uniform_dome(100.0)), camera, 256, 8)
        fractions.append((film.mean("sky").mean(), film.mean("sky_indirect").mean()))
    (whole, indirect), (open_whole, open_bounced) = fractions
    assert open_bounced == 0.0 and whole == pytest.approx(float(open_whole), rel=0.02)
    assert 0.03 < indirect / whole < 0.3


# bounces between cells err by some hundredths, which nothing hides where they are alone
@pytest.mark.parametrize(("straight", "later", "near"), [(1.0, 0.0, 0.02), (0.0, 1.0, 0.1), (0.5, 3.0, 0.04)])
def test_relit_bounces_have_the_gain_of_the_exact_ones(
    straight: float, later: float, near: float, court: RenderScene, lights: Environment, tracer: Renderer
) -> None:
    cache = RelightCache(court, COURT, *SIZE, tracer.pool, tracer.threads)
    gain = Gain((straight,) * 3, (later,) * 3)
    gains = Gains(gain, gain, even_gains(lamps=0.0).lamps, gain)
    fractions = relit_by(lights, gains)
    while not cache.full:
        assert cache.improve(relit_by(lights, Gains())[0].lights)
    relit = cache.relit(fractions[0].lights, fractions[0].gains, True, fractions[0].indirect)
    film = film_of(court, lights, tracer, 256, 12)
    exact, whole = film.light(gains), film.light(even_gains(lamps=0.0))
    assert len(fractions) == 1
    assert relit.mean() == pytest.approx(float(exact.mean()), rel=near)
    blocks = [p.reshape(8, 8, 12, 8, 3).mean((1, 3, 4)) for p in (relit, exact, whole)]
    assert np.quantile(np.abs(blocks[0] - blocks[1]) / blocks[2], 0.9) < 0.06


def test_a_room_by_a_window_is_lit_by_patches_of_the_sun_as_light_that_has_bounced(
    solver: SkySolver, tracer: Renderer
) -> None:
    """Patches are sampled from the first surface: with and without that the split must be the same."""
    scene = build_render_scene(room())
    assert len(scene.portals)
    env = build_environment(solver.dome(Air(2.5), 180.0, 35.0))
    bare = replace(scene, portals=scene.portals[:0])
    camera = Camera((0.0, -1.5, 1.4), (0.0, 2.0, 1.0), 70.0)
    fractions = []
    for stage in (scene, bare):
        film = Film(32, 24)
        assert tracer.accumulate(film, stage, env, camera, 1024, 6)
        fractions.append(film.mean("sun_indirect").mean() / film.mean("sun").mean())
    assert fractions[0] == pytest.approx(fractions[1], abs=0.02)
