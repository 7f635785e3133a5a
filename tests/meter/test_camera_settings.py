# SPDX-License-Identifier: Apache-2.0
"""Aperture, shutter and ISO against the definition of EV and the numbers that stand on cameras."""

from __future__ import annotations

import pytest

from gloamet.meter.camera_settings import (
    APERTURES,
    PREFERRED,
    TYPICAL,
    CameraSettings,
    Which,
    following,
    in_thirds,
    thirds_away,
    written,
)


@pytest.mark.proof(
    "EV 15 is f/16 at 1/125 s and ISO 100", source="the sunny-16 rule, common practice", kind="practice"
)
def test_bright_sun_is_f16_at_a_time_of_one_over_the_iso() -> None:
    # common practice: f/16 and 1/ISO seconds in bright sun, EV 15 by the table within a third
    assert CameraSettings(16.0, 1.0 / 125.0, 125.0).ev == pytest.approx(14.64, abs=0.05)
    assert CameraSettings(1.0, 1.0, 100.0).ev == 0.0  # the definition of EV 0


def test_preferred_numbers_are_the_tenth_roots_of_ten_rounded() -> None:
    # ISO 3, series R10; cameras write 6.4 (a multiple of ISO 100) where it has 6.3
    assert pytest.approx([10.0 ** (k / 10.0) for k in range(11)], rel=0.016) == PREFERRED


@pytest.mark.parametrize("which", ["f_number", "shutter_s", "iso"])
@pytest.mark.parametrize("ev", [-3.0, 6.0, 15.0])
def test_the_one_that_follows_makes_the_exposure_right(which: Which, ev: float) -> None:
    camera = CameraSettings(5.6, 1.0 / 60.0, 400.0)
    assert camera._replace(**{which: following(camera, which, ev)}).ev == pytest.approx(ev)


@pytest.mark.parametrize(("which", "per_stop"), [("f_number", 2.0**0.5), ("shutter_s", 2.0), ("iso", 2.0)])
def test_three_thirds_are_a_stop(which: Which, per_stop: float) -> None:
    start = in_thirds(8.3, which)
    assert thirds_away(start, which, 3) == pytest.approx(start * per_stop)
    assert thirds_away(start, which, -3) == pytest.approx(start / per_stop)
    assert in_thirds(start, which) == pytest.approx(start)


def test_settings_are_written_as_on_a_camera() -> None:
    # the marks of a lens and a dial: common practice
    assert [written(2.0 ** (k / 2.0), "f_number") for k in range(2, 9)] == [
        "f/2", "f/2.8", "f/4", "f/5.6", "f/8", "f/11", "f/16",
    ]  # fmt: skip
    times = [written(2.0**-k, "shutter_s") for k in range(11)]
    assert times == [
        "1 s", "1/2 s", "1/4 s", "1/8 s", "1/15 s", "1/30 s", "1/60 s", "1/125 s", "1/250 s", "1/500 s", "1/1000 s",
    ]  # fmt: skip
    assert [written(v, "iso") for v in (64.0, 100.0, 126.0, 200.0, 6400.0)] == [
        "ISO 64", "ISO 100", "ISO 125", "ISO 200", "ISO 6400",
    ]  # fmt: skip
    assert len({written(a, "f_number") for a in APERTURES}) == len(APERTURES)


def test_typical_lights_go_from_bright_to_dark() -> None:
    values = [light.ev for light in TYPICAL]
    assert values == sorted(values, reverse=True)
    # REFERENCE.md and handbooks: bright daylight is EV 15
    assert {light.description: light.ev for light in TYPICAL}["Bright sun"] == 15.0


@pytest.mark.proof(
    "Typical exposures match handbook illuminances",
    source="illuminances of handbooks, from memory",
    kind="memory",
)
@pytest.mark.parametrize(
    ("description", "least", "most"),
    [
        ("Bright sun", 70e3, 110e3),
        ("Hazy sun, soft shadows", 30e3, 60e3),
        ("Low sun", 8e3, 25e3),
        ("Open shade, overcast", 5e3, 20e3),
        ("Sun on the horizon", 1e3, 6e3),
        ("Room by a large window", 300.0, 2000.0),
        ("Blue hour", 50.0, 400.0),
        ("Lit room at night", 50.0, 200.0),
        ("Lit street at night", 5.0, 50.0),
        ("Full moon", 0.1, 0.35),
    ],
)
def test_a_typical_light_is_as_bright_as_handbooks_say(description: str, least: float, most: float) -> None:
    (ev,) = (light.ev for light in TYPICAL if light.description == description)
    assert least < 2.5 * 2.0**ev < most  # ISO 2720, C = 250
