# SPDX-License-Identifier: Apache-2.0
"""Contact shadow: grounded in the fraction of the sky that is seen, nothing in the open, and alike in both pictures."""

from __future__ import annotations

import math

import numpy as np
import pytest

from gloamet.colour.spaces import luminance
from gloamet.document.model import Document
from gloamet.light_layers import Gains, even_gains
from gloamet.sky.air import Air
from gloamet.sky.dome import uniform_dome
from gloamet.sky.irradiance import irradiance, open_sky
from gloamet.sky.sky_solver import SkySolver
from gloamet.stage.camera import Camera
from gloamet.stage.scene import Material
from gloamet.trace.contact_shadow import contact_shadow_loss, sky_visibility
from gloamet.trace.film import Film, Renderer
from gloamet.trace.lights.environment import build_environment
from gloamet.trace.render_scene import build_render_scene
from gloamet.translation.finished_light import finished_light
from tests.conftest import box, level, make_scene

GREY = Material("grey", (0.5, 0.5, 0.5))
DOWN = Camera((0.0, 0.01, 9.0), (0.0, 0.0, 0.0), 30.0)


@pytest.mark.proof("Irradiance from nine spherical harmonics", source="π L (1 + cos β) / 2", kind="physics")
def test_an_even_sky_gives_pi_to_level_ground_and_half_of_it_to_a_wall() -> None:
    # E = pi L (1 + cos b) / 2 on a plane that leans by b; harmonics of the second order miss a step by some hundredths
    sky = open_sky(uniform_dome(1.0).table)
    for lean in (0.0, 45.0, 90.0, 135.0):
        normal = np.array([math.sin(math.radians(lean)), 0.0, math.cos(math.radians(lean))])
        wanted = math.pi * (1.0 + math.cos(math.radians(lean))) / 2.0
        assert irradiance(sky, normal)[0] == pytest.approx(wanted, abs=0.06 * math.pi)


def test_a_clear_sky_gives_level_ground_what_the_meter_says(solver: SkySolver) -> None:
    dome = solver.dome(Air(2.6), 140.0, 40.0)
    level_light = irradiance(open_sky(dome.table), np.array([0.0, 0.0, 1.0]))
    assert level_light == pytest.approx(dome.sky_horizontal, rel=0.05)


def test_shade_grows_with_the_part_of_the_sky_that_is_hidden_and_is_never_black() -> None:
    albedo, normal = np.full((1, 3, 3), 0.5, np.float32), np.zeros((1, 3, 3), np.float32)
    normal[..., 2] = 1.0
    sky = open_sky(uniform_dome(100.0).table)
    in_open = float(irradiance(sky, normal[0, 0])[0]) * 0.5 / math.pi
    straight = np.stack([np.full(3, in_open * fraction, np.float32) for fraction in (1.0, 0.5, 0.1)])[None]
    assert sky_visibility(straight, albedo, normal, sky)[0] == pytest.approx([1.0, 0.5, 0.1], abs=1e-3)
    left = (straight - contact_shadow_loss(straight, albedo, normal, sky, 1.0))[0, :, 0] / in_open
    assert left == pytest.approx([1.0, 0.25, 0.01], abs=2e-3)  # as much again is hidden as is
    assert not contact_shadow_loss(straight, albedo, normal, sky, 0.0).any()


def test_the_open_keeps_its_light_and_the_foot_of_a_wall_loses_some(tracer: Renderer) -> None:
    wall = box((-9.0, 1.0, 0.0), (9.0, 1.3, 4.0))
    scene = build_render_scene(make_scene((level(400.0), GREY), (wall, GREY)))
    film, lights = Film(48, 48), build_environment(uniform_dome(1000.0))
    assert tracer.accumulate(film, scene, lights, DOWN, 256, 4)
    documents = [Document().change("fill", contact_shadow=fraction) for fraction in (0.0, 1.0)]
    plain, shaded = (finished_light(d, film, False, lights).parts["sky"] for d in documents)
    kept = luminance(shaded.astype(float)) / luminance(plain.astype(float))
    far, foot = kept[40:, 10:38].mean(), kept[22:25, 10:38].mean()
    assert far > 0.9 and 0.4 < foot < 0.85
    assert finished_light(documents[1], film, False, lights).parts["sun"].sum() == 0.0


def test_a_relit_picture_loses_what_the_exact_one_does(tracer: Renderer, solver: SkySolver) -> None:
    from gloamet.preview.relighting import Relighting, RelightView

    wall = box((-9.0, 1.0, 0.0), (9.0, 1.3, 4.0))
    scene = build_render_scene(make_scene((level(400.0), GREY), (wall, GREY)))
    lights = build_environment(solver.dome(Air(2.6), 200.0, 45.0))
    film = Film(96, 96)
    assert tracer.accumulate(film, scene, lights, DOWN, 128, 12)
    relighting, view = Relighting(), RelightView(scene, DOWN, 96, 96)
    while relighting.improve(view, lights, tracer, lambda: False):
        pass
    for _ in range(3):  # settled: bounces go on from picture to picture
        plain = relighting.lit(lights, Gains(), True)
    lost = [
        plain - relighting.lit(lights, Gains(), True, contact=0.8),
        film.light(even_gains())
        - finished_light(Document().change("fill", contact_shadow=0.8), film, False, lights).whole,
    ]
    assert lost[0].mean() == pytest.approx(float(lost[1].mean()), rel=0.1)
    # what went round between the cells is still there
    assert relighting.lit(lights, Gains(), False) == pytest.approx(
        plain, rel=0.05, abs=0.02 * float(plain.mean())
    )
