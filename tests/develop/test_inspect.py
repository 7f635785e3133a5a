# SPDX-License-Identifier: Apache-2.0
"""Looking at a picture in stops, at what clips, at what a mask covers."""

from __future__ import annotations

import numpy as np
import pytest

from gloamet.develop.inspect import (
    ZONES,
    clipping,
    false_colour,
    fractions_at_the_ends,
    mask_overlay,
    stops_over_grey,
)
from gloamet.develop.settings import DevelopSettings


def card(reflectance: float, ev: float) -> np.ndarray:
    """A card in the light an incident meter reads as EV (ISO 2720, C = 250)."""
    return np.full((1, 1, 3), reflectance * 2.5 * 2.0**ev / np.pi, np.float32)


@pytest.mark.parametrize("ev", [-2.0, 9.0, 15.0])
def test_a_grey_card_is_no_stop_over_itself_and_each_stop_of_light_is_one(ev: float) -> None:
    assert stops_over_grey(card(0.18, ev), ev)[0, 0] == pytest.approx(0.0, abs=1e-4)
    assert stops_over_grey(card(0.18 * 8.0, ev), ev)[0, 0] == pytest.approx(3.0, abs=1e-4)


def test_zones_rise_and_the_grey_card_is_grey() -> None:
    limits = [zone.up_to for zone in ZONES]
    assert limits == sorted(limits)
    out = false_colour(card(0.18, 12.0), DevelopSettings(12.0))
    assert len(set(out[0, 0, :3].tolist())) == 1
    named = {zone.label: zone.colour for zone in ZONES}
    assert tuple(false_colour(card(0.97, 12.0), DevelopSettings(12.0))[0, 0, :3]) == named["white card"]
    assert tuple(false_colour(card(1e5, 12.0), DevelopSettings(12.0))[0, 0, :3]) == named["sun, lamps"]
    assert len({zone.colour for zone in ZONES}) == len(ZONES)


def test_clipping_marks_each_channel_that_is_full_and_blacks_that_are_empty() -> None:
    pixels = np.full((1, 4, 4), 128, np.uint8)
    pixels[0, 1, 0], pixels[0, 2, :3], pixels[0, 3, :3] = 255, 2, (0, 40, 0)
    out = clipping(pixels)
    changed = (out != pixels).any(-1)[0]
    assert changed.tolist() == [False, True, True, False]
    assert fractions_at_the_ends(pixels) == (0.25, 0.25)


def test_a_mask_is_seen_as_much_as_it_covers() -> None:
    pixels = np.full((1, 3, 4), 100, np.uint8)
    out = mask_overlay(pixels, np.array([[0.0, 0.5, 1.0]], np.float32))[0, :, 0].astype(int)
    assert out[0] == 100
    assert out[1] - 100 == pytest.approx((out[2] - 100) / 2, abs=1)
