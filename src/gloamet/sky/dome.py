# SPDX-License-Identifier: Apache-2.0
"""The sky of a moment as one radiance table, and the sun in front of it.

Air and a sun direction enter; a `SkyDome` leaves: radiance over the upper hemisphere in AP1 cd/m2, the
sun's irradiance, and what the lit ground sends up. `SkySolver` keeps what a moved sun does not change.

Dome table layout: (ROWS, COLUMNS, 3) float32 on nodes. Row i stands at elevation 90 * (i / (ROWS - 1))**2
degrees, so the horizon is finest; column j at azimuth 360 * j / COLUMNS degrees, periodic.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any

import numpy as np
from numba import njit
from numpy.typing import NDArray

from gloamet.colour.spaces import XYZ_TO_AP1
from gloamet.jit import ALLOCATING_KERNEL_OPTIONS, INLINE_KERNEL_OPTIONS, KERNEL_OPTIONS
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

Array = NDArray[np.float64]
F = np.float32

ROWS, COLUMNS = 128, 256
VIEW_ROWS, VIEW_TURNS = 32, 9
DAY_STEPS, DUSK_STEPS, DUSK_BELOW_DEG = 32, 64, 4.0
SUN_DIAMETER_DEG = 0.533
DARKEST = 1e-30  # of multiple scattering, so that there is a logarithm
# Moonless night sky far from towns, spread evenly: airglow, zodiacal light and stars together, 174 ucd/m2 at the zenith
# or 22.0 magnitudes per square arc second (Falchi et al., Science Advances 2 (2016), from memory).
NIGHT_CD_M2 = 174e-6
BANDS_TO_AP1 = SOLAR_XYZ_LX @ XYZ_TO_AP1.T


@dataclass(frozen=True, eq=False)
class SkyDome:
    """Light from every direction at one moment; colours are AP1, radiance cd/m2, irradiance lx.

    table: (ROWS, COLUMNS, 3) float32 as described above. sun_irradiance is on a plane facing the sun, for
    the whole disc; sun_visible the share of the disc above the horizon (0..1). ground_sun and ground_sky
    are the radiance of the lit ground below the horizon, by source. A camera sees seen_table instead of the table
    where there is one, and the disc under the gain seen_disc; horizon_gain is what was made of nature's horizon.
    """

    table: NDArray[np.float32]
    sun_azimuth_deg: float
    sun_elevation_deg: float
    sun_diameter_deg: float
    sun_irradiance: Array
    sun_visible: float
    sky_horizontal: Array
    ground_sun: Array
    ground_sky: Array
    seen_table: NDArray[np.float32] | None = None
    seen_disc: float = 1.0
    horizon_gain: Array | float = 1.0

    @property
    def sun_direction(self) -> Array:
        """Unit vector towards the sun: x east, y north, z up."""
        a, e = math.radians(self.sun_azimuth_deg), math.radians(self.sun_elevation_deg)
        return np.array([math.cos(e) * math.sin(a), math.cos(e) * math.cos(a), math.sin(e)])

    @property
    def natural_horizon(self) -> Array:
        """Mean radiance of the horizon before an artist's hand on the sky."""
        horizon = self.table[0].mean(0, dtype=float)
        return horizon if self.seen_table is not None else horizon / self.horizon_gain

    @property
    def sun_horizontal(self) -> Array:
        """Irradiance of the sun on horizontal ground, lx per AP1 channel."""
        return self.sun_irradiance * self.sun_visible * max(0.0, self.sun_direction[2])


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
    turns = spread(azimuth / np.pi * (VIEW_TURNS - 1), VIEW_TURNS)
    weight = np.cos(elevation) * np.sin(elevation) * (np.pi / 2 / ne) * (2 * np.pi / na)
    return elevation, azimuth, rows, turns, weight


@lru_cache(maxsize=1)
def row_weights() -> tuple[Array, Array]:
    """Per dome row: its solid angle, and its solid angle times the sine of elevation (steradians, one
    column each) for integrals over linearly interpolated rows."""
    u = (np.arange(20000) + 0.5) / 20000
    elevation = np.pi / 2 * u * u
    width = np.pi * u / 20000 * (2 * np.pi / COLUMNS) * np.cos(elevation)
    position = u * (ROWS - 1)
    low = np.minimum(position.astype(int), ROWS - 2)
    part = position - low
    solid, projected = np.zeros(ROWS), np.zeros(ROWS)
    for target, factor in ((solid, width), (projected, width * np.sin(elevation))):
        np.add.at(target, low, factor * (1 - part))
        np.add.at(target, low + 1, factor * part)
    return solid, projected


