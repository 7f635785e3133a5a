# SPDX-License-Identifier: Apache-2.0
"""Aperture, shutter and ISO for an exposure value, in the thirds of a stop marked on cameras.

EV100 = log2(N² / t · 100 / S) (ISO 2720). Numbers and texts enter and leave.
"""

from __future__ import annotations

import math
from typing import Literal, NamedTuple

Which = Literal["f_number", "shutter_s", "iso"]
THIRDS = 3
LONG_S = 0.7  # from which a time is written in seconds
PREFERRED = (1.0, 1.25, 1.6, 2.0, 2.5, 3.2, 4.0, 5.0, 6.4, 8.0, 10.0)
# what is written for the thirds of one stop, and of two for apertures: common practice
_APERTURES = (1.0, 1.1, 1.2, 1.4, 1.6, 1.8)
_WRITTEN_APERTURES = (2.0, 2.2, 2.5, 2.8, 3.2, 3.5, 4.0, 4.5, 5.0, 5.6, 6.3, 7.1, 8.0, 9.0, 10.0, 11.0)
_LARGER_APERTURES = (13.0, 14.0, 16.0, 18.0, 20.0, 22.0, 25.0, 29.0, 32.0, 36.0, 40.0, 45.0, 51.0, 57.0, 64.0)
APERTURES = _APERTURES + _WRITTEN_APERTURES + _LARGER_APERTURES
_PARTS = (
    1.0,
    1.3,
    1.6,
    2.0,
    2.5,
    3.0,
    4.0,
    5.0,
    6.0,
    8.0,
    10.0,
    13.0,
    15.0,
    20.0,
    25.0,
    30.0,
    40.0,
    50.0,
    60.0,
)
_FASTER = (80.0, 100.0, 125.0, 160.0, 200.0, 250.0, 320.0, 400.0, 500.0, 640.0, 800.0)
PARTS_OF_A_SECOND = (
    _PARTS + _FASTER + tuple(1000.0 * v for v in (1.0, 1.25, 1.6, 2.0, 2.5, 3.2, 4.0, 5.0, 6.4, 8.0))
)


class CameraSettings(NamedTuple):
    """Aperture as f-number, time in seconds, sensitivity as ISO."""

    f_number: float
    shutter_s: float
    iso: float

    @property
    def ev(self) -> float:
        """EV100 it exposes for."""
        return math.log2(self.f_number**2 / self.shutter_s * 100.0 / self.iso)


def following(camera: CameraSettings, which: Which, ev: float) -> float:
    """Compute the dependent camera setting.

    Parameters
    ----------
    camera : CameraSettings
        Aperture, shutter and ISO.
    which : Which
        Which of the three is computed.
    ev : float
        Exposure value at ISO 100.

    Returns
    -------
    float
        Its value.
    """
    n, t, s = camera
    if which == "shutter_s":
        return n * n * 100.0 / (s * 2.0**ev)
    if which == "iso":
        return n * n * 100.0 / (t * 2.0**ev)
    return math.sqrt(t * s / 100.0 * 2.0**ev)


def in_thirds(value: float, which: Which) -> float:
    """Round a camera setting to thirds of a stop.

    Parameters
    ----------
    value : float
        The setting.
    which : Which
        Which setting it is.

    Returns
    -------
    float
        The nearest value in thirds of a stop from f/1, 1 s or ISO 100.
    """
    steps = 2 * THIRDS if which == "f_number" else THIRDS
    base = 100.0 if which == "iso" else 1.0
    return float(base * 2.0 ** (round(math.log2(value / base) * steps) / steps))


def thirds_away(value: float, which: Which, thirds: int) -> float:
    """Change a camera setting by thirds of a stop.

    Parameters
    ----------
    value : float
        The setting.
    which : Which
        Which setting it is.
    thirds : int
        Number of thirds; positive is a larger value.

    Returns
    -------
    float
        The changed value.
    """
    steps = 2 * THIRDS if which == "f_number" else THIRDS
    return in_thirds(value * 2.0 ** (thirds / steps), which)


def _nearest(value: float, written: tuple[float, ...]) -> float:
    return min(written, key=lambda w: abs(math.log(w / value)))


def _preferred(value: float) -> float:
    """The nearest of ten preferred numbers a decade (R10, ISO 3), as cameras write them."""
    decade = 10.0 ** math.floor(math.log10(value))
    return decade * _nearest(value / decade, PREFERRED)


def written(value: float, which: Which) -> str:
    """Write a camera setting as on a camera.

    Parameters
    ----------
    value : float
        The setting.
    which : Which
        Which setting it is.

    Returns
    -------
    str
        The text.

    Examples
    --------
    >>> written(8.0, "f_number"), written(1 / 128, "shutter_s"), written(2.0, "shutter_s"), written(100.0, "iso")
    ('f/8', '1/125 s', '2 s', 'ISO 100')
    """
    if which == "f_number":
        return f"f/{_nearest(value, APERTURES):g}"
    if which == "iso":
        return f"ISO {_preferred(value):g}"
    if value >= LONG_S:
        return f"{_preferred(value):g} s"
    return f"1/{_nearest(1.0 / value, PARTS_OF_A_SECOND):g} s"


class TypicalLight(NamedTuple):
    """A light, and the EV100 photographers use in it."""

    description: str
    ev: float


# common practice of exposure tables for ISO 100
TYPICAL = (
    TypicalLight("Snow or salt in bright sun", 16.0),
    TypicalLight("Bright sun", 15.0),
    TypicalLight("Hazy sun, soft shadows", 14.0),
    TypicalLight("Low sun", 12.5),
    TypicalLight("Open shade, overcast", 12.0),
    TypicalLight("Sun on the horizon", 10.5),
    TypicalLight("Room by a large window", 8.0),
    TypicalLight("Blue hour", 6.0),
    TypicalLight("Lit room at night", 5.0),
    TypicalLight("Lit street at night", 3.0),
    TypicalLight("Full moon", -3.0),
)
