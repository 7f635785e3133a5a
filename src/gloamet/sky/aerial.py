# SPDX-License-Identifier: Apache-2.0
"""Aerial perspective: transmittance and in-scattered light of the air between the eye and a surface.

An air, a sun, a height of the eye enter; an `AerialTable` leaves, which a picture with the distance of every pixel is
seen through. It is the integral that gives the sky, ended at that distance: far away both meet. Distances beyond the
table are taken for its last one. The moon, and skies of other models, light it through their horizon alone.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

from gloamet.jit import ALLOCATING_KERNEL_OPTIONS, INLINE_KERNEL_OPTIONS, KERNEL_OPTIONS
from gloamet.quick_math import LOG2_E, exp2
from gloamet.sky.air import Air, ground_albedo, optical_depths
from gloamet.sky.atmosphere import GROUND_KM, NSPECIES, column_to_space, profile_index, sun_visible
from gloamet.sky.particles import HAZE
from gloamet.sky.scatter import (
    AEROSOL_TERM,
    ALTITUDES,
    GROUND_BACKSCATTER_FRACTION,
    HAZE_TERM,
    MULTIPLE_TERM,
    RAYLEIGH_TERM,
    VIEW_TERMS,
    ScatteringAir,
    sun_column,
)
from gloamet.sky.sky_solver import BANDS_TO_AP1, DUSK_BELOW_DEG, SkySolver
from gloamet.sun.position import direction

F = np.float32
Array = NDArray[np.float64]
Floats = NDArray[np.float32]

ELEVATIONS, TURNS, DISTANCES = 33, 5, 32
FARTHEST_KM = 150.0
STEPS_A_NODE, DUSK_STEPS_A_NODE = 1, 2  # of the march between two distances
LOWEST_KM = 0.0005
JOBS = 4  # that the rows in view are solved in: some are longer than others


class AerialTable(NamedTuple):
    """through (ELEVATIONS, DISTANCES, 3): fraction of the light that passes, AP1; light (ELEVATIONS, TURNS, VIEW_TERMS,
    DISTANCES, 3): AP1 cd/m2 of each term of `scatter.view_tables`, phase functions not yet applied; sun: unit vector
    towards it; forward_g of aerosol and haze."""

    through: Floats
    light: Floats
    sun: tuple[float, float, float]
    forward_g: tuple[float, float]


def elevation_nodes() -> Array:
    """Elevations of the rows, radians: finest at the horizon."""
    u = np.linspace(-1.0, 1.0, ELEVATIONS)
    return np.pi / 2.0 * u * np.abs(u)


@njit(**INLINE_KERNEL_OPTIONS)
def elevation_row(sine):
    """Compute the position of an elevation among the rows of an aerial table.

    Parameters
    ----------
    sine : float32
        Sine of the elevation.

    Returns
    -------
    float32
        Row.
    """
    u = math.sqrt(math.asin(min(1.0, abs(sine))) * (2.0 / math.pi))
    return (1.0 + math.copysign(u, sine)) * 0.5 * (ELEVATIONS - 1)


@njit(**INLINE_KERNEL_OPTIONS)
def distance_km(k):
    """Distance of column k: finest near the eye."""
    f = k / (DISTANCES - 1)
    return FARTHEST_KM * (f * f) * (f * f)


@njit(**INLINE_KERNEL_OPTIONS)
def distance_column(fraction):
    """Compute the position of a distance among the columns of an aerial table.

    The inverse of `distance_km`.

    Parameters
    ----------
    fraction : float32
        Distance as a fraction of FARTHEST_KM.

    Returns
    -------
    float32
        Column.
    """
    return math.sqrt(math.sqrt(fraction)) * np.float32(DISTANCES - 1)


class _Sight(NamedTuple):
    """What is looked through: the unscaled vertical depths (4, bands), the ground's radiance (bands), the sine of the
    sun's elevation, the eye's height, the steps between two distances."""

    extinction: Array
    ground: Array
    sun_sine: float
    eye_km: float
    steps: int


@njit(**KERNEL_OPTIONS)
def _pass(scaled, full, density, dt, passed, seen):
    """Go on by dt: depths passed (2, bands), full and delta-scaled, and seen (bands), the length that is seen of it."""
    for n in range(seen.shape[0]):
        extinction = 0.0
        for c in range(NSPECIES):
            extinction += scaled[c, n] * density[c]
            passed[0, n] += full[c, n] * density[c] * dt
        d = extinction * dt
        seen[n] = math.exp(-passed[1, n]) * ((1.0 - math.exp(-d)) / extinction if d > 1e-5 else dt)
        passed[1, n] += d


@njit(**KERNEL_OPTIONS)
def _light_here(air, position, density, seen, columns, visible, ground, work, light):
    """Add the light (terms, bands) of a piece of the way of which `seen` is seen, with four columns between it and the
    sun; place is row, column and fractions in the table of multiple scattering. work: depths in halvings of light, and
    two rows (bands)."""
    i, j, fx, fy = position
    thin, shone, spread = work
    bands = len(spread)
    low, high, c00, c01 = (
        air.log_psi[i],
        air.log_psi[i + 1],
        (1 - fx) * (1 - fy),
        fx * (1 - fy),
    )
    c10, c11 = (1 - fx) * fy, fx * fy
    for n in range(bands):
        again = low[j, n] * c00 + low[j + 1, n] * c01 + high[j, n] * c10 + high[j + 1, n] * c11
        spread[n] = exp2(F(LOG2_E * again))
    for n in range(bands):
        halvings = thin[0, n] * columns[0] + thin[1, n] * columns[1]
        halvings += thin[2, n] * columns[2] + thin[3, n] * columns[3]
        shone[n] = exp2(F(-halvings))
    for n in range(bands):
        below = air.psi_ground[i, n] * (1 - fy) + air.psi_ground[i + 1, n] * fy
        particles = air.scatter_ms[1, n] * density[1] + air.scatter_ms[3, n] * density[3]
        clean = air.scatter_ms[0, n] * density[0]
        lit = (clean + particles) * spread[n]
        lit += (clean + GROUND_BACKSCATTER_FRACTION * particles) * below * ground[n]
        sun = visible * shone[n] * seen[n]
        light[RAYLEIGH_TERM, n] += air.scatter[0, n] * density[0] * sun
        light[AEROSOL_TERM, n] += air.scatter[1, n] * density[1] * sun
        light[HAZE_TERM, n] += air.scatter[3, n] * density[3] * sun
        light[MULTIPLE_TERM, n] += seen[n] * lit


@njit(**ALLOCATING_KERNEL_OPTIONS)
def _march(air, sight, elevations, first, last, depths, light):
    """Rows first..last of depths (2, rows, distances, bands), full and delta-scaled, and of light (rows, azimuths,
    distances, terms, bands)."""
    full, ground, sun_sine, eye_km, steps = sight
    bands = air.depth.shape[1]
    out = np.zeros(NSPECIES)
    density, seen = np.zeros(NSPECIES), np.zeros(bands)
    passed = np.zeros((2, bands))
    thin, shone, spread = LOG2_E * air.depth, np.zeros(bands, np.float32), np.zeros(bands, np.float32)
    sun_cosine = math.sqrt(max(0.0, 1.0 - sun_sine * sun_sine))
    r = GROUND_KM + eye_km
    for a in range(first, last):
        mu, level = math.sin(elevations[a]), math.cos(elevations[a])
        passed[:] = 0.0
        for k in range(1, DISTANCES):
            near = distance_km(k - 1)
            dt = (distance_km(k) - near) / steps
            light[a, :, k] = light[a, :, k - 1]
            for s in range(steps):
                t = near + (s + 0.5) * dt
                rr = max(GROUND_KM + LOWEST_KM, math.sqrt(r * r + t * t + 2.0 * r * mu * t))
                row, f = profile_index(rr - GROUND_KM)
                for c in range(NSPECIES):
                    density[c] = air.profile[row, c] * (1 - f) + air.profile[row + 1, c] * f
                _pass(air.depth, full, density, dt, passed, seen)
                y = min(((rr - GROUND_KM) / 100.0) ** (1.0 / 3.0) * (ALTITUDES - 1), ALTITUDES - 1.001)
                i = int(y)
                fy = y - i
                for b in range(TURNS):
                    towards = mu * sun_sine + level * sun_cosine * math.cos(math.pi * b / (TURNS - 1))
                    local = (r * sun_sine + t * towards) / rr
                    visible = sun_visible(rr, local) if column_to_space(air.table, rr, local, out) else 0.0
                    x = sun_column(local)
                    j = int(x)
                    fx = x - j
                    work = thin, shone, spread
                    _light_here(
                        air, (i, j, fx, fy), density, seen, out, visible, ground, work, light[a, b, k]
                    )
            depths[:, a, k] = passed


def _forward_fraction(full: Array, scaled: Array) -> Array:
    """What gives the marched light the forward-scattered part that delta scaling takes for unscattered: (rows,
    distances, bands).

    In even air the light added over a distance is then that of the horizon times what no longer passes (Koschmieder);
    at the end of the table it is the marched one, which meets the sky.
    """
    lost, scaled_lost = 1.0 - full, 1.0 - scaled
    thin = scaled_lost < 1e-9
    fraction = np.where(thin, 1.0, lost / np.where(thin, 1.0, scaled_lost))
    return fraction / fraction[:, -1:]


def rows_between(lowest_deg: float, highest_deg: float) -> tuple[int, int]:
    """Return the rows of an aerial table for a range of elevations.

    Parameters
    ----------
    lowest_deg : float
        Lowest elevation, degrees.
    highest_deg : float
        Highest elevation, degrees.

    Returns
    -------
    tuple of int
        First row, and one past the last.
    """
    nodes = np.degrees(elevation_nodes())
    first = max(0, int(np.searchsorted(nodes, lowest_deg, "right")) - 1)
    last = min(ELEVATIONS - 1, int(np.searchsorted(nodes, highest_deg, "left")))
    return first, last + 1


def solve_aerial(
    solver: SkySolver,
    air: Air,
    sun_deg: tuple[float, float],
    eye_height_m: float,
    rows: tuple[int, int] = (0, ELEVATIONS),
    level: Array | None = None,
) -> AerialTable:
    """Solve the aerial perspective for an eye and a sun.

    Parameters
    ----------
    solver : SkySolver
        Solver of the sky.
    air : Air
        The air.
    sun_deg : tuple of float
        Azimuth clockwise from north and apparent elevation of the sun, degrees.
    eye_height_m : float
        Height of the eye above sea level, metres.
    rows : tuple of int, optional
        Rows to fill: first, and one past the last.
    level : ndarray or None, optional
        Spectral irradiance of horizontal ground as `SkySolver.spectral` gives it, (bands,), where known.

    Returns
    -------
    AerialTable
        Transmittance and in-scattered light by elevation and distance.
    """
    azimuth_deg, elevation_deg = sun_deg
    if level is None:
        level = solver.level(air, elevation_deg)
    ground = ground_albedo(air) * level / math.pi
    elevations, sine = elevation_nodes(), math.sin(math.radians(elevation_deg))
    bands = len(ground)
    depths = np.zeros((2, ELEVATIONS, DISTANCES, bands))
    light = np.zeros((ELEVATIONS, TURNS, DISTANCES, VIEW_TERMS, bands))
    steps = DUSK_STEPS_A_NODE if elevation_deg < DUSK_BELOW_DEG else STEPS_A_NODE
    marched: ScatteringAir = solver.scattering(air)
    eye_km = max(LOWEST_KM, eye_height_m / 1000.0)
    sight = _Sight(optical_depths(air).stacked(), ground, sine, eye_km, steps)
    cuts = np.linspace(*rows, JOBS + 1).astype(int)
    solver.in_threads(
        _march,
        [(marched, sight, elevations, a, b, depths, light) for a, b in zip(cuts[:-1], cuts[1:], strict=True)],
    )
    used = slice(*rows)
    passing = np.exp(-depths[0, used])
    light[used] *= _forward_fraction(passing, np.exp(-depths[1, used]))[:, None, :, None]
    through = np.ones((ELEVATIONS, DISTANCES, 3), np.float32)
    through[used] = (passing @ BANDS_TO_AP1) / BANDS_TO_AP1.sum(0)
    added = np.zeros((ELEVATIONS, TURNS, VIEW_TERMS, DISTANCES, 3), np.float32)
    added[used] = (light[used] @ BANDS_TO_AP1).swapaxes(2, 3)
    table = AerialTable(through, added, (0.0, 0.0, 1.0), (air.kind.forward_g, HAZE.forward_g))
    return rotated_to(table, azimuth_deg, elevation_deg)


def rotated_to(table: AerialTable, azimuth_deg: float, elevation_deg: float) -> AerialTable:
    """Rotate an aerial table to another sun azimuth.

    Parameters
    ----------
    table : AerialTable
        The aerial table.
    azimuth_deg : float
        Azimuth, degrees clockwise from north.
    elevation_deg : float
        Apparent elevation, degrees, −90 to 90.

    Returns
    -------
    AerialTable
        The table under that sun; a small change of elevation is allowed.
    """
    east, north, up = direction(azimuth_deg, elevation_deg).tolist()
    return table._replace(sun=(east, north, up))


def with_gain(table: AerialTable, gain: Array) -> AerialTable:
    """Apply a gain to the light of an aerial table.

    Parameters
    ----------
    table : AerialTable
        The aerial table.
    gain : ndarray
        Gain of each AP1 channel, (3,).

    Returns
    -------
    AerialTable
        The table; transmittances stay.
    """
    if (gain == 1.0).all():  # as in most pictures while dragging
        return table
    return table._replace(light=table.light * gain.astype(np.float32))


def lit_by_horizon(table: AerialTable, horizon: Array) -> AerialTable:
    """Light an aerial table evenly, like a horizon of a given radiance.

    Parameters
    ----------
    table : AerialTable
        The aerial table.
    horizon : ndarray
        Radiance of the horizon, AP1 cd/m², (..., 3).

    Returns
    -------
    AerialTable
        The table.

    References
    ----------
    .. [1] H. Koschmieder, 1924.
    """
    light = np.zeros_like(table.light)
    light[:, :, MULTIPLE_TERM] = ((1.0 - table.through) * horizon)[:, None]
    return table._replace(light=light)
