# SPDX-License-Identifier: Apache-2.0
"""Moonlight: the same air lit by a second, dim sun.

The dome of the sun and that of the moon's place enter; their sum leaves. The dome keeps one disc: the brighter.
Stated limit: the moon's disc is drawn whole whatever its phase; its light is that of its phase.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from gloamet.sky.air import Air
from gloamet.sky.dome import SkyDome
from gloamet.sky.sky_cache import SkyInterpolator
from gloamet.sky.sky_solver import SkySolver
from gloamet.sun.moon import MOON_TINT, SOLAR_LUX, Moon

LEAST_SHARE = 1e-12  # of sunlight: a new moon gives nothing
HIGHEST_SUN_DEG = 0.0  # by day moonlight is a millionth of what is there


def moon_fraction(moon: Moon, sun_elevation_deg: float) -> float:
    """Compute moonlight as a fraction of sunlight.

    Parameters
    ----------
    moon : Moon
        Position and phase of the moon.
    sun_elevation_deg : float
        Apparent elevation of the sun, degrees.

    Returns
    -------
    float
        Fraction; 0 when the moon does not light the scene.
    """
    fraction = moon.illuminance_lx / SOLAR_LUX
    shines = moon.elevation_deg > -0.5 and fraction >= LEAST_SHARE and sun_elevation_deg <= HIGHEST_SUN_DEG
    return fraction if shines else 0.0


def with_moon(
    dome: SkyDome, solver: SkySolver | SkyInterpolator, air: Air, moon: Moon, azimuth_deg: float
) -> SkyDome:
    """Add moonlight to a dome.

    Parameters
    ----------
    dome : SkyDome
        The sky.
    solver : SkySolver or SkyInterpolator
        Solver of the sky.
    air : Air
        The air.
    moon : Moon
        Position and phase of the moon.
    azimuth_deg : float
        Azimuth of the moon in the scene, degrees, with north applied.

    Returns
    -------
    SkyDome
        The dome.
    """
    fraction = moon_fraction(moon, dome.sun_elevation_deg)
    if fraction == 0.0:
        return dome
    lit = solver.dome(air, azimuth_deg, moon.elevation_deg)
    gain = fraction * MOON_TINT
    table = (dome.table + gain * lit.table).astype(np.float32)
    whole = replace(
        dome,
        table=table,
        sky_horizontal=dome.sky_horizontal + gain * lit.sky_horizontal,
        ground_sky=dome.ground_sky + gain * lit.ground_sky,
    )
    if (
        float(dome.sun_irradiance[1]) * dome.sun_visible
        >= gain[1] * float(lit.sun_irradiance[1]) * lit.sun_visible
    ):
        return whole
    return replace(
        whole,
        sun_azimuth_deg=lit.sun_azimuth_deg,
        sun_elevation_deg=lit.sun_elevation_deg,
        sun_diameter_deg=lit.sun_diameter_deg,
        sun_irradiance=gain * lit.sun_irradiance,
        sun_visible=lit.sun_visible,
        ground_sun=gain * lit.ground_sun,
    )
