# SPDX-License-Identifier: Apache-2.0
"""Scattering of sunlight in the air: the table of multiple scattering and the view tables.

Array layouts. Spectral arrays end in the band axis (16). `depth` is (4, bands) of vertical extinctions in
profile order, `scatter` is (4, bands) of scattering (ozone 0). The multiple-scattering source `psi` is
(altitudes, sun cosines, bands), its part from a unit of ground radiance `psi_ground` (altitudes, bands).
A view table is (elevations, azimuths, 4, bands): by Rayleigh, aerosol and haze singly scattered, their phase
functions not yet applied, and everything scattered more than once. Radiances are per unit of the sun's
extraterrestrial irradiance.
"""

from __future__ import annotations

import math
from functools import lru_cache
from typing import NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

from gloamet.jit import ALLOCATING_KERNEL_OPTIONS, INLINE_KERNEL_OPTIONS, KERNEL_OPTIONS
from gloamet.quick_math import LOG2_E, exp2
from gloamet.sky.atmosphere import (
    AEROSOL_SPECIES,
    GROUND_KM,
    HAZE_SPECIES,
    KEPT_HEIGHTS,
    NSPECIES,
    OZONE_SPECIES,
    RAYLEIGH_SPECIES,
    TOP_KM,
    between_nodes,
    clear_columns,
    column_position,
    column_to_space,
    columns,
    profile_index,
    sun_visible,
)
from gloamet.thread_pool import shared_pool

ALTITUDES = 12
SUN_COSINES = 40
DIRECTIONS = 10
DAY_AZIMUTHS, DUSK_AZIMUTHS, DUSK_COSINE = 2, 4, 0.05  # two suffice while the sun is up
PATH_STEPS = 14
VIEW_TERMS = 4  # of a view table
RAYLEIGH_TERM, AEROSOL_TERM, HAZE_TERM, MULTIPLE_TERM = range(VIEW_TERMS)
STEP_WORDS = 6  # columns of a step of a view ray
STEP_DISTANCE, STEP_RADIUS, STEP_RAYLEIGH, STEP_AEROSOL, STEP_HAZE, STEP_PSI_ROW = range(STEP_WORDS)
COSINE_LOW = -0.6  # signed square root of the lowest sun cosine, -0.36
ISOTROPIC = 1.0 / (4.0 * math.pi)
# of the ground's light, what particles throw back down over what isotropic ones would: 1 - 7/8 g, with the 0.52 that
# delta scaling leaves of their asymmetry of 0.71 (backscattered fraction of diffuse light: Wiscombe & Grams 1976, from
# memory)
GROUND_BACKSCATTER_FRACTION = 0.55

F = np.float32
Array = NDArray[np.float64]


@njit(**INLINE_KERNEL_OPTIONS)
def altitude_km(i):
    """Height of row i of the multiple-scattering table: denser towards the ground."""
    f = i / (ALTITUDES - 1)
    return 100.0 * f * f * f * 0.999 + 0.001


@njit(**INLINE_KERNEL_OPTIONS)
def sun_cosine(j):
    """Sun cosine of column j: signed squares, so that the steps are finest at the horizon."""
    v = COSINE_LOW + (1.0 - COSINE_LOW) * j / (SUN_COSINES - 1)
    return v * abs(v)


@njit(**INLINE_KERNEL_OPTIONS)
def sun_column(mu):
    """The inverse of sun_cosine, clamped inside the table."""
    v = math.copysign(math.sqrt(abs(mu)), mu)
    x = (v - COSINE_LOW) / (1.0 - COSINE_LOW) * (SUN_COSINES - 1)
    return min(max(x, 0.0), SUN_COSINES - 1.001)


@njit(**INLINE_KERNEL_OPTIONS)
def _between(profile, k, f, species):
    """Density of a species at fraction f between rows k and k + 1 of a profile."""
    return profile[k, species] * (1 - f) + profile[k + 1, species] * f


@njit(**KERNEL_OPTIONS)
def _gather(profile, height, depth, scatter, extinction, scattering):
    """Write extinction and scattering (bands,) per km at a height in km; depth and scatter (NSPECIES, bands)."""
    k, f = profile_index(height)
    a, b = _between(profile, k, f, RAYLEIGH_SPECIES), _between(profile, k, f, AEROSOL_SPECIES)
    c, d = _between(profile, k, f, OZONE_SPECIES), _between(profile, k, f, HAZE_SPECIES)
    for n in range(extinction.shape[0]):
        extinction[n] = depth[0, n] * a + depth[1, n] * b + depth[2, n] * c + depth[3, n] * d
        scattering[n] = scatter[0, n] * a + scatter[1, n] * b + scatter[3, n] * d


