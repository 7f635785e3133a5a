# SPDX-License-Identifier: Apache-2.0
"""Solves the clear sky: optical depths and a sun direction enter, a `SkyDome` leaves.

`SkySolver` keeps what a moved sun does not change, the multiple scattering of the air. View tables hold radiance per
unit of extraterrestrial irradiance, (rows, azimuths, terms, bands): rows from the horizon to the zenith, azimuths from
the sun to the opposite side, terms the phase functions of `sky.scatter` that are applied afterwards.
"""

from __future__ import annotations

import math
from dataclasses import replace
from functools import lru_cache
from typing import Any

import numpy as np
from numba import njit

from gloamet.colour.spaces import XYZ_TO_AP1
from gloamet.jit import ALLOCATING_KERNEL_OPTIONS
from gloamet.sky.air import GREY, Air, OpticalDepths, ground_albedo, optical_depths
from gloamet.sky.atmosphere import (
    DELTA_FORWARD,
    GROUND_KM,
    NSPECIES,
    column_to_space,
    columns,
    particle_phase,
    particle_phase_array,
    profiles,
    rayleigh_phase,
    rayleigh_phase_array,
)
from gloamet.sky.dome import (
    COLUMNS,
    ROWS,
    SUN_DIAMETER_DEG,
    Array,
    SkyDome,
    assemble_dome,
    visible_disc_fraction,
)
from gloamet.sky.particles import HAZE
from gloamet.sky.scatter import (
    ALTITUDES,
    MULTIPLE_TERM,
    SUN_COSINES,
    VIEW_TERMS,
    ScatteringAir,
    multiple_rows,
    sun_paths,
    view_tables,
)
from gloamet.sky.spectrum import SOLAR_XYZ_LX
from gloamet.thread_pool import shared_pool

VIEW_ROWS = 32
VIEW_AZIMUTHS = 9
DAY_STEPS = 32
DUSK_STEPS = 64
DUSK_BELOW_DEG = 4.0
DARKEST = 1e-30  # of multiple scattering, so that there is a logarithm
# Moonless night sky far from towns, spread evenly: airglow, zodiacal light and stars together, 174 ucd/m2 at the zenith
# or 22.0 magnitudes per square arc second (Falchi et al., Science Advances 2 (2016), from memory).
NIGHT_CD_M2 = 174e-6
BANDS_TO_AP1 = SOLAR_XYZ_LX @ XYZ_TO_AP1.T


def _delta_scaled(tau: OpticalDepths) -> tuple[Array, Array, Array]:
    """Delta-scaled extinction (4, bands), full scattering, delta-scaled scattering."""
    none = np.zeros_like(tau.ozone)
    scatter = np.stack([tau.rayleigh, tau.aerosol_scatter, none, tau.haze_scatter])
    forward = np.array([0.0, DELTA_FORWARD, 0.0, DELTA_FORWARD])[:, None] * scatter
    return tau.stacked() - forward, scatter, scatter - forward


@lru_cache(maxsize=1)
def _quadrature() -> tuple[Array, Array, Array, Array, Array]:
    """A fine hemisphere grid and the matrices that spread view-table nodes onto it."""
    ne, na = 40, 48
    elevation = (np.arange(ne) + 0.5) / ne * np.pi / 2
    azimuth = (np.arange(na) + 0.5) / na * np.pi

    def spread(position: Array, nodes: int) -> Array:
        i = np.minimum(position.astype(int), nodes - 2)
        matrix = np.zeros((len(position), nodes))
        matrix[np.arange(len(position)), i] = 1.0 - (position - i)
        matrix[np.arange(len(position)), i + 1] = position - i
        return matrix

    rows = spread(np.sqrt(elevation / (np.pi / 2)) * (VIEW_ROWS - 1), VIEW_ROWS)
    azimuths = spread(azimuth / np.pi * (VIEW_AZIMUTHS - 1), VIEW_AZIMUTHS)
    weight = np.cos(elevation) * np.sin(elevation) * (np.pi / 2 / ne) * (2 * np.pi / na)
    return elevation, azimuth, rows, azimuths, weight


