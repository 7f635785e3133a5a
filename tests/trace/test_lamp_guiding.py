# SPDX-License-Identifier: Apache-2.0
"""Halos of lamps: found about shades, even-handed, and less noisy."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest

from gloamet.colour.spaces import luminance
from gloamet.sky.dome import uniform_dome
from gloamet.stage.camera import Camera
from gloamet.stage.props import sphere
from gloamet.stage.scene import Lamp, Material, Part, Scene
from gloamet.trace.film import Film, Renderer
from gloamet.trace.lights.environment import Environment, build_environment, lamps_only
from gloamet.trace.lights.lamp_guiding import (
    CENTRE,
    GUIDE_WORDS,
    RADIUS,
    cone_pdf,
    guide_cone,
    sample_cone_uniform,
)
from gloamet.trace.render_scene import RenderScene, build_render_scene
from tests.conftest import box, called, level, make_scene

WHITE = Material("white", (0.8, 0.8, 0.8))
BULB = Material("bulb", (0.0, 0.0, 0.0), emission=(5000.0, 5000.0, 5000.0), emits_back=False)
RUNS = 15  # of other seeds
NIGHT = build_environment(
    uniform_dome(0.0)
)  # asked for, unlike without a sky: not every path has a second one
DOWN = Camera((0.0, 0.0, 10.0), (0.0, 0.0, 0.0), 2.0)
CAMERA = Camera((0.0, -1.8, 1.5), (0.0, 0.5, 1.0), 70.0)


def room(*, shade: bool) -> Scene:
    """4 x 4 x 3 m; a bulb of 3 cm hangs at 1.5 m, under a white hood of 20 cm that is open below."""
    walls = box((-2, -2, 0), (2, 2, 3))[:, ::-1]
    hood = box((-0.1, -0.1, 1.42), (0.1, 0.1, 1.6))
    hood = hood[~np.isclose(hood[..., 2], 1.42).all(1)]
    scene = make_scene((walls, WHITE), *([(hood, WHITE)] if shade else []))
    position = np.eye(4)
    position[2, 3] = 1.5
    bulb = Part("bulb", len(scene.materials), sphere(0.03, 16), position)
    return replace(scene, parts=(*scene.parts, bulb), materials=(*scene.materials, BULB))


@pytest.fixture(scope="module")
def shaded() -> RenderScene:
    return build_render_scene(room(shade=True))


def lamps(tracer: Renderer, stage: RenderScene, lights: Environment, samples: int, seed: int) -> np.ndarray:
    film = Film(24, 16, seed=seed)
    assert tracer.accumulate(film, stage, lights, CAMERA, samples, 8)
    return luminance(film.mean("lamps"))


def test_a_shade_is_found_and_a_bulb_in_the_middle_of_a_room_has_none(shaded: RenderScene) -> None:
    assert shaded.guide_cones.shape == (1, GUIDE_WORDS)
    assert shaded.guide_cones[0, CENTRE : CENTRE + 3] == pytest.approx([0.0, 0.0, 1.5], abs=1e-3)
    assert 0.1 < shaded.guide_cones[0, RADIUS] < 0.2
    assert len(build_render_scene(room(shade=False)).guide_cones) == 0


def test_lamps_close_to_a_ceiling_have_halos_and_the_brighter_is_picked_more_often() -> None:
    ceiling = make_scene((level(3.0, 3.0)[:, ::-1], WHITE))
    hung = tuple(
        Lamp(f"spot {x}", "point", (x, 0.0, 2.8), intensity_cd=cd) for x, cd in ((-1.0, 300.0), (1.0, 100.0))
    )
    halos = build_render_scene(replace(ceiling, lamps=hung)).guide_cones
    assert halos[:, -1] == pytest.approx([0.75, 1.0])
    assert halos[0, CENTRE] == pytest.approx(-1.0)


def test_a_cone_holds_its_directions_and_their_density_is_one_over_its_solid_angle(
    shaded: RenderScene,
) -> None:
    rng = np.random.default_rng(3)
    position, up = np.float32([0.6, -0.3, 0.2]), tuple(np.float32([0.0, 0.0, 1.0]))
    cone = called(guide_cone)(shaded.guide_cones, np.float32(0.5), tuple(position), up)
    away = shaded.guide_cones[0, CENTRE : CENTRE + 3] - position
    sine = float(shaded.guide_cones[0, RADIUS] / np.linalg.norm(away))
    solid = 2.0 * math.pi * (1.0 - math.sqrt(1.0 - sine**2))
    assert cone.pdf == pytest.approx(1.0 / solid, rel=1e-4)
    sent = np.array([called(sample_cone_uniform)(cone, *rng.random(2, np.float32)) for _ in range(2000)])
    assert np.linalg.norm(sent, axis=1) == pytest.approx(1.0, abs=1e-5)
    inside = np.array([called(cone_pdf)(cone, tuple(np.float32(d))) > 0.0 for d in sent])
    assert inside.mean() > 0.995  # rounding at the rim
    axis = away / np.linalg.norm(away)
    assert sent.mean(0) @ axis == pytest.approx((1.0 + cone.cosine) / 2.0, abs=1e-3)
    assert called(cone_pdf)(cone, tuple(np.float32(-axis))) == 0.0


def test_no_path_is_sent_from_within_a_halo_nor_to_one_behind_the_surface(shaded: RenderScene) -> None:
    up, cone_from = tuple(np.float32([0.0, 0.0, 1.0])), called(guide_cone)
    for position in ((0.02, 0.0, 1.45), (0.5, 0.5, 2.5)):
        assert cone_from(shaded.guide_cones, np.float32(0.5), tuple(np.float32(position)), up).pdf == 0.0
    assert cone_from(shaded.guide_cones, np.float32(0.5), tuple(np.float32([0.5, 0.5, 0.0])), up).pdf > 0.0


def test_a_second_path_leaves_the_share_that_has_bounced_as_it_is(
    tracer: Renderer, shaded: RenderScene
) -> None:
    fractions = []
    for stage in (replace(shaded, guide_cones=shaded.guide_cones[:0]), shaded):
        film = Film(24, 16)
        assert tracer.accumulate(film, stage, NIGHT, CAMERA, 1024, 8)
        fractions.append(film.mean("lamps_indirect").mean() / film.mean("lamps").mean())
    assert fractions[1] == pytest.approx(fractions[0], abs=0.01)


@pytest.mark.parametrize("lights", [NIGHT, lamps_only(NIGHT)])
def test_a_second_path_leaves_the_light_as_it_is_and_takes_most_of_its_noise(
    tracer: Renderer, shaded: RenderScene, lights: Environment
) -> None:
    plain = replace(shaded, guide_cones=np.zeros((0, GUIDE_WORDS), np.float32))
    means, spread, errors = [], [], []
    for stage in (plain, shaded):
        # below the lamp itself
        runs = np.array([lamps(tracer, stage, lights, 256, seed)[8:] for seed in range(RUNS)])
        means.append(runs.mean())
        spread.append(runs.std(0, ddof=1).mean())
        errors.append(runs.mean((1, 2)).std(ddof=1) / math.sqrt(RUNS))
    assert errors[0] < 0.03 * means[0] and errors[1] < 0.01 * means[1]
    assert abs(means[1] - means[0]) < 3.0 * math.hypot(*errors)
    assert spread[1] < 0.5 * spread[0]


def test_the_light_of_the_sky_is_as_it_was(tracer: Renderer) -> None:
    hung = (Lamp("low", "point", (0.0, 0.0, 0.3), intensity_cd=9.0),)
    stage = build_render_scene(replace(make_scene((level(4.0), WHITE)), lamps=hung))
    assert len(stage.guide_cones) == 1
    film = Film(16, 16)
    assert tracer.accumulate(film, stage, build_environment(uniform_dome(100.0)), DOWN, 64, 4)
    # open ground under an even sky reflects its reflectance
    assert luminance(film.mean("sky")).mean() == pytest.approx(80.0, rel=0.01)


def test_without_sky_lamps_shine_as_they_do_by_day_and_nothing_else_does(tracer: Renderer) -> None:
    ground = make_scene((level(3.0), WHITE))
    stage = build_render_scene(
        replace(ground, lamps=(Lamp("bulb", "point", (0.0, 0.5, 1.5), intensity_cd=100.0),))
    )
    day, films = build_environment(uniform_dome(1000.0)), []
    for lights in (day, lamps_only(day)):
        films.append(Film(24, 16))
        assert tracer.accumulate(films[-1], stage, lights, CAMERA, 128, 8)
    by_day, alone = (luminance(film.mean("lamps")) for film in films)
    assert by_day.mean() > 0.0
    assert alone.mean() == pytest.approx(by_day.mean(), rel=0.02)
    assert films[0].mean("sky").any()
    assert not films[1].mean("sky").any()
    assert not films[1].mean("sun").any()
