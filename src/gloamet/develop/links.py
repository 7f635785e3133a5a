# SPDX-License-Identifier: Apache-2.0
"""The links of developing as plain values: what glare, masks, tone, colour and lens do to a picture.

Neutral by default. The fields of a document become these in `translation.document_to_picture`; their ranges, units and
descriptions are in the document alone.
"""

from __future__ import annotations

from dataclasses import dataclass

from gloamet.colour.curves import HUE_BANDS, STRAIGHT, CurvePoints

Colour = tuple[float, float, float]


@dataclass(frozen=True)
class Glare:
    """Glare of the lens: veiling glare, glow, starburst and flare, percent of the light unless said otherwise."""

    on: bool = True
    strength: float = 1.0
    veiling_glare: float = 0.0
    glow: float = 0.0
    glow_threshold: float = 0.5
    glow_size: float = 3.0
    starburst: float = 0.0
    blades: int = 6
    starburst_rotation_deg: float = 15.0
    flare: float = 0.0


@dataclass(frozen=True)
class Tone:
    """Tone before the view transform: stops, factors and curves (input and output 0 to 1)."""

    on: bool = True
    strength: float = 1.0
    contrast: float = 0.0
    s_curve: float = 0.0
    roll_off: float = 0.0
    highlights: float = 0.0
    shadows: float = 0.0
    whites: float = 0.0
    blacks: float = 0.0
    local_contrast: float = 0.0
    local_radius: float = 4.0
    curve: CurvePoints = STRAIGHT
    curve_red: CurvePoints = STRAIGHT
    curve_green: CurvePoints = STRAIGHT
    curve_blue: CurvePoints = STRAIGHT


@dataclass(frozen=True)
class HueBand:
    """Changes of one of eight hue bands: degrees, and fractions of saturation and lightness."""

    hue: float = 0.0
    saturation: float = 0.0
    lightness: float = 0.0


@dataclass(frozen=True)
class ColourGrade:
    """Colour after the view transform: saturation, hue bands, toning, black and white, look-up table."""

    on: bool = True
    strength: float = 1.0
    saturation: float = 1.0
    vibrance: float = 0.0
    bands: tuple[HueBand, ...] = (HueBand(),) * len(HUE_BANDS)
    shadow_tone: Colour = (0.25, 0.45, 1.0)
    shadow_toning: float = 0.0
    highlight_tone: Colour = (1.0, 0.6, 0.25)
    highlight_toning: float = 0.0
    toning_balance: float = 0.0
    black_and_white: bool = False
    filter: Colour = (1.0, 1.0, 1.0)
    table: str = ""
    table_strength: float = 1.0


@dataclass(frozen=True)
class Mask:
    """A soft mask in picture fractions and heights, metres for distances, and its correction."""

    name: str = ""
    on: bool = True
    kind: str = "round"
    strength: float = 1.0
    inverted: bool = False
    x: float = 0.5
    y: float = 0.5
    width: float = 0.4
    height: float = 0.4
    rotation_deg: float = 0.0
    softness: float = 0.6
    target: str = ""
    near_m: float = 0.0
    far_m: float = 30.0
    strokes: tuple[Colour, ...] = ()
    exposure: float = 0.5
    mired: float = 0.0
    saturation: float = 1.0
    contrast: float = 0.0


@dataclass(frozen=True)
class Lens:
    """Lens and film: stops of vignette, percent of distortion, per mille of fringe, sharpness, grain."""

    on: bool = True
    strength: float = 1.0
    vignette: float = 0.0
    distortion: float = 0.0
    fringe: float = 0.0
    sharpness: float = 0.0
    grain: float = 0.0
    grain_size: float = 0.15


@dataclass(frozen=True, kw_only=True)
class Links:
    """The links with fields of their own; a field of the same name in the document's Expose section fills each."""

    glare: Glare = Glare()
    masks: tuple[Mask, ...] = ()
    tone: Tone = Tone()
    colour: ColourGrade = ColourGrade()
    lens: Lens = Lens()


# links that change every pixel alike, whatever its neighbours are: all that other views than the picture have
POINT_LINKS = ("tone", "colour")
