# SPDX-License-Identifier: Apache-2.0
"""Evening out: linear, keeps what is even, and never mixes across an edge."""

from __future__ import annotations

import numpy as np
import pytest

from gloamet.trace.relight.atrous_filter import (
    FILTER_LEVELS,
    FILTER_REACH,
    atrous_pass,
    despeckle_guide,
    make_filter_weights,
)
from gloamet.trace.relight.points import (
    FACE_NORMAL,
    PIXEL_KIND,
    POINT_NORMAL,
    POINT_POSITION,
    POINT_WORDS,
    SHADING_WORDS,
    SURFACE_PIXEL,
    GBufferArrays,
)
from tests.conftest import called

WIDTH, HEIGHT = 48, 32
N, MARGIN = WIDTH * HEIGHT, FILTER_REACH * (WIDTH + 1)
F = np.float32


def seen() -> GBufferArrays:
    """Points and paint of a floor (lower half) that meets a wall (upper half) in the middle row."""
    points, paint = np.zeros((N, POINT_WORDS), np.float32), np.zeros((N, SHADING_WORDS), np.float32)
    y, x = np.divmod(np.arange(N), WIDTH)
    wall = y < HEIGHT // 2
    points[:, POINT_POSITION], points[:, POINT_POSITION + 1] = (
        0.1 * x,
        np.where(wall, 0.0, -0.1 * (y - HEIGHT // 2)),
    )
    points[:, POINT_POSITION + 2] = np.where(wall, 0.1 * (HEIGHT // 2 - y), 0.0)
    for at in (POINT_NORMAL, FACE_NORMAL):
        points[:, at + 1], points[:, at + 2] = np.where(wall, -1.0, 0.0), np.where(wall, 0.0, 1.0)
    paint[:, PIXEL_KIND] = SURFACE_PIXEL
    return GBufferArrays(points, paint, WIDTH, HEIGHT)


def corner(guide: np.ndarray | None = None) -> tuple[np.ndarray, np.ndarray]:
    """Their weights."""
    weights, inverses = np.zeros((FILTER_LEVELS, 9, N), np.uint8), np.zeros((FILTER_LEVELS, N), np.float32)
    guide = np.zeros((N, 1), np.float32) if guide is None else guide
    make_filter_weights(seen(), guide, F(0.08), 0, HEIGHT, weights, inverses)
    return weights, inverses


def evened(
    picture: np.ndarray, weights: np.ndarray, inverses: np.ndarray, levels: int = FILTER_LEVELS
) -> np.ndarray:
    room = np.zeros((3, N + 2 * MARGIN), np.float32)
    room[:, MARGIN : MARGIN + N] = picture
    spare = np.zeros_like(room)
    for level in range(levels):
        called(atrous_pass)(room, weights, inverses, level, WIDTH, 0, HEIGHT, spare)
        room, spare = spare, room
    return room[:, MARGIN : MARGIN + N]


@pytest.mark.parametrize("levels", [1, 2, FILTER_LEVELS])
def test_an_even_picture_stays_as_it_is(levels: int) -> None:
    picture = np.broadcast_to(np.float32([[3.0], [2.0], [1.0]]), (3, N))
    assert evened(picture, *corner(), levels) == pytest.approx(picture, rel=1e-5)


def test_grain_becomes_much_less_and_the_mean_stays() -> None:
    picture = np.random.default_rng(3).uniform(0.0, 2.0, (3, N)).astype(np.float32)
    out = evened(picture, *corner())
    assert out.std() < 0.15 * picture.std()
    assert out.mean() == pytest.approx(picture.mean(), rel=0.02)


def test_floor_and_wall_do_not_mix() -> None:
    picture = np.zeros((3, N), np.float32)
    picture[:, : N // 2] = 5.0
    assert evened(picture, *corner()) == pytest.approx(picture, abs=1e-5)


def test_an_edge_in_the_guide_is_kept() -> None:
    x = np.arange(N) % WIDTH
    step = np.where(x < WIDTH // 2, 0.0, 1.0).astype(np.float32)
    picture = np.broadcast_to(step, (3, N))
    assert evened(picture, *corner(step[:, None].copy())) == pytest.approx(picture, abs=0.01)
    assert np.abs(evened(picture, *corner()) - picture).max() > 0.3


def test_it_is_linear_in_the_light() -> None:
    rng = np.random.default_rng(4)
    a, b = rng.uniform(0, 1, (2, 3, N)).astype(np.float32)
    how = corner()
    assert evened(2 * a + b, *how) == pytest.approx(2 * evened(a, *how) + evened(b, *how), rel=1e-4, abs=1e-5)


def calmed(guide: np.ndarray) -> np.ndarray:
    calm = np.empty_like(guide)
    despeckle_guide(seen(), guide, 0, HEIGHT, calm)
    return calm


def test_a_speck_in_the_guide_does_not_guard_a_speck_in_the_light() -> None:
    guide = np.zeros((N, 1), np.float32)
    at = 5 * WIDTH + 20
    guide[at] = 2.0
    picture = np.ones((3, N), np.float32)
    picture[:, at] = 9.0
    assert evened(picture, *corner(guide))[0, at] > 4.0
    assert evened(picture, *corner(calmed(guide)))[0, at] < 1.5


def test_calming_keeps_a_shadow_and_its_edge() -> None:
    x = np.arange(N) % WIDTH
    step = np.where(x < WIDTH // 2, 0.0, 1.0).astype(np.float32)[:, None].copy()
    assert np.array_equal(calmed(step), step)
