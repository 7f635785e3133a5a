# SPDX-License-Identifier: Apache-2.0
"""Skies for a dragged sun, interpolated between skies of the same air solved in advance.

An air and an elevation of the sun enter; a `SkyDome` leaves. The scattered light is interpolated between rungs,
heights of the sun a quarter of a degree apart in civil twilight, two degrees by day; the sun itself is exact. A sky
at rest is the solver's own business: this one is within a percent of it by day, two in twilight. Deep dusk is not
served. A ladder replaces a `SkySolver` wherever a dome is all that is asked.
"""

from __future__ import annotations

import time
from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from gloamet.sky.air import Air
from gloamet.sky.dome import SUN_DIAMETER_DEG, SkyDome
from gloamet.sky.sky_solver import BANDS_TO_AP1, SkySolver, sun_transmittance

MIN_ELEVATION_DEG = -5.0  # below, light changes too fast between two rungs
NODES_DEG = np.concatenate([np.arange(-6.0, 1.0, 0.25), np.arange(1.0, 8.0, 0.5), np.arange(8.0, 90.1, 2.0)])
_DARKEST = 1e-30  # cd/m2, so that there is a logarithm


def _stencil(elevation_deg: float) -> range:
    """The rungs round a height, two on each side but for the ends."""
    first = int(np.searchsorted(NODES_DEG, elevation_deg, "right")) - 2
    first = min(max(first, 0), len(NODES_DEG) - 4)
    return range(first, first + 4)


class SkyInterpolator:
    """Logarithms of view tables in AP1, (rows, azimuths, 4, 3), of one air at some of NODES_DEG."""

    def __init__(self, solver: SkySolver) -> None:
        self._solver = solver
        self._air: Air | None = None
        self._rungs: dict[int, NDArray[np.float64]] = {}
        self._levels: dict[int, NDArray[np.float64]] = {}

    def precompute(self, air: Air, elevation_deg: float, stop: Callable[[], bool], seconds: float) -> bool:
        """Solve missing nodes, nearest to an elevation first, within a time or until stopped; returns whether all are
        solved."""
        if air != self._air:
            self._air, self._rungs, self._levels = air, {}, {}
        begin = time.monotonic()
        for k in np.argsort(np.abs(NODES_DEG - elevation_deg)).tolist():
            if k in self._rungs:
                continue
            if stop() or time.monotonic() - begin > seconds:
                return False
            tables, _through, self._levels[k] = self._solver.spectral(air, float(NODES_DEG[k]))
            self._rungs[k] = np.log(np.maximum(tables @ BANDS_TO_AP1, _DARKEST))
        return True

    def covers(self, air: Air, elevation_deg: float) -> bool:
        """Whether there are rungs round this height: not in dusk, and not before they are solved."""
        return (
            elevation_deg >= MIN_ELEVATION_DEG
            and air == self._air
            and all(k in self._rungs for k in _stencil(elevation_deg))
        )

    def level(self, air: Air, elevation_deg: float) -> NDArray[np.float64] | None:
        """Irradiance of horizontal ground per band, as `SkySolver.spectral` has it, on a line between two rungs; None
        where there are none."""
        if not self.covers(air, elevation_deg):
            return None
        k = _stencil(elevation_deg)[1]
        k += int(elevation_deg > NODES_DEG[k + 1])
        fraction = (elevation_deg - NODES_DEG[k]) / (NODES_DEG[k + 1] - NODES_DEG[k])
        return np.asarray(self._levels[k] * (1.0 - fraction) + self._levels[k + 1] * fraction)

    def dome(
        self, air: Air, azimuth_deg: float, elevation_deg: float, diameter_deg: float = SUN_DIAMETER_DEG
    ) -> SkyDome:
        """As `SkySolver.dome`; solved there where the ladder does not serve."""
        if not self.covers(air, elevation_deg):
            return self._solver.dome(air, azimuth_deg, elevation_deg, diameter_deg)
        four = _stencil(elevation_deg)
        total = np.zeros_like(self._rungs[four[0]])
        for k in four:
            # Lagrange's polynomial through the four
            weight = 1.0
            for other in four:
                if other != k:
                    weight *= (elevation_deg - NODES_DEG[other]) / (NODES_DEG[k] - NODES_DEG[other])
            total += weight * self._rungs[k]
        through = sun_transmittance(air, elevation_deg)
        return self._solver.tabulate(np.exp(total), through, air, azimuth_deg, elevation_deg, diameter_deg)
