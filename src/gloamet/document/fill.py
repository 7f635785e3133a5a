# SPDX-License-Identifier: Apache-2.0
"""Fields of the balance of sun, sky, panorama and lamps after rendering, and of the panorama."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import Field

from gloamet.document.field_types import DocumentModel, number
from gloamet.document.stage import Colour, Point
from gloamet.light_layers import LightName


def _stops(what: str, most: float = 10.0) -> Any:
    return number(0.0, -most, most, f"Gain of {what}, in stops.", "stops", 0.1, 2)


def _indirect(what: str) -> Any:
    text = f"Gain of the indirect light of {what} (light reflected by other surfaces), in stops."
    return number(0.0, -10, 10, text, "stops", 0.1, 2)


def _tint(what: str) -> Any:
    return Field((1.0, 1.0, 1.0), description=f"Tint of {what}; its brightness stays.")


def _tint_strength(what: str) -> Any:
    return number(0.0, 0, 1, f"Tint strength of {what}.", "", 0.05, 2)


def _warmth(what: str) -> Any:
    text = f"Warmth of {what}: positive is warmer, in mired."
    return number(0.0, -150, 150, text, "mired", 5, 0)


def _switch(what: str) -> Any:
    return Field(True, description=f"Whether {what} is on.")


class SpotState(DocumentModel):
    """A named place in the picture whose light is read again with every change, as shares of its width and height."""

    name: str = Field("", max_length=60, description="Name of the spot.")
    x: float = number(0.5, 0, 1, "Horizontal position of the spot in the picture.", "", 0.01, 3)
    y: float = number(0.5, 0, 1, "Vertical position of the spot in the picture.", "", 0.01, 3)


class FillState(DocumentModel):
    """Balance between the sources, after rendering."""

    sun_stops: float = _stops("the sun")
    sun_indirect_stops: float = _indirect("the sun")
    sun_tint: Colour = _tint("the sun")
    sun_tint_strength: float = _tint_strength("the sun")
    sun_mired: float = _warmth("the sun")
    sun_on: bool = _switch("the sun")

    sky_stops: float = _stops("the sky fill")
    sky_indirect_stops: float = _indirect("the sky")
    sky_tint: Colour = _tint("the sky fill")
    sky_tint_strength: float = _tint_strength("the sky fill")
    sky_mired: float = _warmth("the sky fill")
    sky_on: bool = _switch("the sky fill")
    sky_saturation: float = number(
        1.0, 0, 3, "Saturation of the sky fill: 0 grey, 1 physical, more makes shade bluer.", "", 0.05, 2
    )
    contact_shadow: float = number(
        0.0,
        0,
        1,
        "Deepens the sky fill where surfaces meet (ambient occlusion): the fraction removed of what is "
        "hidden from the sky.",
        "",
        0.05,
        2,
    )

    lamps_stops: float = _stops("the lamps", 12.0)
    lamps_indirect_stops: float = _indirect("the lamps")
    lamps_tint: Colour = _tint("the lamps")
    lamps_tint_strength: float = _tint_strength("the lamps")
    lamps_mired: float = _warmth("the lamps")
    lamps_on: bool = _switch("the lamps")

    panorama_stops: float = _stops("the panorama", 12.0)
    panorama_indirect_stops: float = _indirect("the panorama")
    panorama_tint: Colour = _tint("the panorama")
    panorama_tint_strength: float = _tint_strength("the panorama")
    panorama_mired: float = _warmth("the panorama")
    panorama_on: bool = _switch("the panorama")

    solo: Literal[LightName, ""] = Field(
        "", description="The light that is shown alone; none shows all lights that are on."
    )
    spots: tuple[SpotState, ...] = Field(
        (), max_length=12, description="Spots in the picture that are read with every change."
    )
    card_position: Point | None = Field(
        None,
        description="Where the cards and balls of the meter are, metres; none is near the centre of the picture.",
    )
    dismissed: tuple[str, ...] = Field(
        (), max_length=40, description="Plausibility warnings that are ignored in this project."
    )


class PanoramaState(DocumentModel):
    """A lat-long picture whose light is added to that of sun and sky."""

    file: str = Field(
        "",
        max_length=4096,
        description="Lat-long panorama, .exr, .hdr or .tif, its centre facing north; 8-bit pictures are clipped.",
    )
    rotation_deg: float = number(0.0, -180, 180, "Rotation of the panorama, clockwise from above.", "°", 1, 1)
    tilt_deg: float = number(
        0.0, -45, 45, "Tilt of the panorama: the north side goes down, the south side up.", "°", 0.5, 1
    )
    mirrored: bool = Field(False, description="Mirrors the panorama horizontally.")
    elevation_scale: float = number(
        1.0, 0.25, 4, "Scales elevations above and below the horizon of the panorama.", "", 0.05, 2
    )
    illuminance_lx: float = number(
        0.0,
        0,
        120_000,
        "Horizontal illuminance of its upper half; 0 uses the file values as cd/m².",
        "lx",
        100,
        0,
    )
    illuminance_from_sky: bool = Field(
        False, description="Match its horizontal illuminance to the physical sky of the moment."
    )
    lights_scene: bool = Field(True, description="The panorama lights the scene.")
    in_reflections: bool = Field(True, description="Mirrors and glass show the panorama.")
    as_background: bool = Field(True, description="The panorama is the background of the picture.")
    background_file: str = Field("", max_length=4096, description="Another panorama for the background.")
    blur_deg: float = number(
        0.0,
        0,
        60,
        "Blur of the panorama as a light, energy kept; reflections and background stay sharp.",
        "°",
        1,
        1,
    )
    sun_found: bool = Field(False, description="Whether the position of its sun in the file is stored.")
    sun_azimuth_deg: float = number(
        0.0, 0, 360, "Azimuth of its sun in the file, clockwise from north.", "°", 0.1, 2
    )
    sun_elevation_deg: float = number(30.0, -5, 90, "Elevation of its sun in the file.", "°", 0.1, 2)
    locked_to_sun: bool = Field(
        False, description="Rotate sun and panorama together: its sun stays at the physical sun."
    )
    sun_removed: bool = Field(
        False, description="Remove the sun of the panorama, disc and glow, so that there are not two suns."
    )
