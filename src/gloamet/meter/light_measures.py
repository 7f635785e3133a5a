# SPDX-License-Identifier: Apache-2.0
"""Measures of the lighting of a picture, and the selection of clearly different lights.

Light in AP1 cd/m2 with what is seen, and where the sun stands to the camera, enter; `LightMeasures` with their reason
in words leave. Nothing here is a verdict: every number is shown.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from gloamet.colour.spaces import AP1_LUMINANCE
from gloamet.meter.picture import SeenSurfaces

Floats = NDArray[np.float32]
SUNLIT = 0.35  # fraction of a pixel's light that is the sun's, from which it is in the sun
EDGE = 1.25  # ratio of distances between neighbours from which there is an outline
FAR_M = 400.0  # what is farther is background, no subject
MIDDLE = 0.32  # half axes of the ellipse in the middle that stands for the subject, of the picture's sides
# what each number weighs when lights are told apart: bearing, height, warmth, sun, contrast
WEIGHTS = np.array([1.0, 1.0, 1.2, 1.0, 0.8, 0.5])
FEWEST_SUNNY = 0.05  # with less of the picture in the sun a daylight is dull
LOW_DEG, MIDDLE_DEG = 14.0, 35.0


class LightMeasures(NamedTuple):
    """Where the sun stands from the camera (degrees to the right of what it looks at, 180 behind it) and its height;
    shares 0..1 of what is seen near that the sun lights, and of its outlines that shine; stops by which the middle is
    brighter than what is around it; stops of the sky over a white card; key to fill in stops; kelvin."""

    azimuth_deg: float
    elevation_deg: float
    sun_fraction: float
    rim: float
    middle_stops: float
    sky_stops: float
    key_to_fill: float
    kelvin: float


def _mean_stops(light: NDArray[np.float64], where: NDArray[np.bool_]) -> float:
    return float(np.log2(np.maximum(light[where], 1e-6)).mean()) if where.any() else math.nan


def measure_light(
    light: Floats, sun: Floats, seen_depth: Floats, ev: float
) -> tuple[float, float, float, float]:
    """Measure what a light does to a picture.

    Parameters
    ----------
    light : ndarray
        Light, AP1 cd/m², (H, W, 3).
    sun : ndarray
        Its part from the sun, (H, W, 3).
    seen_depth : ndarray
        Distances in metres, 0 for sky, (H, W).
    ev : float
        Exposure value at ISO 100.

    Returns
    -------
    tuple of float
        Sunlit fraction, rim fraction, subject over surroundings in stops, sky over white in stops.
    """
    y, s = light.astype(float) @ AP1_LUMINANCE, sun.astype(float) @ AP1_LUMINANCE
    near = (seen_depth > 0.0) & (seen_depth < FAR_M)
    sunlit = (s > SUNLIT * np.maximum(y, 1e-9)) & near
    fraction = float(sunlit.sum() / max(int(near.sum()), 1))
    far = np.where(seen_depth > 0.0, seen_depth, 1e6)
    rim_at = np.zeros_like(near)  # the near side of an outline
    rim_at[:, :-1] |= far[:, 1:] > EDGE * far[:, :-1]
    rim_at[:, 1:] |= far[:, :-1] > EDGE * far[:, 1:]
    rim_at &= near
    rim = float((sunlit & rim_at).sum() / max(int(rim_at.sum()), 1))
    h, w = y.shape
    v, u = (np.arange(h) + 0.5) / h - 0.5, (np.arange(w) + 0.5) / w - 0.5
    middle = (v[:, None] / MIDDLE) ** 2 + (u[None] / MIDDLE) ** 2 < 1.0
    contrast = _mean_stops(y, middle & near) - _mean_stops(y, ~middle)
    white = 2.5 * 2.0**ev / math.pi
    sky = _mean_stops(y, seen_depth <= 0.0) - math.log2(white)
    return fraction, rim, contrast, sky


def _features(look: LightMeasures) -> NDArray[np.float64]:
    """A look as a place among others, about 0..1 each way."""
    turn = math.radians(look.azimuth_deg)
    # a sun that is down comes from nowhere
    flat = math.cos(math.radians(look.elevation_deg)) if look.elevation_deg > 0.0 else 0.0
    kelvin = look.kelvin if math.isfinite(look.kelvin) else 6500.0
    contrast = look.middle_stops if math.isfinite(look.middle_stops) else 0.0
    values = (
        0.5 * flat * math.cos(turn),
        0.5 * flat * math.sin(turn),
        look.elevation_deg / 60.0,
        math.log2(kelvin / 5500.0),
        look.sun_fraction,
        contrast / 3.0,
    )
    return WEIGHTS * np.array(values)


def spread_apart(looks: list[LightMeasures], number: int, seen: NDArray[np.float64]) -> list[int]:
    """Choose the lights that differ most from each other.

    Parameters
    ----------
    looks : list of LightMeasures
        Measures of all lights.
    number : int
        Number of lights to choose.
    seen : ndarray
        Further numbers of each light, (lights, n).

    Returns
    -------
    list of int
        Indices; the first is the most sunlit one.

    References
    ----------
    .. [1] T. Gonzalez, "Clustering to minimize the maximum intercluster distance", 1985.
    """
    usable = [
        k for k, look in enumerate(looks) if look.elevation_deg <= 0.0 or look.sun_fraction >= FEWEST_SUNNY
    ]
    usable = usable or list(range(len(looks)))
    positions = np.array([[*_features(looks[k]), *seen[k]] for k in usable])
    first = int(np.argmax([looks[k].sun_fraction + looks[k].rim for k in usable]))
    chosen = [first]
    nearest = np.linalg.norm(positions - positions[first], axis=1)
    while len(chosen) < min(number, len(usable)):
        following = int(np.argmax(nearest))
        chosen.append(following)
        nearest = np.minimum(nearest, np.linalg.norm(positions - positions[following], axis=1))
    return [usable[k] for k in chosen]


def _from_where(azimuth_deg: float) -> str:
    turn = (azimuth_deg + 180.0) % 360.0 - 180.0
    side = "right" if turn > 0.0 else "left"
    if abs(turn) < 25.0:
        return "behind the subject"
    if abs(turn) > 150.0:
        return "behind the camera"
    if abs(turn) < 70.0:
        return f"behind the subject, {side}"
    return f"from the {side}" if abs(turn) < 110.0 else f"behind the camera, {side}"


def reason(look: LightMeasures) -> str:
    """Describe a light by its measures.

    Parameters
    ----------
    look : LightMeasures
        Measures of the light.

    Returns
    -------
    str
        One sentence.

    Examples
    --------
    >>> reason(LightMeasures(-90.0, 8.0, 0.4, 0.3, 0.5, 1.0, 2.1, 3900.0))
    'Low sun from the left: long shadows, 40 % of near surfaces sunlit, 2.1 stops key to fill'
    """
    if look.elevation_deg <= 0.0:
        return (
            f"Sun below the horizon: sky light only, {look.kelvin:.0f} K"
            if math.isfinite(look.kelvin)
            else "Sun below the horizon"
        )
    if not math.isfinite(look.key_to_fill):
        return f"Overcast: even light, {look.kelvin:.0f} K"
    height = (
        "Low" if look.elevation_deg < LOW_DEG else "Medium" if look.elevation_deg < MIDDLE_DEG else "High"
    )
    shade = {"Low": "long shadows", "Medium": "clear forms", "High": "short shadows"}[height]
    if look.rim > 0.35 and abs((look.azimuth_deg + 180.0) % 360.0 - 180.0) < 70.0:
        shade = f"rim light on {100.0 * look.rim:.0f} % of the outlines"
    sun = f"{100.0 * look.sun_fraction:.0f} % of near surfaces sunlit"
    over = f"{look.key_to_fill:.1f} stops key to fill"
    if look.key_to_fill < 0.0:
        over = f"sky {-look.key_to_fill:.1f} stops above the sun on horizontal ground"
    return f"{height} sun {_from_where(look.azimuth_deg)}: {shade}, {sun}, {over}"


def depth_of(seen: SeenSurfaces, shape: tuple[int, int]) -> Floats:
    """Resize the distances of a picture by nearest pixels.

    Parameters
    ----------
    seen : SeenSurfaces
        Albedo and distances.
    shape : tuple of int
        Height and width in pixels.

    Returns
    -------
    ndarray
        Distances in metres, (H, W).
    """
    rows = np.arange(shape[0]) * seen.depth.shape[0] // shape[0]
    columns = np.arange(shape[1]) * seen.depth.shape[1] // shape[1]
    return np.asarray(seen.depth[rows[:, None], columns[None]])
