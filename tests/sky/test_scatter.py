# SPDX-License-Identifier: Apache-2.0
"""The sky's kernel against plain NumPy: the same sums, written once more without tables, loops and threads."""

from __future__ import annotations

import math

import numpy as np
import pytest

from gloamet.sky.air import Air
from gloamet.sky.atmosphere import AEROSOL_HEIGHT_KM
from gloamet.sky.scatter import ScatteringAir, sun_paths, view_tables
from gloamet.sky.sky_solver import SkySolver

EARTH_KM, SPACE_KM, EYE_KM = 6371.0, 6471.0, 6371.0005
PROFILE_STEP_KM = 0.05
SUN_RADIUS_DEG = 0.2665
STEPS, COLUMN_STEPS = 24, 6000
TURNS = np.cos(np.radians([0.0, 40.0, 115.0, 180.0]))
SIGHTS_DEG = (1.0, 8.0, 35.0, 90.0)


def densities(air: ScatteringAir, height_km: np.ndarray) -> np.ndarray:
    """Of each species at heights (..., 4), straight lines between the rows of the profile."""
    rows = np.arange(len(air.profile)) * PROFILE_STEP_KM
    return np.stack([np.interp(np.maximum(height_km, 0.0), rows, air.profile[:, c]) for c in range(4)], -1)


def towards_space(air: ScatteringAir, r: float, mu: float) -> np.ndarray | None:
    """Columns of the four species from a radius along a cosine by many small steps; None where the Earth is."""
    if mu < 0.0 and r * math.sqrt(1.0 - mu * mu) < EARTH_KM:
        return None
    far = -r * mu + math.sqrt(r * r * (mu * mu - 1.0) + SPACE_KM**2)
    lowest = max(0.0, -r * mu)
    ends = np.linspace(0.0, 1.0, COLUMN_STEPS + 1)
    # finest about the lowest point of the ray
    cuts = np.concatenate([lowest * (1.0 - ends[::-1] ** 2), lowest + (far - lowest) * ends[1:] ** 2])
    t, dt = 0.5 * (cuts[1:] + cuts[:-1]), np.diff(cuts)
    return (densities(air, np.sqrt(r * r + t * t + 2.0 * r * mu * t) - EARTH_KM) * dt[:, None]).sum(0)


def seen_once(air: ScatteringAir, sun_sine: float, sight_sine: float, cos_turn: float) -> np.ndarray:
    """Light scattered once by air, aerosol and haze, phase functions left out, (3, bands)."""
    far = -EYE_KM * sight_sine + math.sqrt(EYE_KM**2 * (sight_sine**2 - 1.0) + SPACE_KM**2)
    cuts = far * np.linspace(0.0, 1.0, STEPS + 1) ** 2
    t, dt = 0.5 * (cuts[1:] + cuts[:-1]), np.diff(cuts)
    r = np.sqrt(EYE_KM**2 + t * t + 2.0 * EYE_KM * sight_sine * t)
    here = densities(air, r - EARTH_KM)
    thickness = here @ air.depth * dt[:, None]
    before = np.cumsum(thickness, 0) - thickness
    reach = np.exp(-before) * -np.expm1(-thickness) / thickness * dt[:, None]
    between = sun_sine * sight_sine + cos_turn * math.sqrt((1.0 - sun_sine**2) * (1.0 - sight_sine**2))
    sun = np.zeros_like(reach)
    for k in range(STEPS):
        local = (EYE_KM * sun_sine + t[k] * between) / r[k]
        columns = towards_space(air, r[k], local)
        if columns is not None:
            horizon_deg = math.degrees(math.acos(EARTH_KM / r[k]))
            above_deg = math.degrees(math.asin(local)) + horizon_deg
            disc = min(1.0, max(0.0, 0.5 + 0.5 * above_deg / SUN_RADIUS_DEG))
            sun[k] = disc * np.exp(-columns @ air.depth)
    return np.stack([air.scatter[c] * (here[:, c, None] * reach * sun).sum(0) for c in (0, 1, 3)])


@pytest.mark.proof(
    "The sky kernel against plain NumPy",
    source="the same sums in tests/sky/test_scatter.py, no code shared",
    kind="physics",
)
@pytest.mark.parametrize("sun_deg", [52.0, 14.0, 3.0, -3.0])
@pytest.mark.parametrize("air", [Air(2.0), Air(4.5, haze_visibility_km=12.0)], ids=["clear", "hazy"])
def test_the_kernel_gives_what_plain_numpy_gives(solver: SkySolver, air: Air, sun_deg: float) -> None:
    marched = solver.scattering(air)
    sun_sine = math.sin(math.radians(sun_deg))
    sights = np.sin(np.radians(SIGHTS_DEG))
    tables, _ = view_tables(marched, sun_sine, sights, TURNS, STEPS)
    plain = np.array([[seen_once(marched, sun_sine, s, c) for c in TURNS] for s in sights])
    kernel = tables[:, :, :3]
    # columns are read between 64 x 128 nodes: what is left of violet after a long way through haze, and light at the
    # edge of the Earth's shadow, shows that most, so a band may be farther off than the light as a whole
    whole = kernel.sum(-1) / np.maximum(plain.sum(-1), 1e-30) - 1.0
    lit = plain.sum(-1) > 1e-3 * np.maximum(plain.sum(-1).max((0, 1), keepdims=True), 1e-30)
    assert np.abs(whole[lit]).max() < (0.005 if sun_deg > 10.0 else 0.02 if sun_deg > 0.0 else 0.03)
    bands = np.abs(kernel / np.maximum(plain, 1e-30) - 1.0)[
        plain > 1e-2 * plain.max((0, 1, 3), keepdims=True)
    ]
    assert bands.max() < 0.03


def test_the_hazes_columns_are_summed_along_rays_that_rise_and_rays_that_dip(solver: SkySolver) -> None:
    air = solver.scattering(Air(2.5, haze_visibility_km=8.0, haze_height_m=300.0))
    rows, turns = air.table.shape[:2]
    horizon_km = math.sqrt(SPACE_KM**2 - EARTH_KM**2)
    dips = 0
    for i in (0, 1, 9, 30):
        rho = horizon_km * i / (rows - 1)
        r = math.sqrt(rho * rho + EARTH_KM * EARTH_KM)
        for j in range(0, turns, 9):
            # nodes lie evenly in the length of the ray, from straight up to the horizon
            length = SPACE_KM - r + (rho + horizon_km - (SPACE_KM - r)) * j / (turns - 1)
            mu = max(-1.0, min(1.0, (horizon_km**2 - rho * rho - length * length) / (2.0 * r * length)))
            expected = towards_space(air, r, mu)
            if expected is None:
                continue
            # the kernel takes 160 steps, which a thin layer feels in a hundredth
            assert air.table[i, j, 3] == pytest.approx(expected[3], rel=0.03, abs=1e-6)
            dips += mu < 0.0 and expected[3] > 1e-3
    assert dips > 0


def test_haze_as_high_as_the_aerosol_is_crossed_as_much_on_every_way_to_the_sun() -> None:
    paths = sun_paths(AEROSOL_HEIGHT_KM)
    lit = paths[..., 4] > 0.0
    aerosol, haze = paths[lit][:, 1], paths[lit][:, 3]
    # one is integrated through all the air, the other up to 16 of its heights, and looked up at a place in float32
    assert haze == pytest.approx(aerosol, rel=2e-3, abs=1e-4)  # straight up it is 1
    assert lit.sum() > 10_000
