# SPDX-License-Identifier: Apache-2.0
"""Dates and times at which the pins are met: real moments of a year, best first, with their angular error.

A site and a window of hours and seasons enter beside the aim. Directions are the scene's, so north is turned back.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import tzinfo

import numpy as np
from numpy.typing import NDArray

from gloamet.aim.pins import AimedSun, Pin
from gloamet.sun.nearest import ALL_YEAR, RealMoment, TimeWindow, angle_deg, nearest_by, nearest_moments
from gloamet.sun.position import direction

NEVER_DEG = 3.0  # farther than that no viewer would take it for the sun asked for


@dataclass(frozen=True)
class AlmanacSite:
    """Site, time zone and year; north_deg is the azimuth of true north, clockwise from the scene's +Y."""

    latitude_deg: float
    longitude_deg: float
    tz: tzinfo
    year: int
    north_deg: float = 0.0


def moments_for_direction(
    aimed: AimedSun, site: AlmanacSite, window: TimeWindow = ALL_YEAR, most: int = 12
) -> list[RealMoment]:
    """Find the moments of the year at which the sun is nearest to an aimed direction.

    Parameters
    ----------
    aimed : AimedSun
        Direction of the sun that was aimed at.
    site : AlmanacSite
        Site and year.
    window : TimeWindow, optional
        Hours and season to search.
    most : int, optional
        Largest number of moments.

    Returns
    -------
    list of RealMoment
        Moments, best first, at most one per day.
    """
    azimuth = (aimed.azimuth_deg - site.north_deg) % 360.0
    year_and_site = (site.year, site.latitude_deg, site.longitude_deg, site.tz)
    return nearest_moments(azimuth, aimed.elevation_deg, *year_and_site, window, most)


def moments_for_pins(
    pins: Sequence[Pin], site: AlmanacSite, window: TimeWindow = ALL_YEAR, most: int = 12
) -> list[RealMoment]:
    """Find the moments of the year that serve all pins best at once.

    Parameters
    ----------
    pins : sequence of Pin
        Shadow pins.
    site : AlmanacSite
        Site and year.
    window : TimeWindow, optional
        Hours and season to search.
    most : int, optional
        Largest number of moments.

    Returns
    -------
    list of RealMoment
        Moments, best first; `error_deg` is the root mean square of the misses of the pins.
    """
    lines = np.stack([pin.line / np.linalg.norm(pin.line) for pin in pins])
    turned = np.radians(-site.north_deg)
    c, s = np.cos(turned), np.sin(turned)
    # a bearing grows clockwise: turning it by t takes (x, y) to (x cos t + y sin t, y cos t - x sin t)
    lines = lines @ np.array([[c, -s, 0.0], [s, c, 0.0], [0.0, 0.0, 1.0]])

    def off(towards: NDArray[np.float64]) -> NDArray[np.float64]:
        squares = [angle_deg(towards, line) ** 2 for line in lines]
        return np.asarray(np.sqrt(np.mean(squares, axis=0)))

    return nearest_by(off, site.year, site.latitude_deg, site.longitude_deg, site.tz, window, most)


def scene_direction(moment: RealMoment, site: AlmanacSite) -> NDArray[np.float64]:
    """Where the sun of a moment stands in the scene."""
    return direction(moment.azimuth_deg + site.north_deg, moment.elevation_deg)
