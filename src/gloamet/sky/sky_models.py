# SPDX-License-Identifier: Apache-2.0
"""The sky of a moment by the selected model: the physical one, Preetham's, a CIE general sky, or a uniform one.

A `SkyModel`, an air and a sun enter, a `SkyDome` leaves. Only the physical sky has a twilight and moonlight; the
others are darkened as that one is once the sun has set.
"""

from __future__ import annotations

import math
from typing import Literal, NamedTuple

import numpy as np
from numpy.typing import NDArray

from gloamet.colour.spaces import AP1_LUMINANCE, XYZ_TO_AP1, luminance, xy_to_xyz
from gloamet.colour.temperature import white_xy
from gloamet.sky.air import Air
from gloamet.sky.dome import COLUMNS, ROWS, SkyDome, assemble_dome, row_weights
from gloamet.sky.general_skies import (
    CIE_GENERAL_SKIES,
    IES_SUN_LX,
    OVERCAST,
    cie_relative_luminance,
    natural_sky_lux,
    natural_sun_fraction,
    preetham_caveat,
    preetham_xyy,
)
from gloamet.sky.sky_cache import SkyInterpolator
from gloamet.sky.sky_solver import BANDS_TO_AP1, SkySolver, sun_transmittance

ModelName = Literal["physical", "preetham", "cie", "uniform"]
Array = NDArray[np.float64]


class SkyModel(NamedTuple):
    """name; cie_sky 1-15, the number of a general sky; horizontal_lx what an even or general sky gives horizontal
    ground, 0 for what is common in nature; kelvin the colour temperature of an even or general sky."""

    name: ModelName = "physical"
    cie_sky: int = 12
    horizontal_lx: float = 0.0
    kelvin: float = 6500.0

    @property
    def hides_the_sun(self) -> bool:
        """Whether no disc is seen through this sky."""
        return self.name == "uniform" or (self.name == "cie" and self.cie_sky in OVERCAST)


PHYSICAL = SkyModel()


def _nodes(azimuth_deg: float, elevation: float) -> tuple[Array, Array]:
    """Elevation of every node of a dome table in radians, and the cosine of its angle to the sun, (ROWS, COLUMNS)."""
    height = np.pi / 2.0 * (np.arange(ROWS) / (ROWS - 1)) ** 2
    turn = 2.0 * np.pi * np.arange(COLUMNS) / COLUMNS - math.radians(azimuth_deg)
    heights = np.repeat(height[:, None], COLUMNS, 1)
    level = np.cos(heights) * math.cos(elevation) * np.cos(turn)[None]
    return heights, np.sin(heights) * math.sin(elevation) + level


def _level_lux(luminances: Array) -> float:
    """What luminances at the nodes of a dome table give horizontal ground."""
    return float(row_weights()[1] @ luminances.sum(1))


def _after_sunset(air: Air, elevation_deg: float, solver: SkySolver | SkyInterpolator) -> float:
    """What is left of the light of a sun on the horizon, by the physical sky."""
    if elevation_deg >= 0.0:
        return 1.0
    left, whole = (solver.dome(air, 180.0, e).sky_horizontal for e in (elevation_deg, 0.0))
    return float(luminance(left)) / float(luminance(whole))


def _preetham_table(air: Air, azimuth_deg: float, elevation_deg: float) -> Array:
    sun = math.radians(max(0.0, elevation_deg))
    light, x, y = preetham_xyy(air.turbidity, *_nodes(azimuth_deg, sun), sun)
    # it goes below zero near turbidity 1 and strays off the diagram at the horizon: `caveat` says so
    light, y = np.maximum(light, 0.0), np.maximum(y, 1e-3)
    xyz = np.stack([x / y * light, light, np.maximum(1.0 - x - y, 0.0) / y * light], -1)
    return np.maximum(xyz @ XYZ_TO_AP1.T, 0.0)


def _general_table(model: SkyModel, azimuth_deg: float, elevation_deg: float) -> Array:
    sun = math.radians(max(0.0, elevation_deg))
    number = 5 if model.name == "uniform" else model.cie_sky
    light = cie_relative_luminance(number, *_nodes(azimuth_deg, sun), sun)
    wanted = model.horizontal_lx or natural_sky_lux(number, elevation_deg)
    white = XYZ_TO_AP1 @ xy_to_xyz(white_xy(model.kelvin, 0.0))
    return (light * (wanted / _level_lux(light)))[..., None] * (white / (AP1_LUMINANCE @ white))


def model_dome(
    model: SkyModel,
    air: Air,
    azimuth_deg: float,
    elevation_deg: float,
    diameter_deg: float,
    solver: SkySolver | SkyInterpolator,
) -> SkyDome:
    """Compute the dome of a sky model.

    Parameters
    ----------
    model : SkyModel
        The sky model.
    air : Air
        The air.
    azimuth_deg : float
        Azimuth, degrees clockwise from north.
    elevation_deg : float
        Apparent elevation, degrees, −90 to 90.
    diameter_deg : float
        Angular diameter of the sun, degrees.
    solver : SkySolver or SkyInterpolator
        Solver of the sky.

    Returns
    -------
    SkyDome
        The dome.
    """
    if model.name == "physical":
        return solver.dome(air, azimuth_deg, elevation_deg, diameter_deg)
    sun = sun_transmittance(air, elevation_deg) @ BANDS_TO_AP1
    if model.name == "preetham":
        table = _preetham_table(air, azimuth_deg, elevation_deg)
    else:
        table = _general_table(model, azimuth_deg, elevation_deg)
        fraction = 0.0 if model.hides_the_sun else natural_sun_fraction(model.cie_sky, elevation_deg)
        sun = sun * (fraction * IES_SUN_LX / float(luminance(sun)))
    if not model.horizontal_lx or model.name == "preetham":  # a level that was chosen is kept
        table = table * _after_sunset(air, elevation_deg, solver)
    return assemble_dome(
        table.astype(np.float32), azimuth_deg, elevation_deg, diameter_deg, sun, air.ground_reflectance
    )


def caveat(model: SkyModel, air: Air, elevation_deg: float) -> str:
    """Describe the limits of a sky model under a sun.

    Parameters
    ----------
    model : SkyModel
        The sky model.
    air : Air
        The air.
    elevation_deg : float
        Apparent elevation, degrees, −90 to 90.

    Returns
    -------
    str
        One sentence, or "".

    Examples
    --------
    >>> caveat(SkyModel("cie", 1), Air(), 30.0)
    'Sky 1, overcast, steep gradation: the sun is hidden.'
    """
    if model.name == "preetham":
        return preetham_caveat(air.turbidity, elevation_deg)
    if model.name == "uniform":
        return "A uniform sky: the sun is hidden."
    if model.name == "cie":
        hidden = ": the sun is hidden" if model.hides_the_sun else ""
        return f"Sky {model.cie_sky}, {CIE_GENERAL_SKIES[model.cie_sky - 1].name}{hidden}."
    return ""
