# SPDX-License-Identifier: Apache-2.0
"""Differences of pictures against colour-science and by hand."""

from __future__ import annotations

import colour
import numpy as np
import pytest

from gloamet.develop.picture_difference import code_difference, codes_to_lab, delta_e_2000, stops_difference

RNG = np.random.default_rng(11)


@pytest.mark.proof("CIEDE2000", source="colour-science; Sharma, Wu, Dalal 2005", kind="library")
def test_delta_e_is_that_of_the_library_and_of_the_papers_pairs() -> None:
    one, other = (RNG.uniform((0, -90, -90), (100, 90, 90), (400, 3)) for _ in range(2))
    assert delta_e_2000(one, other) == pytest.approx(colour.difference.delta_E_CIE2000(one, other), abs=1e-6)
    # pairs 1, 7, 9, 17 and 25 of the paper's table of test data: across the hue circle's seam and at grey
    pairs = [
        ((50.0, 2.6772, -79.7751), (50.0, 0.0, -82.7485), 2.0425),
        ((50.0, 0.0, 0.0), (50.0, -1.0, 2.0), 2.3669),
        ((50.0, 2.49, -0.001), (50.0, -2.49, 0.0009), 7.1792),
        ((50.0, 2.5, 0.0), (73.0, 25.0, -18.0), 27.1492),
        ((60.2574, -34.0099, 36.2677), (60.4626, -34.1751, 39.4387), 1.2644),
    ]
    for first, second, expected in pairs:
        assert delta_e_2000(np.array(first), np.array(second)) == pytest.approx(expected, abs=5e-5)
        assert delta_e_2000(np.array(second), np.array(first)) == pytest.approx(expected, abs=5e-5)


@pytest.mark.proof("L*a*b* of screen codes", source="colour-science, D65", kind="library")
def test_lab_is_that_of_the_library() -> None:
    codes = RNG.uniform(0, 1, (60, 3))
    white = colour.CCS_ILLUMINANTS["CIE 1931 2 Degree Standard Observer"]["D65"]
    theirs = colour.XYZ_to_Lab(colour.sRGB_to_XYZ(codes), white)
    assert codes_to_lab(codes) == pytest.approx(theirs, abs=0.03)


def test_a_picture_does_not_differ_from_itself() -> None:
    codes = RNG.uniform(0, 1, (8, 9, 3)).astype(np.float32)
    assert code_difference(codes, codes).max() == 0.0
    assert np.nanmax(np.abs(stops_difference(codes, codes))) == 0.0


def test_twice_the_light_is_a_stop_and_darkness_is_no_number() -> None:
    light = np.full((4, 4, 3), 100.0, np.float32)
    light[0, 0] = 0.0
    apart = stops_difference(2.0 * light, light)
    assert np.isnan(apart[0, 0])
    assert apart[1:] == pytest.approx(np.ones((3, 4)))
    assert stops_difference(light, 4.0 * light)[2, 2] == pytest.approx(-2.0)
