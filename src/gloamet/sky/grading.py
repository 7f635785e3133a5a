# SPDX-License-Identifier: Apache-2.0
"""Adjustments of a sky: tint, temperature, saturation, glow at the horizon and around the sun.

A `SkyDome` and a `SkyGrade` enter; the graded dome leaves. Tint, warmth, saturation and hue keep the luminance of every
direction; glows and the curve over luminance are gains in stops. A grade lights the scene, or is seen behind it alone.
"""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Literal, NamedTuple

import numpy as np
from numpy.typing import NDArray

from gloamet.colour.balance import tint_gain, warmth_gain
from gloamet.colour.spaces import AP1_LUMINANCE
from gloamet.sky.dome import COLUMNS, ROWS, SkyDome, row_weights

Array = NDArray[np.float64]
Curve = tuple[float, float, float, float, float]

CURVE_ELEVATIONS_DEG = (0.0, 8.0, 25.0, 50.0, 90.0)  # of the points of both curves
HORIZON_GLOW_DEG = 7.0  # height at which the glow at the horizon has fallen to a third
FLAT: Curve = (0.0, 0.0, 0.0, 0.0, 0.0)
AXIS = np.ones(3) / math.sqrt(3.0)  # of grey, that hues are turned about


class SkyGrade(NamedTuple):
    """acts_on: the light too, or what is seen behind the scene alone. tint: linear Rec.709, with its fraction 0..1.
    saturation: 1 is nature's. warmth_mired: positive is warmer. Glows in stops; the aureole's falls to a third within
    aureole_deg of the sun. disc_brightness: fraction of the disc's brightness that is seen. Curves stand at
    CURVE_ELEVATIONS_DEG: stops, and degrees by which hues turn."""

    acts_on: Literal["light", "background"] = "light"
    tint: tuple[float, float, float] = (1.0, 1.0, 1.0)
    tint_strength: float = 0.0
    saturation: float = 1.0
    warmth_mired: float = 0.0
    horizon_stops: float = 0.0
    aureole_stops: float = 0.0
    aureole_deg: float = 12.0
    disc_brightness: float = 1.0
    luminance_curve: Curve = FLAT
    hue_curve: Curve = FLAT

    @property
    def neutral(self) -> bool:
        """Whether it leaves the sky's light as it is."""
        tinted = self.tint_strength > 0.0 and self.tint != (1.0, 1.0, 1.0)
        moved = (
            self.warmth_mired,
            self.horizon_stops,
            self.aureole_stops,
            *self.luminance_curve,
            *self.hue_curve,
        )
        return not tinted and self.saturation == 1.0 and not any(moved)


NATURE = SkyGrade()


def node_elevations_deg() -> Array:
    """Elevations of the rows of a dome table."""
    return np.asarray(90.0 * (np.arange(ROWS) / (ROWS - 1)) ** 2)


def by_elevation(curve: Curve, elevations_deg: Array) -> Array:
    """A curve at heights, straight between its points in the square root of the height, as rows of a dome lie."""
    return np.interp(np.sqrt(elevations_deg), np.sqrt(CURVE_ELEVATIONS_DEG), curve)


def hue_matrices(degrees: Array) -> Array:
    """Matrices (n, 3, 3) that turn AP1 colours about grey (Rodrigues' formula)."""
    angle = np.radians(degrees)[:, None, None]
    x, y, z = AXIS
    across = np.array([[0.0, -z, y], [z, 0.0, -x], [-y, x, 0.0]])
    return np.asarray(
        np.cos(angle) * np.eye(3) + np.sin(angle) * across + (1.0 - np.cos(angle)) * np.outer(AXIS, AXIS)
    )


def _coloured(table: Array, grade: SkyGrade) -> Array:
    """The table under tint, warmth, saturation and hues; every node keeps its luminance."""
    before = table @ AP1_LUMINANCE
    out = table * (warmth_gain(grade.warmth_mired) * tint_gain(grade.tint, grade.tint_strength))
    grey = (out @ AP1_LUMINANCE)[..., None]
    out = grey + grade.saturation * (out - grey)
    if grade.hue_curve != FLAT:
        turns = hue_matrices(by_elevation(grade.hue_curve, node_elevations_deg()))
        out = np.einsum("rij,rcj->rci", turns, out)
    out = np.maximum(out, 0.0)
    return np.asarray(out * (before / np.maximum(out @ AP1_LUMINANCE, 1e-30))[..., None])


