# SPDX-License-Identifier: Apache-2.0
"""The numbers of a path: each alone uniform, together even, and never the same twice."""

from __future__ import annotations

import numpy as np
import pytest

from gloamet.trace.geometry.sampler import PAIRS, next_2d, pixel_id, random_pair, sobol_pair
from tests.conftest import called

U = np.uint64


def points(pixel: int, count: int, pair: int = 0, first: int = 0) -> np.ndarray:
    """The first samples of a pixel's pair."""
    return np.array([called(sobol_pair)(U(pixel), U(first + k), pair) for k in range(count)])


def test_one_sample_over_many_pixels_is_uniform_and_its_pairs_are_apart() -> None:
    # unbiasedness needs just this: every sample of a pixel is uniform over the shifts
    a = np.array([called(sobol_pair)(U(p), U(5), 0) for p in range(4000)])
    b = np.array([called(sobol_pair)(U(p), U(5), 1) for p in range(4000)])
    assert a.min() >= 0.0
    assert a.max() < 1.0
    for column in (*a.T, *b.T):
        counts = np.histogram(column, 20, (0, 1))[0]
        assert ((counts - 200) ** 2 / 200).sum() < 45  # chi square, 19 degrees of freedom, 0.1 %
    assert abs(np.corrcoef(a[:, 0], b[:, 0])[0, 1]) < 0.05
    assert abs(np.corrcoef(a[:, 0], a[:, 1])[0, 1]) < 0.05


@pytest.mark.parametrize("pair", [0, 3, PAIRS - 1])
def test_samples_of_a_pixel_fill_the_square_evenly(pair: int) -> None:
    # error of the mean of a smooth function and of a disc's area, against independent numbers
    even, plain = [], []
    for pixel in range(200):
        p = points(pixel, 64, pair)
        q = np.array([called(random_pair)(U(1_000_003 * pixel + 7919 * k + 17)) for k in range(64)])
        for rows, out in ((p, even), (q, plain)):
            smooth = (np.cos(2.0 * rows[:, 0]) * rows[:, 1]).mean()
            inside = ((rows - 0.5) ** 2).sum(1) < 0.16
            out.append((smooth - np.sin(2.0) / 4.0, inside.mean() - np.pi * 0.16))
    spread = np.std(even, 0) / np.std(plain, 0)
    assert spread[0] < 0.45
    assert spread[1] < 0.6
    assert np.abs(np.mean(even, 0)).max() < 0.004


def test_more_samples_than_the_table_has_rows_are_new_ones() -> None:
    first, later = points(3, 64), points(3, 64, first=4096)
    assert np.abs(first - later).min() > 0.0
    assert later[:, 0].mean() == pytest.approx(0.5, abs=0.03)


def test_pairs_beyond_the_table_are_plain_numbers() -> None:
    draw = called(next_2d)
    state, *numbers = draw(U(99), U(1), U(2), PAIRS)
    assert tuple(numbers) == called(random_pair)(state)
    assert draw(U(99), U(1), U(2), PAIRS - 1)[1:] == called(sobol_pair)(U(1), U(2), PAIRS - 1)


def test_pixels_side_by_side_fill_the_square_evenly_between_them() -> None:
    # one sample of each of 16 x 16 pixels is as even as 256 of one pixel: what cleaning averages has little grain
    even, plain = [], []
    for square in range(40):
        x0, y0 = 16 * (square % 4), 16 * (square // 4)
        p = np.array(
            [called(sobol_pair)(called(pixel_id)(x0 + k % 16, y0 + k // 16, 0), U(3), 2) for k in range(256)]
        )
        q = np.array([called(random_pair)(U(1_000_003 * square + 7919 * k + 17)) for k in range(256)])
        for rows, out in ((p, even), (q, plain)):
            out.append((((rows - 0.5) ** 2).sum(1) < 0.16).mean() - np.pi * 0.16)
    assert np.std(even) < 0.5 * np.std(plain)
    assert abs(np.mean(even)) < 0.01


def test_pixels_of_other_columns_rows_and_seeds_have_numbers_of_their_own() -> None:
    asked = [(0, 0, 0), (1, 0, 0), (0, 1, 0), (64, 0, 0), (0, 64, 0), (0, 0, 1), (65_535, 65_535, 0)]
    numbers = {tuple(called(sobol_pair)(called(pixel_id)(*a), U(0), 0)) for a in asked}
    assert len(numbers) == len(asked)
