# SPDX-License-Identifier: Apache-2.0
"""Logarithm and power of the kernels, against NumPy's."""

from __future__ import annotations

import numpy as np
from numba import njit

from gloamet.quick_math import exp2, log2


@njit
def _each(values, out, raise_it):  # type: ignore[no-untyped-def]
    for n in range(len(values)):
        out[n] = exp2(values[n]) if raise_it else log2(values[n])


def _of(values: np.ndarray, raise_it: bool) -> np.ndarray:
    out = np.empty_like(values)
    _each(values, out, raise_it)
    return out.astype(float)


def test_powers_of_two_agree_with_numpy() -> None:
    stops = np.linspace(-126.0, 126.0, 100_003).astype(np.float32)
    # the series is good to 2e-7, and float32 rounds the sum and the power once more
    assert np.abs(_of(stops, True) / np.exp2(stops.astype(float)) - 1.0).max() < 1e-6
    assert (_of(np.arange(-126, 127).astype(np.float32), True) == np.exp2(np.arange(-126.0, 127.0))).all()


def test_powers_beyond_the_range_of_numbers_stay_numbers() -> None:
    held = _of(np.array([-1e9, -200.0, 200.0, 1e9], np.float32), True)
    assert (held == np.exp2([-126.0, -126.0, 126.0, 126.0])).all()


def test_logarithms_agree_with_numpy() -> None:
    light = np.exp2(np.linspace(-100.0, 100.0, 100_003)).astype(np.float32)
    # the polynomial is good to 2e-5 stops: a hundredth of a code in the steepest part of a curve
    assert np.abs(_of(light, False) - np.log2(light.astype(float))).max() < 3e-5
