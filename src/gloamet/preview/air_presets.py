# SPDX-License-Identifier: Apache-2.0
"""Air presets: named airs, and a thumbnail of the sky for each under the present sun.

A document enters; for every `AirPreset` a picture of the sky towards its sun leaves, exposed by a meter on level
ground. The words and values are common practice.
"""

from __future__ import annotations

import math
from dataclasses import replace
from functools import lru_cache
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from gloamet.develop.display import develop_screen
from gloamet.develop.settings import DevelopSettings
from gloamet.document.model import AirState, Document
from gloamet.meter.light import read_light
from gloamet.sky.dome import SkyDome, dome_radiance
from gloamet.sky.particles import KindName
from gloamet.sky.sky_solver import SkySolver
from gloamet.translation.document_to_light import SkyInputs, solve_sky
from gloamet.translation.document_to_picture import develop_settings

WIDTH, HEIGHT = 108, 64
LOW_DEG, HIGH_DEG, WIDE_DEG = -7.0, 47.0, 91.0  # what the pictures show: a degree is as wide as high
ASIDE_DEG = 40.0  # of the sun from the picture's middle
DISC_DEG = 0.8  # radius of the sun as drawn: at this size it is a dot
DARKER_EV = 1.0  # than the meter asks for: the sky is the subject, not the ground


class AirPreset(NamedTuple):
    """word, tip; the fields of the document's air that make it, haze_visibility_km None for no haze layer."""

    word: str
    tip: str
    turbidity: float
    particles: KindName = "rural"
    haze_visibility_km: float | None = None
    haze_height_m: float = 300.0

    def fields(self) -> dict[str, Any]:
        """Values of the document's air."""
        haze = (
            {}
            if self.haze_visibility_km is None
            else {"haze_visibility_km": self.haze_visibility_km, "haze_height_m": self.haze_height_m}
        )
        return {
            "sky_model": "physical",
            "turbidity": self.turbidity,
            "particles": self.particles,
            "haze_on": self.haze_visibility_km is not None,
            **haze,
        }

    def fits(self, air: AirState) -> bool:
        """Whether an air is this one."""
        return all(getattr(air, name) == value for name, value in self.fields().items())


AIR_PRESETS = (
    AirPreset("crisp", "After rain or at altitude: deep blue, hard light.", 1.9),
    AirPreset("clear", "A fine day: blue with a pale horizon.", 2.6),
    AirPreset("hazy", "Summer over fields: whitish, soft distant shadows.", 5.0),
    AirPreset("sea air", "By the sea: white around the sun, blue elsewhere.", 4.0, "maritime"),
    AirPreset("dusty", "Desert dust: pale and warm, little blue.", 8.0, "dust"),
    AirPreset("misty", "A shallow mist with a visibility of two kilometres.", 2.6, "rural", 2.0, 150.0),
)


@lru_cache(maxsize=1)
def _angles() -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Turn from the picture's middle and elevation of every pixel, (HEIGHT, WIDTH), radians."""
    turn = np.radians(np.linspace(-WIDE_DEG / 2.0, WIDE_DEG / 2.0, WIDTH))
    elevation = np.radians(np.linspace(HIGH_DEG, LOW_DEG, HEIGHT))
    turns, elevations = np.meshgrid(turn, elevation)
    return turns, elevations


def sky_picture(dome: SkyDome) -> NDArray[np.float32]:
    """AP1 cd/m2, (HEIGHT, WIDTH, 3): the sky towards its sun, the sun as a dot, the ground as an even floor."""
    turns, elevations = _angles()
    azimuth = math.radians(dome.sun_azimuth_deg - ASIDE_DEG) + turns
    level = np.cos(elevations)
    towards = np.stack([level * np.sin(azimuth), level * np.cos(azimuth), np.sin(elevations)], -1)
    picture = dome_radiance(dome, towards)
    from_sun = np.degrees(np.arccos(np.clip(towards @ dome.sun_direction, -1.0, 1.0)))
    solid = 2.0 * np.pi * (1.0 - math.cos(math.radians(DISC_DEG)))
    picture[from_sun < DISC_DEG] += (dome.sun_irradiance * dome.sun_visible / solid).astype(np.float32)
    picture[elevations < 0.0] = dome.ground_sun + dome.ground_sky
    return picture


class PresetInputs(NamedTuple):
    """All that the picture of a preset depends on: its sky, and how it is developed, but for the exposure."""

    sky: SkyInputs
    settings: DevelopSettings

    @classmethod
    def of(cls, document: Document, preset: AirPreset) -> PresetInputs:
        """The inputs of a preset in a document."""
        changed = document.change("air", **preset.fields())
        return cls(SkyInputs.of(changed), develop_settings(changed, 0.0).point_operations())


def preset_picture(inputs: PresetInputs, solver: SkySolver) -> NDArray[np.uint8]:
    """The sky of a preset as the document develops it, (HEIGHT, WIDTH, 4) uint8 RGBX."""
    dome = solve_sky(inputs.sky, solver)
    ev = read_light(dome).incident_ev + DARKER_EV
    return np.asarray(develop_screen(sky_picture(dome), replace(inputs.settings, ev=ev)))
