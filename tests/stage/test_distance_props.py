# SPDX-License-Identifier: Apache-2.0
"""Hills and poles in the distance: their size, their place and which way they face."""

from __future__ import annotations

import math

import numpy as np
import pytest

from gloamet.stage.distance_props import WEATHERED, WOODS, grid_triangles, poles, ridge
from gloamet.stage.scene import Shape


def cross_products(shape: Shape) -> np.ndarray:
    """Twice the area of each triangle along its normal, (T, 3)."""
    a, b, c = (shape.positions[shape.triangles[:, k]].astype(float) for k in range(3))
    return np.cross(b - a, c - a)


@pytest.mark.parametrize(("rows", "columns"), [(2, 2), (3, 5), (7, 2)])
def test_a_grid_is_covered_once_and_faces_up(rows: int, columns: int) -> None:
    points = np.array([(x, y, 0.0) for y in range(rows) for x in range(columns)], float)
    a, b, c = (points[grid_triangles(rows, columns)[:, k]] for k in range(3))
    doubled = np.cross(b - a, c - a)
    assert (doubled[:, 2] == 1.0).all()  # half a cell each, none twice: their sum is the whole
    assert 0.5 * doubled[:, 2].sum() == (rows - 1) * (columns - 1)


@pytest.mark.parametrize(("seed", "height", "length"), [(3, 75.0, 3600.0), (9, 300.0, 9000.0)])
def test_a_ridge_is_as_high_long_and_wide_as_asked_and_rises_to_its_crest(
    seed: int, height: float, length: float
) -> None:
    shape = ridge(seed, height, length)
    low, high = shape.positions.min(0), shape.positions.max(0)
    assert high[2] == pytest.approx(height, rel=1e-5) and low[2] == pytest.approx(0.0, abs=1e-3 * height)
    assert (low[0], high[0]) == pytest.approx((-length / 2, length / 2))
    assert (low[1], high[1]) == pytest.approx((-2.5 * height, 2.5 * height))  # five heights wide
    doubled = cross_products(shape)
    assert (doubled[:, 2] > 0.0).all()
    assert 0.5 * doubled[:, 2].sum() == pytest.approx(length * 5.0 * height, rel=1e-4)
    ends = np.abs(shape.positions[:, 0]) == np.abs(shape.positions[:, 0]).max()
    assert shape.positions[ends, 2].max() < 1e-2 * height
    middle = np.abs(shape.positions[:, 1]) < 1e-3
    assert shape.positions[middle, 2].max() == high[2]
    assert ridge(seed + 1, height, length).positions[:, 2] != pytest.approx(shape.positions[:, 2])


@pytest.mark.parametrize(("length", "count"), [(0.0, 1), (200.0, 5), (250.0, 6), (248.0, 5)])
def test_poles_stand_every_fifty_metres_and_face_outwards(length: float, count: int) -> None:
    shape = poles(9.0, length)
    assert len(np.unique(np.round(shape.positions[:, 1] / 50.0))) == count
    assert (shape.positions[:, 2].min(), shape.positions[:, 2].max()) == (0.0, 9.0)
    first = np.abs(shape.positions[:, 1]) < 1.0
    assert np.hypot(*shape.positions[first, :2].T) == pytest.approx(np.full(first.sum(), 0.14), rel=1e-5)
    doubled = cross_products(shape)
    middles = shape.positions[shape.triangles].astype(float).mean(1)
    middles[:, 1] -= 50.0 * np.round(middles[:, 1] / 50.0)
    assert ((doubled * middles)[:, :2].sum(1) > 0.0).all()
    # eight sides of a round pole
    assert 0.5 * np.linalg.norm(doubled, axis=1).sum() == pytest.approx(
        count * 9.0 * 8 * 2.0 * 0.14 * math.sin(math.pi / 8), rel=1e-4
    )


def test_woods_and_old_wood_are_as_dark_as_they_are() -> None:
    # albedo of forest 0.05 to 0.15, of weathered wood about 0.2 (handbook values, from memory)
    for material, low, high in ((WOODS, 0.05, 0.15), (WEATHERED, 0.15, 0.3)):
        assert low <= float(np.dot((0.2126, 0.7152, 0.0722), material.base_colour)) <= high
