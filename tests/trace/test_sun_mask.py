# SPDX-License-Identifier: Apache-2.0
"""Outlines of sun and shade: the same as ray by ray, quick ones included."""

from __future__ import annotations

import numpy as np
import pytest

from gloamet.stage.camera import Camera
from gloamet.stage.scene import Material
from gloamet.sun.position import direction
from gloamet.trace.first_hits import probe
from gloamet.trace.relight.sun_mask import SHADE_LEVEL, SunMask
from gloamet.trace.render_scene import build_render_scene
from tests.conftest import box, level, make_scene

GREY = Material("grey", (0.5, 0.5, 0.5))
ABOVE = Camera((0.0, 0.0, 20.0), (0.0, 0.0, 0.0), parallel_m=12.0)
SCENE = build_render_scene(make_scene((level(50.0), GREY), (box((-0.5, -0.5, 0), (0.5, 0.5, 2)), GREY)))


@pytest.fixture(scope="module")
def patch() -> SunMask:
    return SunMask(SCENE, ABOVE, 120, 96)


@pytest.mark.parametrize("azimuth", [45.0, 180.0, 300.0])
def test_the_shadow_of_a_block_has_the_length_of_its_cotangent(patch: SunMask, azimuth: float) -> None:
    lit = patch.mask(direction(azimuth, 45.0))
    metres = 12.0 / 96
    # a block of 1 x 1 x 2 m: the part of its shadow outside its own plan is its width times 2 m cot 45
    across = abs(np.sin(np.radians(azimuth))) + abs(np.cos(np.radians(azimuth)))
    assert (~lit).sum() * metres**2 == pytest.approx(2.0 * across, rel=0.08)


def test_every_pixel_of_the_quick_mask_is_what_a_ray_says(patch: SunMask) -> None:
    sun = direction(200.0, 50.0)
    lit, wrong = patch.mask(sun), 0
    for y in range(0, 96, 3):
        for x in range(0, 120, 3):
            u, v = (x + 0.5) / 120, (y + 0.5) / 96
            hit = probe(SCENE, ABOVE.origin(u, v, 1.25), ABOVE.ray(u, v, 1.25))
            assert hit is not None
            free = probe(SCENE, hit.point + np.array([0, 0, 1e-3]), sun) is None
            wrong += free != lit[y, x]
    assert wrong <= 2


def test_outlines_are_drawn_where_light_meets_shade_and_a_sun_below_shades_all(patch: SunMask) -> None:
    picture = patch.outlines(direction(180.0, 45.0), (240, 164, 92))
    edge = picture[..., 0] == 240
    assert 25 < edge.sum() < 400
    assert set(np.unique(picture[~edge][:, 3])) == {0, int(SHADE_LEVEL)}
    night = patch.outlines(direction(180.0, -10.0), (240, 164, 92))
    assert (night[..., 3] == SHADE_LEVEL).all()
