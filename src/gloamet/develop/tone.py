# SPDX-License-Identifier: Apache-2.0
"""Tone of scene light before the view transform: one curve over stops and one factor per pixel.

Linear AP1 light in reflectances (0.18 is a grey card) enters and leaves. Every step is a rising curve, so that their
sequence is one: no setting turns light and dark round. Colour is kept, all channels of a pixel get one factor; only the
free curves of red, green and blue change it.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from gloamet.colour.curves import STRAIGHT, CurvePoints
from gloamet.colour.spaces import AP1_LUMINANCE
from gloamet.develop.links import Tone

Floats = NDArray[np.float32]
Array = NDArray[np.float64]

GREY_CARD = 0.18
LOWEST_STOPS, HIGHEST_STOPS = -16.0, 20.0  # about grey; what is darker or brighter is moved like these
CURVE_LOW, CURVE_HIGH = -8.0, 6.0  # stops at the ends of a free curve
# Regions of brightness: where they begin, where they act in full, and where they end again, stops from grey. Their
# slopes are under 2/3 per stop, so that a change of 1.5 stops leaves the curve rising.
SHADOWS, BLACKS = (-0.3, -4.5, -12.0), (-3.0, -9.0, None)
HIGHLIGHTS, WHITES = (0.2, 3.8, 10.0), (1.5, 6.0, None)
CONTRAST_STOPS = 0.75  # log2 of the slope at the ends of the range
MIDDLE_STOPS = 3.0  # width of what the S-curve bends
FIRST_KNEE, LAST_KNEE, SOFTNESS = 3.5, 0.5, 0.4  # of the roll-off, stops over grey, and bend per stop
LEAST_ROLL_OFF = 1e-9  # below it no code moves, and dividing by the bend would overflow


def _rise(stops: Array, begin: float, full: float) -> Array:
    """0 at `begin`, 1 at `full` and beyond, smooth between."""
    t = np.clip((stops - begin) / (full - begin), 0.0, 1.0)
    return np.asarray(t * t * (3.0 - 2.0 * t))


def _region(stops: Array, limits: tuple[float, float, float | None]) -> Array:
    begin, full, end = limits
    inside = _rise(stops, begin, full)
    return inside if end is None else inside * (1.0 - _rise(stops, full, end))


def free_curve(stops: Array, points: CurvePoints) -> Array:
    """Apply a free curve to stops.

    Parameters
    ----------
    stops : ndarray
        Stops from grey, any shape.
    points : CurvePoints
        Points of the curve, input and output 0 to 1.

    Returns
    -------
    ndarray
        Stops after a monotone cubic through the points; beyond its ends parallel to it.

    References
    ----------
    .. [1] F. Fritsch, R. Carlson, "Monotone piecewise cubic interpolation", 1980.
    """
    if points == STRAIGHT:
        return stops
    from scipy.interpolate import PchipInterpolator

    x, y = np.array(points).T
    span = CURVE_HIGH - CURVE_LOW
    position = (stops - CURVE_LOW) / span
    inside = np.clip(position, 0.0, 1.0)
    return np.asarray((PchipInterpolator(x, y)(inside) + position - inside) * span + CURVE_LOW)


def toned_stops(stops: Array, tone: Tone) -> Array:
    """Stops from grey after the tone curve, of any shape; monotonic in `stops`."""
    s = stops * 2.0 ** (CONTRAST_STOPS * tone.contrast)
    s = s + tone.s_curve * s * np.exp(-((s / MIDDLE_STOPS) ** 2))
    for amount, limits in (
        (tone.shadows, SHADOWS),
        (tone.blacks, BLACKS),
        (tone.highlights, HIGHLIGHTS),
        (tone.whites, WHITES),
    ):
        s = s + amount * _region(s, limits)
    if tone.roll_off > LEAST_ROLL_OFF:
        knee = FIRST_KNEE + tone.roll_off * (LAST_KNEE - FIRST_KNEE)
        bend = SOFTNESS * tone.roll_off
        s = np.where(s > knee, knee - np.expm1(-bend * np.maximum(s - knee, 0.0)) / bend, s)
    s = free_curve(s, tone.curve)
    return np.asarray(stops + tone.strength * (s - stops))


def channel_stops(stops: Array, points: CurvePoints, tone: Tone) -> Array:
    """Stops of one channel through its free curve."""
    return np.asarray(stops + tone.strength * (free_curve(stops, points) - stops))


def stops_from_grey(light: NDArray[Any]) -> Array:
    """log2 of light over a grey card, held between LOWEST_STOPS and HIGHEST_STOPS."""
    least = GREY_CARD * 2.0**LOWEST_STOPS
    return np.minimum(np.log2(np.maximum(light, least) / GREY_CARD), HIGHEST_STOPS)


def bends_brightness(tone: Tone) -> bool:
    """Whether the curve is another than the straight one."""
    plain = Tone()
    names = ("contrast", "s_curve", "roll_off", "highlights", "shadows", "whites", "blacks", "curve")
    return tone.on and tone.strength > 0.0 and any(getattr(tone, n) != getattr(plain, n) for n in names)


def channel_curves(tone: Tone) -> tuple[CurvePoints, CurvePoints, CurvePoints] | None:
    """The free curves of red, green and blue, None while all are straight."""
    curves = (tone.curve_red, tone.curve_green, tone.curve_blue)
    acts = tone.on and tone.strength > 0.0 and any(curve != STRAIGHT for curve in curves)
    return curves if acts else None


def lifts_details(tone: Tone) -> bool:
    """Whether local contrast acts."""
    return tone.on and tone.strength > 0.0 and tone.local_contrast != 0.0


def tone_picture(picture: Floats, tone: Tone) -> Floats:
    """A picture (H, W, 3) laid out again by its curves; the picture itself while they are straight. Local contrast is
    not among them: it needs a pixel's surroundings."""
    if bends_brightness(tone):
        stops = stops_from_grey(picture @ AP1_LUMINANCE)
        picture = (picture * np.exp2(toned_stops(stops, tone) - stops)[..., None]).astype(np.float32)
    curves = channel_curves(tone)
    if curves is not None:
        stops = stops_from_grey(picture)
        bent = np.stack([channel_stops(stops[..., k], curves[k], tone) for k in range(3)], -1)
        picture = (picture * np.exp2(bent - stops)).astype(np.float32)
    return picture
