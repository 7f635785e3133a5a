# SPDX-License-Identifier: Apache-2.0
"""The picture of the import panel: a front view of the model beside a person of 1.75 m, to scale.

A compiled stage and the model's bounds enter, RGBA pixels leave; it knows nothing of Qt and runs off the
window's thread.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from gloamet.stage.camera import Camera
from gloamet.stage.placing import PERSON_M
from gloamet.stage.props import PROP_GROUP, person
from gloamet.stage.scene import Box, Material, Part, Scene
from gloamet.thread_pool import shared_pool
from gloamet.trace.first_hits import ALL_SURFACES, first_hits
from gloamet.trace.render_scene import RenderScene, build_render_scene

DOT_PX = 6
PERSON_RGB = (240, 164, 92)


def silhouette(
    stage: RenderScene, bounds: Box, width: int, rows: int, ground_line: float
) -> NDArray[np.uint8]:
    """Pixels (rows, width, 4) of both, standing at a fraction ground_line of the height."""
    low, high = bounds
    size = high - low
    gap = max(0.15 * PERSON_M, 0.03 * float(size[0]))
    wide, tall = float(size[0]) + gap + 0.6, max(float(size[2]), PERSON_M)
    span = 1.12 * max(tall, wide * rows / width)
    middle = 0.5 * (float(low[0]) + float(high[0])) - 0.5 * (gap + 0.6)
    height = low[2] + (ground_line - 0.5) * span
    before = float(low[1] - 10.0 - size[1])
    camera = Camera((middle, before, height), (middle, before + 1.0, height), parallel_m=span)
    feet = np.eye(4)
    feet[:3, 3] = [float(low[0]) - gap - 0.3, before + 5.0, float(low[2])]
    figure = build_render_scene(Scene(None, (Part("person", 0, person(), feet),), (Material("plain"),)))
    pool = shared_pool()
    model = first_hits(stage, camera, width, rows, pool, ALL_SURFACES)
    beside = first_hits(figure, camera, width, rows, pool, ALL_SURFACES).part >= 0
    if PERSON_M / span * rows < DOT_PX:
        x = int(0.5 * width + (feet[0, 3] - middle) / span * rows)
        y = int(ground_line * rows)
        beside[y - DOT_PX : y, max(0, x - DOT_PX // 2) : x + DOT_PX // 2] = True
    props = [k for k, part in enumerate(stage.scene.parts) if part.group == (PROP_GROUP,)]
    seen = (model.part >= 0) & ~np.isin(model.part, props)
    pixels = np.zeros((rows, width, 4), np.uint8)
    pixels[seen, :3] = (110 + 60 * np.abs(model.normal[seen][:, 1:2])).astype(np.uint8)
    pixels[beside, :3] = PERSON_RGB
    pixels[seen | beside, 3] = 255
    return pixels
