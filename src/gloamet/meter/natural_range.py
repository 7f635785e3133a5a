"""What key to fill nature gives at a height of the sun: in air as clear as it gets, and in hazier air.

An `Air`, a height and a solver enter; a `NaturalRange` leaves.
"""

from __future__ import annotations

from dataclasses import replace

from gloamet.meter.light import read_light
from gloamet.meter.ratio import NaturalRange
from gloamet.sky.air import Air
from gloamet.sky.dome import SkySolver

CLEARER, HAZIER, CLEAREST = 0.7, 1.6, 1.7  # times the turbidity, and the least there is


def natural_range(air: Air, elevation_deg: float, solver: SkySolver) -> NaturalRange | None:
    """Stops of key over fill on level ground between air that is clearer and air that is hazier than this, at its sun's
    height; None where no sun stands."""
    stops = []
    for turbidity in (max(CLEAREST, CLEARER * air.turbidity), min(20.0, HAZIER * air.turbidity)):
        dome = solver.dome(replace(air, turbidity=turbidity), 0.0, elevation_deg)
        stops.append(read_light(dome).sun_sky_stops)
    if min(stops) == float("-inf"):
        return None
    return NaturalRange(min(stops), max(stops))
