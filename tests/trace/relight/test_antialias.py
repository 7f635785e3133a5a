# SPDX-License-Identifier: Apache-2.0
"""Outlines: how much of each pixel the things in it cover, thin ones too, from a few looks where nothing else shows."""

from __future__ import annotations

import math

import numpy as np
import pytest

from gloamet.stage.camera import Camera
from gloamet.stage.scene import Material
from gloamet.trace.film import Renderer
from gloamet.trace.relight.antialias import SUBSAMPLES
from gloamet.trace.relight.cache import RelightCache
from gloamet.trace.relight.points import ALBEDO, POINT_POSITION
from gloamet.trace.render_scene import build_render_scene
from tests.conftest import box, level, make_scene
from tests.trace.test_path_tracer_bodies import textured

WIDTH, HEIGHT, AWAY, LONG = 160, 120, 10.0, 4.0


@pytest.mark.parametrize("pixels_wide", [0.35, 0.8, 3.3])
def test_a_bar_covers_as_much_of_the_picture_as_it_is_wide_and_long(
    pixels_wide: float, tracer: Renderer
) -> None:
    """A bar turned by 17 degrees over a plain floor, seen from straight above."""
    camera = Camera((0.0, 0.0, AWAY), (0.0, 0.001, 0.0), 40.0)
    pixel_m = 2.0 * AWAY * math.tan(math.radians(20.0)) / HEIGHT
    wide = pixels_wide * pixel_m
    bar = box((-LONG / 2, -wide / 2, 0.0), (LONG / 2, wide / 2, 0.01))
    c, s = math.cos(math.radians(17.0)), math.sin(math.radians(17.0))
    turned = bar @ np.array([[c, s, 0.0], [-s, c, 0.0], [0.0, 0.0, 1.0]])
    scene = build_render_scene(
        make_scene(
            (level(20.0), Material("floor", (0.5, 0.5, 0.5))), (turned, Material("bar", (0.1, 0.1, 0.8)))
        )
    )
    record = RelightCache(scene, camera, WIDTH, HEIGHT, tracer.pool, tracer.threads)
    assert record._begin(lambda: False) and record._find_outlines(lambda: False)
    edges, covers, _spare = record._outlines
    high = record.layers[0].big.points[:, POINT_POSITION + 2] > 0.005
    shown = np.repeat(high[:, None], SUBSAMPLES, 1)
    shown[edges] = high[covers]
    assert shown.mean(1).sum() == pytest.approx(pixels_wide * LONG / pixel_m, rel=0.05)


def test_only_pixels_where_one_thing_ends_are_outlines(tracer: Renderer) -> None:
    floor, block = (
        (level(200.0), Material("floor", (0.5, 0.5, 0.5))),
        (box((-1.0, -1.0, 0.0), (1.0, 1.0, 2.0)), Material("block", (0.8, 0.2, 0.1))),
    )
    for parts, most in (((floor,), 0), ((floor, block), 0.05 * WIDTH * HEIGHT)):
        # from above: neither horizon nor sky is seen
        camera = Camera((6.0, -7.0, 9.0), (0.0, 0.0, 0.5), 40.0)
        scene = build_render_scene(make_scene(*parts))
        record = RelightCache(scene, camera, WIDTH, HEIGHT, tracer.pool, tracer.threads)
        assert record._begin(lambda: False) and record._find_outlines(lambda: False)
        edges = record._outlines[0]
        assert len(edges) <= most
        assert bool(len(edges)) == (len(parts) > 1)


def test_a_texture_finer_than_a_pixel_is_its_mean_there(tracer: Renderer) -> None:
    dice = np.random.default_rng(6).random((64, 64, 1)) < 0.5
    grain = np.where(dice, [220, 220, 220, 255], [30, 30, 30, 255]).astype(np.uint8)
    # 20 m hold 64 * 20 of its squares, and the picture's 160 pixels 9.7 m of them: four to a pixel
    scene = build_render_scene(textured(Material("grain", (1.0, 1.0, 1.0), base_texture=0), grain, 20.0))
    camera = Camera((0.0, 0.0, AWAY), (0.0, 0.001, 0.0), 40.0)
    record = RelightCache(scene, camera, WIDTH, HEIGHT, tracer.pool, tracer.threads)
    assert record._begin(lambda: False)
    middle = record.layers[0].big.shading[:, ALBEDO].copy()
    assert record._find_outlines(lambda: False)
    mean = record.layers[0].big.shading[:, ALBEDO]
    assert len(record._outlines[0]) == 0
    assert mean.mean() == pytest.approx(middle.mean(), rel=0.02)
    # nine looks in place of one would leave a third, were none at the same square
    assert mean.std() < 0.5 * middle.std()
    assert middle.std() > 0.1
