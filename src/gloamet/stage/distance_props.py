# SPDX-License-Identifier: Apache-2.0
"""Distant props: a ridge of hills and a row of poles, generated from a few numbers.

Numbers enter, shapes in their own metres leave (Z up, foot at the origin): a ridge runs from west to east, a row of
poles away to the north.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from gloamet.stage.scene import Material, Shape, make_shape

POLE_EVERY_M, POLE_M, POLE_SIDES = 50.0, 0.14, 8
RIDGE_COLUMNS, RIDGE_ROWS = 220, 19
RIDGE_WIDTH = 5.0  # heights of a ridge that it is wide
WOODS = Material("far woods", (0.075, 0.085, 0.05))
WEATHERED = Material("weathered wood", (0.22, 0.2, 0.17))
Points = NDArray[np.float64]


def _noise(x: Points, seed: int, octaves: int) -> Points:
    """Smooth noise along a line, about 0..1: sums of cosines whose waves halve."""
    rng, total, weight, out = np.random.default_rng(seed), 0.0, 1.0, np.zeros_like(x)
    for k in range(octaves):
        for _ in range(3):
            wave, phase = 2.0**k * rng.uniform(0.7, 1.4), rng.uniform(0.0, 2.0 * np.pi)
            out += weight * (0.5 + 0.5 * np.cos(2.0 * np.pi * wave * x + phase))
            total += weight
        weight *= 0.55
    return out / total


def grid_triangles(rows: int, columns: int) -> NDArray[np.int64]:
    """Two triangles for each cell of a grid of points, row after row."""
    i, j = np.meshgrid(np.arange(rows - 1), np.arange(columns - 1), indexing="ij")
    a = (i * columns + j).ravel()
    quads = np.stack([a, a + 1, a + columns + 1, a + columns], 1)
    return np.concatenate([quads[:, [0, 1, 2]], quads[:, [0, 2, 3]]])


@lru_cache(maxsize=16)
def ridge(seed: int, height_m: float, length_m: float) -> Shape:
    """Hills of a height, low at both ends: spurs run down from a crest."""
    along = np.linspace(-0.5, 0.5, RIDGE_COLUMNS)
    across = np.linspace(-1.0, 1.0, RIDGE_ROWS)
    taper = np.sqrt(np.cos(np.pi * along))
    crest = taper * (0.3 + 0.7 * _noise(along * length_m / (16.0 * height_m), seed, 4))
    crest *= height_m / crest.max()
    spurs = np.stack([_noise(along * length_m / (5.0 * height_m), seed + 7 * k, 3) for k in range(2)])
    side = np.where(across[:, None] < 0.0, spurs[0], spurs[1])
    slope = (1.0 - np.abs(across[:, None])) ** (1.0 + 0.9 * side)
    z = crest * slope
    x = np.broadcast_to(along * length_m, z.shape)
    y = np.broadcast_to(across[:, None] * 0.5 * RIDGE_WIDTH * height_m, z.shape)
    made = make_shape(np.stack([x, y, z], -1).reshape(-1, 3), grid_triangles(RIDGE_ROWS, RIDGE_COLUMNS))
    assert made is not None
    return made


@lru_cache(maxsize=16)
def poles(height_m: float, length_m: float) -> Shape:
    """Upright poles, one every fifty metres."""
    turn = np.arange(POLE_SIDES) / POLE_SIDES * 2.0 * np.pi
    ring = POLE_M * np.stack([np.cos(turn), np.sin(turn)], 1)
    one = np.concatenate([np.column_stack([ring, np.full(POLE_SIDES, z)]) for z in (0.0, height_m)])
    k = np.arange(POLE_SIDES)
    n = (k + 1) % POLE_SIDES
    faces = np.concatenate(
        [np.stack([k, n, n + POLE_SIDES], 1), np.stack([k, n + POLE_SIDES, k + POLE_SIDES], 1)]
    )
    positions = np.arange(0.0, length_m + 1.0, POLE_EVERY_M)
    points = np.concatenate([one + [0.0, y, 0.0] for y in positions])
    made = make_shape(points, np.concatenate([faces + len(one) * m for m in range(len(positions))]))
    assert made is not None
    return made
