# SPDX-License-Identifier: Apache-2.0
"""Sun and sky as lights: the distribution is one, samples follow it, the disc has its size."""

from __future__ import annotations

import math

import numpy as np
import pytest

from gloamet.colour.spaces import luminance
from gloamet.sky.air import Air
from gloamet.sky.dome import dome_coordinates, dome_radiance, sky_radiance, uniform_dome
from gloamet.sky.sky_solver import SkySolver
from gloamet.trace.geometry.sampler import random_pair
from gloamet.trace.lights.environment import (
    Environment,
    build_environment,
    pdf_solid_angle,
    sample_sky,
    sun_direction,
    sun_disc_radiance,
)
from tests.conftest import called

F = np.float32


@pytest.fixture(scope="module")
def lights(solver: SkySolver) -> Environment:
    return build_environment(solver.dome(Air(3.0), 210.0, 25.0))


def test_densities_integrate_to_one(lights: Environment) -> None:
    rings, turns, total = 200, 200, 0.0
    for i in range(rings):
        z = (i + 0.5) / rings
        r = math.sqrt(1 - z * z)
        for j in range(turns):
            p = (j + 0.5) / turns * 2 * math.pi
            u, v = called(dome_coordinates)(F(r * math.sin(p)), F(r * math.cos(p)), F(z))
            total += called(pdf_solid_angle)(lights.density, u, v, F(r))
    assert total * 2 * math.pi / (rings * turns) == pytest.approx(1.0, abs=0.02)


def test_sampling_the_sky_measures_its_illuminance(solver: SkySolver, lights: Environment) -> None:
    dome = solver.dome(Air(3.0), 210.0, 25.0)
    rng = np.random.default_rng(5)
    total, n, sample, env = np.zeros(3), 6000, called(sample_sky), lights.arrays()
    for a, b in rng.uniform(0, 1, (n, 2)).astype(np.float32):
        (x, y, z), (u, v) = sample(env, a, b)
        density = called(pdf_solid_angle)(lights.density, u, v, F(math.sqrt(max(0.0, 1 - z * z))))
        total += np.array(called(sky_radiance)(lights.table, u, v)) * z / density
        assert x * x + y * y + z * z == pytest.approx(1.0, abs=1e-4)
    assert luminance(total / n) == pytest.approx(float(luminance(dome.sky_horizontal)), rel=0.02)


def test_bright_parts_of_the_sky_are_asked_more_often(lights: Environment) -> None:
    towards = [
        called(pdf_solid_angle)(
            lights.density, *called(dome_coordinates)(F(x), F(y), F(math.sin(0.44))), F(math.cos(0.44))
        )
        for x, y in ((-0.45, -0.78), (0.45, 0.78))
    ]
    assert towards[0] > 2 * towards[1]


def test_a_black_sky_can_still_be_sampled() -> None:
    lights = build_environment(uniform_dome(0.0))
    assert np.isfinite(lights.density).all()
    direction, position = called(sample_sky)(lights.arrays(), F(0.5), F(0.5))
    assert np.isfinite([*direction, *position]).all()


def test_the_disc_has_the_size_of_the_sun_and_holds_its_light(lights: Environment) -> None:
    rng = np.random.default_rng(2)
    centre = np.array(lights.sun.direction, float)
    angles = []
    for u, v in rng.uniform(0, 1, (2000, 2)).astype(np.float32):
        d = np.array(called(sun_direction)(lights.sun, u, v), float)
        angles.append(math.degrees(math.acos(min(1.0, d @ centre / np.linalg.norm(d)))))
    assert max(angles) == pytest.approx(0.2665, abs=0.012)
    # the mean radiance over the disc is irradiance over solid angle
    edge = math.radians(0.2665)
    rings = [(k + 0.5) / 60 for k in range(60)]
    side = np.cross(centre, [0.0, 0.0, 1.0])
    side /= np.linalg.norm(side)

    def disc(direction: np.ndarray) -> float:
        return float(called(sun_disc_radiance)(lights.sun, tuple(np.float32(direction))))

    seen = [disc(centre * math.cos(edge * r) + side * math.sin(edge * r)) for r in rings]
    assert sum(s * r for s, r in zip(seen, rings, strict=True)) / sum(rings) == pytest.approx(1.0, abs=0.03)
    assert seen[0] > seen[30] > seen[55]
    assert disc(side) == 0.0


def test_random_numbers_are_uniform_and_independent() -> None:
    draws = np.array([called(random_pair)(np.uint64(k) * np.uint64(0x9E3779B97F4A7C15)) for k in range(4000)])
    assert draws.min() >= 0.0
    assert draws.max() < 1.0
    assert draws.mean(0) == pytest.approx([0.5, 0.5], abs=0.02)
    assert draws.var(0) == pytest.approx([1 / 12, 1 / 12], abs=0.005)
    assert abs(np.corrcoef(draws.T)[0, 1]) < 0.05


def test_looking_into_the_dome_wraps_at_north(solver: SkySolver) -> None:
    dome = solver.dome(Air(3.0), 0.0, 25.0)
    east, west = (dome_radiance(dome, np.array([x, 1.0, 0.3]) / math.hypot(1.0, 0.3)) for x in (1e-4, -1e-4))
    assert east == pytest.approx(west, rel=1e-3)
