# SPDX-License-Identifier: Apache-2.0
"""The document: a tree of frozen models, the single source of ranges, units and descriptions.

Sliders, tooltips, command-line help and the project file are all made from the fields below. A change makes
a new document; old ones are kept for undo.
"""

from __future__ import annotations

from datetime import datetime
from typing import Any, Literal, cast

from pydantic import BaseModel, Field, field_validator

from gloamet.document.air import AirState, LightShaftState, SkyState
from gloamet.document.expose import ExposeState
from gloamet.document.field_types import DocumentModel, number
from gloamet.document.fill import FillState, PanoramaState
from gloamet.document.stage import Stage
from gloamet.document.targets import AimTargets, Sequence
from gloamet.sun.site import resolve_zone


class SiteState(DocumentModel):
    """Site of the scene."""

    name: str = Field("", max_length=120, description="Name of the site, for your own use.")
    latitude_deg: float = number(57.4, -90, 90, "Latitude of the site, north positive.", "°", 0.1, 3)
    longitude_deg: float = number(21.5, -180, 180, "Longitude of the site, east positive.", "°", 0.1, 3)
    altitude_m: float = number(
        0.0,
        -450,
        9000,
        "Altitude of the site above sea level. Thinner air gives a darker, deeper blue sky.",
        "m",
        10,
        0,
    )
    timezone: str = Field(
        "Europe/Riga", description="Time zone of the site: an IANA name or a fixed offset like +03:00."
    )

    @field_validator("timezone")
    @classmethod
    def _zone_exists(cls, value: str) -> str:
        try:
            resolve_zone(value)
        except Exception as error:
            raise ValueError(str(error)) from None
        return value


class SunState(DocumentModel):
    """The sun: from the almanac of the site, manual, or from a driver in the model."""

    mode: Literal["almanac", "manual", "driver"] = Field(
        "almanac",
        description="What sets the sun. Almanac: site, date and time. Manual: azimuth and elevation. Driver: a "
        "light, camera or empty of the model.",
    )
    wall_time: datetime = Field(
        datetime(2026, 5, 24, 9, 20), description="Date and time on the clock of the site."
    )
    azimuth_deg: float = number(135.0, 0, 360, "Azimuth of the manual sun, clockwise from north.", "°", 1, 1)
    elevation_deg: float = number(35.0, -20, 90, "Elevation of the manual sun above the horizon.", "°", 1, 1)
    north_deg: float = number(
        0.0,
        -180,
        180,
        "Direction of true north in the model, clockwise from its +Y axis.",
        "°",
        1,
        1,
    )

    diameter_deg: float = number(
        0.533,
        0.1,
        20,
        "Angular diameter of the sun disc. A larger disc gives softer shadows at the same illuminance.",
        "°",
        0.1,
        3,
    )
    moon: bool = Field(False, description="Whether the moon of this moment lights the scene at night.")
    driver: str = Field(
        "", max_length=200, description="Light, camera or empty of the model that drives the sun."
    )
    driver_axis: Literal["along", "opposite", "up"] = Field(
        "along",
        description="How the driver sets the sun. Along: sunlight travels along its axis. Opposite: the sun stands "
        "where its axis points. Up: the sun stands where its up axis points.",
    )
    driver_time_s: float = number(
        0.0, -1e5, 1e5, "Time in the animation of the driver, seconds in its file.", "s", 0.1, 2
    )

    @field_validator("wall_time")
    @classmethod
    def _naive(cls, value: datetime) -> datetime:
        if value.tzinfo is not None:
            raise ValueError("the clock time is written without an offset")
        if not 1900 <= value.year <= 2150:
            raise ValueError(f"year {value.year} is outside 1900–2150")
        return value


FieldPath = tuple[str | int, ...]


class OutputState(DocumentModel):
    """The final picture."""

    width: int = number(1920, 16, 16384, "Width of the saved picture.", "px", 10, 0)
    height: int = number(1080, 16, 16384, "Height of the saved picture.", "px", 10, 0)
    samples: int = number(256, 1, 65536, "Samples (light paths) per pixel of the saved picture.", "", 16, 0)
    noise: float = number(
        1.0,
        0,
        20,
        "Noise limit: regions below this relative noise stop early; 0 traces all samples everywhere.",
        "%",
        0.1,
        1,
    )
    denoise: bool = Field(True, description="Denoise the saved picture.")
    denoise_viewport: bool = Field(True, description="Denoise the viewport while it refines.")


class Document(DocumentModel):
    """A whole project."""

    version: Literal[2] = 2
    site: SiteState = SiteState()
    sun: SunState = SunState()
    air: AirState = AirState()
    sky: SkyState = SkyState()
    light_shafts: LightShaftState = LightShaftState()
    panorama: PanoramaState = PanoramaState()
    fill: FillState = FillState()
    expose: ExposeState = ExposeState()
    stage: Stage = Stage()
    output: OutputState = OutputState()
    aim: AimTargets = AimTargets()
    sequence: Sequence = Sequence()

    def change(self, section: str | FieldPath, **values: Any) -> Document:
        """A new document with some fields of a section replaced, checked against their ranges.

        A dotted name such as "stage.view", or a path such as ("stage", "props", 2), reaches further in.
        """
        path = tuple(section.split(".")) if isinstance(section, str) else section
        return cast("Document", _changed(self, path, values))


def _changed(node: Any, path: FieldPath, values: dict[str, Any]) -> Any:
    """A copy of a model, tuple or dictionary with the model at the end of the path replaced."""
    if not path:
        return type(node).model_validate({**node.model_dump(), **values})
    step, rest = path[0], path[1:]
    if isinstance(node, BaseModel):
        inner = _changed(getattr(node, str(step)), rest, values)
        return node.model_copy(update={str(step): inner})
    if isinstance(node, tuple):
        index = int(step)
        return (*node[:index], _changed(node[index], rest, values), *node[index + 1 :])
    return {**node, step: _changed(node[step], rest, values)}