@njit(**ALLOCATING_KERNEL_OPTIONS)
def _tabulate(tables, forward, sun_elevation, sun_azimuth, floor, out):
    """Fill a dome table from view tables in AP1 (rows, azimuths, 4, 3); forward: `forward_g` of aerosol and haze."""
    sun_z, sun_h = math.sin(sun_elevation), math.cos(sun_elevation)
    row = np.zeros((VIEW_AZIMUTHS, VIEW_TERMS, 3))
    # steps over columns alone are worked on several at once
    aside, before, beyond = np.empty(COLUMNS), np.empty(COLUMNS, np.int64), np.empty(COLUMNS)
    rayleigh, aerosol, haze = np.empty(COLUMNS), np.empty(COLUMNS), np.empty(COLUMNS)
    for j in range(COLUMNS):
        azimuth = 2.0 * math.pi * j / COLUMNS - sun_azimuth
        azimuth -= 2.0 * math.pi * math.floor(azimuth / (2.0 * math.pi) + 0.5)
        x = min(abs(azimuth) / math.pi * (VIEW_AZIMUTHS - 1), VIEW_AZIMUTHS - 1.0001)
        aside[j], before[j] = math.cos(azimuth), int(x)
        beyond[j] = x - before[j]
    for i in range(ROWS):
        u = i / (ROWS - 1)
        elevation = math.pi / 2 * u * u
        z, h = math.sin(elevation), math.cos(elevation)
        y = min(u * (VIEW_ROWS - 1), VIEW_ROWS - 1.0001)
        a = int(y)
        fy = y - a
        for b in range(VIEW_AZIMUTHS):
            for n in range(VIEW_TERMS):
                for k in range(3):
                    row[b, n, k] = (1 - fy) * tables[a, b, n, k] + fy * tables[a + 1, b, n, k]
        for j in range(COLUMNS):
            c = z * sun_z + h * sun_h * aside[j]
            rayleigh[j] = rayleigh_phase(c)
            aerosol[j], haze[j] = particle_phase(c, forward[0]), particle_phase(c, forward[1])
        for j in range(COLUMNS):
            b, fx, pr, pa, ph = before[j], beyond[j], rayleigh[j], aerosol[j], haze[j]
            for k in range(3):
                near = row[b, 0, k] * pr + row[b, 1, k] * pa + row[b, 2, k] * ph + row[b, 3, k]
                far = row[b + 1, 0, k] * pr + row[b + 1, 1, k] * pa + row[b + 1, 2, k] * ph + row[b + 1, 3, k]
                out[i, j, k] = max(floor + (1 - fx) * near + fx * far, 0.0)


