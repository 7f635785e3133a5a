# SPDX-License-Identifier: Apache-2.0
"""The spherical atmosphere: density profiles, columns to space along any ray, phase functions.

Array layouts: a profile is (PROFILE_STEPS, 4) of densities per km that integrate to 1, columns Rayleigh,
aerosol, ozone, haze; a column table is (rows of altitude, columns of path length, 4), each entry the
profile integrated along the ray to space. All kernels work in km and cosines.
"""

from __future__ import annotations

import math
import os
from functools import lru_cache

import numpy as np
from numba import njit
from numpy.typing import NDArray

from gloamet.jit import INLINE_KERNEL_OPTIONS, INNER_KERNEL_OPTIONS, KERNEL_OPTIONS
from gloamet.sky.air import AEROSOL_HEIGHT_KM
from gloamet.sky.particles import BACKWARD_G, FORWARD_SHARE
from gloamet.thread_pool import shared_pool

Array = NDArray[np.float64]

GROUND_KM = 6371.0
TOP_KM = 6471.0
HORIZON_KM = math.sqrt(TOP_KM**2 - GROUND_KM**2)
PROFILE_STEPS = 2001  # every 50 m: the haze layer is 100 m thick at least
STEPS_PER_KM = (PROFILE_STEPS - 1) / 100.0
COLUMN_ROWS, COLUMN_COLUMNS = 64, 128
COLUMN_STEPS = 160  # along a ray; 400 changes sun and day sky by less than 0.1 %
SUN_RADIUS_RAD = 0.00465
NSPECIES = 4
RAYLEIGH_SPECIES, AEROSOL_SPECIES, OZONE_SPECIES, HAZE_SPECIES = range(NSPECIES)
DELTA_FORWARD = 0.4  # fraction of aerosol scattering counted as unscattered in higher orders

# Rayleigh depolarisation 0.0279 (Bodhaine et al. 1999, mean of the visible), Chandrasekhar's phase function
_GAMMA = 0.0279 / (2.0 - 0.0279)
RAYLEIGH_SCALE = 3.0 / (16.0 * math.pi * (1.0 + 2.0 * _GAMMA))
RAYLEIGH_FLAT, RAYLEIGH_SQUARE = 1.0 + 3.0 * _GAMMA, 1.0 - _GAMMA
THICKNESS_IN_HEIGHTS = 16.0  # scale heights above which a ten-millionth of the haze is left
KEPT_HEIGHTS = 4  # of the haze layer, whose tables are kept


def standard_density(height_km: Array) -> Array:
    """Air density relative to sea level (US Standard Atmosphere 1976), exponential above 86 km."""
    base = [0.0, 11.0, 20.0, 32.0, 47.0, 51.0, 71.0, 84.852]
    lapse = [-6.5, 0.0, 1.0, 2.8, 0.0, -2.8, -2.0]
    hydrostatic = 34.163195
    geopotential = np.minimum(6356.766 * height_km / (6356.766 + height_km), base[-1])
    out = np.zeros_like(height_km)
    temp, pressure = 288.15, 1.0

    def at(h: Array | float, i: int, temp: float, pressure: float) -> tuple[Array | float, Array | float]:
        t = temp + lapse[i] * (h - base[i])
        if lapse[i] == 0.0:
            return t, pressure * np.exp(-hydrostatic * (h - base[i]) / temp)
        return t, pressure * (temp / t) ** (hydrostatic / lapse[i])

    for i in range(7):
        clipped = np.clip(geopotential, base[i], base[i + 1])
        inside = (geopotential >= base[i]) & (geopotential <= base[i + 1])
        t, p = at(clipped, i, temp, pressure)
        out = np.where(inside, p / t * 288.15, out)
        temp, pressure = (float(v) for v in at(base[i + 1], i, temp, pressure))
    return out * np.exp(-np.maximum(height_km - 86.0, 0.0) / 5.6)


@lru_cache(maxsize=KEPT_HEIGHTS)
def profiles(haze_height_km: float) -> Array:
    """The density profiles, shape (PROFILE_STEPS, 4), per km, from the ground to 100 km."""
    h = np.linspace(0.0, 100.0, PROFILE_STEPS)
    rows = [
        standard_density(h),
        np.exp(-h / AEROSOL_HEIGHT_KM),
        np.exp(-(((h - 22.5) / 6.5) ** 2)),
        np.exp(-h / haze_height_km),
    ]
    return np.ascontiguousarray(np.stack([row / np.trapezoid(row, h) for row in rows], 1))


