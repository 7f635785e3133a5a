# SPDX-License-Identifier: Apache-2.0
"""The shipped clear sky against the solver that made it, between its nodes and at both ends of its ranges."""

from __future__ import annotations

import numpy as np
import pytest

from gloamet.colour.spaces import luminance
from gloamet.sky.air import Air
from gloamet.sky.dome import SUN_DIAMETER_DEG, dome_radiance
from gloamet.sky.preliminary_sky import preliminary_dome, preliminary_palette, radiance_at, table_positions
from gloamet.sky.sky_palette import solve_sky_palette
from gloamet.sky.sky_solver import SkySolver

# interpolation of bent light between nodes half as high again as each other errs by up to 6 %, more in deep twilight
BETWEEN_NODES, BETWEEN_NODES_AT_NIGHT = 0.07, 0.1


@pytest.mark.parametrize("turbidity", [1.0, 1.7, 3.4, 10.0])
@pytest.mark.parametrize("elevation", [-18.0, -5.0, -0.4, 3.5, 30.0, 90.0])
def test_horizontal_light_agrees_with_the_solver(turbidity: float, elevation: float) -> None:
    air = Air(turbidity, ground_reflectance=0.6)
    solved = SkySolver().dome(air, 40.0, elevation)
    preliminary = preliminary_dome(air, 40.0, elevation, SUN_DIAMETER_DEG)
    within = BETWEEN_NODES if elevation > -18.0 else BETWEEN_NODES_AT_NIGHT
    assert preliminary.sky_horizontal == pytest.approx(solved.sky_horizontal, rel=within)
    if elevation > 3.0:
        # a thick air takes nearly all of a low sun, and what is left bends most between nodes
        wanted = 0.2 if turbidity == 10.0 and elevation < 5.0 else 0.08
        assert float(luminance(preliminary.sun_irradiance)) == pytest.approx(
            float(luminance(solved.sun_irradiance)), rel=wanted
        )


@pytest.mark.parametrize("azimuth", [0.0, 118.7, 359.9])
def test_every_direction_agrees_with_the_solver(azimuth: float) -> None:
    air, rng = Air(2.5, ground_reflectance=0.2), np.random.default_rng(1)
    directions = rng.normal(size=(2000, 3))
    directions[:, 2] = np.abs(directions[:, 2])
    directions /= np.linalg.norm(directions, axis=1, keepdims=True)
    solved = dome_radiance(SkySolver().dome(air, azimuth, 25.0), directions)  # 25 is a node of the tables
    preliminary = radiance_at(
        preliminary_dome(air, azimuth, 25.0, SUN_DIAMETER_DEG), table_positions(directions)
    )
    near = np.abs(preliminary / solved - 1.0)
    assert np.median(near) < 0.004  # half floats hold logarithms to 0.004
    assert np.quantile(near, 0.99) < 0.02  # round the sun a column of the table is a step


def test_the_palette_agrees_with_the_solver() -> None:
    solved, preliminary = solve_sky_palette(SkySolver(), Air(2.5)), preliminary_palette(Air(2.5))
    assert preliminary.strips == pytest.approx(solved.strips, rel=1e-4)
    assert preliminary.horizontal_lx == pytest.approx(solved.horizontal_lx, rel=1e-4)


def test_lookup_without_a_kernel_is_that_of_the_kernel() -> None:
    dome, rng = SkySolver().dome(Air(), 75.0, 12.0), np.random.default_rng(2)
    directions = rng.normal(size=(500, 3))
    directions[:, 2] = np.abs(directions[:, 2])
    directions /= np.linalg.norm(directions, axis=1, keepdims=True)
    # the kernel's arctangent errs by 2e-5 rad, of a table whose columns are 0.025 rad apart
    assert radiance_at(dome, table_positions(directions)) == pytest.approx(
        dome_radiance(dome, directions), rel=2e-3
    )
