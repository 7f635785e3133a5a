# SPDX-License-Identifier: Apache-2.0
"""Fields of air, sky adjustments, background and light shafts."""

from __future__ import annotations

from typing import Literal

from pydantic import Field, ValidationInfo, field_validator, model_validator

from gloamet.document.field_types import DocumentModel, number
from gloamet.document.stage import Colour, Point

Curve = tuple[float, float, float, float, float]


class AirState(DocumentModel):
    """What the sunlight passes through."""

    sky_model: Literal["physical", "preetham", "cie", "uniform"] = Field(
        "physical",
        description="How the sky is computed. Atmosphere: from turbidity, particles and ozone. Preetham: the formula "
        "of 1999. CIE: one of fifteen general skies. Uniform: the same luminance everywhere. Moonlight "
        "needs the atmosphere.",
    )
    cie_sky: int = number(
        1, 1, 15, "Number of the CIE general sky: 1–5 overcast, 6–10 partly cloudy, 11–15 clear.", "", 1, 0
    )
    sky_lx: float = number(
        0.0,
        0,
        120_000,
        "Horizontal illuminance of a uniform or CIE sky. 0 = automatic: typical at this sun elevation.",
        "lx",
        100,
        0,
    )
    sky_kelvin: float = number(6500.0, 2000, 25000, "Colour temperature of a uniform or CIE sky.", "K", 50, 0)
    turbidity: float = number(
        2.6,
        1.0,
        20.0,
        "Clear to hazy: total optical depth of the air divided by that of clean air. Values above 10 are "
        "rare in nature.",
        "",
        0.1,
        2,
    )
    haze_on: bool = Field(False, description="Whether there is a haze layer near the ground.")
    haze_visibility_km: float = number(
        12.0,
        0.5,
        100.0,
        "Meteorological visibility inside the haze layer. Haze reddens and dims a low sun.",
        "km",
        1,
        1,
    )
    haze_height_m: float = number(
        300.0,
        100.0,
        3000.0,
        "Scale height of the haze: where its density has fallen to 37 %. From above it looks like a white floor.",
        "m",
        10,
        0,
    )
    particles: Literal["rural", "urban", "maritime", "dust"] = Field(
        "rural",
        description="Kind of aerosol. It sets how white haze and aureole are and how red a low sun is.",
    )
    ozone_du: float = number(
        300.0,
        100.0,
        600.0,
        "Ozone column. More ozone deepens the blue of the zenith at low sun and in twilight. 250 in the "
        "tropics, 300 on average, 450 in a northern spring.",
        "DU",
        10,
        0,
    )
    aerial_perspective: bool = Field(
        True, description="Whether distant objects fade into the light of the air in front of them."
    )
    aerial_visibility_km: float = number(
        0.0,
        0,
        200,
        "Visibility in the picture. 0 = automatic: the visibility of the air. Sky and sun do not change.",
        "km",
        1,
        1,
    )
    aerial_strength: float = number(
        1.0, 0.0, 1.0, "Strength of the aerial perspective; 1 is physical.", "", 0.05, 2
    )
    aerial_start_m: float = number(0.0, 0, 10_000, "Distance at which aerial perspective starts.", "m", 10, 0)
    aerial_tint: Colour = Field(
        (1.0, 1.0, 1.0),
        description="Tint of the light that the air adds.",
    )
    aerial_tint_strength: float = number(0.0, 0, 1, "Strength of that tint.", "", 0.05, 2)
    aerial_on_sky: bool = Field(
        False,
        description="Apply the visibility in the picture to sky and sun too: they fade like the most distant objects.",
    )
    ground_reflectance: float = number(
        0.2,
        0.0,
        1.0,
        "Reflectance of the ground around the scene. A brighter ground brightens the sky.",
        "",
        0.01,
        2,
    )


CURVE_STOPS, CURVE_TURN_DEG = 4.0, 60.0  # the most that a curve of the sky goes up or down


