# SPDX-License-Identifier: Apache-2.0
"""Fields of aiming and of sequences: pins, the search range, the start and end of a sequence."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal

from pydantic import Field, field_validator, model_validator

from gloamet.document.field_types import DocumentModel, number
from gloamet.document.stage import Point

PinKind = Literal["shadow", "frame", "glint"]
Fraction = Annotated[float, Field(ge=0.0, le=1.0)]


class AimPin(DocumentModel):
    """One pin: a shadow's caster and receiver, the sun's position in the frame, or a glint."""

    kind: PinKind = Field("shadow", description="What the pin aims at.")
    caster: Point = Field(
        (0.0, 0.0, 0.0), description="Point that casts the shadow or reflects the sun, metres."
    )
    receiver: Point = Field((0.0, 0.0, 0.0), description="Point where the shadow should fall, metres.")
    frame_position: tuple[Fraction, Fraction] = Field(
        (0.5, 0.5), description="Position in the picture, as fractions from the upper left corner."
    )
    on: bool = Field(True, description="Whether this pin is used.")


class AimTargets(DocumentModel):
    """Pins, and which moments of the year count when real ones are looked for."""

    pins: tuple[AimPin, ...] = Field((), description="Pins: what is aimed at.")
    from_hour: float = number(0.0, 0, 24, "Earliest clock time of the search.", "h", 0.5, 1)
    to_hour: float = number(24.0, 0, 24, "Latest clock time of the search.", "h", 0.5, 1)
    first_day: int = number(1, 1, 365, "First day of the search, day of the year.", "", 1, 0)
    last_day: int = number(365, 1, 365, "Last day of the search, day of the year.", "", 1, 0)
    measured_part: str = Field("", description="Part whose sunlit fraction the year cloth shows.")
    face_direction: Point | None = Field(
        None, description="Direction of the measured faces; none measures all faces."
    )
    face_point: Point | None = Field(None, description="A point on the measured faces, metres.")

    @model_validator(mode="after")
    def _hours_in_order(self) -> AimTargets:
        if self.from_hour > self.to_hour:
            raise ValueError("the earliest clock time lies after the latest")
        return self


class Sequence(DocumentModel):
    """From one moment to another in steps."""

    start: datetime | None = Field(None, description="First moment, on the clock of the site.")
    end: datetime | None = Field(None, description="Last moment, on the clock of the site.")
    frames: int = number(24, 2, 2000, "Frames of the sequence, both ends included.", "", 1, 0)
    easing: Literal["even", "gentle"] = Field(
        "even", description="Even steps, or ease in and out at both ends."
    )
    along: Literal["clock", "motion"] = Field(
        "clock", description="Steps through clock time, or through the animation of the driver."
    )

    @field_validator("start", "end")
    @classmethod
    def _naive(cls, value: datetime | None) -> datetime | None:
        if value is not None and (value.tzinfo is not None or not 1900 <= value.year <= 2150):
            raise ValueError("the clock time is written without an offset, in a year from 1900 to 2150")
        return value
