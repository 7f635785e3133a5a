# SPDX-License-Identifier: Apache-2.0
"""A clear sky without compiled kernels, for the first minutes of a machine that has never run the program.

Turbidity and a sun enter; a `SkyDome` leaves, interpolated between skies that `SkySolver` solved when the program was
made: view tables at a few turbidities and elevations of the sun. Particles, ozone, haze and altitude are those of the
standard air; what they change comes with the solver.
"""

from __future__ import annotations

import math
from functools import lru_cache
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from gloamet.shipped_data import DATA
from gloamet.sky.air import Air
from gloamet.sky.atmosphere import particle_phase_array, rayleigh_phase_array
from gloamet.sky.dome import COLUMNS, ROWS, Array, SkyDome, assemble_dome
from gloamet.sky.sky_palette import SkyPalette

FILE = DATA / "preliminary_sky.npz"
TURBIDITIES = (1.0, 1.5, 2.0, 2.5, 3.0, 4.0, 6.0, 10.0)
ELEVATIONS_DEG = (
    *(
        -18.0,
        -12.0,
        -8.0,
        -6.0,
        -4.0,
        -2.0,
        -1.0,
        0.0,
        1.0,
        2.5,
        5.0,
        8.0,
        12.0,
        18.0,
        25.0,
        35.0,
        50.0,
        70.0,
        90.0,
    ),
)
# the sun's own light falls faster towards the horizon
SUN_ELEVATIONS_DEG = (
    *(0.0, 0.25, 0.5, 0.75, 1.0, 1.5, 2.0, 3.0, 4.0, 5.0, 6.5, 8.0, 10.0, 12.5, 15.0, 18.0, 22.0, 27.0, 35.0),
    *(45.0, 60.0, 90.0),
)
BEND_DEG = 19.5  # added to an elevation before its logarithm is taken
REFLECTANCE = 0.2  # of the ground under the shipped skies
DARKEST = 1e-30  # so that there is a logarithm
_ROW_POSITIONS = np.arange(ROWS) / (ROWS - 1)  # square root of elevation over 90 degrees
_ELEVATIONS = np.pi / 2.0 * _ROW_POSITIONS**2


class PreliminaryTables(NamedTuple):
    """Natural logarithms: tables (turbidities, elevations, rows, azimuths, 3, 3) of the view tables in AP1 for
    Rayleigh, aerosol and multiple scattering, sun
    (turbidities, SUN_ELEVATIONS_DEG, 3) of the sun's irradiance. Of each turbidity, not logarithms: palette strips and
    horizontal illuminance, and the fraction of light leaving the ground that the sky sends back (3,)."""

    tables: NDArray[np.float16]
    sun: NDArray[np.float32]
    strips: NDArray[np.float32]
    horizontal_lx: NDArray[np.float32]
    returned: NDArray[np.float32]


@lru_cache(maxsize=1)
def preliminary_tables() -> PreliminaryTables:
    """Read the shipped tables.

    Returns
    -------
    PreliminaryTables
        The tables.
    """
    with np.load(FILE) as stored:
        return PreliminaryTables(*(stored[name] for name in PreliminaryTables._fields))


def _between(nodes: NDArray, value: float) -> tuple[int, float]:
    """Node below a value, and how far the value lies towards the next, 0..1; held at both ends."""
    position = float(np.interp(value, nodes, np.arange(len(nodes))))
    low = min(int(position), len(nodes) - 2)
    return low, position - low


def _mixed(planes: NDArray, by_turbidity: tuple[int, float], by_elevation: tuple[int, float]) -> Array:
    """Exponential of planes interpolated between turbidities and elevations."""
    (i, f), (j, g) = by_turbidity, by_elevation
    corners = planes[i : i + 2, j : j + 2].astype(float)
    rows = corners[:, 0] * (1.0 - g) + corners[:, 1] * g
    return np.asarray(np.exp(rows[0] * (1.0 - f) + rows[1] * f))


