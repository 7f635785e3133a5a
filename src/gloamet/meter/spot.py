# SPDX-License-Identifier: Apache-2.0
"""A spot reading of a picture: luminance, stops from an 18 % grey card, and colour.

Light in AP1 cd/m2 enters; a `SpotReading` leaves.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from gloamet.colour.spaces import AP1_LUMINANCE, AP1_TO_XYZ
from gloamet.colour.temperature import correlated_temperature, distance_from_locus
from gloamet.meter.metering import card_ev

Floats = NDArray[np.float32]


class SpotReading(NamedTuple):
    """cd/m2; stops over a grey card in the light that is exposed for, -inf for darkness; kelvin and Duv, nan there."""

    cd_m2: float
    stops: float
    cct_k: float
    duv: float


def light_at(picture: Floats, x: float, y: float) -> tuple[float, float, float]:
    """Average the light of a few pixels around a position.

    Parameters
    ----------
    picture : ndarray
        Light, AP1 cd/m², (H, W, 3).
    x : float
        Horizontal position, fraction of the width.
    y : float
        Vertical position, fraction of the height.

    Returns
    -------
    tuple of float
        AP1 cd/m².
    """
    height, width = picture.shape[:2]
    i, j = min(int(y * height), height - 1), min(int(x * width), width - 1)
    near = picture[max(0, i - 1) : i + 2, max(0, j - 1) : j + 2].reshape(-1, 3).mean(0)
    return float(near[0]), float(near[1]), float(near[2])


def reading_of(light: tuple[float, float, float], ev: float) -> SpotReading:
    """Read a light as a spot meter does.

    Parameters
    ----------
    light : tuple of float
        Light, AP1 cd/m².
    ev : float
        Exposure value at ISO 100.

    Returns
    -------
    SpotReading
        Luminance, stops from grey and colour temperature.
    """
    colour = np.nan_to_num(np.array(light, float))
    level = float(AP1_LUMINANCE @ colour)
    if level <= 0.0:
        return SpotReading(0.0, -math.inf, math.nan, math.nan)
    xyz = AP1_TO_XYZ @ colour
    return SpotReading(level, card_ev(level) - ev, correlated_temperature(xyz), distance_from_locus(xyz))


def read_spot(picture: Floats, x: float, y: float, ev: float) -> SpotReading:
    """Read a spot of a picture.

    Parameters
    ----------
    picture : ndarray
        Light, AP1 cd/m², (H, W, 3).
    x : float
        Horizontal position, fraction of the width.
    y : float
        Vertical position, fraction of the height.
    ev : float
        Exposure value at ISO 100.

    Returns
    -------
    SpotReading
        Luminance, stops from grey and colour temperature.
    """
    return reading_of(light_at(picture, x, y), ev)


def stops_apart(one_cd_m2: float, other_cd_m2: float) -> float:
    """Compute the difference of two luminances in stops.

    Parameters
    ----------
    one_cd_m2 : float
        Luminance, cd/m².
    other_cd_m2 : float
        Luminance, cd/m².

    Returns
    -------
    float
        Stops by which the first is brighter; nan where one is dark.
    """
    return math.log2(one_cd_m2 / other_cd_m2) if one_cd_m2 > 0.0 and other_cd_m2 > 0.0 else math.nan
