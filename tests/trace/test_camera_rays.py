# SPDX-License-Identifier: Apache-2.0
"""The lens: an edge out of focus is as wide as the thin lens says."""

from __future__ import annotations

import numpy as np
import pytest

from gloamet.sky.dome import uniform_dome
from gloamet.stage.camera import Camera
from gloamet.stage.scene import Material
from gloamet.trace.film import Film, Renderer
from gloamet.trace.lights.environment import build_environment
from gloamet.trace.render_scene import build_render_scene
from tests.conftest import make_scene, quad

FOCUS_M, APERTURE_M, FOV_DEG = 4.0, 0.4, 20.0
WIDTH, HEIGHT = 192, 64


def edge_at(tracer: Renderer, distance_m: float, aperture_m: float) -> np.ndarray:
    """Share of each column of a picture that a card covers whose edge stands upright in the middle of it, all of it at
    one distance ahead."""
    y = distance_m
    card = quad((-50.0, y, -50.0), (0.0, y, -50.0), (0.0, y, 50.0), (-50.0, y, 50.0))
    scene = build_render_scene(make_scene((card, Material("grey"))))
    camera = Camera((0, 0, 0), (0, 1, 0), FOV_DEG, aperture_m=aperture_m, focus_m=FOCUS_M)
    film = Film(WIDTH, HEIGHT)
    tracer.accumulate(film, scene, build_environment(uniform_dome(1.0)), camera, 64, 1)
    return np.asarray((film.mean("depth") > 0).mean(0) if aperture_m == 0 else film.mean("depth").mean(0) / y)


@pytest.mark.proof("Width of a defocused edge", source="thin lens, similar triangles", kind="physics")
@pytest.mark.parametrize("distance_m", [2.5, 4.0, 8.0])
def test_an_edge_out_of_focus_is_blurred_by_the_lens(tracer: Renderer, distance_m: float) -> None:
    covered = edge_at(tracer, distance_m, APERTURE_M)
    # thin lens, similar triangles: the cone from the lens is so wide where the card stands
    blur_m = APERTURE_M * abs(distance_m - FOCUS_M) / FOCUS_M
    pixel_m = 2.0 * distance_m * np.tan(np.radians(FOV_DEG / 2)) / HEIGHT
    # a disc passed by an edge: its covered share has the standard deviation of a chord's place, diameter / 4
    x = (np.arange(WIDTH) - WIDTH / 2 + 0.5) * pixel_m
    density = -np.diff(covered)
    density[np.abs(x[:-1]) > 0.5 * blur_m + 3.0 * pixel_m] = 0.0  # nothing but noise is beyond the cone
    middle = 0.5 * (x[1:] + x[:-1])
    mean = (density * middle).sum() / density.sum()
    spread = np.sqrt((density * (middle - mean) ** 2).sum() / density.sum())
    pixels = 0.6 * pixel_m  # what the pixel filter alone makes of an edge, see the edge in focus
    assert mean == pytest.approx(0.0, abs=0.6 * pixel_m)
    assert spread == pytest.approx(np.hypot(blur_m / 4.0, pixels), abs=0.35 * pixel_m)
    if distance_m != FOCUS_M:
        assert spread > 1.5 * pixel_m  # it is blurred at all