@njit(**INLINE_KERNEL_OPTIONS)
def _ray(i, a):
    """Direction a from altitude row i: radius, cosine, solid-angle share, length, whether it ends below."""
    r = GROUND_KM + altitude_km(i)
    v0, v1 = 2.0 * a / DIRECTIONS - 1.0, 2.0 * (a + 1) / DIRECTIONS - 1.0
    m0, m1 = v0 * abs(v0), v1 * abs(v1)
    mu = 0.5 * (m0 + m1)
    hit = r * r * (mu * mu - 1.0) + GROUND_KM * GROUND_KM
    if mu < 0.0 and hit > 0.0:
        return r, mu, 0.5 * (m1 - m0), -r * mu - math.sqrt(hit), True
    return r, mu, 0.5 * (m1 - m0), -r * mu + math.sqrt(r * r * (mu * mu - 1.0) + TOP_KM * TOP_KM), False


@njit(**INLINE_KERNEL_OPTIONS)
def _step(r, mu, far, s):
    """Step s along a ray: its length, the distance and the radius of its middle."""
    u0, u1 = s / PATH_STEPS, (s + 1) / PATH_STEPS
    t0, t1 = far * u0 * u0, far * u1 * u1
    t = 0.5 * (t0 + t1)
    return t1 - t0, t, math.sqrt(r * r + t * t + 2.0 * r * mu * t)


@njit(**ALLOCATING_KERNEL_OPTIONS)
def _sun_paths(table, first, last, paths, positions):
    """Rows first..last of `sun_paths` without haze, and where in a table of columns each is looked up."""
    out = np.zeros(NSPECIES)
    for i in range(first, last):
        for a in range(DIRECTIONS):
            r, mu, _, far, _ = _ray(i, a)
            sine = math.sqrt(1.0 - mu * mu)
            for s in range(PATH_STEPS):
                _, t, rr = _step(r, mu, far, s)
                for j in range(SUN_COSINES):
                    mus = sun_cosine(j)
                    sun_sine = math.sqrt(max(0.0, 1.0 - mus * mus))
                    turns = DUSK_AZIMUTHS if mus < DUSK_COSINE else DAY_AZIMUTHS
                    for b in range(turns):
                        towards = mu * mus + sine * sun_sine * math.cos(math.pi * (b + 0.5) / turns)
                        local = (r * mus + t * towards) / rr
                        if column_to_space(table, rr, local, out):
                            path, position = paths[i, a, s, j, b], positions[i, a, s, j, b]
                            for c in range(HAZE_SPECIES):
                                path[c] = out[c]
                            path[NSPECIES] = sun_visible(rr, local) * ISOTROPIC / turns
                            position[0], position[1] = column_position(rr, local)


@njit(**KERNEL_OPTIONS)
def _haze_paths(haze, positions, paths):
    """The haze of paths (N, 5), read at places (N, 2) of its columns (rows, columns)."""
    for n in range(len(paths)):
        if paths[n, NSPECIES] > 0.0:
            paths[n, HAZE_SPECIES] = between_nodes(haze, positions[n, 0], positions[n, 1])


@lru_cache(maxsize=1)
def _clear_sun_paths() -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Those that no haze changes, the haze's own columns empty; and rows and columns at which they are looked up."""
    shape = (ALTITUDES, DIRECTIONS, PATH_STEPS, SUN_COSINES, DUSK_AZIMUTHS)
    paths, positions = np.zeros((*shape, NSPECIES + 1), np.float32), np.zeros((*shape, 2), np.float32)
    pool = shared_pool()
    jobs = [pool.submit(_sun_paths, clear_columns(), i, i + 1, paths, positions) for i in range(ALTITUDES)]
    for job in jobs:
        job.result()
    return paths, positions


@lru_cache(maxsize=KEPT_HEIGHTS)
def sun_paths(haze_height_km: float) -> NDArray[np.float32]:
    """Compute the geometry of second-order scattering.

    Parameters
    ----------
    haze_height_km : float
        Scale height of the haze, kilometres.

    Returns
    -------
    ndarray
        Array (altitude, direction, step, sun cosine, azimuth, 5): four columns from each step to the sun, and the
        visible fraction of the disc.
    """
    clear, positions = _clear_sun_paths()
    paths, haze = clear.copy(), columns(haze_height_km)[..., HAZE_SPECIES].astype(np.float32)
    _haze_paths(haze, positions.reshape(-1, 2), paths.reshape(-1, NSPECIES + 1))
    return paths