class SkySolver:
    """Solves skies one after another and keeps the multiple-scattering tables while the air stays."""

    def __init__(self) -> None:
        self._pool = shared_pool()
        self._key: Air | None = None
        self._log_psi: Array = np.zeros(0)
        self._psi_ground: Array = np.zeros(0)
        self._level: tuple[Air, float, Array] | None = None

    def in_threads(self, kernel: Any, calls: list[tuple[Any, ...]]) -> list[Any]:
        """Run a kernel for every tuple of arguments, the last one here and now; the results in order."""
        jobs = [self._pool.submit(kernel, *call) for call in calls[:-1]]
        own = kernel(*calls[-1])
        return [*(job.result() for job in jobs), own]

    def _multiple(self, air: Air, depth: Array, scatter_ms: Array) -> None:
        # the ground is added afterwards
        key = replace(air, ground_reflectance=0.0, ground_tint=GREY)
        if key == self._key:
            return
        bands = depth.shape[1]
        psi, psi_ground = np.zeros((ALTITUDES, SUN_COSINES, bands)), np.zeros((ALTITUDES, bands))
        height = air.haze_height_km
        args: tuple[Any, ...] = (profiles(height), sun_paths(height), depth, scatter_ms)
        # a row a job: the lower ones cost more
        self.in_threads(multiple_rows, [(*args, i, i + 1, psi, psi_ground) for i in range(ALTITUDES)])
        self._log_psi, self._psi_ground, self._key = np.log(np.maximum(psi, DARKEST)), psi_ground, key

    def scattering(self, air: Air) -> ScatteringAir:
        """An air ready to be marched through."""
        depth, scatter, scatter_ms = _delta_scaled(optical_depths(air))
        self._multiple(air, depth, scatter_ms)
        height = air.haze_height_km
        return ScatteringAir(
            profiles(height), columns(height), depth, scatter, scatter_ms, self._log_psi, self._psi_ground
        )

    def spectral(self, air: Air, sun_elevation_deg: float) -> tuple[Array, Array, Array]:
        """View tables (rows, azimuths, 4, bands) with the ground's light inside, the sun's transmittance (bands), and
        the irradiance of horizontal ground by sun and sky (bands); all per unit of extraterrestrial irradiance."""
        marched = self.scattering(air)
        mus = math.sin(math.radians(sun_elevation_deg))
        steps = DUSK_STEPS if sun_elevation_deg < DUSK_BELOW_DEG else DAY_STEPS
        view_mu = np.sin(np.linspace(0.0, 1.0, VIEW_ROWS) ** 2 * np.pi / 2)
        cosines = np.cos(np.linspace(0.0, np.pi, VIEW_AZIMUTHS))
        half = VIEW_ROWS // 2
        calls = [(marched, mus, mu, cosines, steps) for mu in (view_mu[:half], view_mu[half:])]
        tables, ground = (np.concatenate(p) for p in zip(*self.in_threads(view_tables, calls), strict=True))
        through = sun_transmittance(air, sun_elevation_deg)
        direct = through * visible_disc_fraction(sun_elevation_deg, SUN_DIAMETER_DEG) * max(0.0, mus)
        level, returned = _level_light(tables, ground, direct, sun_elevation_deg, air)
        tables[:, :, MULTIPLE_TERM] += returned
        self._level = air, sun_elevation_deg, level
        return tables, through, level

    def level(self, air: Air, sun_elevation_deg: float) -> Array:
        """The irradiance of horizontal ground (bands) as `spectral` has it; known when that sky was solved last."""
        last = self._level
        if last is not None and last[:2] == (air, sun_elevation_deg):
            return last[2]
        return self.spectral(air, sun_elevation_deg)[2]

    def dome(
        self, air: Air, azimuth_deg: float, elevation_deg: float, diameter_deg: float = SUN_DIAMETER_DEG
    ) -> SkyDome:
        """The light of a moment. elevation_deg is apparent, -90..90; azimuth_deg clockwise from north."""
        elevation_deg = max(elevation_deg, -20.0) if elevation_deg < 0 else elevation_deg
        tables, through, _level = self.spectral(air, elevation_deg)
        tables = np.ascontiguousarray(tables @ BANDS_TO_AP1)
        return self.tabulate(tables, through, air, azimuth_deg, elevation_deg, diameter_deg)

    def tabulate(
        self,
        tables: Array,
        through: Array,
        air: Air,
        azimuth_deg: float,
        elevation_deg: float,
        diameter_deg: float,
    ) -> SkyDome:
        """The dome of view tables in AP1 (rows, azimuths, 4, 3) and the sun's transmittance (bands)."""
        table = np.zeros((ROWS, COLUMNS, 3), np.float32)
        sun_at = math.radians(elevation_deg), math.radians(azimuth_deg)
        _tabulate(tables, (air.kind.forward_g, HAZE.forward_g), *sun_at, NIGHT_CD_M2, table)
        sun = through @ BANDS_TO_AP1
        return assemble_dome(table, azimuth_deg, elevation_deg, diameter_deg, sun, air.ground_reflectance)


def _level_light(
    tables: Array, ground: Array, direct: Array, elevation_deg: float, air: Air
) -> tuple[Array, Array]:
    """Irradiance of horizontal ground (bands), and what the lit ground adds to the sky, (rows, 1, bands): the adding
    method per band."""
    elevation, azimuth, rows, azimuths, weight = _quadrature()
    sun = math.radians(elevation_deg)
    c = np.sin(elevation)[:, None] * math.sin(sun)
    c = c + np.cos(elevation)[:, None] * math.cos(sun) * np.cos(azimuth)[None]
    particles = (particle_phase_array(c, kind.forward_g) for kind in (air.kind, HAZE))
    phases = (rayleigh_phase_array(c), *particles, np.ones_like(c))
    below = np.zeros(tables.shape[-1])
    for k, phase in enumerate(phases):
        below += np.einsum("ab,abn->n", rows.T @ (weight[:, None] * phase) @ azimuths, tables[:, :, k])
    returned = (rows.T @ weight * len(azimuth)) @ ground / math.pi
    albedo = ground_albedo(air)
    level = (below + direct) / (1.0 - albedo * returned)
    return level, (ground * (albedo * level / math.pi))[:, None, :]


def sun_transmittance(air: Air, elevation_deg: float) -> Array:
    """Direct transmittance of the air towards the sun per band; below the horizon that of the horizon."""
    out = np.zeros(NSPECIES)
    height = math.sin(math.radians(max(0.0, elevation_deg)))
    column_to_space(columns(air.haze_height_km), GROUND_KM + 0.0005, height, out)
    return np.exp(-(out @ optical_depths(air).stacked()))
