# SPDX-License-Identifier: Apache-2.0
"""Scene metering: the exposure of a picture from the light on its surfaces.

Each pixel of a matt surface is a light meter: E = π L / albedo. The exposure follows the bright half of these readings,
as a photographer's incident meter held in the light does, and not how bright the sky or a window is.
"""

from __future__ import annotations

import math
from functools import lru_cache
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from gloamet.colour.spaces import AP1_LUMINANCE
from gloamet.meter.light import illuminance_ev

Floats = NDArray[np.float32]
LOWEST_EV, HIGHEST_EV = -8.0, 22.0
READINGS = 40_000  # pixels read, at most
FEWEST_READINGS = 50  # with fewer surfaces in view the whole picture is read as if it were grey
DARKEST_ALBEDO, DARKEST_CD_M2 = 0.04, 1e-6  # what is darker reflects more of its gloss than of its colour
FARTHEST_M = 1e5
# The readings between these quantiles make the key; where they lie far apart there is sun and shade, and the key is
# nearer to the sun by a fraction of their spread, but no more than so many stops above the middle (chosen by eye).
KEY_QUANTILES, KEY_TOWARDS_LIGHT, KEY_ABOVE_MIDDLE = (0.5, 0.95), 0.25, 2.2
# Highlights may clip softly but not swamp the picture: held back where so much of it would be brighter than a white
# card, by so many stops at most. A sky may be a stop brighter than that before it holds anything back, and then less:
# the subject comes before it (chosen by eye on the ten pictures of docs/exposure.md).
HIGHLIGHT_QUANTILE, MOST_HELD_STOPS = 0.92, 1.6
SKY_OVER_WHITE, MOST_HELD_FOR_SKY = 1.0, 0.8
# Night stays night: below a dull day the eye follows only part of the way, below a lit street less (chosen by eye).
DUSK_EV, DUSK_SHARE, NIGHT_EV, NIGHT_SHARE = 9.0, 0.76, 3.0, 0.75


class SeenSurfaces(NamedTuple):
    """What a picture shows, of any size: albedo (H, W, 3) and depth (H, W) in metres, 0 where only sky is seen."""

    albedo: Floats
    depth: Floats


@lru_cache(maxsize=16)
def _grid_pixels(height: int, width: int, rows: int, columns: int) -> NDArray[np.intp]:
    """Pixels of a grid over a plane of a size, (rows * columns,), numbered row by row."""
    down, across = np.arange(rows) * height // rows, np.arange(columns) * width // columns
    return (down[:, None] * width + across[None]).ravel()


def _every(plane: Floats, rows: int, columns: int) -> Floats:
    """A grid of pixels of a plane (H, W, ...), so many rows and columns: (rows * columns, ...)."""
    pixels = _grid_pixels(*plane.shape[:2], rows, columns)
    return np.take(plane.reshape(-1, *plane.shape[2:]), pixels, 0)


class GridReading(NamedTuple):
    """Illuminances (n,) in lx read off the surfaces of a picture, luminances (m,) of a grid over all of it in cd/m2,
    and whether a surface is seen at each (m,)."""

    lux: NDArray[np.float64]
    cd_m2: NDArray[np.float64]
    surface: NDArray[np.bool_]


def light_on_surfaces(picture: Floats, seen: SeenSurfaces) -> GridReading:
    """The light on the surfaces in a picture (H, W, 3) of AP1 cd/m2, and of all of it."""
    height, width = picture.shape[:2]
    shrink = max(1.0, math.sqrt(height * width / READINGS))
    rows, columns = max(1, int(height / shrink)), max(1, int(width / shrink))
    weights = AP1_LUMINANCE.astype(np.float32)
    light = (_every(picture, rows, columns) @ weights).astype(float)
    albedo = (_every(seen.albedo, rows, columns) @ weights).astype(float)
    depth = _every(seen.depth, rows, columns)
    light = np.where(np.isfinite(light), light, 0.0)
    on = (depth > 0.0) & (depth < FARTHEST_M) & (albedo > DARKEST_ALBEDO) & (light > DARKEST_CD_M2)
    return GridReading(np.pi * light[on] / albedo[on], light, depth > 0.0)


def _quantiles(values: NDArray[np.float64], fractions: NDArray[np.float64]) -> NDArray[np.float64]:
    """Quantiles as `numpy.quantile` gives them, in a tenth of its time: one sort serves all fractions."""
    ordered = np.sort(values)
    return np.asarray(np.interp(fractions * (len(ordered) - 1), np.arange(len(ordered)), ordered))


def _held_stops(reading: GridReading, white_cd_m2: float) -> float:
    """Stops by which highlights hold an exposure back that shows a card of this luminance as white."""

    def over(light: NDArray[np.float64]) -> float:
        bright = float(_quantiles(light, np.array([HIGHLIGHT_QUANTILE]))[0])
        return math.log2(max(bright, DARKEST_CD_M2) / white_cd_m2)

    surfaces = over(np.where(reading.surface, reading.cd_m2, 0.0))
    sky = over(reading.cd_m2) - SKY_OVER_WHITE
    return max(min(surfaces, MOST_HELD_STOPS), min(sky, MOST_HELD_FOR_SKY), 0.0)


def automatic_ev(picture: Floats, seen: SeenSurfaces) -> float:
    """Compute the EV by the illuminance on the surfaces of a picture.

    Parameters
    ----------
    picture : ndarray
        Light, AP1 cd/m², (H, W, 3).
    seen : SeenSurfaces
        Albedo and distances of what is seen.

    Returns
    -------
    float
        EV at ISO 100.
    """
    reading = light_on_surfaces(picture, seen)
    lux = reading.lux
    if lux.size < FEWEST_READINGS:
        lit = reading.cd_m2[reading.cd_m2 > DARKEST_CD_M2]
        if not lit.size:
            return LOWEST_EV
        lux = np.full(1, np.exp(np.log(lit).mean()) * np.pi / 0.18)
    stops = np.log2(_quantiles(lux, np.linspace(*KEY_QUANTILES, 24)))
    spread = stops[-1] - stops[0]
    key = np.clip(stops.mean() + KEY_TOWARDS_LIGHT * spread, stops[0], stops[0] + KEY_ABOVE_MIDDLE)
    ev = illuminance_ev(float(2.0**key))
    white = 2.5 * 2.0**ev / np.pi  # a white card in this light, cd/m2
    return float(np.clip(ev + _held_stops(reading, white), LOWEST_EV, HIGHEST_EV))


def limit_night_exposure(ev: float) -> float:
    """Limit an automatic exposure at night.

    Dusk and night stay dim: an eye does not turn them into day.

    Parameters
    ----------
    ev : float
        Metered EV at ISO 100.

    Returns
    -------
    float
        EV to expose with.

    Examples
    --------
    >>> [round(limit_night_exposure(ev), 2) for ev in (12.0, 6.0, -2.0)]
    [12.0, 6.72, 0.69]
    """
    if ev >= DUSK_EV:
        return ev
    dim = DUSK_EV + DUSK_SHARE * (max(ev, NIGHT_EV) - DUSK_EV)
    return dim + NIGHT_SHARE * min(0.0, ev - NIGHT_EV)
