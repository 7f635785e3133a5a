"""How sun, sky, a panorama and lamps are balanced after rendering: fields of the fill and of a panorama."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import Field

from gloamet.document.field_types import DocumentModel, number
from gloamet.document.stage import Colour
from gloamet.light_layers import LightName


def _stops(what: str, most: float = 10.0) -> Any:
    return number(0.0, -most, most, f"{what} brighter or dimmer than it is.", "stops", 0.1, 2)


def _bounced(what: str) -> Any:
    text = f"Light of {what} that comes back from other surfaces, brighter or dimmer than nature has it."
    return number(0.0, -10, 10, text, "stops", 0.1, 2)


def _tint(what: str) -> Any:
    return Field((1.0, 1.0, 1.0), description=f"Colour that {what} is tinted with; its brightness stays.")


def _fraction(what: str) -> Any:
    return number(0.0, 0, 1, f"How strongly {what} is tinted.", "", 0.05, 2)


def _warmth(what: str) -> Any:
    text = f"{what} warmer (positive) or cooler, in steps an eye sees alike at any temperature."
    return number(0.0, -150, 150, text, "mired", 5, 0)


def _switch(what: str) -> Any:
    return Field(True, description=f"Whether {what} is in the picture.")


class SpotState(DocumentModel):
    """A named place in the picture whose light is read again with every change, as shares of its width and height."""

    name: str = Field("", max_length=60, description="Name of the spot.")
    x: float = number(0.5, 0, 1, "Place of the spot across the picture.", "", 0.01, 3)
    y: float = number(0.5, 0, 1, "Place of the spot down the picture.", "", 0.01, 3)


class FillState(DocumentModel):
    """Balance between the sources, after rendering."""

    sun_stops: float = _stops("The sun")
    sun_indirect_stops: float = _bounced("the sun")
    sun_tint: Colour = _tint("the sun")
    sun_tint_strength: float = _fraction("the sun")
    sun_mired: float = _warmth("The sun")
    sun_on: bool = _switch("the sun")

    sky_stops: float = _stops("The sky fill")
    sky_indirect_stops: float = _bounced("the sky")
    sky_tint: Colour = _tint("the sky fill")
    sky_tint_strength: float = _fraction("the sky fill")
    sky_mired: float = _warmth("The sky fill")
    sky_on: bool = _switch("the sky fill")
    sky_saturation: float = number(
        1.0, 0, 3, "Colour of the sky fill: 0 is grey, 1 as the sky has it, more is bluer shade.", "", 0.05, 2
    )
    contact_shadow: float = number(
        0.0,
        0,
        1,
        "Deepens the shade where surfaces meet: sky fill is taken where little of the sky is seen, by so much of what "
        "is hidden.",
        "",
        0.05,
        2,
    )

    lamps_stops: float = _stops("The light of lamps", 12.0)
    lamps_indirect_stops: float = _bounced("lamps")
    lamps_tint: Colour = _tint("the light of lamps")
    lamps_tint_strength: float = _fraction("the light of lamps")
    lamps_mired: float = _warmth("The light of lamps")
    lamps_on: bool = _switch("the light of lamps")

    panorama_stops: float = _stops("The panorama", 12.0)
    panorama_indirect_stops: float = _bounced("the panorama")
    panorama_tint: Colour = _tint("the panorama")
    panorama_tint_strength: float = _fraction("the panorama")
    panorama_mired: float = _warmth("The panorama")
    panorama_on: bool = _switch("the panorama")

    solo: Literal[LightName, ""] = Field(
        "", description="The one light that is shown alone; none shows all that are on."
    )
    spots: tuple[SpotState, ...] = Field(
        (), max_length=12, description="Places in the picture whose light is read again with every change."
    )
    dismissed: tuple[str, ...] = Field(
        (), max_length=40, description="Findings of the checks that are as you want them."
    )


class PanoramaState(DocumentModel):
    """A lat-long picture whose light is added to that of sun and sky."""

    file: str = Field(
        "",
        max_length=4096,
        description="Lat-long picture of light, .exr, .hdr or .tif, its middle in the north; 8-bit pictures are "
        "clipped.",
    )
    rotation_deg: float = number(0.0, -180, 180, "Turns the panorama clockwise, seen from above.", "°", 1, 1)
    tilt_deg: float = number(
        0.0, -45, 45, "Tilts the panorama: its north sinks, its south rises.", "°", 0.5, 1
    )
    mirrored: bool = Field(False, description="Mirrors the panorama, east for west.")
    elevation_scale: float = number(
        1.0, 0.25, 4, "Stretches heights above and below the panorama’s horizon.", "", 0.05, 2
    )
    illuminance_lx: float = number(
        0.0,
        0,
        120_000,
        "Light its upper half gives level ground; 0 takes its values as they are, in cd/m².",
        "lx",
        100,
        0,
    )
    illuminance_from_sky: bool = Field(
        False, description="Its light on level ground follows that of the physical sky of the moment."
    )
    lights_scene: bool = Field(True, description="The panorama lights the scene.")
    in_reflections: bool = Field(True, description="Mirrors and glass show the panorama.")
    as_background: bool = Field(True, description="The panorama is seen behind the scene.")
    background_file: str = Field(
        "", max_length=4096, description="Another panorama to be seen behind the scene instead."
    )
    blur_deg: float = number(
        0.0,
        0,
        60,
        "Softens the panorama as a light, its energy kept; mirrors and background stay sharp.",
        "°",
        1,
        1,
    )
    sun_found: bool = Field(False, description="The panorama has a sun, at this place in its file.")
    sun_azimuth_deg: float = number(
        0.0, 0, 360, "Where the panorama’s own sun stands in its file, clockwise from north.", "°", 0.1, 2
    )
    sun_elevation_deg: float = number(
        30.0, -5, 90, "Height of the panorama’s own sun in its file.", "°", 0.1, 2
    )
    locked_to_sun: bool = Field(
        False, description="Sun and panorama turn together: its sun stays under the physical one."
    )
    sun_removed: bool = Field(
        False, description="The panorama’s own sun is taken out, disc and glow, so that there are not two."
    )
