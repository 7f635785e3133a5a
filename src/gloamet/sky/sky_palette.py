# SPDX-License-Identifier: Apache-2.0
"""Sky colours against sun elevation, to paint a day or a year without solving each moment.

Air enters; a `SkyPalette` leaves: a strip of sky, horizon to zenith, for every sun elevation on a grid, that
any series of sun elevations can be looked up in.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from gloamet.colour.spaces import AP1_LUMINANCE
from gloamet.sky.air import Air
from gloamet.sky.atmosphere import particle_phase_array, rayleigh_phase_array
from gloamet.sky.particles import HAZE
from gloamet.sky.sky_solver import BANDS_TO_AP1, NIGHT_CD_M2, VIEW_AZIMUTHS, VIEW_ROWS, SkySolver

ELEVATIONS_DEG = np.array([-18, -13, -9, -6, -4, -2, -0.5, 1, 3, 6, 12, 35, 60, 90], float)
BRIGHT_DAY = -3  # the height whose light is about 1: 35 degrees
STRIP = 24
SIDE_DEG = 50.0  # azimuth away from the sun: near enough to catch its colours, far from the glare
ADAPTATION = 0.82  # how far the eye follows from bright to dark (chosen by eye)


@dataclass(frozen=True)
class SkyPalette:
    """strips (heights, STRIP, 3): AP1 cd/m2, first entry at the horizon; horizontal_lx (heights,) what sun and sky give
    horizontal ground."""

    strips: NDArray[np.float64]
    horizontal_lx: NDArray[np.float64]

    def at(self, elevations_deg: NDArray) -> NDArray[np.float64]:
        """Strips (n, STRIP, 3) for sun elevations (n,), interpolated in the logarithm."""
        x = np.interp(elevations_deg, ELEVATIONS_DEG, np.arange(len(ELEVATIONS_DEG)))
        i = np.minimum(x.astype(int), len(ELEVATIONS_DEG) - 2)
        f = (x - i)[:, None, None]
        logs = np.log(np.maximum(self.strips, 1e-9))
        return np.exp(logs[i] * (1 - f) + logs[i + 1] * f)

    def level_at(self, elevations_deg: NDArray) -> NDArray[np.float64]:
        """Illuminance of horizontal ground in lx for sun elevations of any shape."""
        return np.asarray(
            np.exp(np.interp(elevations_deg, ELEVATIONS_DEG, np.log(np.maximum(self.horizontal_lx, 1e-6))))
        )

    def adapted(self, elevations_deg: NDArray) -> NDArray[np.float64]:
        """The strips as an eye that partly adapts sees them: scene-linear, about 1 for a bright day."""
        strips = self.at(elevations_deg)
        level = np.exp(np.log(strips.mean(2) + 1e-9).mean(1))
        day = np.exp(np.log(self.strips[BRIGHT_DAY].mean(1) + 1e-9).mean())
        return strips / day * ((day / level) ** ADAPTATION)[:, None, None]


def solve_sky_palette(solver: SkySolver, air: Air) -> SkyPalette:
    """Compute the sky colours for all sun elevations of a day.

    Parameters
    ----------
    solver : SkySolver
        Solver of the sky.
    air : Air
        The air.

    Returns
    -------
    SkyPalette
        The palette.
    """
    u = np.sqrt(np.linspace(0.0, 1.0, STRIP)) * (VIEW_ROWS - 1)
    i = np.minimum(u.astype(int), VIEW_ROWS - 2)
    f = (u - i)[:, None, None]
    x = SIDE_DEG / 180.0 * (VIEW_AZIMUTHS - 1)
    j, g = int(x), x - int(x)
    elevation = np.linspace(0.0, 1.0, STRIP) * np.pi / 2
    strips, level = np.zeros((len(ELEVATIONS_DEG), STRIP, 3)), np.zeros(len(ELEVATIONS_DEG))
    for k, height in enumerate(ELEVATIONS_DEG):
        tables, _through, ground = solver.spectral(air, float(height))
        side = tables[:, j] * (1 - g) + tables[:, j + 1] * g
        rows = (side[i] * (1 - f) + side[i + 1] * f) @ BANDS_TO_AP1
        sun = np.radians(height)
        c = np.sin(elevation) * np.sin(sun) + np.cos(elevation) * np.cos(sun) * np.cos(np.radians(SIDE_DEG))
        particles = (particle_phase_array(c, kind.forward_g) for kind in (air.kind, HAZE))
        phases = (rayleigh_phase_array(c), *particles, np.ones_like(c))
        level[k] = max(0.0, float(ground @ BANDS_TO_AP1 @ AP1_LUMINANCE)) + math.pi * NIGHT_CD_M2
        strips[k] = sum(rows[:, n] * phase[:, None] for n, phase in enumerate(phases)) + NIGHT_CD_M2
    return SkyPalette(np.maximum(strips, 0.0), level)