class SkyState(DocumentModel):
    """Adjustments of the sky, and the background of the scene."""

    acts_on: Literal["light", "background"] = Field(
        "light", description="Whether the sky grading changes the light and the picture, or the picture only."
    )
    tint: Colour = Field((1.0, 1.0, 1.0), description="Tint of the sky; its luminance stays.")
    tint_strength: float = number(0.0, 0, 1, "Strength of the sky tint.", "", 0.05, 2)
    saturation: float = number(
        1.0, 0, 3, "Saturation of the sky: 0 grey, 1 physical; its luminance stays.", "", 0.05, 2
    )
    warmth_mired: float = number(
        0.0,
        -100,
        150,
        "Warmth of the sky: positive is warmer than physical; its luminance stays.",
        "mired",
        5,
        0,
    )
    horizon_stops: float = number(
        0.0, -4, 4, "Brightness of the horizon glow against physical.", "stops", 0.1, 2
    )
    aureole_stops: float = number(
        0.0, -4, 4, "Brightness of the aureole around the sun against physical.", "stops", 0.1, 2
    )
    aureole_deg: float = number(
        12.0, 1, 90, "Angle from the sun at which the change of the aureole has fallen to 37 %.", "°", 1, 1
    )
    disc_brightness: float = number(
        1.0,
        0,
        1,
        "Brightness of the sun disc in the picture; its light on the scene stays.",
        "",
        0.05,
        2,
    )
    luminance_curve: Curve = Field(
        (0.0, 0.0, 0.0, 0.0, 0.0),
        description="Brightness of the sky by elevation, stops at 0°, 8°, 25°, 50° and 90°.",
        json_schema_extra={"unit": "stops", "limit": CURVE_STOPS},
    )
    hue_curve: Curve = Field(
        (0.0, 0.0, 0.0, 0.0, 0.0),
        description="Hue shift of the sky by elevation, degrees at 0°, 8°, 25°, 50° and 90°.",
        json_schema_extra={"unit": "°", "limit": CURVE_TURN_DEG},
    )
    backdrop: Literal["sky", "colour", "gradient", "none"] = Field(
        "sky",
        description="What is behind the scene: the sky, one colour, a vertical gradient, or nothing (saved as "
        "transparent). The sky lights the scene in every case.",
    )
    backdrop_colour: Colour = Field(
        (0.8, 0.8, 0.8), description="Backdrop colour as displayed; for a gradient the bottom colour."
    )
    backdrop_top_colour: Colour = Field((0.25, 0.3, 0.4), description="Top colour of the gradient.")

    @field_validator("luminance_curve", "hue_curve")
    @classmethod
    def _curve_in_range(cls, value: Curve, info: ValidationInfo) -> Curve:
        stops = info.field_name == "luminance_curve"
        limit, unit = (CURVE_STOPS, " stops") if stops else (CURVE_TURN_DEG, "°")
        if max(abs(v) for v in value) > limit:
            raise ValueError(f"a point of the curve is beyond ±{limit:g}{unit}")
        return value


class LightShaftState(DocumentModel):
    """Shafts of light: dust that hangs in a bounded part of the scene."""

    on: bool = Field(
        False,
        description="Whether a participating medium (dust or mist) makes sunlight visible.",
    )
    region: Literal["model", "view", "box"] = Field(
        "model",
        description="Region filled by the medium: the whole model, what the camera sees of it, or a box.",
    )
    visibility_m: float = number(
        40.0, 3, 2000, "Visibility in the medium: 120 m is faint, 40 m clear, 12 m thick.", "m", 5, 0
    )
    anisotropy: float = number(
        0.5,
        -0.5,
        0.95,
        "Scattering direction: 0 in all directions, 0.5 like dry dust, 0.8 like mist (bright against the sun).",
        "",
        0.05,
        2,
    )
    colour: Colour = Field(
        (1.0, 1.0, 1.0),
        description="Scattering colour of the medium; its brightness is the single-scattering albedo.",
    )
    box_min: Point = Field((-5.0, -5.0, 0.0), description="Minimum corner of the box, metres.")
    box_max: Point = Field((5.0, 5.0, 4.0), description="Maximum corner of the box, metres.")

    @model_validator(mode="after")
    def _box_has_room(self) -> LightShaftState:
        if any(a >= b for a, b in zip(self.box_min, self.box_max, strict=True)):
            raise ValueError("the box is empty: each maximum must be above its minimum")
        return self
