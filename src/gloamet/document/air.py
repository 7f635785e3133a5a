"""What the sunlight passes through, and what the artist makes of the sky: fields of air, sky and dust."""

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
        description="How the sky is made: from the air itself, by Preetham’s formula of 1999, as one of the fifteen "
        "general skies of the CIE, or even all over. Moonlight comes with the physical one.",
    )
    cie_sky: int = number(
        1, 1, 15, "Number of the CIE general sky: 1–5 overcast, 6–10 partly cloudy, 11–15 clear.", "", 1, 0
    )
    sky_lx: float = number(
        0.0,
        0,
        120_000,
        "Light that an even or CIE sky gives level ground; 0 takes what is common in nature at this sun height.",
        "lx",
        100,
        0,
    )
    sky_kelvin: float = number(6500.0, 2000, 25000, "Colour temperature of an even or CIE sky.", "K", 50, 0)
    turbidity: float = number(
        2.6,
        1.0,
        20.0,
        "Clear to hazy: total optical depth of the air over that of clean air. Beyond 10 nature seldom goes.",
        "",
        0.1,
        2,
    )
    haze_on: bool = Field(False, description="A low layer of haze near the ground.")
    haze_visibility_km: float = number(
        12.0, 0.5, 100.0, "How far one sees inside the haze layer; it reddens and dims a low sun.", "km", 1, 1
    )
    haze_height_m: float = number(
        300.0,
        100.0,
        3000.0,
        "Height at which the haze has thinned to a third; seen from above it is a white floor.",
        "m",
        10,
        0,
    )
    particles: Literal["rural", "urban", "maritime", "dust"] = Field(
        "rural",
        description="What floats in the air: it decides how white haze and aureole are and how red a low sun.",
    )
    ozone_du: float = number(
        300.0,
        100.0,
        600.0,
        "Column of ozone, Dobson units: more deepens the blue of the zenith at a low sun and in twilight. "
        "250 in the tropics, 300 on average, 450 in a northern spring.",
        "DU",
        10,
        0,
    )
    aerial_perspective: bool = Field(
        True, description="Far things fade into the light of the air before them, as far as one sees."
    )
    aerial_visibility_km: float = number(
        0.0,
        0,
        200,
        "How far one sees in the picture; 0 takes what the air itself gives. Sky and sun stay as they are.",
        "km",
        1,
        1,
    )
    aerial_strength: float = number(
        1.0, 0.0, 1.0, "Share of the fading that is shown; 1 is nature.", "", 0.05, 2
    )
    aerial_start_m: float = number(0.0, 0, 10_000, "Distance from which things begin to fade.", "m", 10, 0)
    aerial_tint: Colour = Field(
        (1.0, 1.0, 1.0),
        description="Colour that the light of the air before things is tinted with.",
    )
    aerial_tint_strength: float = number(0.0, 0, 1, "How strongly that light is tinted.", "", 0.05, 2)
    aerial_on_sky: bool = Field(
        False,
        description="An own visibility counts for the sky and the sun in the picture as well: they fade as the "
        "farthest things do.",
    )
    ground_reflectance: float = number(
        0.2, 0.0, 1.0, "Share of light the ground around sends back up; it brightens the sky.", "", 0.01, 2
    )


CURVE_STOPS, CURVE_TURN_DEG = 4.0, 60.0  # the most that a curve of the sky goes up or down


class SkyState(DocumentModel):
    """What the artist makes of the sky beyond nature, and what stands behind the scene."""

    acts_on: Literal["light", "background"] = Field(
        "light", description="Whether the hand on the sky lights the scene too, or is seen behind it alone."
    )
    tint: Colour = Field((1.0, 1.0, 1.0), description="Colour the sky is tinted with; its luminance is kept.")
    tint_strength: float = number(0.0, 0, 1, "How strongly the sky is tinted.", "", 0.05, 2)
    saturation: float = number(
        1.0, 0, 3, "Colour of the sky: 0 is grey, 1 as nature gives it; its luminance is kept.", "", 0.05, 2
    )
    warmth_mired: float = number(
        0.0, -100, 150, "Sky warmer (positive) or cooler than nature; its luminance is kept.", "mired", 5, 0
    )
    horizon_stops: float = number(
        0.0, -4, 4, "Glow at the horizon, brighter or dimmer than nature's.", "stops", 0.1, 2
    )
    aureole_stops: float = number(
        0.0, -4, 4, "Glow round the sun, brighter or dimmer than nature's.", "stops", 0.1, 2
    )
    aureole_deg: float = number(
        12.0, 1, 90, "Angle from the sun at which that change has fallen to a third.", "°", 1, 1
    )
    disc_brightness: float = number(
        1.0,
        0,
        1,
        "Brightness of the sun's own disc where the picture shows it; its light stays.",
        "",
        0.05,
        2,
    )
    luminance_curve: Curve = Field(
        (0.0, 0.0, 0.0, 0.0, 0.0),
        description="Sky brighter or dimmer by height, stops at 0°, 8°, 25°, 50° and 90°.",
        json_schema_extra={"unit": "stops", "limit": CURVE_STOPS},
    )
    hue_curve: Curve = Field(
        (0.0, 0.0, 0.0, 0.0, 0.0),
        description="Hue of the sky turned by height, degrees at 0°, 8°, 25°, 50° and 90°.",
        json_schema_extra={"unit": "°", "limit": CURVE_TURN_DEG},
    )
    backdrop: Literal["sky", "colour", "gradient", "none"] = Field(
        "sky",
        description="What is seen past all things: the sky, a plain colour, one that goes over into another from below "
        "to above, or nothing (transparent when saved). The sky lights the scene all the same.",
    )
    backdrop_colour: Colour = Field(
        (0.8, 0.8, 0.8), description="Colour of the backdrop as it shows on the screen; of a gradient below."
    )
    backdrop_top_colour: Colour = Field((0.25, 0.3, 0.4), description="Colour of a gradient's upper edge.")

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
        description="Dust in the air of a part of the scene, in which the sun draws shafts.",
    )
    region: Literal["model", "view", "box"] = Field(
        "model",
        description="Where the dust hangs: round the whole model, in what the camera sees of it, or in a box.",
    )
    visibility_m: float = number(
        40.0, 3, 2000, "How far one sees in the dust: 120 m is faint, 40 clear, 12 thick.", "m", 5, 0
    )
    anisotropy: float = number(
        0.5,
        -0.5,
        0.95,
        "Which way the dust throws light: 0 all round, 0.5 as dry dust, 0.8 as mist, bright against the sun.",
        "",
        0.05,
        2,
    )
    colour: Colour = Field(
        (1.0, 1.0, 1.0), description="Colour of the dust; its brightness is its reflectance."
    )
    box_min: Point = Field((-5.0, -5.0, 0.0), description="Lowest corner of the dust’s box, metres.")
    box_max: Point = Field((5.0, 5.0, 4.0), description="Highest corner of the dust’s box, metres.")

    @model_validator(mode="after")
    def _box_has_room(self) -> LightShaftState:
        if any(a >= b for a, b in zip(self.box_min, self.box_max, strict=True)):
            raise ValueError("the dust’s box has no room: each highest number must be above its lowest")
        return self
