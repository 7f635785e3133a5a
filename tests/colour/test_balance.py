# SPDX-License-Identifier: Apache-2.0
"""Gains of light per channel: luminance is kept, grey is reached, and warmth is that of daylight."""

from __future__ import annotations

import colour
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from gloamet.colour.balance import apply_gain, saturation_gain, tint_gain, warmth_gain
from gloamet.colour.spaces import AP1_LUMINANCE, AP1_TO_XYZ, REC709_TO_AP1, XYZ_TO_AP1

CHANNEL = st.floats(0.05, 1.0)
COLOURS = st.tuples(CHANNEL, CHANNEL, CHANNEL)


@pytest.mark.proof(
    "Temperature shift of daylight in mired", source="colour-science, CIE D series, Ohno 2013", kind="library"
)
@pytest.mark.parametrize("kelvin", [5200.0, 6000.0, 7500.0, 9000.0])
def test_daylight_warmed_by_mired_is_daylight_of_that_temperature(kelvin: float) -> None:
    white = XYZ_TO_AP1 @ colour.xy_to_XYZ(colour.temperature.CCT_to_xy_CIE_D(6500.0))
    warm = warmth_gain(1e6 / kelvin - 1e6 / 6500.0) * white
    assert AP1_LUMINANCE @ warm == pytest.approx(AP1_LUMINANCE @ white, rel=2e-3)
    xy = colour.XYZ_to_xy(AP1_TO_XYZ @ warm)
    # ours lies 0.0032 over Planck's locus from 5000 K on, the standard's a little less at its cold end
    assert xy == pytest.approx(colour.temperature.CCT_to_xy_CIE_D(kelvin), abs=2e-3)


@given(COLOURS, st.floats(0.0, 1.0))
def test_a_tint_leans_towards_its_colour_by_its_share(
    tint: tuple[float, float, float], strength: float
) -> None:
    gain = tint_gain(tint, strength)
    assert gain @ AP1_LUMINANCE == pytest.approx(1.0)
    assert tint_gain((0.4, 0.4, 0.4), strength) == pytest.approx(np.ones(3), abs=1e-3)
    own = REC709_TO_AP1 @ np.array(tint)
    whole = own / (own @ AP1_LUMINANCE)
    assert gain - 1.0 == pytest.approx(strength * (whole - 1.0), abs=1e-9)


@given(COLOURS, st.floats(0.0, 1.5))
def test_saturation_keeps_luminance_and_scales_the_distance_from_grey(
    light: tuple[float, float, float], saturation: float
) -> None:
    row = np.array(light)
    level = float(row @ AP1_LUMINANCE)
    out = saturation_gain(light, saturation) * row
    assert out @ AP1_LUMINANCE == pytest.approx(level)
    wanted = level + saturation * (row - level)
    if wanted.min() > 0.01 * level:  # else a channel ends at nothing
        assert out == pytest.approx(wanted, rel=1e-6)
    assert saturation_gain((0.0, 0.0, 0.0), saturation).tolist() == [1.0] * 3


def test_what_has_bounced_takes_its_own_gain_and_the_rest_the_direct_one() -> None:
    whole, indirect = np.full((2, 3), 5.0, np.float32), np.full((2, 3), 2.0, np.float32)
    out = apply_gain(whole, indirect, (1.0, 2.0, 0.0), (3.0, 2.0, 1.0))
    assert out.tolist() == [[3.0 + 6.0, 10.0, 2.0]] * 2
    assert apply_gain(whole, None, (1.0, 2.0, 0.0), (3.0, 2.0, 1.0)).tolist() == [[5.0, 10.0, 0.0]] * 2
