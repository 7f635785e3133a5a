# SPDX-License-Identifier: Apache-2.0
"""A spot meter's reading of a place."""

from __future__ import annotations

import math

import numpy as np
import pytest

from gloamet.colour.spaces import XYZ_TO_AP1, xy_to_xyz
from gloamet.colour.temperature import white_xy
from gloamet.meter.spot import light_at, read_spot, reading_of, stops_apart


def test_a_grey_card_in_the_metered_light_lies_no_stop_from_grey() -> None:
    # ISO 2720, C = 250: E = 2.5 * 2**EV; L = 0.18 E / pi
    card = 0.18 * 2.5 * 2.0**11 / math.pi
    picture = np.full((9, 9, 3), card, np.float32)
    found = read_spot(picture, 0.5, 0.5, 11.0)
    assert found.cd_m2 == pytest.approx(card, rel=1e-5)
    assert found.stops == pytest.approx(0.0, abs=1e-5)
    assert read_spot(8.0 * picture, 0.5, 0.5, 11.0).stops == pytest.approx(3.0, abs=1e-5)


def test_its_colour_is_that_of_the_light() -> None:
    r, g, b = (XYZ_TO_AP1 @ xy_to_xyz(white_xy(3200.0, 0.0)) * 50.0).tolist()
    found = reading_of((r, g, b), 5.0)
    assert found.cct_k == pytest.approx(3200.0, rel=0.005)
    assert found.duv == pytest.approx(0.0, abs=1e-4)


def test_only_the_pixels_round_the_place_count_and_edges_are_safe() -> None:
    picture = np.zeros((10, 20, 3), np.float32)
    picture[4:7, 9:12] = 9.0
    assert light_at(picture, 0.5, 0.5) == (9.0, 9.0, 9.0)
    assert light_at(picture, 0.0, 1.0) == light_at(picture, 1.0, 0.0) == (0.0, 0.0, 0.0)


def test_darkness_has_no_stops_and_no_colour() -> None:
    found = reading_of((0.0, 0.0, 0.0), 5.0)
    assert found.stops == -math.inf
    assert math.isnan(found.cct_k)
    assert math.isnan(stops_apart(1.0, 0.0))
    assert stops_apart(8.0, 1.0) == 3.0
