# SPDX-License-Identifier: Apache-2.0
"""Tone: every setting is a rising curve, grey stays grey, neutral is nothing at all."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from gloamet.colour.spaces import AP1_LUMINANCE
from gloamet.develop.links import Tone
from gloamet.develop.tone import free_curve, tone_picture, toned_stops
from gloamet.document.metadata import field_range

STOPS = np.linspace(-14.0, 14.0, 1401)
GREY = 0.18


def grey(stops: float) -> np.ndarray:
    return np.full((1, 1, 3), GREY * 2.0**stops, np.float32)


def lum(picture: np.ndarray) -> float:
    return float(picture[0, 0] @ AP1_LUMINANCE)


def edge(name: str) -> st.SearchStrategy[float]:
    found = field_range("expose.tone", name)
    low, high = found.low, found.high
    return st.one_of(st.sampled_from([low, high]), st.floats(low, high))


SLIDERS = ("contrast", "s_curve", "roll_off", "highlights", "shadows", "whites", "blacks")


@example(dict.fromkeys(SLIDERS, 0.0) | {"roll_off": 5e-324})
@settings(max_examples=200, deadline=None)
@given(st.fixed_dictionaries({name: edge(name) for name in SLIDERS}))
def test_no_setting_turns_light_and_dark_round(sliders: dict[str, float]) -> None:
    out = toned_stops(STOPS, Tone(**sliders))
    assert (np.diff(out) > 0.0).all()


def test_a_neutral_tone_is_the_very_picture() -> None:
    picture = np.random.default_rng(3).uniform(0, 4, (8, 8, 3)).astype(np.float32)
    assert tone_picture(picture, Tone()) is picture
    assert tone_picture(picture, Tone(on=False, contrast=1.0)) is picture
    assert tone_picture(picture, Tone(strength=0.0, shadows=1.0)) is picture


def test_contrast_leaves_middle_grey_and_spreads_what_is_beside_it() -> None:
    more = Tone(contrast=1.0)
    assert toned_stops(np.zeros(1), more)[0] == 0.0
    assert toned_stops(np.array([1.0]), more)[0] > 1.5
    assert toned_stops(np.array([1.0]), Tone(contrast=-1.0))[0] < 0.7


@pytest.mark.parametrize(
    ("name", "there", "elsewhere"),
    [("shadows", -4.0, 2.0), ("highlights", 3.5, -2.0), ("blacks", -10.0, 0.0), ("whites", 8.0, 0.0)],
)
def test_a_region_moves_by_its_stops_and_the_other_end_stays(
    name: str, there: float, elsewhere: float
) -> None:
    tone = Tone(**{name: 1.0})
    moved = toned_stops(np.array([there, elsewhere]), tone) - [there, elsewhere]
    assert moved[0] == pytest.approx(1.0, abs=0.1)
    assert moved[1] == pytest.approx(0.0, abs=0.01)


def test_an_s_curve_bends_the_middle_and_leaves_the_ends() -> None:
    out = toned_stops(np.array([-9.0, -0.5, 0.0, 0.5, 9.0]), Tone(s_curve=0.8))
    assert out[1] < -0.8 < 0.8 < out[3]
    assert out[[0, 2, 4]] == pytest.approx([-9.0, 0.0, 9.0], abs=0.01)


def test_the_roll_off_leaves_grey_and_holds_the_sun_down() -> None:
    out = toned_stops(np.array([0.0, 12.0]), Tone(roll_off=1.0))
    assert out[0] == 0.0
    assert out[1] < 3.5


def test_strength_goes_from_nothing_to_all_in_stops() -> None:
    whole, half = (toned_stops(STOPS, Tone(shadows=1.0, strength=s)) for s in (1.0, 0.5))
    assert half - STOPS == pytest.approx(0.5 * (whole - STOPS))


def test_brightness_keeps_the_ratios_of_the_channels() -> None:
    picture = np.array([[[1.2, 0.3, 0.15]]], np.float32)
    out = tone_picture(picture, Tone(contrast=0.5, shadows=1.0))
    assert out[0, 0] / out[0, 0, 1] == pytest.approx(picture[0, 0] / picture[0, 0, 1], rel=1e-5)
    assert lum(out) != pytest.approx(lum(picture), rel=0.05)


def test_grey_stays_grey_under_brightness_and_takes_colour_from_a_channel_curve() -> None:
    lifted = ((0.0, 0.0), (0.5, 0.6), (1.0, 1.0))
    plain = tone_picture(grey(-1.0), Tone(curve=lifted, contrast=0.4))
    assert np.ptp(plain) < 1e-6
    red = tone_picture(grey(-1.0), Tone(curve_red=lifted))
    assert red[0, 0, 0] > 1.3 * red[0, 0, 1] == pytest.approx(1.3 * GREY / 2.0, rel=1e-5)


def test_a_free_curve_goes_through_its_points_and_on_beyond_its_ends() -> None:
    points = ((0.0, 0.1), (0.5, 0.6), (1.0, 0.9))
    # 0 is 8 stops below grey, 1 is 6 above: what the field says
    at = np.array([x * 14.0 - 8.0 for x, _ in points])
    assert free_curve(at, points) == pytest.approx([y * 14.0 - 8.0 for _, y in points])
    beyond = free_curve(np.array([6.0, 8.0]), points)
    assert beyond[1] - beyond[0] == pytest.approx(2.0)
    assert (np.diff(free_curve(STOPS, points)) > 0.0).all()


def test_darkness_and_the_brightest_light_stay_finite() -> None:
    picture = np.array([[[0.0, 0.0, 0.0], [1e9, 1e9, 1e9], [-0.1, 0.2, 0.1]]], np.float32)
    out = tone_picture(
        picture, Tone(contrast=1.0, whites=1.5, blacks=-1.5, curve_blue=((0.0, 0.2), (1.0, 1.0)))
    )
    assert np.isfinite(out).all()
    assert (out[0, 0] == 0.0).all()


@pytest.mark.parametrize(
    ("name", "begin", "full", "end"),
    [
        ("shadows", -0.3, -4.5, -12.0),
        ("highlights", 0.2, 3.8, 10.0),
        ("blacks", -3.0, -9.0, None),
        ("whites", 1.5, 6.0, None),
    ],
)
def test_a_region_acts_in_full_at_its_place_half_between_and_not_beyond(
    name: str, begin: float, full: float, end: float | None
) -> None:
    amount = 0.8
    positions = {begin: 0.0, (begin + full) / 2.0: 0.5, full: 1.0, 2.0 * begin - full: 0.0}
    positions |= {full * 1.5: 1.0} if end is None else {(full + end) / 2.0: 0.5, end: 0.0, 1.2 * end: 0.0}
    stops = np.array(list(positions))
    moved = toned_stops(stops, Tone(**{name: amount})) - stops  # type: ignore[arg-type]
    assert moved == pytest.approx(amount * np.array(list(positions.values())), abs=1e-9)
