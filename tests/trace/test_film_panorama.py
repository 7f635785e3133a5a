# SPDX-License-Identifier: Apache-2.0
"""The panorama's own layer: a second sky with paths, noise and gain of its own, and one more sky for a record."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from gloamet.light_layers import LIGHT_LAYERS, even_gains
from gloamet.output.checkpoint import digest_of
from gloamet.sky.air import Air
from gloamet.sky.dome import uniform_dome
from gloamet.sky.panorama_dome import rotated_dome
from gloamet.sky.sky_solver import SkySolver
from gloamet.stage.camera import Camera
from gloamet.stage.scene import Lamp, Material
from gloamet.trace.film import Film, Renderer
from gloamet.trace.lights.environment import Environment, build_environment, combine_environments
from gloamet.trace.noise import error_quantile, tile_relative_error
from gloamet.trace.relight.cache import RelightCache
from gloamet.trace.render_scene import RenderScene, build_render_scene
from tests.conftest import box, level, make_scene

GREY = Material("grey", (0.5, 0.5, 0.5))
CAMERA = Camera((9.0, -9.0, 4.0), (0.0, 0.0, 1.0), 40.0)
WIDTH, HEIGHT = 64, 48


@pytest.fixture(scope="module")
def stage() -> RenderScene:
    scene = make_scene((level(50.0), GREY), (box((-2, -2, 0), (2, 2, 3)), GREY))
    lamp = Lamp("lamp", "point", (3.0, -3.0, 4.0), intensity_cd=500.0)
    return build_render_scene(replace(scene, lamps=(lamp,)))


@pytest.fixture
def lights(solver: SkySolver) -> Environment:
    """The sky of a morning, and that of an afternoon turned about as the panorama."""
    morning, later = solver.dome(Air(2.5), 110.0, 30.0), solver.dome(Air(4.0), 250.0, 12.0)
    second = build_environment(rotated_dome(later.table, 40.0, 0.2))
    return replace(build_environment(morning), panorama=second)


def exposed(tracer: Renderer, stage: RenderScene, lights: Environment, samples: int, times: int = 1) -> Film:
    film = Film(times * WIDTH, times * HEIGHT)
    assert tracer.accumulate(film, stage, lights, CAMERA, samples, 8)
    return film


def test_a_panorama_of_the_sky_gives_the_light_of_the_sky(tracer: Renderer, stage: RenderScene) -> None:
    sky = build_environment(uniform_dome(100.0))
    film = exposed(tracer, stage, replace(sky, panorama=sky), 256)
    a, b = film.mean("sky"), film.mean("panorama")
    assert b.mean() == pytest.approx(a.mean(), rel=0.003)
    blocks = [p.reshape(12, 4, 16, 4, 3).mean((1, 3)) for p in (a, b)]
    assert np.abs(blocks[1] / blocks[0] - 1.0).max() < 0.08
    assert not np.array_equal(a, b)  # its noise is its own
    noise = [error_quantile(tile_relative_error(film, only=name)) for name in ("sky", "panorama")]
    assert noise[1] == pytest.approx(noise[0], rel=0.15)


def test_it_leaves_the_other_layers_as_they_are_bit_for_bit(
    tracer: Renderer, stage: RenderScene, lights: Environment
) -> None:
    alone = exposed(tracer, stage, replace(lights, panorama=None), 8)
    film = exposed(tracer, stage, lights, 8)
    assert alone.layers["lamps"].any() and not alone.layers["panorama"].any()
    for name in (*LIGHT_LAYERS[:3], "albedo", "normal", "depth", "counts"):
        assert np.array_equal(film.layers[name], alone.layers[name]), name
    assert np.array_equal(film.layers["squares"][..., :4], alone.layers["squares"][..., :4])
    assert film.layers["panorama"].mean() > 0.0


def test_layers_add_up_under_their_gains(tracer: Renderer, stage: RenderScene, lights: Environment) -> None:
    film = exposed(tracer, stage, lights, 4)
    parts = [film.mean(name) for name in LIGHT_LAYERS]
    assert film.light() == pytest.approx(np.add.reduce(parts), rel=1e-5)
    assert film.light(even_gains(0.0, 0.0, 0.0, 2.0)) == pytest.approx(2.0 * parts[3], rel=1e-5)


def test_it_is_the_same_whatever_the_threads_and_the_portions(
    stage: RenderScene, lights: Environment
) -> None:
    whole, parts = exposed(Renderer(1), stage, lights, 6), Film(WIDTH, HEIGHT)
    for samples in (1, 3, 2):
        Renderer(3).accumulate(parts, stage, lights, CAMERA, samples, 8)
    for name in whole.layers:
        assert parts.layers[name] == pytest.approx(whole.layers[name], rel=1e-4), name
    assert np.array_equal(parts.layers["counts"], whole.layers["counts"])


def test_the_whole_is_as_noisy_as_its_independent_parts_together(
    tracer: Renderer, stage: RenderScene, lights: Environment
) -> None:
    film = exposed(tracer, stage, lights, 64)
    alone = error_quantile(tile_relative_error(film, (0.0, 0.0, 0.0, 1.0)))
    assert alone == pytest.approx(error_quantile(tile_relative_error(film, only="panorama")), rel=0.25)
    bright = error_quantile(tile_relative_error(film, (1.0, 1.0, 1.0, 1e6)))
    assert bright == pytest.approx(alone, rel=0.01)


def test_a_cancel_leaves_every_pixel_with_both_or_neither(
    tracer: Renderer, stage: RenderScene, lights: Environment
) -> None:
    film, asked = Film(WIDTH, HEIGHT), iter([False, False, True])
    assert not tracer.accumulate(film, stage, lights, CAMERA, 2, 8, lambda: next(asked, True))
    done = film.layers["counts"] > 0
    assert 0 < done.mean() < 1
    assert (film.layers["panorama"].any(-1) <= done).all()
    assert not film.layers["panorama"][~done].any()
    assert film.layers["panorama"][done].any(-1).mean() > 0.9


def test_a_checkpoint_belongs_to_one_turn_of_it(stage: RenderScene, lights: Environment) -> None:
    film = Film(WIDTH, HEIGHT)
    other = replace(lights, panorama=build_environment(uniform_dome(1.0)))
    marks = {
        digest_of(stage, some, CAMERA, film, 8) for some in (lights, other, replace(lights, panorama=None))
    }
    assert len(marks) == 3


@pytest.mark.parametrize("gains", [(0.0, 1.0), (1.0, 0.0), (0.5, 2.0)])
def test_a_record_is_relit_by_sky_and_panorama_as_one_sky(
    gains: tuple[float, float], tracer: Renderer, stage: RenderScene, lights: Environment
) -> None:
    record = RelightCache(stage, CAMERA, 2 * WIDTH, 2 * HEIGHT, tracer.pool, tracer.threads)
    while not record.full:
        assert record.improve(combine_environments(lights))
    relit = record.relit(combine_environments(lights, *((g, g, g) for g in gains)), at_rest=True)
    film = exposed(tracer, stage, lights, 128, times=2)
    exact = film.light(even_gains(1.0, gains[0], 0.0, gains[1]))
    assert relit.mean() == pytest.approx(exact.mean(), rel=0.01)
    blocks = [p.reshape(24, 4, 32, 4, 3).mean((1, 3))[..., 1] for p in (relit, exact)]
    assert np.median(np.abs(blocks[0] / blocks[1] - 1.0)) < 0.015
