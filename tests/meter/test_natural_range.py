# SPDX-License-Identifier: Apache-2.0
"""What nature gives at a sun's elevation, against skies solved one by one."""

from __future__ import annotations

from dataclasses import replace

import pytest

from gloamet.meter.light import read_light
from gloamet.meter.natural_range import natural_range
from gloamet.sky.air import Air
from gloamet.sky.sky_solver import SkySolver


@pytest.mark.parametrize(
    ("turbidity", "clearer", "hazier"),
    [
        (5.0, 3.5, 8.0),
        (2.0, 1.7, 3.2),
        (15.0, 10.5, 20.0),
    ],  # never clearer than air is, nor beyond what it may be
)
def test_the_band_lies_between_clearer_and_hazier_air_of_the_same_height_of_the_sun(
    turbidity: float, clearer: float, hazier: float, solver: SkySolver
) -> None:
    air = Air(turbidity)
    band = natural_range(air, 40.0, solver)
    high, low = (
        read_light(solver.dome(replace(air, turbidity=t), 0.0, 40.0)).sun_sky_stops for t in (clearer, hazier)
    )
    assert band is not None
    assert (band.low, band.high) == pytest.approx((low, high), abs=1e-6)


def test_there_is_no_band_where_no_sun_stands(solver: SkySolver) -> None:
    assert natural_range(Air(3.0), -5.0, solver) is None