@njit(**ALLOCATING_KERNEL_OPTIONS)
def _tabulate(tables, forward, sun_elevation, sun_azimuth, floor, out):
    """Fill a dome table from view tables in AP1 (rows, turns, 4, 3); forward: `forward_g` of aerosol and haze."""
    sun_z, sun_h = math.sin(sun_elevation), math.cos(sun_elevation)
    row = np.zeros((VIEW_TURNS, VIEW_TERMS, 3))
    # steps over columns alone are worked on several at once
    aside, before, beyond = np.empty(COLUMNS), np.empty(COLUMNS, np.int64), np.empty(COLUMNS)
    rayleigh, aerosol, haze = np.empty(COLUMNS), np.empty(COLUMNS), np.empty(COLUMNS)
    for j in range(COLUMNS):
        turn = 2.0 * math.pi * j / COLUMNS - sun_azimuth
        turn -= 2.0 * math.pi * math.floor(turn / (2.0 * math.pi) + 0.5)
        x = min(abs(turn) / math.pi * (VIEW_TURNS - 1), VIEW_TURNS - 1.0001)
        aside[j], before[j] = math.cos(turn), int(x)
        beyond[j] = x - before[j]
    for i in range(ROWS):
        u = i / (ROWS - 1)
        elevation = math.pi / 2 * u * u
        z, h = math.sin(elevation), math.cos(elevation)
        y = min(u * (VIEW_ROWS - 1), VIEW_ROWS - 1.0001)
        a = int(y)
        fy = y - a
        for b in range(VIEW_TURNS):
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
        key = replace(
            air, ground_reflectance=0.0, ground_tint=GREY
        )  # the ground is added afterwards; all else counts
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
        """View tables (rows, turns, 4, bands) with the ground's light inside, the sun's transmittance (bands), and
        the irradiance of horizontal ground by sun and sky (bands); all per unit of extraterrestrial irradiance."""
        marched = self.scattering(air)
        mus = math.sin(math.radians(sun_elevation_deg))
        steps = DUSK_STEPS if sun_elevation_deg < DUSK_BELOW_DEG else DAY_STEPS
        view_mu = np.sin(np.linspace(0.0, 1.0, VIEW_ROWS) ** 2 * np.pi / 2)
        cosines = np.cos(np.linspace(0.0, np.pi, VIEW_TURNS))
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
        """The dome of view tables in AP1 (rows, turns, 4, 3) and the sun's transmittance (bands)."""
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
    elevation, azimuth, rows, turns, weight = _quadrature()
    sun = math.radians(elevation_deg)
    c = np.sin(elevation)[:, None] * math.sin(sun)
    c = c + np.cos(elevation)[:, None] * math.cos(sun) * np.cos(azimuth)[None]
    particles = (particle_phase_array(c, kind.forward_g) for kind in (air.kind, HAZE))
    phases = (rayleigh_phase_array(c), *particles, np.ones_like(c))
    below = np.zeros(tables.shape[-1])
    for k, phase in enumerate(phases):
        below += np.einsum("ab,abn->n", rows.T @ (weight[:, None] * phase) @ turns, tables[:, :, k])
    returned = (rows.T @ weight * len(azimuth)) @ ground / math.pi
    albedo = ground_albedo(air)
    level = (below + direct) / (1.0 - albedo * returned)
    return level, (ground * (albedo * level / math.pi))[:, None, :]


def visible_disc_fraction(elevation_deg: float, diameter_deg: float) -> float:
    """Share of the sun's disc above a level horizon, 0..1 (area of a circle cut by a line)."""
    x = min(1.0, max(-1.0, elevation_deg / (0.5 * diameter_deg)))
    return 0.5 + (x * math.sqrt(1.0 - x * x) + math.asin(x)) / math.pi


def sun_transmittance(air: Air, elevation_deg: float) -> Array:
    """Direct transmittance of the air towards the sun per band; below the horizon that of the horizon."""
    out = np.zeros(NSPECIES)
    height = math.sin(math.radians(max(0.0, elevation_deg)))
    column_to_space(columns(air.haze_height_km), GROUND_KM + 0.0005, height, out)
    return np.exp(-(out @ optical_depths(air).stacked()))


def assemble_dome(
    table: NDArray[np.float32],
    azimuth_deg: float,
    elevation_deg: float,
    diameter_deg: float,
    sun_irradiance: Array,
    ground_reflectance: float,
) -> SkyDome:
    """A Dome from a table and a sun: measures the sky and lights the ground below the horizon."""
    fraction = visible_disc_fraction(elevation_deg, diameter_deg)
    rows = np.einsum("i,ij->j", row_weights()[1].astype(np.float32), table.reshape(ROWS, -1))
    sky = rows.reshape(COLUMNS, 3).sum(0, dtype=float)
    if fraction <= 0.0:
        sun_irradiance = np.zeros(3)
    level = sun_irradiance * fraction * max(0.0, math.sin(math.radians(elevation_deg)))
    bounce = ground_reflectance / math.pi
    return SkyDome(
        table,
        azimuth_deg,
        elevation_deg,
        diameter_deg,
        sun_irradiance,
        fraction,
        sky,
        bounce * level,
        bounce * sky,
    )


