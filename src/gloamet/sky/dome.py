# SPDX-License-Identifier: Apache-2.0
"""The sky of a moment as one radiance table, and the sun in front of it.

`assemble_dome` takes a table and a sun and returns a `SkyDome`: radiance over the upper hemisphere in AP1 cd/m2, the
sun's irradiance, and the radiance of the lit ground; kernels look the table up by direction.

Dome table layout: (ROWS, COLUMNS, 3) float32 on nodes. Row i stands at elevation 90 * (i / (ROWS - 1))**2
degrees, so the horizon is finest; column j at azimuth 360 * j / COLUMNS degrees, periodic.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np
from numba import njit
from numpy.typing import NDArray

from gloamet.jit import INLINE_KERNEL_OPTIONS, KERNEL_OPTIONS

Array = NDArray[np.float64]
F = np.float32

ROWS, COLUMNS = 128, 256
SUN_DIAMETER_DEG = 0.533


@dataclass(frozen=True, eq=False)
class SkyDome:
    """Light from every direction at one moment; colours are AP1, radiance cd/m2, irradiance lx.

    table: (ROWS, COLUMNS, 3) float32 as described above. sun_irradiance is on a plane facing the sun, for
    the whole disc; sun_visible the fraction of the disc above the horizon (0..1). ground_sun and ground_sky
    are the radiance of the lit ground below the horizon, by source. A camera sees seen_table instead of the table
    where it is given, and the disc under the gain seen_disc; horizon_gain is the gain of the horizon by the grade.
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
        """Mean radiance of the horizon before the grade of the sky."""
        horizon = self.table[0].mean(0, dtype=float)
        return horizon if self.seen_table is not None else horizon / self.horizon_gain

    @property
    def sun_horizontal(self) -> Array:
        """Irradiance of the sun on horizontal ground, lx per AP1 channel."""
        return self.sun_irradiance * self.sun_visible * max(0.0, self.sun_direction[2])


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


def visible_disc_fraction(elevation_deg: float, diameter_deg: float) -> float:
    """Fraction of the sun's disc above a level horizon, 0..1 (area of a circle cut by a line)."""
    x = min(1.0, max(-1.0, elevation_deg / (0.5 * diameter_deg)))
    return 0.5 + (x * math.sqrt(1.0 - x * x) + math.asin(x)) / math.pi


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
    # clamped: a direction that is not a number must not read outside the table
    i, j = min(max(int(y), 0), ROWS - 2), int(x)
    fy, fx = y - F(i), x - F(j)
    j &= COLUMNS - 1
    a, b = (F(1) - fx) * (F(1) - fy), fx * (F(1) - fy)
    c, d = (F(1) - fx) * fy, fx * fy
    # unsigned: signed indices cost a test for counting from the end
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
