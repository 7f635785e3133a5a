"""What the artist decides: a tree of frozen models, the one place of truth for ranges, units and words.

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
from gloamet.sun.place import resolve_zone


class SiteState(DocumentModel):
    """Where the scene stands."""

    name: str = Field("", max_length=120, description="Name of the place, for your own use.")
    latitude_deg: float = number(57.4, -90, 90, "Latitude of the place, north positive.", "°", 0.1, 3)
    longitude_deg: float = number(21.5, -180, 180, "Longitude of the place, east positive.", "°", 0.1, 3)
    altitude_m: float = number(
        0.0, -450, 9000, "Height above the sea; thinner air makes a deeper sky.", "m", 10, 0
    )
    timezone: str = Field(
        "Europe/Riga", description="Clock of the place: an IANA time zone or a fixed offset like +03:00."
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
    """Where the sun stands: by the almanac of the site, placed by hand, or led by something in the model."""

    mode: Literal["almanac", "manual", "driver"] = Field(
        "almanac",
        description="Almanac: place, date and time set the sun. By hand: you do. Follow: a light, camera or "
        "empty of the model does.",
    )
    wall_time: datetime = Field(
        datetime(2026, 5, 24, 9, 20), description="Date and time on the clock of the place."
    )
    azimuth_deg: float = number(
        135.0, 0, 360, "Direction of the sun placed by hand, clockwise from north.", "°", 1, 1
    )
    elevation_deg: float = number(
        35.0, -20, 90, "Height of the sun placed by hand above the horizon.", "°", 1, 1
    )
    north_deg: float = number(
        0.0,
        -180,
        180,
        "Turns the model's compass: where north lies, clockwise from the model's +Y.",
        "°",
        1,
        1,
    )

    diameter_deg: float = number(
        0.533,
        0.1,
        20,
        "Width of the sun's disc; a wider one has softer shadows and is as bright on the whole.",
        "°",
        0.1,
        3,
    )
    moon: bool = Field(False, description="The moon of that moment lights the night.")
    driver: str = Field(
        "", max_length=200, description="Light, camera or empty of the model the sun follows."
    )
    driver_axis: Literal["along", "opposite", "up"] = Field(
        "along",
        description="How the sun follows: it shines that way, it stands where that points, or above it.",
    )
    driver_time_s: float = number(
        0.0, -1e5, 1e5, "Moment of what the sun follows, seconds in its file.", "s", 0.1, 2
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
        "Noise limit: places with less relative noise are done early; 0 traces all samples everywhere.",
        "%",
        0.1,
        1,
    )
    denoise: bool = Field(True, description="Denoise the saved picture.")
    denoise_viewport: bool = Field(True, description="Denoise the picture on the desk while it is refined.")


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


def _changed(place: Any, path: FieldPath, values: dict[str, Any]) -> Any:
    """A copy of a model, tuple or dictionary with the model at the end of the path replaced."""
    if not path:
        return type(place).model_validate({**place.model_dump(), **values})
    step, rest = path[0], path[1:]
    if isinstance(place, BaseModel):
        inner = _changed(getattr(place, str(step)), rest, values)
        return place.model_copy(update={str(step): inner})
    if isinstance(place, tuple):
        index = int(step)
        return (*place[:index], _changed(place[index], rest, values), *place[index + 1 :])
    return {**place, step: _changed(place[step], rest, values)}
