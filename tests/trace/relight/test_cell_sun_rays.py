# SPDX-License-Identifier: Apache-2.0
"""Cells send the rays of their places together; each must find what a ray of its own finds."""

from __future__ import annotations

import numpy as np
import pytest
from numba import njit

from gloamet.jit import KERNEL_OPTIONS
from gloamet.sky.air import Air
from gloamet.sky.sky_solver import SkySolver
from gloamet.stage.scene import Material
from gloamet.trace.geometry.rays import LANES, empty_packets
from gloamet.trace.geometry.records import Ray
from gloamet.trace.geometry.vec import triple
from gloamet.trace.lights.environment import Environment, build_environment
from gloamet.trace.relight.cell_sun_rays import trace_all_cells_sun
from gloamet.trace.relight.final_gather import HIT_WORDS
from gloamet.trace.render_scene import RenderScene, build_render_scene
from gloamet.trace.surfaces.visibility import shadow_transmittance
from tests.conftest import box, level, make_scene

CELLS = 200
PANE = Material("tinted", (0.9, 0.5, 0.2), 0.0, transmission=1.0, thin=True)


@njit(**KERNEL_OPTIONS)
def _alone(scene, positions, towards, out):  # type: ignore[no-untyped-def]
    for i in range(len(positions)):
        ray = Ray(triple(positions, i, 0), towards)
        out[i, 0], out[i, 1], out[i, 2] = shadow_transmittance(scene, ray, np.float32(1e30))


@pytest.fixture(scope="module")
def shed() -> RenderScene:
    """A floor, half of it under a roof, with a tinted pane beside."""
    plain = Material("plain", (0.5, 0.5, 0.5))
    return build_render_scene(
        make_scene(
            (level(20.0), plain),
            (box((-4, -4, 2), (0, 4, 2.1)), plain),
            (box((0.2, -4, 2), (3, 4, 2.01)), PANE),
        )
    )


def spots(normal: tuple[float, float, float]) -> np.ndarray:
    """Places (CELLS, LANES, HIT_WORDS) at random over the floor."""
    dice = np.random.default_rng(4)
    positions = np.zeros((CELLS, LANES, HIT_WORDS), np.float32)
    positions[..., :2], positions[..., 2] = dice.uniform(-5, 5, (CELLS, LANES, 2)), 1e-3
    positions[..., 3:6], positions[..., 10] = normal, 1.0
    return positions


def lit_by(shed: RenderScene, lights: Environment, positions: np.ndarray) -> np.ndarray:
    lit = np.full((CELLS, LANES, 4), -1.0, np.float32)
    group, packets = np.zeros(2, np.int64), empty_packets(1)
    trace_all_cells_sun(group, shed.arrays(), lights.sun, positions, packets, lit)
    return lit


@pytest.fixture(scope="module")
def lights(solver: SkySolver) -> Environment:
    return build_environment(solver.dome(Air(3.0), 100.0, 50.0))


def test_places_together_are_as_lit_as_each_alone(shed: RenderScene, lights: Environment) -> None:
    positions = spots((0.0, 0.0, 1.0))
    lit = lit_by(shed, lights, positions)
    alone = np.empty((CELLS * LANES, 3), np.float32)
    flat = positions.reshape(-1, HIT_WORDS)
    _alone(shed.arrays(), flat, lights.sun.direction, alone)
    wanted = (alone * lights.sun.direction[2]).reshape(CELLS, LANES, 3)
    # the disc's half degree lets a few at an edge see another part of it
    differ = (np.abs(lit[..., :3] - wanted) > 0.02).any(-1)
    assert differ.mean() < 0.02
    kinds = [(alone == 0.0).all(1).mean(), (alone == 1.0).all(1).mean()]
    assert min(*kinds, 1.0 - sum(kinds)) > 0.05  # shade, open sun and tinted light are all among them


def test_places_that_look_down_get_no_sun(shed: RenderScene, lights: Environment) -> None:
    assert not lit_by(shed, lights, spots((0.0, 0.0, -1.0))).any()


def test_what_the_gloss_returns_the_base_does_not_get(shed: RenderScene, lights: Environment) -> None:
    matt, glossy = spots((0.0, 0.0, 1.0)), spots((0.0, 0.0, 1.0))
    glossy[..., 9], glossy[..., 10] = 1.0, 0.04
    before, after = lit_by(shed, lights, matt), lit_by(shed, lights, glossy)
    rows = (before[..., 0] > 0.5) & (before[..., 0] == before[..., 2])  # no pane above
    assert rows.any()
    assert (after[rows][:, 3] > 0.0).all()
    assert (after[rows][:, 1] + after[rows][:, 3]) == pytest.approx(before[rows][:, 1], rel=1e-4)
