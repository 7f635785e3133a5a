# SPDX-License-Identifier: Apache-2.0
"""Colours of the sky through a year: a strip beside the sun from the horizon to the zenith, as the whole sky has it."""

from __future__ import annotations

import math

import numpy as np
import pytest

from gloamet.sky.air import Air
from gloamet.sky.dome import dome_radiance
from gloamet.sky.sky_palette import ELEVATIONS_DEG, STRIP, solve_sky_palette
from gloamet.sky.sky_solver import SkySolver


def test_a_strip_is_the_sky_fifty_degrees_beside_the_sun(solver: SkySolver) -> None:
    air = Air(3.0)
    strips = solve_sky_palette(solver, air).strips
    assert strips.shape == (len(ELEVATIONS_DEG), STRIP, 3)
    for k, height in enumerate(ELEVATIONS_DEG):
        if height < 3.0:  # at dusk the whole sky is solved by finer steps
            continue
        dome = solver.dome(air, 100.0, float(height))
        for row in (3, 9, 16, 22):
            e, a = row / (STRIP - 1) * math.pi / 2.0, math.radians(100.0 + 50.0)
            towards = np.array([math.cos(e) * math.sin(a), math.cos(e) * math.cos(a), math.sin(e)])
            # straight lines between rows and turns of two tables that lie apart
            assert strips[k, row] == pytest.approx(dome_radiance(dome, towards), rel=0.03), (height, row)