@njit(**ALLOCATING_KERNEL_OPTIONS)
def multiple_rows(profile, paths, depth, scatter, first, last, psi, psi_ground):
    """Fill rows first..last of psi and psi_ground.

    depth and scatter are the delta-scaled ones. Second order is gathered over directions and closed by the
    isotropic 1 / (1 - f): every further order repeats the last one's share f.
    """
    bands = depth.shape[1]
    extinction, scattering = np.zeros(bands), np.zeros(bands)
    passed, fraction, ground_fraction = np.zeros(bands), np.zeros(bands), np.zeros(bands)
    source = np.zeros((SUN_COSINES, bands), np.float32)
    weight, thin = np.zeros(bands, np.float32), (LOG2_E * depth).astype(np.float32)
    sun = np.zeros(bands, np.float32)
    for i in range(first, last):
        fraction[:] = 0.0
        ground_fraction[:] = 0.0
        source[:] = 0.0
        for a in range(DIRECTIONS):
            r, mu, solid, far, ground = _ray(i, a)
            passed[:] = 0.0
            for s in range(PATH_STEPS):
                dt, _, rr = _step(r, mu, far, s)
                _gather(profile, rr - GROUND_KM, depth, scatter, extinction, scattering)
                for n in range(bands):
                    d = extinction[n] * dt
                    through = (1.0 - math.exp(-d)) / extinction[n] if d > 1e-5 else dt
                    amount = scattering[n] * math.exp(-passed[n]) * through * solid
                    weight[n] = amount
                    fraction[n] += amount
                    passed[n] += d
                for j in range(SUN_COSINES):
                    for b in range(DUSK_AZIMUTHS):
                        p = paths[i, a, s, j, b]
                        if p[NSPECIES] > 0.0:
                            p0, p1, p2, p3, visible = p[0], p[1], p[2], p[3], p[NSPECIES]
                            for n in range(bands):
                                halvings = (
                                    thin[0, n] * p0 + thin[1, n] * p1 + thin[2, n] * p2 + thin[3, n] * p3
                                )
                                sun[n] = weight[n] * visible * exp2(-halvings)
                            for n in range(bands):
                                source[j, n] += sun[n]
            if ground:
                for n in range(bands):
                    ground_fraction[n] += math.exp(-passed[n]) * solid
        for n in range(bands):
            orders = 1.0 / (1.0 - fraction[n])
            psi_ground[i, n] = ground_fraction[n] * orders
            for j in range(SUN_COSINES):
                psi[i, j, n] = source[j, n] * orders


@njit(**ALLOCATING_KERNEL_OPTIONS)
def _view_path(profile, depth, scatter_down, psi_ground, mu, steps, geometry, reach, ground):
    """The part of a view ray that does not depend on the sun: one elevation, shared by all azimuths.

    geometry (steps, STEP_WORDS): STEP_DISTANCE and STEP_RADIUS in km, relative densities STEP_RAYLEIGH, STEP_AEROSOL
    and STEP_HAZE, STEP_PSI_ROW the fractional row of psi. reach (steps, bands): transmitted length in km. ground
    (bands,): light of a unit of ground radiance. All three are written.
    """
    bands = depth.shape[1]
    r = GROUND_KM + 0.0005
    far = -r * mu + math.sqrt(r * r * (mu * mu - 1.0) + TOP_KM * TOP_KM)
    passed, extinction, scattering = np.zeros(bands), np.zeros(bands), np.zeros(bands)
    ground[:] = 0.0
    for s in range(steps):
        u0, u1 = s / steps, (s + 1) / steps
        t0, t1 = far * u0 * u0, far * u1 * u1
        dt, t = t1 - t0, 0.5 * (t0 + t1)
        rr = math.sqrt(r * r + t * t + 2.0 * r * mu * t)
        height = max(0.0, rr - GROUND_KM)
        k, f = profile_index(height)
        row = min((height / 100.0) ** (1.0 / 3.0) * (ALTITUDES - 1), ALTITUDES - 1.001)
        geometry[s, STEP_DISTANCE], geometry[s, STEP_RADIUS], geometry[s, STEP_PSI_ROW] = t, rr, row
        geometry[s, STEP_RAYLEIGH] = _between(profile, k, f, RAYLEIGH_SPECIES)
        geometry[s, STEP_AEROSOL] = _between(profile, k, f, AEROSOL_SPECIES)
        geometry[s, STEP_HAZE] = _between(profile, k, f, HAZE_SPECIES)
        _gather(profile, height, depth, scatter_down, extinction, scattering)
        i = int(row)
        fy = row - i
        for n in range(bands):
            d = extinction[n] * dt
            seen = math.exp(-passed[n]) * ((1.0 - math.exp(-d)) / extinction[n] if d > 1e-5 else dt)
            reach[s, n] = seen
            passed[n] += d
            ground[n] += scattering[n] * seen * (psi_ground[i, n] * (1 - fy) + psi_ground[i + 1, n] * fy)


