# SPDX-License-Identifier: Apache-2.0
"""Fields of exposure, white balance and the links of the developing chain, neutral by default.

The order in which the links act is that of `develop.chain`.
"""

from __future__ import annotations

from typing import Any, Literal, get_args

from pydantic import Field, field_validator

from gloamet.colour.curves import HUE_BANDS, STRAIGHT, CurvePoints
from gloamet.colour.views import DEFAULT_VIEW, VIEWS
from gloamet.document.field_types import DocumentModel, number
from gloamet.document.stage import Colour

Metering = Literal["scene", "incident", "spot", "centre", "average", "whites", "manual"]
METERINGS: tuple[Metering, ...] = get_args(Metering)


def _switch(what: str) -> Any:
    return Field(True, description=f"Whether {what} is on; off keeps its settings.")


def _strength(what: str) -> Any:
    return number(1.0, 0, 1, f"Strength of {what}; 0 is without it.", "", 0.05, 2)


def _curve(what: str) -> Any:
    text = (
        f"Curve of {what}: points from 0 (8 stops below grey) to 1 (6 stops above), input and output; it never "
        "falls."
    )
    return Field(STRAIGHT, min_length=2, max_length=16, description=text)


class GlareState(DocumentModel):
    """What a lens scatters of bright light."""

    on: bool = _switch("the lens glare")
    strength: float = _strength("the lens glare")
    veiling_glare: float = number(
        0.0, 0, 20, "Light scattered by the lens over the whole picture.", "%", 0.5, 1
    )
    glow: float = number(
        0.0, 0, 60, "Fraction of the brightest light that glows around its source.", "%", 1, 0
    )
    glow_threshold: float = number(
        0.5, -3, 8, "Luminance above a white card from which light glows.", "stops", 0.1, 1
    )
    glow_size: float = number(
        3.0, 0.3, 25, "Radius of the glow, in percent of the picture height.", "%", 0.5, 1
    )
    starburst: float = number(
        0.0, 0, 10, "Light diffracted by the aperture blades into a star around bright points.", "%", 0.2, 1
    )
    blades: int = number(
        6, 3, 12, "Number of aperture blades; an odd number gives twice as many rays.", "", 1, 0
    )
    starburst_rotation_deg: float = number(15.0, 0, 180, "Rotation of the starburst.", "°", 5, 0)
    flare: float = number(
        0.0,
        0,
        3,
        "Light reflected between lens elements: faint ghost images across the centre.",
        "%",
        0.1,
        1,
    )


class ToneState(DocumentModel):
    """How brightness is laid out, before the view."""

    on: bool = _switch("the tone")
    strength: float = _strength("the tone")
    contrast: float = number(0.0, -1, 1, "Contrast about middle grey.", "", 0.05, 2)
    s_curve: float = number(0.0, -0.5, 1, "Contrast of the mid-tones; the ends stay.", "", 0.05, 2)
    roll_off: float = number(0.0, 0, 1, "How early highlights bend softly towards white.", "", 0.05, 2)
    highlights: float = number(0.0, -1.5, 1.5, "Brightness of the highlights.", "stops", 0.1, 2)
    shadows: float = number(0.0, -1.5, 1.5, "Brightness of the shadows.", "stops", 0.1, 2)
    whites: float = number(0.0, -1.5, 1.5, "Brightness of the brightest parts.", "stops", 0.1, 2)
    blacks: float = number(0.0, -1.5, 1.5, "Brightness of the darkest parts.", "stops", 0.1, 2)
    local_contrast: float = number(
        0.0, -1, 1.5, "Contrast of details against their surroundings, without halos at edges.", "", 0.05, 2
    )
    local_radius: float = number(
        4.0, 0.5, 20, "Radius of the surroundings, in percent of the picture height.", "%", 0.5, 1
    )
    curve: CurvePoints = _curve("brightness")
    curve_red: CurvePoints = _curve("red")
    curve_green: CurvePoints = _curve("green")
    curve_blue: CurvePoints = _curve("blue")

    @field_validator("curve", "curve_red", "curve_green", "curve_blue")
    @classmethod
    def _rises(cls, points: CurvePoints) -> CurvePoints:
        if any(not 0.0 <= value <= 1.0 for point in points for value in point):
            raise ValueError("points of a curve lie between 0 and 1")
        if points[0][0] != 0.0 or points[-1][0] != 1.0:
            raise ValueError("a curve begins at 0 and ends at 1")
        for (x0, y0), (x1, y1) in zip(points, points[1:], strict=False):
            if x1 - x0 < 1e-3 or y1 < y0:
                raise ValueError("points of a curve must move right and never fall")
        return points


