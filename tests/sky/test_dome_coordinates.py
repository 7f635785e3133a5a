# SPDX-License-Identifier: Apache-2.0
"""Where a direction stands in the table of a sky."""

from __future__ import annotations

import math

import numpy as np
import pytest

from gloamet.sky.dome import dome_coordinates
from tests.conftest import called


def test_the_coordinates_are_those_of_the_exact_functions() -> None:
    rng = np.random.default_rng(0)
    d = rng.normal(size=(500, 3))
    d[:, 2] = np.abs(d[:, 2])
    d /= np.linalg.norm(d, axis=1, keepdims=True)
    for x, y, z in d.astype(np.float32):
        u, v = called(dome_coordinates)(x, y, z)
        assert u * u * 90.0 == pytest.approx(math.degrees(math.asin(z)), abs=0.01)
        turn = math.degrees(math.atan2(x, y)) % 360.0
        assert abs((v * 360.0 - turn + 180.0) % 360.0 - 180.0) < 0.01
