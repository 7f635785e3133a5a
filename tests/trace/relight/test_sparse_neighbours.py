# SPDX-License-Identifier: Apache-2.0
"""Borrowing of light: only thin things borrow, only from their like, and an even light stays even."""

from __future__ import annotations

import numpy as np
import pytest

from gloamet.trace.relight.points import (
    ALBEDO,
    FACE_NORMAL,
    PIXEL_KIND,
    POINT_NORMAL,
    POINT_POSITION,
    POINT_WORDS,
    SHADING_WORDS,
    SURFACE_PIXEL,
    GBufferArrays,
)
from gloamet.trace.relight.sparse_neighbours import (
    MAX_NEIGHBOURS,
    SEARCH_RADIUS,
    average_neighbours,
    find_sparse_pixels,
    scatter_results,
)
from tests.conftest import called

WIDTH, HEIGHT = 40, 30
N = WIDTH * HEIGHT
COLUMN = 21  # of the thread
EYE = np.float32([2.0, 0.0, 20.0])
Found = tuple[np.ndarray, np.ndarray]


@pytest.fixture(scope="module")
def found() -> Found:
    """Marks and lenders of a pale floor with a dark thread a pixel wide before it, whose normals go round."""
    points, paint = np.zeros((N, POINT_WORDS), np.float32), np.zeros((N, SHADING_WORDS), np.float32)
    y, x = np.divmod(np.arange(N), WIDTH)
    thread = x == COLUMN
    points[:, POINT_POSITION], points[:, POINT_POSITION + 1] = 0.1 * x, 0.1 * y
    points[:, POINT_POSITION + 2] = np.where(thread, 0.3, 0.0)
    for at in (POINT_NORMAL, FACE_NORMAL):
        points[:, at] = np.where(thread, np.sin(2.0 * y), 0.0)
        points[:, at + 2] = np.where(thread, np.cos(2.0 * y), 1.0)
    paint[:, PIXEL_KIND] = SURFACE_PIXEL
    paint[:, ALBEDO : ALBEDO + 3] = np.where(thread, 0.1, 0.7)[:, None]
    marks, lenders = np.zeros(N, np.uint8), np.zeros((N, MAX_NEIGHBOURS), np.int32)
    find_sparse_pixels(GBufferArrays(points, paint, WIDTH, HEIGHT), EYE, 0, HEIGHT, marks, lenders)
    return marks, lenders


def test_a_thread_borrows_and_the_floor_behind_it_does_not(found: Found) -> None:
    marks, _lenders = found
    x = np.arange(N) % WIDTH
    assert marks[x == COLUMN].all()
    inner = (x > 2) & (x < WIDTH - 3) & (np.arange(N) // WIDTH > 2) & (np.arange(N) // WIDTH < HEIGHT - 3)
    assert not marks[inner & (x != COLUMN)].any()


def test_lenders_are_of_the_same_thread_and_near(found: Found) -> None:
    marks, lenders = found
    x = np.arange(N) % WIDTH
    for i in np.flatnonzero(marks & (x == COLUMN)):
        assert (lenders[i] % WIDTH == COLUMN).all()
        assert np.abs(lenders[i] // WIDTH - i // WIDTH).max() <= SEARCH_RADIUS
        assert len(set(lenders[i]) - {i}) >= SEARCH_RADIUS


def test_grain_on_a_thread_becomes_less_and_even_light_stays(found: Found) -> None:
    marks, lenders = found
    pixels = np.flatnonzero(marks).astype(np.int32)
    mixed = np.empty((3, len(pixels)), np.float32)
    grain = np.random.default_rng(2).uniform(0.0, 2.0, (3, N)).astype(np.float32)
    after = grain.copy()
    called(average_neighbours)(pixels, lenders[pixels], after, 0, len(pixels), mixed)
    called(scatter_results)(pixels, mixed, 0, len(pixels), after)
    thread = np.arange(N) % WIDTH == COLUMN
    assert after[:, thread].std() < 0.5 * grain[:, thread].std()
    assert np.array_equal(after[:, marks == 0], grain[:, marks == 0])
    even = np.full((3, N), 3.0, np.float32)
    called(average_neighbours)(pixels, lenders[pixels], even, 0, len(pixels), mixed)
    assert mixed == pytest.approx(np.full_like(mixed, 3.0), rel=1e-5)
