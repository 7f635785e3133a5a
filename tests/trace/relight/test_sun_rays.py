# SPDX-License-Identifier: Apache-2.0
"""The ends of shadows in a relit picture: mixed with what is beside in the same plane, and with nothing else."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
import pytest
from numba import njit

from gloamet.jit import KERNEL_OPTIONS
from gloamet.trace.relight.points import (
    FACE_NORMAL,
    PIXEL_KIND,
    POINT_POSITION,
    POINT_WORDS,
    SHADING_WORDS,
    SURFACE_PIXEL,
    GBufferArrays,
)
from gloamet.trace.relight.sun_rays import FULLY_LIT, filtered_visibility, mark_coplanar_neighbours

WIDTH, HEIGHT = 24, 16
N = WIDTH * HEIGHT
Y, X = np.divmod(np.arange(N), WIDTH)


class Display(NamedTuple):
    """What the kernel reads of a `layer.DisplayArrays`."""

    visible: np.ndarray
    coplanar: np.ndarray
    width: int


@njit(**KERNEL_OPTIONS)
def _every(display, out):  # type: ignore[no-untyped-def]
    for i in range(len(display.visible)):
        out[i, 0], out[i, 1], out[i, 2] = filtered_visibility(display, i)


def soft(visible: np.ndarray, like: np.ndarray) -> np.ndarray:
    out = np.empty((N, 3), np.float32)
    _every(Display(visible.astype(np.uint32), like, WIDTH), out)
    return out


def beside(step: float = 0.0) -> np.ndarray:
    """Like pixels of a floor whose right half lies `step` metres higher."""
    points, paint = np.zeros((N, POINT_WORDS), np.float32), np.zeros((N, SHADING_WORDS), np.float32)
    points[:, POINT_POSITION], points[:, POINT_POSITION + 1] = 0.1 * X, 0.1 * Y
    points[:, POINT_POSITION + 2], points[:, FACE_NORMAL + 2] = (
        np.where(X < WIDTH // 2, 0.0, step),
        1.0,
    )
    paint[:, PIXEL_KIND] = SURFACE_PIXEL
    like = np.zeros(N, np.uint8)
    mark_coplanar_neighbours(GBufferArrays(points, paint, WIDTH, HEIGHT), 0, HEIGHT, like)
    return like


def test_a_straight_shadow_ends_in_a_quarter_and_three_quarters() -> None:
    out = soft(np.where(WIDTH // 2 > X, FULLY_LIT, 0), beside())
    row = out.reshape(HEIGHT, WIDTH, 3)[HEIGHT // 2, :, 1]
    middle = WIDTH // 2
    assert row[middle - 2 : middle + 2] == pytest.approx([1.0, 0.75, 0.25, 0.0], abs=1e-3)


def test_light_does_not_go_over_a_step() -> None:
    visible = np.where(WIDTH // 2 > X, FULLY_LIT, 0)
    assert soft(visible, beside(0.5))[:, 0] == pytest.approx(np.where(WIDTH // 2 > X, 1.0, 0.0), abs=1e-3)


def test_tinted_light_of_a_pane_stays_as_it_is_where_it_is_even() -> None:
    word = 200 | 100 << 8 | 50 << 16
    wanted = np.float32([200, 100, 50]) / 255
    assert soft(np.full(N, word), beside()) == pytest.approx(np.broadcast_to(wanted, (N, 3)), abs=1e-5)


def test_mixing_keeps_the_sum_away_from_the_border() -> None:
    lit = np.zeros(N, np.uint32)
    spots = np.random.default_rng(1).integers(0, 2, (HEIGHT - 4, WIDTH - 4))
    inner = np.zeros((HEIGHT, WIDTH), bool)
    inner[2:-2, 2:-2] = spots == 1
    lit[inner.ravel()] = FULLY_LIT
    like = beside()
    out = soft(lit, like)[:, 0]
    # pixels whose four neighbours agree are left alone, so the sum is only nearly kept
    assert out.sum() == pytest.approx(inner.sum(), rel=0.02)
