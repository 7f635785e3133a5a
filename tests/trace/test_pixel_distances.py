# SPDX-License-Identifier: Apache-2.0
"""Two distances in one pixel, told apart by two means."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from gloamet.trace.pixel_distances import NEAR_M, far_part, nearness
from tests.conftest import called


def parts(depths: list[float], fractions: list[float]) -> tuple[float, float]:
    """What is made of the means of some distances."""
    weights, metres = np.array(fractions) / np.sum(fractions), np.array(depths)
    near = float(weights @ np.exp(-metres / NEAR_M))
    fraction, far = called(far_part)(np.float32(weights @ metres), np.float32(near))
    return float(fraction), float(far)


@given(far=st.floats(400.0, 60_000.0), fraction=st.floats(0.05, 0.95))
def test_far_things_beside_the_sky_or_a_near_thing_keep_their_distance_and_share(
    far: float, fraction: float
) -> None:
    found, metres = parts([0.0, far], [1.0 - fraction, fraction])
    assert found == pytest.approx(fraction, rel=0.02)
    assert metres == pytest.approx(far, rel=0.02)


@given(
    near=st.floats(2.0, 60.0),
    far=st.floats(200.0, 60_000.0),
    fraction=st.floats(0.05, 0.95),
    length=st.floats(200.0, 20_000.0),
)
def test_the_air_before_both_takes_what_it_takes_before_each(
    near: float, far: float, fraction: float, length: float
) -> None:
    def lost(metres: float) -> float:
        return 1.0 - float(np.exp(-metres / length))

    found, metres = parts([near, far], [1.0 - fraction, fraction])
    truth = (1.0 - fraction) * lost(near) + fraction * lost(far)
    error, of_mean = found * lost(metres) - truth, lost((1.0 - fraction) * near + fraction * far) - truth
    # what a near thing takes over its own distance may be left out, or be taken for a fraction of the far one
    assert abs(error) <= (1.0 - fraction) * float(1.0 - np.exp(-near / min(length, NEAR_M))) + 0.01
    assert abs(error) <= abs(of_mean) + 0.01


@given(metres=st.floats(0.0, 140_000.0))
def test_one_distance_is_left_as_it_is(metres: float) -> None:
    assert parts([metres], [1.0]) == (1.0, pytest.approx(metres, rel=1e-5))


def test_nearness_falls_to_a_third_over_its_length() -> None:
    assert nearness(np.array([0.0, NEAR_M], np.float32)) == pytest.approx([1.0, np.exp(-1.0)])
