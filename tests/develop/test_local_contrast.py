# SPDX-License-Identifier: Apache-2.0
"""Local contrast: details grow, edges and even places stay, no guide cone."""

from __future__ import annotations

import numpy as np
import pytest

from gloamet.develop.links import Tone
from gloamet.develop.local_contrast import local_gain

EVEN = np.full(3, 1.0 / 3.0, np.float32)


def picture(stops: np.ndarray) -> np.ndarray:
    return np.repeat(0.18 * np.exp2(stops)[..., None], 3, -1).astype(np.float32)


def more(stops: np.ndarray, amount: float = 1.0, size: float = 8.0) -> np.ndarray:
    gain = local_gain(picture(stops), Tone(local_contrast=amount, local_radius=size), EVEN)
    return stops + np.log2(gain)


def texture(height: int = 240, width: int = 320) -> np.ndarray:
    y, x = np.mgrid[0:height, 0:width]
    return 0.25 * np.sin(x / 2.5) * np.sin(y / 2.5)


def test_details_grow_by_the_amount_and_shrink_under_a_negative_one() -> None:
    plain = texture()
    assert more(plain).std() / plain.std() == pytest.approx(2.0, rel=0.15)
    assert more(plain, -1.0).std() / plain.std() < 0.25


def test_an_even_picture_stays_as_it_is() -> None:
    assert more(np.full((120, 160), 1.7)) == pytest.approx(1.7, abs=1e-3)


def test_a_slope_of_light_stays_a_slope() -> None:
    slope = np.repeat(np.linspace(-3.0, 3.0, 320)[None], 240, 0)
    assert (np.diff(more(slope)[120]) > 0.0).all()


def test_beside_an_edge_there_is_no_halo() -> None:
    stops = np.zeros((240, 320))
    stops[:, 160:] = 4.0  # a wall in the sun beside one in shade
    out = more(stops)[120]
    # a blurred mask of the same width and amount overshoots by nearly half the step, two stops
    assert np.abs(out - stops[120]).max() < 0.4
    # the guided filter's own share: eps/(var + eps) of the step, 0.49/(4 + 0.49) of it on either side of the middle
    far = np.abs(np.arange(320) - 160) > 40
    assert np.abs((out - stops[120])[far]).max() < 0.02


def test_the_same_picture_larger_gets_the_same_contrast() -> None:
    small, large = texture(), np.kron(texture(), np.ones((2, 2)))
    assert more(large).std() == pytest.approx(more(small).std(), rel=0.1)
