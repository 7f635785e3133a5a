# SPDX-License-Identifier: Apache-2.0
"""Solve the skies that `gloamet.sky.preliminary_sky` interpolates, into src/gloamet/data/preliminary_sky.npz.

Run it with `python tools/make_preliminary_sky.py` after the sky solver has changed; it takes about a minute.
"""

from __future__ import annotations

import numpy as np

from gloamet.sky.air import Air
from gloamet.sky.preliminary_sky import (
    DARKEST,
    ELEVATIONS_DEG,
    FILE,
    REFLECTANCE,
    SUN_ELEVATIONS_DEG,
    TURBIDITIES,
    PreliminaryTables,
)
from gloamet.sky.scatter import MULTIPLE_TERM
from gloamet.sky.sky_palette import solve_sky_palette
from gloamet.sky.sky_solver import BANDS_TO_AP1, NIGHT_CD_M2, SkySolver, sun_transmittance

RAYLEIGH_TERM, AEROSOL_TERM = 0, 1  # of `scatter.VIEW_TERMS`
BRIGHT = 0.5  # reflectance of the second ground


def main() -> None:
    """Solve and write."""
    tables, suns, strips, levels, returned = [], [], [], [], []
    for turbidity in TURBIDITIES:
        air, solver = Air(turbidity, ground_reflectance=REFLECTANCE), SkySolver()
        solved = [solver.spectral(air, elevation) for elevation in ELEVATIONS_DEG]
        for light, _through, _ground in solved:
            view = light @ BANDS_TO_AP1
            view[:, :, MULTIPLE_TERM] += NIGHT_CD_M2
            view = view[:, :, [RAYLEIGH_TERM, AEROSOL_TERM, MULTIPLE_TERM]]  # there is no haze
            tables.append(np.log(np.maximum(view, DARKEST)))
        for elevation in SUN_ELEVATIONS_DEG:
            sun = sun_transmittance(air, elevation) @ BANDS_TO_AP1
            suns.append(np.log(np.maximum(sun, max(DARKEST, 1e-3 * sun.max()))))  # deep red leaves AP1
        palette = solve_sky_palette(solver, air)
        strips.append(palette.strips)
        levels.append(palette.horizontal_lx)
        low, high = (
            solver.dome(Air(turbidity, ground_reflectance=r), 0.0, 40.0) for r in (REFLECTANCE, BRIGHT)
        )
        more = (high.sky_horizontal - low.sky_horizontal) / (BRIGHT - REFLECTANCE)
        returned.append(more / (low.sun_horizontal + low.sky_horizontal))
    stored = PreliminaryTables(
        np.reshape(tables, (len(TURBIDITIES), len(ELEVATIONS_DEG), *tables[0].shape)).astype(np.float16),
        np.reshape(suns, (len(TURBIDITIES), len(SUN_ELEVATIONS_DEG), 3)).astype(np.float32),
        np.array(strips, np.float32),
        np.array(levels, np.float32),
        np.array(returned, np.float32),
    )
    np.savez_compressed(FILE, **stored._asdict())
    print(FILE.stat().st_size)


if __name__ == "__main__":
    main()
