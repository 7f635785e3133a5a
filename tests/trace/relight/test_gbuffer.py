# SPDX-License-Identifier: Apache-2.0
"""What a pixel of a relit picture knows of the surface it shows.

The reflection model it is held against is the program's own, checked in tests/trace/test_bsdf.py.
"""

from __future__ import annotations

import math

import numpy as np
import pytest

from gloamet.stage.camera import Camera
from gloamet.stage.ground import GroundPlane
from gloamet.stage.scene import Material
from gloamet.trace.film import Renderer
from gloamet.trace.relight import points as p
from gloamet.trace.relight.cache import RelightCache
from gloamet.trace.render_scene import build_render_scene
from tests.conftest import level, make_scene
from tests.trace.test_bsdf import evaluated, hemisphere, surface

WIDTH, HEIGHT, ROUGH = 33, 25, 0.45


@pytest.mark.parametrize("eye", [(0.0, -0.5, 9.0), (2.0, -9.0, 3.0), (9.0, 4.0, 1.2)])
def test_the_matt_part_of_a_glossy_floor_has_what_the_gloss_leaves(
    eye: tuple[float, float, float], tracer: Renderer
) -> None:
    stage = make_scene((level(80.0), Material("lacquer", (0.6, 0.3, 0.2), ROUGH)))
    record = RelightCache(
        build_render_scene(stage), Camera(eye, (0.0, 0.0, 0.0), 20.0), WIDTH, HEIGHT, tracer.pool, 1
    )
    assert record._begin(lambda: False)
    big, middle = record.layers[0].big, HEIGHT // 2 * WIDTH + WIDTH // 2
    towards = np.array(eye) / np.linalg.norm(eye)
    point = big.points[middle]
    # a place stands a tenth of a millimetre before its surface, as rays begin there
    assert point[p.POINT_POSITION : p.POINT_POSITION + 3] == pytest.approx((0.0, 0.0, 1e-4), abs=2e-5)
    assert point[p.POINT_NORMAL : p.POINT_NORMAL + 3] == pytest.approx((0.0, 0.0, 1.0), abs=1e-5)
    assert point[p.POINT_TO_VIEWER : p.POINT_TO_VIEWER + 3] == pytest.approx(towards, abs=1e-5)
    assert point[p.POINT_ALPHA] == pytest.approx(ROUGH**2, rel=1e-5)
    # what the gloss takes is what a black surface of the same gloss returns, all directions added up
    directions, solid = hemisphere()
    taken = float(evaluated(surface(towards, ROUGH, 0.0, 0.0), directions)[:, 0] @ solid)
    assert big.shading[middle, p.DIFFUSE_ALBEDO_SCALE] == pytest.approx(1.0 - taken, abs=0.004)


@pytest.mark.parametrize(("target_m", "skies"), [((0.0, 0.0, 0.0), False), ((0.0, 90_000.0, 20.0), True)])
def test_ground_has_sky_beside_it_only_where_it_melts_into_the_horizon(
    target_m: tuple[float, float, float], skies: bool, tracer: Renderer
) -> None:
    behind = level(1.0) + np.array([0.0, -50.0, 0.0])  # not seen: a scene must hold something
    ground = GroundPlane(radius_m=math.inf, reflectance=0.3, softness_deg=1.0)
    stage = build_render_scene(make_scene((behind, Material("plate"))), ground)
    record = RelightCache(stage, Camera((0.0, -9.0, 6.0), target_m, 4.0), WIDTH, HEIGHT, tracer.pool, 1)
    assert record._begin(lambda: False)
    first, second = (layer.big.shading[:, p.PIXEL_KIND] for layer in record.layers)
    surface_seen = first == p.SURFACE_PIXEL
    assert surface_seen.any()
    assert bool((second == p.SKY_PIXEL).any()) is skies
    if skies:
        assert (second[~surface_seen] != p.SKY_PIXEL).all()
