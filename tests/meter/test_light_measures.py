# SPDX-License-Identifier: Apache-2.0
"""What a light does to a picture in numbers, and which lights lie apart."""

from __future__ import annotations

import math

import numpy as np
import pytest

from gloamet.meter.light_measures import LightMeasures, depth_of, measure_light, reason, spread_apart
from gloamet.meter.picture import SeenSurfaces

SHAPE = (40, 60)
EV = 10.0
WHITE = 2.5 * 2.0**EV / math.pi  # a white card in the light of EV 10 (ISO 2720, C = 250)


def grey(level: float) -> np.ndarray:
    return np.full((*SHAPE, 3), level, np.float32)


def look(bearing: float, height: float, kelvin: float = 5500.0, fraction: float = 0.5) -> LightMeasures:
    return LightMeasures(bearing, height, fraction, 0.2, 0.0, 0.0, 2.0, kelvin)


def test_the_suns_share_is_of_what_is_near() -> None:
    depth = np.full(SHAPE, 10.0, np.float32)
    depth[:20] = 0.0  # sky
    sun = grey(0.0)
    sun[20:30] = 80.0  # half of the ground
    fraction, _, _, sky = measure_light(grey(100.0) * (WHITE / 100.0), sun * (WHITE / 100.0), depth, EV)
    assert fraction == pytest.approx(0.5)
    assert sky == pytest.approx(0.0, abs=1e-5)  # a sky as bright as a white card


def test_a_rim_is_sunlight_on_outlines() -> None:
    depth = np.full(SHAPE, 200.0, np.float32)
    depth[10:30, 20:40] = 5.0  # a thing before a far wall
    light, sun = grey(100.0), grey(0.0)
    sun[10:30, 20] = sun[10:30, 39] = 90.0
    fraction, rim, _, _ = measure_light(light, sun, depth, EV)
    assert rim == pytest.approx(1.0)
    assert fraction == pytest.approx(40.0 / (40 * 60))
    assert measure_light(light, grey(0.0), depth, EV)[1] == 0.0


def test_the_middle_is_held_against_what_is_round_it() -> None:
    y, x = (np.arange(n) + 0.5 for n in SHAPE)
    middle = ((y[:, None] / 40 - 0.5) / 0.32) ** 2 + ((x[None] / 60 - 0.5) / 0.32) ** 2 < 1.0
    light = grey(100.0)
    light[middle] = 400.0
    assert measure_light(light, grey(0.0), np.full(SHAPE, 5.0, np.float32), EV)[2] == pytest.approx(
        2.0, abs=1e-4
    )


def nothing(looks: list[LightMeasures]) -> np.ndarray:
    """No more numbers of them."""
    return np.zeros((len(looks), 0))


def test_lights_that_measure_alike_are_told_apart_by_what_is_seen() -> None:
    looks = [look(90.0, 20.0)] * 4
    seen = np.array([[0.0, 0.0], [0.1, 0.0], [1.0, 0.0], [0.0, 2.0]])
    assert spread_apart(looks, 3, seen) == [0, 3, 2]


def test_chosen_lights_lie_far_apart_and_dull_ones_are_left_out() -> None:
    looks = [look(b, 20.0) for b in (0.0, 5.0, 90.0, 95.0, 180.0, 270.0)] + [look(45.0, 30.0, fraction=0.01)]
    chosen = spread_apart(looks, 4, nothing(looks))
    bearings = sorted(looks[k].azimuth_deg for k in chosen)
    assert len(chosen) == 4
    assert all(b - a > 60.0 for a, b in zip(bearings, bearings[1:], strict=False))
    assert 6 not in spread_apart(looks, 7, nothing(looks))
    assert len(spread_apart(looks, 50, nothing(looks))) == 6


def test_colour_and_height_set_lights_apart_too() -> None:
    looks = [look(90.0, 20.0), look(90.0, 21.0), look(90.0, 20.0, kelvin=12000.0), look(90.0, 60.0)]
    assert set(spread_apart(looks, 3, nothing(looks))) & {2, 3} == {2, 3}


@pytest.mark.parametrize(
    ("bearing", "words"),
    [
        (0.0, "sun behind the subject:"),
        (180.0, "behind the camera:"),
        (90.0, "from the right:"),
        (270.0, "from the left:"),
        (45.0, "behind the subject, right:"),
        (225.0, "behind the camera, left:"),
    ],
)
def test_a_reason_says_where_the_light_comes_from(bearing: float, words: str) -> None:
    assert words in reason(look(bearing, 20.0))


def test_depths_are_stretched_to_the_picture() -> None:
    seen = SeenSurfaces(np.zeros((2, 2, 3), np.float32), np.array([[1.0, 2.0], [3.0, 4.0]], np.float32))
    assert depth_of(seen, (4, 4))[0].tolist() == [1.0, 1.0, 2.0, 2.0]