@njit(**INLINE_KERNEL_OPTIONS)
def profile_index(height_km):
    """Row and fraction for linear interpolation in a profile."""
    x = max(0.0, height_km) * STEPS_PER_KM
    i = min(int(x), PROFILE_STEPS - 2)
    return i, min(x - i, 1.0)


@njit(**KERNEL_OPTIONS)
def _column_rows(profile, species, highest_km, steps, first, last, table):
    """Rows first..last of a table (COLUMN_ROWS, COLUMN_COLUMNS, 4), for a range of its species, of which nothing is
    above highest_km."""
    begin, end = species
    for i in range(first, last):
        rho = HORIZON_KM * i / (COLUMN_ROWS - 1)
        r = math.sqrt(rho * rho + GROUND_KM * GROUND_KM)
        for j in range(COLUMN_COLUMNS):
            d = (TOP_KM - r) + (rho + HORIZON_KM - (TOP_KM - r)) * j / (COLUMN_COLUMNS - 1)
            mu = 1.0 if d <= 1e-9 else (HORIZON_KM**2 - rho * rho - d * d) / (2 * r * d)
            mu = min(1.0, max(-1.0, mu))
            tangent = -r * mu
            for c in range(begin, end):
                table[i, j, c] = 0.0
            lowest = r if mu >= 0.0 else r * math.sqrt(1.0 - mu * mu)
            if lowest - GROUND_KM > highest_km:
                continue
            for s in range(steps):
                u0, u1 = s / steps, (s + 1) / steps
                if mu < 0.0:  # steps shrink towards the lowest point of the ray
                    a, b = 2 * u0 - 1, 2 * u1 - 1
                    t0 = tangent * (1 - a * a) if a < 0 else tangent + (d - tangent) * a * a
                    t1 = tangent * (1 - b * b) if b < 0 else tangent + (d - tangent) * b * b
                else:
                    t0, t1 = d * u0 * u0, d * u1 * u1
                t = 0.5 * (t0 + t1)
                height = math.sqrt(r * r + t * t + 2 * r * mu * t) - GROUND_KM
                if height > highest_km:
                    if t > tangent:
                        break  # it only rises from here
                    continue
                k, f = profile_index(height)
                for c in range(begin, end):
                    table[i, j, c] += (profile[k, c] * (1 - f) + profile[k + 1, c] * f) * (t1 - t0)


def _filled(table: Array, profile: Array, species: tuple[int, int], highest_km: float) -> Array:
    """A table of columns with some of its species integrated up to a height, all cores at once."""
    threads = os.cpu_count() or 1
    cuts = np.linspace(0, COLUMN_ROWS, 8 * threads + 1).astype(int)  # low rows cost more
    pool = shared_pool()
    jobs = [
        pool.submit(_column_rows, profile, species, highest_km, COLUMN_STEPS, a, b, table)
        for a, b in zip(cuts[:-1], cuts[1:], strict=True)
    ]
    for job in jobs:
        job.result()
    return table


@lru_cache(maxsize=1)
def clear_columns() -> Array:
    """The columns that no haze changes; those of the haze are empty."""
    return _filled(np.zeros((COLUMN_ROWS, COLUMN_COLUMNS, NSPECIES)), profiles(1.0), (0, HAZE_SPECIES), 100.0)


@lru_cache(maxsize=KEPT_HEIGHTS)
def columns(haze_height_km: float) -> Array:
    """Columns to space for every altitude and ray that misses the ground, shape (64, 128, 4)."""
    species, highest_km = (HAZE_SPECIES, NSPECIES), THICKNESS_IN_HEIGHTS * haze_height_km
    return _filled(clear_columns().copy(), profiles(haze_height_km), species, highest_km)