def from_sun_deg(azimuth_deg: float, elevation_deg: float) -> Array:
    """Angle of every node of a dome table to a direction, (ROWS, COLUMNS)."""
    heights, sun = np.radians(node_elevations_deg())[:, None], math.radians(elevation_deg)
    turn = 2.0 * np.pi * np.arange(COLUMNS)[None] / COLUMNS - math.radians(azimuth_deg)
    cosine = np.sin(heights) * math.sin(sun) + np.cos(heights) * math.cos(sun) * np.cos(turn)
    return np.asarray(np.degrees(np.arccos(np.clip(cosine, -1.0, 1.0))))


def _gained(table: Array, grade: SkyGrade, sun_deg: tuple[float, float]) -> Array:
    """The table under glows and the curve over luminance."""
    heights = node_elevations_deg()
    stops = by_elevation(grade.luminance_curve, heights)
    stops = stops + grade.horizon_stops * np.exp(-heights / HORIZON_GLOW_DEG)
    out = table * (2.0**stops)[:, None, None]
    if grade.aureole_stops:
        near = np.exp(-((from_sun_deg(*sun_deg) / grade.aureole_deg) ** 2))
        out = out * (2.0 ** (grade.aureole_stops * near))[..., None]
    return np.asarray(out)


def graded_dome(dome: SkyDome, grade: SkyGrade) -> SkyDome:
    """Apply the sky grading to a dome.

    Parameters
    ----------
    dome : SkyDome
        The sky.
    grade : SkyGrade
        The grading.

    Returns
    -------
    SkyDome
        The dome; the ground below the horizon follows its light.
    """
    if grade.neutral:
        return dome if grade.disc_brightness == 1.0 else replace(dome, seen_disc=grade.disc_brightness)
    plain = dome.table.astype(float)
    sun_deg = dome.sun_azimuth_deg, dome.sun_elevation_deg
    table = _gained(_coloured(plain, grade), grade, sun_deg)
    seen = table.astype(np.float32)
    horizon = table[0].mean(0) / np.maximum(plain[0].mean(0), 1e-30)
    if grade.acts_on == "background":
        return replace(dome, seen_table=seen, seen_disc=grade.disc_brightness, horizon_gain=horizon)
    sky = np.asarray(row_weights()[1] @ table.sum(1))
    # the disc's own light is not graded, so that the ground by the sun stays
    ground = dome.ground_sky * sky / np.maximum(dome.sky_horizontal, 1e-30)
    return replace(
        dome,
        table=seen,
        sky_horizontal=sky,
        ground_sky=ground,
        seen_disc=grade.disc_brightness,
        horizon_gain=horizon,
    )


def grading_differences(grade: SkyGrade) -> list[str]:
    """Describe how a grading differs from the physical sky.

    Parameters
    ----------
    grade : SkyGrade
        The grading.

    Returns
    -------
    list of str
        One phrase per difference; empty when it is neutral.

    Examples
    --------
    >>> grading_differences(SkyGrade(warmth_mired=30.0, horizon_stops=-0.5))
    ['30 mired warmer', 'horizon −0.5 stops']
    """
    out = []
    if grade.tint_strength and grade.tint != NATURE.tint:
        out.append(f"tint {100 * grade.tint_strength:.0f} %")
    if grade.saturation != 1.0:
        out.append(f"saturation × {grade.saturation:.2f}")
    if grade.warmth_mired:
        out.append(f"{abs(grade.warmth_mired):.0f} mired {'warmer' if grade.warmth_mired > 0 else 'cooler'}")
    for name, stops in (("horizon", grade.horizon_stops), ("aureole", grade.aureole_stops)):
        if stops:
            out.append(f"{name} {stops:+.1f} stops".replace("-", "−"))
    if grade.luminance_curve != FLAT:
        out.append("luminance by elevation")
    if grade.hue_curve != FLAT:
        out.append("hue by elevation")
    if grade.disc_brightness != 1.0:
        out.append(f"sun disc {100 * grade.disc_brightness:.0f} %")
    return out