class HueBand(DocumentModel):
    """One of eight bands of hue."""

    hue: float = number(0.0, -30, 30, "Hue shift of this band.", "°", 1, 0)
    saturation: float = number(0.0, -1, 1, "Saturation of this band.", "", 0.05, 2)
    lightness: float = number(0.0, -1, 1, "Lightness of this band.", "", 0.05, 2)


class ColourState(DocumentModel):
    """Colour after the view."""

    on: bool = _switch("the colour")
    strength: float = _strength("the colour")
    saturation: float = number(1.0, 0, 2, "Saturation of all colours; 0 is grey.", "", 0.05, 2)
    vibrance: float = number(
        0.0, -1, 1, "Saturation of pale colours; strong colours hardly change.", "", 0.05, 2
    )
    bands: tuple[HueBand, ...] = Field(
        (HueBand(),) * len(HUE_BANDS),
        min_length=len(HUE_BANDS),
        max_length=len(HUE_BANDS),
        description="Bands of hue with soft borders: " + ", ".join(HUE_BANDS) + ".",
    )
    shadow_tone: Colour = Field((0.25, 0.45, 1.0), description="Toning colour of the shadows.")
    shadow_toning: float = number(0.0, 0, 1, "Strength of the shadow toning.", "", 0.05, 2)
    highlight_tone: Colour = Field((1.0, 0.6, 0.25), description="Toning colour of the highlights.")
    highlight_toning: float = number(0.0, 0, 1, "Strength of the highlight toning.", "", 0.05, 2)
    toning_balance: float = number(
        0.0, -1, 1, "Shifts the border between shadow and highlight toning.", "", 0.05, 2
    )
    black_and_white: bool = Field(
        False, description="Convert the picture to black and white through a colour filter."
    )
    filter: Colour = Field(
        (1.0, 1.0, 1.0),
        description="Filter colour of the black-and-white conversion: objects of this colour become light.",
    )
    table: str = Field(
        "", max_length=4096, description="Look-up table (.cube file) applied to the finished colours."
    )
    table_strength: float = number(1.0, 0, 1, "Strength of the look-up table.", "", 0.05, 2)


class MaskState(DocumentModel):
    """A soft mask, and the corrections of exposure, temperature, colour and contrast inside it."""

    name: str = Field("", max_length=60, description="Name of the mask.")
    on: bool = Field(True, description="Whether the mask is applied.")
    kind: Literal["round", "gradient", "painted", "part", "material", "distance", "sunlit", "shaded"] = Field(
        "round", description="What the mask covers."
    )
    strength: float = number(1.0, 0, 1, "Strength of the mask.", "", 0.05, 2)
    inverted: bool = Field(False, description="Invert the mask.")
    x: float = number(0.5, -0.5, 1.5, "Horizontal position of the mask centre.", "", 0.01, 3)
    y: float = number(0.5, -0.5, 1.5, "Vertical position of the mask centre.", "", 0.01, 3)
    width: float = number(0.4, 0.01, 3, "Width, in picture heights.", "", 0.02, 2)
    height: float = number(0.4, 0.01, 3, "Height, in picture heights.", "", 0.02, 2)
    rotation_deg: float = number(0.0, -180, 180, "Rotation of the mask.", "°", 1, 0)
    softness: float = number(0.6, 0, 1, "Softness of the mask edge.", "", 0.05, 2)
    target: str = Field("", max_length=200, description="Part or material of the model that the mask covers.")
    near_m: float = number(0.0, 0, 1e5, "Distance at which the mask starts.", "m", 1, 1)
    far_m: float = number(30.0, 0, 1e5, "Distance at which the mask ends.", "m", 1, 1)
    strokes: tuple[tuple[float, float, float], ...] = Field(
        (),
        max_length=4000,
        description="Painted dabs: horizontal and vertical position, and width in picture heights.",
    )
    exposure: float = number(0.5, -4, 4, "Exposure in the mask.", "stops", 0.1, 2)
    mired: float = number(0.0, -100, 100, "Warmth in the mask: positive is warmer.", "mired", 5, 0)
    saturation: float = number(1.0, 0, 2, "Saturation in the mask.", "", 0.05, 2)
    contrast: float = number(0.0, -1, 1, "Contrast about middle grey in the mask.", "", 0.05, 2)


