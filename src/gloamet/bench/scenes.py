# SPDX-License-Identifier: Apache-2.0
"""A procedural scene of 200 000 triangles for measuring: a colonnade, walls and trees of loose leaves."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from gloamet.stage.camera import Camera
from gloamet.stage.scene import Material, Part, Scene, Shape

TREES, LEAVES = 40, 4900
CAMERA = Camera((14.0, -26.0, 6.0), (0.0, 0.0, 2.2), 53.0)
MATERIALS = (
    Material("ground", (0.35, 0.33, 0.28)),
    Material("stone", (0.75, 0.74, 0.72)),
    Material("bark", (0.3, 0.2, 0.12)),
    Material("leaves", (0.12, 0.3, 0.06)),
)
_BOX = np.array(
    [
        [0, 2, 3],
        [0, 3, 1],
        [4, 5, 7],
        [4, 7, 6],
        [0, 1, 5],
        [0, 5, 4],
        [2, 6, 7],
        [2, 7, 3],
        [0, 4, 6],
        [0, 6, 2],
    ]
    + [[1, 3, 7], [1, 7, 5]]
)


def _box(low: tuple[float, float, float], high: tuple[float, float, float]) -> NDArray:
    corners = np.array([[x, y, z] for z in (0, 1) for y in (0, 1) for x in (0, 1)], float)
    return (np.asarray(low) + corners * np.subtract(high, low))[_BOX]


def grove(seed: int = 1) -> Scene:
    """The scene; the same seed gives the same triangles."""
    rng = np.random.default_rng(seed)
    ground = np.array(
        [[[-80, -80, 0], [80, -80, 0], [80, 80, 0]], [[-80, -80, 0], [80, 80, 0], [-80, 80, 0]]], float
    )
    stone = [
        _box((-8, -5, 0), (8, 5, 0.3)),
        _box((-9, -6, 4), (9, 6, 4.3)),
        _box((-6, -0.1, 0.3), (2, 0.1, 4)),
    ]
    for x in np.linspace(-8, 8, 9):
        for y in (-5, 5):
            stone.append(_box((x - 0.15, y - 0.15, 0.3), (x + 0.15, y + 0.15, 4)))
    bark: list[NDArray] = []
    leaves: list[NDArray] = []
    while len(bark) < TREES:
        x, y = rng.uniform(-35, 35, 2)
        if (abs(x) < 12 and abs(y) < 10) or (y < -12 and abs(x) < 10):
            continue
        height, radius = rng.uniform(2, 3.5), rng.uniform(1.5, 2.8)
        bark.append(_box((x - 0.15, y - 0.15, 0), (x + 0.15, y + 0.15, height + 1)))
        p = rng.normal(size=(LEAVES, 3))
        p *= rng.uniform(0.1, 1, (LEAVES, 1)) ** (1 / 3) * radius / np.linalg.norm(p, axis=1, keepdims=True)
        p = p * [1, 1, 1.3] + [x, y, height + radius]
        a, b = rng.normal(size=(2, LEAVES, 3)) * 0.12
        leaves.append(np.stack([p, p + a, p + b], 1))
    groups = (ground, np.concatenate(stone), np.concatenate(bark), np.concatenate(leaves))
    parts = tuple(
        Part(
            MATERIALS[k].name,
            k,
            Shape(
                np.ascontiguousarray(t.reshape(-1, 3), np.float32),
                np.arange(3 * len(t), dtype=np.uint32).reshape(-1, 3),
            ),
        )
        for k, t in enumerate(groups)
    )
    return Scene(None, parts, MATERIALS)
