# SPDX-License-Identifier: Apache-2.0
"""Multiple importance sampling: what paths see of the sky is what either way of sampling gives alone.

The estimator is Veach & Guibas 1995 (power heuristic); the two alone are plain Monte Carlo integrals.
"""

from __future__ import annotations

import math

import numpy as np
import pytest
from numba import njit

from gloamet.sky.air import Air
from gloamet.sky.dome import dome_coordinates, sky_radiance
from gloamet.sky.sky_solver import SkySolver
from gloamet.stage.camera import Camera
from gloamet.stage.scene import Material
from gloamet.trace.film import Film, Renderer
from gloamet.trace.geometry.records import Bsdf
from gloamet.trace.lights.environment import Environment, build_environment, pdf_solid_angle, sample_sky
from gloamet.trace.render_scene import build_render_scene
from gloamet.trace.surfaces.bsdf import eval_bsdf, sample_bsdf, specular_probability
from gloamet.trace.surfaces.materials import SPECULAR
from tests.conftest import called, level, make_scene

F = np.float32
DRAWS = 20_000
ZENITH_DEG = 60.0


@pytest.fixture(scope="module")
def lights(solver: SkySolver) -> Environment:
    """The glow of a low sun without its disc lies where the gloss sends the view."""
    return build_environment(solver.dome(Air(4.0), 0.0, 25.0))


def varnish(rough: float, gloss: np.float32) -> Bsdf:
    """A level grey dielectric seen from the south, 60 degrees off its normal."""
    t = math.radians(ZENITH_DEG)
    grey = (F(0.5), F(0.5), F(0.5))
    fraction = called(specular_probability)(F(math.cos(t)), grey, F(0), gloss)
    view = (F(0), F(-math.sin(t)), F(math.cos(t)))
    return Bsdf((F(0), F(0), F(1)), view, grey, F(rough**2), F(0), gloss, F(fraction))


@njit
def by_the_sky(bsdf, env, numbers, out):  # type: ignore[no-untyped-def]
    for k in range(len(numbers)):
        d, position = sample_sky(env, numbers[k, 0], numbers[k, 1])
        q = pdf_solid_angle(env.density, position[0], position[1], math.sqrt(max(F(0), F(1) - d[2] * d[2])))
        out[k] = eval_bsdf(bsdf, d).value[1] * sky_radiance(env.table, position[0], position[1])[1] / q


@njit
def by_the_surface(bsdf, env, numbers, out):  # type: ignore[no-untyped-def]
    for k in range(len(numbers)):
        s, out[k] = sample_bsdf(bsdf, numbers[k, 0], numbers[k, 1], numbers[k, 2]), 0.0
        if s.pdf > F(0) and s.direction[2] > F(0):
            u, v = dome_coordinates(s.direction[0], s.direction[1], s.direction[2])
            out[k] = s.weight[1] * sky_radiance(env.table, u, v)[1]


@pytest.mark.parametrize("rough", [0.3, 0.5, 0.8])
def test_either_way_of_asking_the_sky_alone_gives_the_light_of_both_together(
    rough: float, lights: Environment, tracer: Renderer
) -> None:
    material = Material("varnish", (0.5, 0.5, 0.5), rough, 0.0)
    stage = build_render_scene(make_scene((level(5000.0), material)))
    t = math.radians(ZENITH_DEG)
    camera = Camera((0.0, -10 * math.sin(t), 10 * math.cos(t)), (0.0, 0.0, 0.0), 0.2)
    film = Film(16, 16)
    assert tracer.accumulate(film, stage, lights, camera, 512, 1)
    both = film.mean("sky")[..., 1]
    numbers = np.random.default_rng(8).random((DRAWS, 3)).astype(np.float32)
    for alone in (by_the_sky, by_the_surface):
        values = np.empty(DRAWS)
        alone(varnish(rough, stage.materials[0, SPECULAR]), lights.arrays(), numbers, values)
        error = values.std() / math.sqrt(DRAWS) + both.std() / 16.0
        assert abs(values.mean() - both.mean()) < 3.0 * error
        assert error < 0.02 * both.mean()  # tight enough to tell