class LensState(DocumentModel):
    """What lens and film do to the picture."""

    on: bool = _switch("lens and film")
    strength: float = _strength("lens and film")
    vignette: float = number(0.0, -2, 3, "Darkening of the corners in stops.", "stops", 0.1, 2)
    distortion: float = number(
        0.0, -20, 20, "Lens distortion: positive bends straight lines outwards (barrel).", "%", 0.5, 1
    )
    fringe: float = number(
        0.0,
        -5,
        5,
        "Chromatic fringe: red is magnified against blue by this amount, visible at edges.",
        "‰",
        0.1,
        1,
    )
    sharpness: float = number(0.0, 0, 2, "Sharpens the finest details.", "", 0.05, 2)
    grain: float = number(0.0, 0, 1, "Film grain, strongest in the mid-tones.", "", 0.05, 2)
    grain_size: float = number(
        0.15, 0.05, 1, "Size of the grain, in percent of the picture height.", "%", 0.05, 2
    )


class ExposeState(DocumentModel):
    """Developing the picture like a photograph."""

    metering: Metering = Field(
        "scene",
        description="Scene: by the illuminance on visible surfaces. Incident: by the horizontal illuminance. Spot, "
        "centre, average: by the luminance of the picture. Whites: bright parts just do not clip. "
        "Manual: as set.",
    )
    ev: float = number(14.0, -8, 22, "Exposure value at ISO 100; bright daylight is about 15.", "EV", 0.1, 2)
    compensation: float = number(
        0.0, -5, 5, "Exposure compensation: stops brighter than metered.", "EV", 0.1, 2
    )
    spot_x: float = number(0.5, 0, 1, "Horizontal position of the spot meter.", "", 0.01, 3)
    spot_y: float = number(0.5, 0, 1, "Vertical position of the spot meter.", "", 0.01, 3)
    allowed_clipping: float = number(
        0.5, 0, 20, "Fraction of the picture that may clip to white.", "%", 0.1, 1
    )
    f_number: float = number(8.0, 0.7, 64, "Aperture as f-number.", "", 0.1, 1)
    shutter_s: float = number(0.008, 1e-5, 3600, "Shutter time.", "s", 0.001, 5)
    iso: float = number(100.0, 6, 409600, "ISO speed of film or sensor.", "", 10, 0)
    dependent_setting: Literal["f_number", "shutter_s", "iso"] = Field(
        "shutter_s", description="Which of aperture, shutter and ISO is computed from the exposure value."
    )
    balance: bool = _switch("the white balance")
    kelvin: float = number(
        5600.0, 2000, 15000, "Colour temperature of the light that becomes neutral.", "K", 50, 0
    )
    tint: float = number(
        0.0, -30, 30, "White balance between green and magenta; positive removes green.", "", 0.5, 1
    )
    warmth_kept: float = number(
        0.0,
        0,
        1,
        "How much of the colour of the light is kept. At 0 a sunset is balanced to white.",
        "",
        0.05,
        2,
    )
    view: str = Field(
        DEFAULT_VIEW,
        description="View transform from scene light to display colour.",
        json_schema_extra={"enum": list(VIEWS)},
    )
    glare: GlareState = GlareState()
    masks: tuple[MaskState, ...] = Field((), max_length=16, description="Soft masks for local corrections.")
    tone: ToneState = ToneState()
    colour: ColourState = ColourState()
    lens: LensState = LensState()

    @property
    def automatic(self) -> bool:
        """Whether a meter sets the exposure."""
        return self.metering != "manual"

    @field_validator("view")
    @classmethod
    def _view_exists(cls, value: str) -> str:
        if value not in VIEWS:
            raise ValueError(f"there is no view “{value}”: there are {', '.join(VIEWS)}")
        return value
