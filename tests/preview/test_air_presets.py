# SPDX-License-Identifier: Apache-2.0
"""Small pictures of named airs: where the sun stands in them, and that each is the air it names."""

from __future__ import annotations

import numpy as np
import pytest

from gloamet.colour.spaces import luminance
from gloamet.document.model import Document
from gloamet.preview.air_presets import (
    AIR_PRESETS,
    ASIDE_DEG,
    HEIGHT,
    HIGH_DEG,
    LOW_DEG,
    WIDE_DEG,
    WIDTH,
    PresetInputs,
    preset_picture,
    sky_picture,
)
from gloamet.sky.air import Air
from gloamet.sky.sky_solver import SkySolver


@pytest.mark.parametrize("elevation", [8.0, 30.0])
@pytest.mark.parametrize("azimuth", [20.0, 250.0])
def test_the_sun_stands_aside_of_the_middle_at_its_height(
    solver: SkySolver, azimuth: float, elevation: float
) -> None:
    picture = luminance(sky_picture(solver.dome(Air(2.5), azimuth, elevation)))
    row, column = np.unravel_index(np.argmax(picture), picture.shape)
    degrees = WIDE_DEG / (WIDTH - 1)
    assert column * degrees - WIDE_DEG / 2.0 == pytest.approx(ASIDE_DEG, abs=1.0)
    assert HIGH_DEG - row * (HIGH_DEG - LOW_DEG) / (HEIGHT - 1) == pytest.approx(elevation, abs=1.0)


def test_below_the_horizon_lies_the_lit_ground(solver: SkySolver) -> None:
    dome = solver.dome(Air(2.5, ground_reflectance=0.3), 180.0, 30.0)
    # Lambert: reflectance times illuminance over pi
    lit = 0.3 / np.pi * (dome.sun_horizontal + dome.sky_horizontal)
    assert sky_picture(dome)[-1, :] == pytest.approx(np.tile(lit, (WIDTH, 1)), rel=1e-3)


def test_each_look_can_be_taken_and_is_then_recognised_and_no_other() -> None:
    for look in AIR_PRESETS:
        air = Document().change("air", **look.fields()).air
        assert [other.word for other in AIR_PRESETS if other.fits(air)] == [look.word]


@pytest.mark.parametrize(
    ("section", "values"),
    [
        ("expose.tone", {"contrast": 0.4}),
        ("expose.colour", {"saturation": 0.3}),
        ("expose", {"balance": False}),
        ("expose", {"warmth_kept": 0.8}),
        ("expose", {"kelvin": 4000.0}),
        ("sun", {"mode": "manual", "elevation_deg": 9.0}),
        ("air", {"ozone_du": 500.0}),
        ("stage.ground", {"colour": (0.1, 0.4, 0.1)}),
    ],
)
def test_a_change_that_a_picture_shows_is_among_its_inputs(
    solver: SkySolver, section: str, values: dict[str, object]
) -> None:
    document = Document().change("sun", mode="manual", elevation_deg=30.0)
    before, after = (
        PresetInputs.of(d, AIR_PRESETS[1]) for d in (document, document.change(section, **values))
    )
    assert before != after
    assert (preset_picture(before, solver) != preset_picture(after, solver)).any()


def test_what_no_picture_shows_is_not_among_its_inputs() -> None:
    document = Document()
    for section, values in (
        ("expose", {"spot_x": 0.2}),
        ("fill", {"sky_stops": 1.0}),
        ("air", {"turbidity": 7.0}),
    ):
        changed = document.change(section, **values)
        assert PresetInputs.of(document, AIR_PRESETS[1]) == PresetInputs.of(changed, AIR_PRESETS[1]), section
