# SPDX-License-Identifier: Apache-2.0
"""Aerial perspective for a dragged sun: tables kept in memory, and solved in advance while it rests.

What a table is solved from enters; a table leaves, at once where it is known. Under a moving hand the height of the
sun is rounded (`AerialInputs.of`), so that a day takes a few dozen tables.
"""

from __future__ import annotations

import time
from collections.abc import Callable

import numpy as np

from gloamet.memo import Memo
from gloamet.sky.aerial import AerialTable
from gloamet.sky.dome import SkyDome
from gloamet.sky.sky_cache import NODES_DEG, SkyInterpolator
from gloamet.sky.sky_solver import SkySolver
from gloamet.translation.document_to_aerial import AerialInputs, quick_elevation_deg, solve_aerial_perspective

KEPT_TABLES = 100  # a quarter of a megabyte each: more than the heights of a day
HEIGHTS_DEG = sorted({quick_elevation_deg(float(elevation)) for elevation in NODES_DEG})


class AerialTables:
    """Tables of the air in front, the most recent ones kept."""

    def __init__(self, solver: SkySolver, skies: SkyInterpolator) -> None:
        self._skies = skies
        self._tables: Memo[AerialTable] = Memo(
            lambda inputs: solve_aerial_perspective(inputs, None, solver, skies), KEPT_TABLES
        )
        # the last alone: it holds its dome
        self._by_horizon: Memo[AerialTable] = Memo(
            lambda inputs, dome: solve_aerial_perspective(inputs, dome, solver, skies)
        )

    def table(self, inputs: AerialInputs, dome: SkyDome | None) -> AerialTable:
        """The air of these inputs; the dome only where the horizon lights it."""
        return self._tables(inputs) if dome is None else self._by_horizon(inputs, dome)

    def precompute(self, inputs: AerialInputs, stop: Callable[[], bool], seconds: float) -> bool:
        """Solve the air for other elevations of the sun, those near first, for so long or until told to stop; whether
        all are there for which the horizontal illuminance is known. Air lit by a moon or by the horizon is left for
        when it is seen."""
        if inputs.fraction < 1.0 or inputs.by_horizon:
            return True
        begin = time.monotonic()
        for k in np.argsort(np.abs(np.array(HEIGHTS_DEG) - inputs.elevation_deg)).tolist():
            height = HEIGHTS_DEG[k]
            there = inputs._replace(elevation_deg=height)
            if not self._skies.covers(inputs.air, height) or (there,) in self._tables:
                continue
            if stop() or time.monotonic() - begin > seconds:
                return False
            self._tables(there)
        return True
