# SPDX-License-Identifier: Apache-2.0
"""Scopes count what is in the picture, where it is."""

from __future__ import annotations

import numpy as np
import pytest

from gloamet.develop.scopes import (
    BINS_PER_STOP,
    LOWEST_STOP,
    code_counts,
    colour_counts,
    colour_position,
    stop_counts,
    waveform,
)


def pixels(height: int = 40, width: int = 60) -> np.ndarray:
    out = np.full((height, width, 4), 255, np.uint8)
    out[:, : width // 2, :3] = (10, 20, 30)
    out[:, width // 2 :, :3] = (200, 100, 50)
    return out


def test_codes_are_counted_for_each_channel() -> None:
    counts = code_counts(pixels())
    assert counts.sum(1).tolist() == [2400] * 3
    assert (counts[0, 10], counts[1, 100], counts[2, 50]) == (1200, 1200, 1200)


def test_a_large_picture_is_read_at_every_few_pixels() -> None:
    counts = code_counts(pixels(1080, 1920))
    assert 50_000 < counts[0].sum() < 250_000
    assert counts[0, 10] == pytest.approx(0.5 * counts[0].sum(), rel=0.02)


def test_stops_are_counted_from_the_grey_card() -> None:
    grey = 0.18 * 2.5 * 2.0**10 / np.pi  # a card in the light of EV 10 (ISO 2720, C = 250)
    light = np.full((10, 10, 3), grey * 2.0**1.06, np.float32)
    counts = stop_counts(light, 10.0)
    assert counts[int((1.06 - LOWEST_STOP) * BINS_PER_STOP)] == 100
    assert len(counts) == (9 + 9) * 8  # nine stops either way, in eighths
    assert stop_counts(np.zeros((4, 4, 3), np.float32), 10.0)[0] == 16
    assert stop_counts(np.full((4, 4, 3), 1e12, np.float32), 10.0)[-1] == 16


def test_the_waveform_keeps_left_on_the_left_and_bright_on_top() -> None:
    counts = waveform(pixels(), 20, 64)
    assert counts.shape == (3, 64, 20)
    red = counts[0]
    bright_row, dark_row = (int(np.argmax(red[:, column])) for column in (15, 5))
    assert bright_row < 20 < 55 < dark_row
    assert red[:, :10].sum() == red[:, 10:].sum() == 1200


@pytest.mark.parametrize(("code", "row"), [(255, 0), (128, 31), (127, 32), (3, 63), (0, 63)])
def test_a_code_has_its_row_from_white_on_top_to_black_below(code: int, row: int) -> None:
    (found,) = np.flatnonzero(waveform(np.full((5, 8, 4), code, np.uint8), 4, 64)[1].sum(1))
    assert found == row


def test_grey_lies_in_the_middle_and_hues_apart() -> None:
    size = 100
    grey = np.full((10, 10, 4), 128, np.uint8)
    counts = colour_counts(grey, size)
    assert counts[49:52, 49:52].sum() == 100
    red, blue = (
        colour_position(np.array([1.0, 0.0, 0.0]), size),
        colour_position(np.array([0.0, 0.0, 1.0]), size),
    )
    assert red[0] > 60  # to the right: red is positive a in Oklab
    assert blue[1] > 80  # down: blue is negative b
    assert (np.array([red, blue]) >= 0).all() and (np.array([red, blue]) < size).all()