class ScatteringAir(NamedTuple):
    """An atmosphere to be marched through: species' profiles and columns, optical depths, full and delta-scaled
    scattering of each species and band, the logarithm of the multiple scattering of the air, and that of the ground.
    Twilight falls by the logarithm: between two elevations of the sun it is read so, or its light would have kinks."""

    profile: Array
    table: Array
    depth: Array
    scatter: Array
    scatter_ms: Array
    log_psi: Array
    psi_ground: Array


@njit(**ALLOCATING_KERNEL_OPTIONS)
def view_tables(air, mus, view_mu, cos_azimuth, steps):
    """The view tables (elevations, azimuths, 4, bands) and the ground's part (elevations, bands) of a `ScatteringAir`.

    mus: cosine of the sun's zenith angle; view_mu: sines of the view elevations.
    """
    profile, table, depth, scatter, scatter_ms, log_psi, psi_ground = air
    bands = depth.shape[1]
    rows, azimuths = view_mu.shape[0], cos_azimuth.shape[0]
    tables, ground = np.zeros((rows, azimuths, VIEW_TERMS, bands)), np.zeros((rows, bands))
    reach, geometry, out = np.zeros((steps, bands)), np.zeros((steps, STEP_WORDS)), np.zeros(NSPECIES)
    thin, shone, spread = LOG2_E * depth, np.zeros(bands, np.float32), np.zeros(bands, np.float32)
    r = GROUND_KM + 0.0005
    sun_sine = math.sqrt(max(0.0, 1.0 - mus * mus))
    down = scatter_ms.copy()  # of light that comes up from the ground
    down[AEROSOL_SPECIES] *= GROUND_BACKSCATTER_FRACTION
    down[HAZE_SPECIES] *= GROUND_BACKSCATTER_FRACTION
    for a in range(rows):
        mu = view_mu[a]
        sine = math.sqrt(max(0.0, 1.0 - mu * mu))
        _view_path(profile, depth, down, psi_ground, mu, steps, geometry, reach, ground[a])
        for b in range(azimuths):
            towards = mu * mus + sine * sun_sine * cos_azimuth[b]
            for s in range(steps):
                t, rr = geometry[s, STEP_DISTANCE], geometry[s, STEP_RADIUS]
                local = (r * mus + t * towards) / rr
                visible = sun_visible(rr, local) if column_to_space(table, rr, local, out) else 0.0
                x = sun_column(local)
                j, i = int(x), int(geometry[s, STEP_PSI_ROW])
                fx, fy = x - j, geometry[s, STEP_PSI_ROW] - i
                w00, w01, w10, w11 = (1 - fx) * (1 - fy), fx * (1 - fy), (1 - fx) * fy, fx * fy
                p0, p1, p3 = geometry[s, STEP_RAYLEIGH], geometry[s, STEP_AEROSOL], geometry[s, STEP_HAZE]
                if visible > 0.0:
                    for n in range(bands):
                        halvings = thin[0, n] * out[0] + thin[1, n] * out[1]
                        halvings += thin[2, n] * out[2] + thin[3, n] * out[3]
                        shone[n] = exp2(F(-halvings))
                    for n in range(bands):
                        sun = visible * shone[n] * reach[s, n]
                        tables[a, b, RAYLEIGH_TERM, n] += scatter[RAYLEIGH_SPECIES, n] * p0 * sun
                        tables[a, b, AEROSOL_TERM, n] += scatter[AEROSOL_SPECIES, n] * p1 * sun
                        tables[a, b, HAZE_TERM, n] += scatter[HAZE_SPECIES, n] * p3 * sun
                for n in range(bands):
                    again = log_psi[i, j, n] * w00 + log_psi[i, j + 1, n] * w01
                    again += log_psi[i + 1, j, n] * w10 + log_psi[i + 1, j + 1, n] * w11
                    spread[n] = exp2(F(LOG2_E * again))
                for n in range(bands):
                    clean, particles = scatter[RAYLEIGH_SPECIES, n] * p0, scatter_ms[AEROSOL_SPECIES, n] * p1
                    sent = (clean + particles + scatter_ms[HAZE_SPECIES, n] * p3) * reach[s, n]
                    tables[a, b, MULTIPLE_TERM, n] += sent * spread[n]
    return tables, ground