def uniform_dome(radiance: float) -> SkyDome:
    """Make a dome of uniform radiance without a sun, for furnace tests.

    Parameters
    ----------
    radiance : float
        Radiance of sky and ground, cd/m².

    Returns
    -------
    SkyDome
        The dome.
    """
    table = np.full((ROWS, COLUMNS, 3), radiance, np.float32)
    return assemble_dome(table, 0.0, -90.0, SUN_DIAMETER_DEG, np.zeros(3), 1.0)


@njit(**INLINE_KERNEL_OPTIONS)
def dome_coordinates(dx, dy, dz):
    """Compute the coordinates of a direction in a dome table.

    Polynomials of Abramowitz & Stegun, 4.4.46 and 4.4.49, with errors of 2e-8 and 2e-5 rad.

    Parameters
    ----------
    dx : float32
        East component of a unit vector.
    dy : float32
        North component.
    dz : float32
        Up component, not negative.

    Returns
    -------
    tuple of float32
        Square root of elevation and azimuth, both 0 to 1.
    """
    z = min(F(1), max(F(0), dz))
    p = F(-0.0012624911) * z + F(0.0066700901)
    p = (p * z - F(0.0170881256)) * z + F(0.0308918810)
    p = ((p * z - F(0.0501743046)) * z + F(0.0889789874)) * z - F(0.2145988016)
    zenith = math.sqrt(F(1) - z) * (p * z + F(1.5707963050))
    u = math.sqrt(max(F(0), F(1) - zenith * F(2 / math.pi)))
    ax, ay = abs(dx), abs(dy)
    q = min(ax, ay) / max(max(ax, ay), F(1e-20))
    s = q * q
    t = ((F(0.0208351) * s - F(0.0851330)) * s + F(0.1801410)) * s - F(0.3302995)
    t = q * (t * s + F(0.9998660)) * F(0.5 / math.pi)
    if ax > ay:
        t = F(0.25) - t
    if dy < F(0):
        t = F(0.5) - t
    if dx < F(0):
        t = F(1) - t
    return u, t if t < F(1) else F(0)


@njit(**INLINE_KERNEL_OPTIONS)
def sky_radiance(table, u, v):
    """Look up the radiance of a dome table bilinearly.

    Parameters
    ----------
    table : float32 array
        Dome table, (ROWS, COLUMNS, 3), AP1 cd/m².
    u : float32
        Square root of elevation, 0 to 1.
    v : float32
        Azimuth, 0 to 1.

    Returns
    -------
    tuple of float32
        AP1 cd/m².
    """
    y = min(u * F(ROWS - 1), F(ROWS - 1.001))
    x = v * F(COLUMNS)
    # held inside the table whatever comes: a direction that is not a number must not read elsewhere
    i, j = min(max(int(y), 0), ROWS - 2), int(x)
    fy, fx = y - F(i), x - F(j)
    j &= COLUMNS - 1
    a, b = (F(1) - fx) * (F(1) - fy), fx * (F(1) - fy)
    c, d = (F(1) - fx) * fy, fx * fy
    # unsigned, as numbers from the end are looked for otherwise
    p, q = np.uint64(i), np.uint64(i + 1)
    k, n = np.uint64(j), np.uint64((j + 1) & (COLUMNS - 1))
    return (
        table[p, k, 0] * a + table[p, n, 0] * b + table[q, k, 0] * c + table[q, n, 0] * d,
        table[p, k, 1] * a + table[p, n, 1] * b + table[q, k, 1] * c + table[q, n, 1] * d,
        table[p, k, 2] * a + table[p, n, 2] * b + table[q, k, 2] * c + table[q, n, 2] * d,
    )


@njit(**KERNEL_OPTIONS)
def _sample_rows(table, directions, out):
    for n in range(directions.shape[0]):
        u, v = dome_coordinates(directions[n, 0], directions[n, 1], directions[n, 2])
        out[n, 0], out[n, 1], out[n, 2] = sky_radiance(table, u, v)


def dome_radiance(dome: SkyDome, directions: NDArray[Any]) -> NDArray[np.float32]:
    """Evaluate the sky radiance of a dome.

    Parameters
    ----------
    dome : SkyDome
        The sky.
    directions : ndarray
        Unit vectors above the horizon, (..., 3).

    Returns
    -------
    ndarray
        AP1 cd/m², (..., 3), without the sun disc.
    """
    flat = np.ascontiguousarray(directions, np.float32).reshape(-1, 3)
    out = np.empty_like(flat)
    _sample_rows(dome.table, flat, out)
    return out.reshape(np.shape(directions))