def _at_nodes(tables: NDArray[np.float32]) -> NDArray[np.float32]:
    """View tables (rows, azimuths, 3, 3) at the nodes of half a dome table, (ROWS, COLUMNS / 2 + 1, 3, 3)."""
    y = _ROW_POSITIONS * (tables.shape[0] - 1)
    a = np.minimum(y.astype(int), tables.shape[0] - 2)
    fy = (y - a).astype(np.float32)[:, None, None, None]
    rows = tables[a] * (1.0 - fy) + tables[a + 1] * fy
    x = np.arange(COLUMNS // 2 + 1) / (COLUMNS // 2) * (tables.shape[1] - 1)
    b = np.minimum(x.astype(int), tables.shape[1] - 2)
    fx = (x - b).astype(np.float32)[None, :, None, None]
    return np.asarray(rows[:, b] * (1.0 - fx) + rows[:, b + 1] * fx)


def preliminary_dome(air: Air, azimuth_deg: float, elevation_deg: float, diameter_deg: float) -> SkyDome:
    """Make a dome of a clear sky from the shipped tables.

    Parameters
    ----------
    air : Air
        The air; turbidity and ground reflectance act.
    azimuth_deg : float
        Azimuth of the sun, degrees clockwise from north.
    elevation_deg : float
        Apparent elevation, degrees, −90 to 90.
    diameter_deg : float
        Angular diameter of the sun, degrees.

    Returns
    -------
    SkyDome
        The dome, within some 5 % of the solver's horizontal illuminance by day.
    """
    stored = preliminary_tables()
    # the sun's optical depth is linear in turbidity; scattered light bends less over logarithms
    turbidity = _between(np.log(TURBIDITIES), math.log(air.turbidity))
    height = math.log(max(elevation_deg, ELEVATIONS_DEG[0]) + BEND_DEG)
    views = _mixed(stored.tables, turbidity, _between(np.log(np.add(ELEVATIONS_DEG, BEND_DEG)), height))
    terms = _at_nodes(views.astype(np.float32))
    sun = math.radians(elevation_deg)
    aside = np.cos(2.0 * np.pi * np.arange(COLUMNS // 2 + 1) / COLUMNS)
    c = np.sin(_ELEVATIONS)[:, None] * math.sin(sun) + np.cos(_ELEVATIONS)[:, None] * math.cos(sun) * aside
    rayleigh, aerosol = rayleigh_phase_array(c), particle_phase_array(c, air.kind.forward_g)
    half = terms[:, :, 2] + terms[:, :, 0] * rayleigh.astype(np.float32)[..., None]
    half += terms[:, :, 1] * aerosol.astype(np.float32)[..., None]
    turned = np.concatenate([half, half[:, -2:0:-1]], 1)  # azimuths from the sun, all round
    position = azimuth_deg / 360.0 * COLUMNS
    whole, part = math.floor(position), position - math.floor(position)
    table = np.roll(turned, whole, 1) * (1.0 - part) + np.roll(turned, whole + 1, 1) * part
    exact = (
        _between(np.asarray(TURBIDITIES), air.turbidity),
        _between(np.asarray(SUN_ELEVATIONS_DEG), elevation_deg),
    )
    arguments = azimuth_deg, elevation_deg, diameter_deg, _mixed(stored.sun, *exact), air.ground_reflectance
    dome = assemble_dome(table.astype(np.float32), *arguments)
    i, f = turbidity
    returned = stored.returned[i] * (1.0 - f) + stored.returned[i + 1] * f
    more = (
        (air.ground_reflectance - REFLECTANCE)
        * returned
        / math.pi
        * (dome.sun_horizontal + dome.sky_horizontal)
    )
    return assemble_dome(np.maximum(dome.table + more.astype(np.float32), 0.0), *arguments)


def preliminary_palette(air: Air) -> SkyPalette:
    """Return the sky colours of a day from the shipped tables.

    Parameters
    ----------
    air : Air
        The air; its turbidity acts.

    Returns
    -------
    SkyPalette
        The palette.
    """
    stored = preliminary_tables()
    i, f = _between(np.log(TURBIDITIES), math.log(air.turbidity))
    strips = stored.strips[i] * (1.0 - f) + stored.strips[i + 1] * f
    return SkyPalette(
        strips.astype(float), stored.horizontal_lx[i] * (1.0 - f) + stored.horizontal_lx[i + 1] * f
    )


class TablePositions(NamedTuple):
    """Where directions (n,) lie in a dome table: row and column before each, and how far it lies beyond (n, 1)."""

    row: NDArray[np.intp]
    column: NDArray[np.intp]
    beyond_row: NDArray[np.float32]
    beyond_column: NDArray[np.float32]


def table_positions(directions: NDArray) -> TablePositions:
    """Find directions in a dome table without a compiled kernel.

    Parameters
    ----------
    directions : ndarray
        Unit vectors, (n, 3); those below the horizon count as on it.

    Returns
    -------
    TablePositions
        Their positions.
    """
    elevation = np.arcsin(np.clip(directions[:, 2], 0.0, 1.0))
    y = np.minimum(np.sqrt(elevation / (np.pi / 2.0)) * (ROWS - 1), ROWS - 1.001)
    x = np.arctan2(directions[:, 0], directions[:, 1]) / (2.0 * np.pi) % 1.0 * COLUMNS
    i, j = y.astype(int), x.astype(int)
    return TablePositions(
        i, j % COLUMNS, (y - i)[:, None].astype(np.float32), (x - j)[:, None].astype(np.float32)
    )


def radiance_at(dome: SkyDome, at: TablePositions) -> NDArray[np.float32]:
    """Look up the sky radiance of a dome without a compiled kernel.

    Parameters
    ----------
    dome : SkyDome
        The sky.
    at : TablePositions
        Result of `table_positions`.

    Returns
    -------
    ndarray
        AP1 cd/m², (n, 3), without the sun disc.
    """
    i, j, fy, fx = at
    n, flat = (j + 1) % COLUMNS, dome.table.reshape(-1, 3)
    i = i * COLUMNS
    low = flat[i + j] * (1 - fx) + flat[i + n] * fx
    high = flat[i + COLUMNS + j] * (1 - fx) + flat[i + COLUMNS + n] * fx
    return np.asarray(low * (1 - fy) + high * fy)
