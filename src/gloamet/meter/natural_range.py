# SPDX-License-Identifier: Apache-2.0
"""The natural range of key to fill at an elevation of the sun: from the clearest to hazy air.

An `Air`, a height and a solver enter; a `NaturalRange` leaves.
"""

from __future__ import annotations

from dataclasses import replace

from gloamet.meter.light import read_light
from gloamet.meter.ratio import NaturalRange
from gloamet.sky.air import Air
from gloamet.sky.sky_solver import SkySolver

CLEARER, HAZIER, CLEAREST = 0.7, 1.6, 1.7  # times the turbidity, and the least there is


def natural_range(air: Air, elevation_deg: float, solver: SkySolver) -> NaturalRange | None:
    """Compute the natural range of key to fill at a sun elevation.

    Parameters
    ----------
    air : Air
        The air.
    elevation_deg : float
        Apparent elevation, degrees, −90 to 90.
    solver : SkySolver
        Solver of the sky.

    Returns
    -------
    NaturalRange or None
        Stops between clearer and hazier air; None without a sun above the horizon.
    """
    stops = []
    for turbidity in (max(CLEAREST, CLEARER * air.turbidity), min(20.0, HAZIER * air.turbidity)):
        dome = solver.dome(replace(air, turbidity=turbidity), 0.0, elevation_deg)
        stops.append(read_light(dome).sun_sky_stops)
    if min(stops) == float("-inf"):
        return None
    return NaturalRange(min(stops), max(stops))
