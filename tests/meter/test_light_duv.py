# SPDX-License-Identifier: Apache-2.0
"""Colour temperature and distance from the locus against colour-science's Ohno (2013)."""

from __future__ import annotations

import numpy as np
import pytest

from gloamet.colour.spaces import xy_to_xyz
from gloamet.colour.temperature import correlated_temperature, distance_from_locus, white_xy


@pytest.mark.proof("Duv of light", source="colour-science, Ohno 2013", kind="library")
@pytest.mark.parametrize("kelvin", [2300.0, 3000.0, 4200.0, 5600.0, 7500.0, 11_000.0])
@pytest.mark.parametrize("duv", [-0.012, -0.003, 0.0, 0.004, 0.015])
def test_duv_is_that_of_ohno(kelvin: float, duv: float) -> None:
    import colour

    uv = colour.temperature.CCT_to_uv_Ohno2013(np.array([kelvin, duv]))
    xyz = xy_to_xyz(np.asarray(colour.UCS_uv_to_xy(uv)))
    # the locus is Krystek's, which lies within 1e-4 of the tables that Ohno's method reads
    assert distance_from_locus(xyz) == pytest.approx(duv, abs=2e-4)
    assert correlated_temperature(xyz) == pytest.approx(kelvin, rel=0.006)


def test_daylight_lies_above_the_locus_and_black_nowhere() -> None:
    assert 0.002 < distance_from_locus(xy_to_xyz(white_xy(6500.0, 0.0))) < 0.0045  # CIE 15: D65 at 0.0032
    assert np.isnan(distance_from_locus(np.zeros(3)))
