# SPDX-License-Identifier: Apache-2.0
"""The noise estimate, sampling where it is needed, seeds, and the mean of many of them."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from gloamet.sky.air import Air
from gloamet.sky.dome import uniform_dome
from gloamet.sky.sky_solver import SkySolver
from gloamet.stage.camera import Camera
from gloamet.stage.scene import Material
from gloamet.trace.film import TILE_PATHS, TILE_ROWS, Film, Renderer, _row_bands
from gloamet.trace.lights.environment import Environment, build_environment
from gloamet.trace.noise import (
    _tile_means,
    error_quantile,
    remaining_samples,
    samples_wanted,
    tile_relative_error,
)
from gloamet.trace.render_scene import RenderScene, build_render_scene
from gloamet.translation.final_render import WORST_FIRST_RATIO, StopCriterion, plan_next_pass, render
from tests.conftest import box, level, make_scene

GREY, ROOM = Material("grey", (0.5, 0.5, 0.5)), box((-2, -2, 0.0), (2, 2, 3.0))
CAMERA = Camera((9.0, -9.0, 4.0), (0.0, 0.0, 1.0), 40.0)


@pytest.fixture(scope="module")
def stage() -> RenderScene:
    return build_render_scene(make_scene((level(50.0), GREY), (ROOM, GREY)))


@pytest.fixture(scope="module")
def even_sky() -> Environment:
    return build_environment(uniform_dome(1.0))


@pytest.fixture
def sunny(solver: SkySolver) -> Environment:
    return build_environment(solver.dome(Air(3.0), 200.0, 35.0))


def noise_of(film: Film, *arguments: Any, **more: Any) -> float:
    return error_quantile(tile_relative_error(film, *arguments, **more))


def exposed(tracer: Renderer, stage: RenderScene, lights: Environment, samples: int, seed: int = 0) -> Film:
    film = Film(48, 48, seed=seed)
    assert tracer.accumulate(film, stage, lights, CAMERA, samples)
    return film


def test_the_noise_estimate_is_the_error_that_is_there(
    tracer: Renderer, stage: RenderScene, even_sky: Environment
) -> None:
    truth = exposed(tracer, stage, even_sky, 2048).light().mean(-1)
    noises = []
    for samples in (16, 64):
        film = exposed(tracer, stage, even_sky, samples)
        squared = _tile_means((film.light().mean(-1) - truth) ** 2)
        error = np.sqrt(squared) / _tile_means(truth)
        # samples are spread evenly, so the estimate, made as if they were not, is on the careful side
        assert 0.85 < np.median(tile_relative_error(film)) / np.median(error) < 3.0
        noises.append(noise_of(film))
    assert noises[1] == pytest.approx(0.5 * noises[0], rel=0.3)


def test_noise_under_gains_is_that_of_the_light_which_is_left(
    tracer: Renderer, stage: RenderScene, sunny: Environment
) -> None:
    film = exposed(tracer, stage, sunny, 16)
    assert noise_of(film, (1.0, 0.0, 0.0, 0.0)) == pytest.approx(noise_of(film, only="sun"), rel=0.35)
    assert noise_of(film, (0.0, 1.0, 0.0, 0.0)) == pytest.approx(noise_of(film, only="sky"), rel=0.35)
    assert noise_of(film, (2.0, 2.0, 2.0, 2.0)) == pytest.approx(noise_of(film), rel=1e-3)
    assert noise_of(Film(16, 16)) == float("inf")


def test_samples_go_where_the_noise_is(tracer: Renderer, stage: RenderScene, even_sky: Environment) -> None:
    film = exposed(tracer, stage, even_sky, 16)
    errors = tile_relative_error(film)
    goal = float(np.median(errors))
    wanted = samples_wanted(film, errors, goal, 4096)
    assert 0.2 < (wanted > 0).mean() < 0.8
    assert wanted.max() <= 16  # at most doubled
    noisy = np.repeat(np.repeat(errors > goal, 8, 0), 8, 1)
    assert ((wanted > 0) == noisy).all()
    assert not samples_wanted(film, errors, goal, 16).any()
    assert remaining_samples(errors, goal, 16.0, 4096) > 0.0 == remaining_samples(errors, 100.0, 16.0, 4096)


def test_a_render_stops_at_its_noise_with_fewer_paths_than_an_even_one(
    tracer: Renderer, stage: RenderScene, even_sky: Environment
) -> None:
    adapted = Film(48, 48)
    render(adapted, stage, even_sky, CAMERA, StopCriterion(4096, 0.03), tracer)
    assert noise_of(adapted) <= 0.03
    even = exposed(tracer, stage, even_sky, int(adapted.mean_samples()))
    assert noise_of(adapted) < noise_of(even)
    truth = exposed(tracer, stage, even_sky, 2048, seed=5).light()
    assert adapted.light().mean() == pytest.approx(truth.mean(), rel=0.004)


def test_no_band_of_rows_holds_up_a_cancel_for_long() -> None:
    wanted = np.ones((100, 744), np.uint16)
    wanted[40:44] = 16
    wanted[60:80] = 0
    bands = _row_bands(wanted)
    traced = np.zeros(100, int)
    for first, last in bands:
        traced[first:last] += 1
        assert last - first <= TILE_ROWS
        assert wanted[first:last].sum() <= TILE_PATHS
    assert (traced[wanted.any(1)] == 1).all()
    assert _row_bands(np.zeros((8, 8), np.uint16)) == []


def test_another_seed_is_other_noise_of_the_same_picture(
    tracer: Renderer, stage: RenderScene, even_sky: Environment
) -> None:
    a, b = (exposed(tracer, stage, even_sky, 8, seed=seed).light() for seed in (0, 1))
    assert np.median(np.abs(a / b - 1.0)) > 0.01
    assert a.mean() == pytest.approx(b.mean(), rel=0.01)
    assert (exposed(tracer, stage, even_sky, 8, seed=1).light() == b).all()


def test_the_mean_of_64_seeds_is_the_long_render(
    tracer: Renderer, stage: RenderScene, sunny: Environment
) -> None:
    means = np.array(
        [_tile_means(exposed(tracer, stage, sunny, 2, seed).light().mean(-1)) for seed in range(64)]
    )
    long = _tile_means(exposed(tracer, stage, sunny, 2048, seed=1000).light().mean(-1))
    sigma = means.std(0, ddof=1) / 8.0
    # 36 squares: of a fair estimate 99.7 % lie within three sigma, and the long render has a little noise too
    assert (np.abs(means.mean(0) - long) <= 3.0 * sigma + 0.002 * long).mean() > 0.97


def test_the_noisiest_places_come_first(tracer: Renderer, stage: RenderScene, sunny: Environment) -> None:
    film = exposed(tracer, stage, sunny, 16)
    errors = tile_relative_error(film)
    step = plan_next_pass(film, StopCriterion(samples=4096, noise=0.001), most_paths=1e9)
    goes_on = _tile_means(step.wanted.astype(np.float32)) > 0.0
    assert (errors[goes_on] > WORST_FIRST_RATIO * step.noise).all()
    assert (errors[~goes_on] <= WORST_FIRST_RATIO * step.noise).all()
    assert 0.0 < goes_on.mean() < 1.0
    # the last ones wait only for the others, not for ever
    near = plan_next_pass(film, StopCriterion(samples=4096, noise=0.9 * step.noise), most_paths=1e9)
    assert not near.done


def test_a_pass_takes_as_many_samples_as_the_error_asks_and_at_most_doubles_them() -> None:
    film = Film(16, 16)
    film.layers["counts"][:] = 10.0
    errors = np.array(
        [[0.009, 0.012], [0.04, 0.01]]
    )  # of squares of 8 pixels; an error halves with four times as many
    wanted = samples_wanted(film, errors, 0.01, 1000)
    # (0.012 / 0.01)^2 - 1 = 0.44, rounded up
    assert [wanted[0, 0], wanted[0, 15], wanted[15, 0], wanted[15, 15]] == [0, 5, 10, 0]
    assert samples_wanted(film, errors, 0.01, 13)[[0, 15], [15, 0]].tolist() == [3, 3]
    assert remaining_samples(errors, 0.01, 10.0, 100) == pytest.approx((0.0 + 4.4 + 90.0 + 0.0) / 4.0)