@njit(**INLINE_KERNEL_OPTIONS)
def column_position(r, mu):
    """Row and column of a table of columns for a ray from radius r along cosine mu, held inside it."""
    rho = math.sqrt(max(0.0, r * r - GROUND_KM * GROUND_KM))
    d = max(0.0, -r * mu + math.sqrt(max(0.0, r * r * (mu * mu - 1.0) + TOP_KM * TOP_KM)))
    shortest = TOP_KM - r
    x = (d - shortest) / (rho + HORIZON_KM - shortest) * (COLUMN_COLUMNS - 1)
    y = rho / HORIZON_KM * (COLUMN_ROWS - 1)
    return min(max(y, 0.0), COLUMN_ROWS - 1.001), min(max(x, 0.0), COLUMN_COLUMNS - 1.001)


@njit(**INLINE_KERNEL_OPTIONS)
def between_nodes(plane, y, x):
    """The value of a plane at row y and column x, straight lines between its nodes."""
    i, j = int(y), int(x)
    fy, fx = y - i, x - j
    low = plane[i, j] * (1 - fx) + plane[i, j + 1] * fx
    return low * (1 - fy) + (plane[i + 1, j] * (1 - fx) + plane[i + 1, j + 1] * fx) * fy


@njit(**KERNEL_OPTIONS)
def column_to_space(table, r, mu, out):
    """Fill out[4] with the columns from radius r along cosine mu; False if the ray meets the ground."""
    if mu < 0.0 and (r <= GROUND_KM + 1e-6 or r * r * (1.0 - mu * mu) < GROUND_KM * GROUND_KM - 1e-6):
        return False
    y, x = column_position(r, mu)
    for c in range(NSPECIES):
        out[c] = between_nodes(table[:, :, c], y, x)
    return True


@njit(**KERNEL_OPTIONS)
def sun_visible(r, mu):
    """Fraction of the solar disc above the geometric horizon at radius r, 0..1."""
    s = GROUND_KM / r
    dip = 0.0 if s >= 1.0 else -math.sqrt(1.0 - s * s)
    x = (math.acos(max(-1.0, dip)) - math.acos(max(-1.0, min(1.0, mu)))) / SUN_RADIUS_RAD
    return min(1.0, max(0.0, 0.5 + 0.5 * x))


@njit(**KERNEL_OPTIONS)
def rayleigh_phase(c):
    """Evaluate the Rayleigh phase function.

    Parameters
    ----------
    c : float32
        Cosine of the scattering angle.

    Returns
    -------
    float32
        Phase function, 1/sr.
    """
    return RAYLEIGH_SCALE * (RAYLEIGH_FLAT + RAYLEIGH_SQUARE * c * c)


@njit(**INNER_KERNEL_OPTIONS)
def henyey_greenstein(c, g):
    """Evaluate the Henyey-Greenstein phase function.

    Parameters
    ----------
    c : float
        Cosine of the scattering angle.
    g : float
        Asymmetry, -1 to 1.

    Returns
    -------
    float
        Phase function, 1/sr.

    References
    ----------
    .. [1] L. Henyey, J. Greenstein, "Diffuse radiation in the galaxy", Astrophysical Journal 93, 1941.
    """
    d = 1.0 + g * g - 2.0 * g * c
    return (1.0 - g * g) / (4.0 * math.pi) / (d * np.sqrt(d))  # of arrays too


@njit(**INNER_KERNEL_OPTIONS)
def particle_phase(c, forward_g):
    """Evaluate the phase function of particles.

    Parameters
    ----------
    c : float32
        Cosine of the scattering angle.
    forward_g : float32
        Asymmetry of the forward lobe, see `ParticleKind.forward_g`.

    Returns
    -------
    float32
        Phase function, 1/sr.
    """
    back = (1.0 - FORWARD_SHARE) * henyey_greenstein(c, BACKWARD_G)
    return FORWARD_SHARE * henyey_greenstein(c, forward_g) + back


def rayleigh_phase_array(c: Array) -> Array:
    """rayleigh_phase over an array, without a compiled kernel."""
    return np.asarray(rayleigh_phase.py_func(c))


def particle_phase_array(c: Array, forward_g: float) -> Array:
    """particle_phase over an array, without a compiled kernel."""
    lobe = henyey_greenstein.py_func
    return np.asarray(FORWARD_SHARE * lobe(c, forward_g) + (1.0 - FORWARD_SHARE) * lobe(c, BACKWARD_G))
