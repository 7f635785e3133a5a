# SPDX-License-Identifier: Apache-2.0
"""The illuminance a clipped sun of a panorama would have, from the most similar clear sky.

The dome of a panorama without its sun and where that stood enter; the sun's horizontal illuminance leaves, in the
panorama's own unit. The ratio of sun to sky is the model's at the turbidity whose sky has the same colour.
"""

from __future__ import annotations

import numpy as np

from gloamet.colour.spaces import luminance
from gloamet.sky.air import Air
from gloamet.sky.dome import SkyDome
from gloamet.sky.panorama_sun import PanoramaSun
from gloamet.sky.sky_solver import SkySolver

TURBIDITIES = (2.0, 3.0, 4.5, 7.0)


def estimated_sun(without: SkyDome, sun: PanoramaSun, solver: SkySolver | None = None) -> float:
    """Estimate the light of a clipped sun in a panorama.

    Parameters
    ----------
    without : SkyDome
        The panorama's dome without its sun.
    sun : PanoramaSun
        The clipped sun.
    solver : SkySolver or None, optional
        Solver of the sky; None makes one.

    Returns
    -------
    float
        Horizontal illuminance, lux; 0 for a sun at or below the horizon.
    """
    solver = solver or SkySolver()
    own = without.sky_horizontal / max(float(luminance(without.sky_horizontal)), 1e-30)
    best, ratio = np.inf, 0.0
    for turbidity in TURBIDITIES:
        dome = solver.dome(Air(turbidity), 0.0, sun.elevation_deg)
        level = float(luminance(dome.sky_horizontal))
        off = float(np.abs(np.log(dome.sky_horizontal / level / np.maximum(own, 1e-6))).sum())
        if off < best:
            best, ratio = off, float(luminance(dome.sun_horizontal)) / level
    return ratio * float(luminance(without.sky_horizontal))
