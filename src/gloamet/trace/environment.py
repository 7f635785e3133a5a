"""Sun and sky as the kernels sample them: a packed sun, a dome table, and where in it light comes from.

A Dome enters; `Environment` leaves. The distribution is a grid of CELL_ROWS x CELL_COLUMNS over the upper
hemisphere in the dome's own coordinates (square-root elevation, azimuth): `row_cdf` (rows,), `cell_cdf`
(rows, columns) cumulative inside a row, `density` (rows, columns) probability per unit of the two
coordinates' unit square.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import Any, NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

from gloamet.colour.spaces import AP1_LUMINANCE
from gloamet.jit import INLINE_KERNEL_OPTIONS, KERNEL_OPTIONS, F
from gloamet.sky.dome import COLUMNS, ROWS, SkyDome
from gloamet.trace.records import Scalar, Triple
from gloamet.trace.vec import cross, dot, from_local

Floats = NDArray[np.float32]
CELL_ROWS, CELL_COLUMNS = 64, 128
LIMB_DARKENING_EXPONENT = 0.5  # exponent of limb darkening at 0.56 um: Hestroffer & Magnan 1998, from memory
BLACK = (F(0), F(0), F(0))


class SunDisc(NamedTuple):
    """The sun for the kernels: unit direction to its middle, normal irradiance (lx), mean radiance of the disc, its
    solid angle, and cosine and squared sine of its angular radius."""

    direction: Triple
    irradiance: Triple
    radiance: Triple
    solid_angle: Scalar
    cos_radius: Scalar
    sin2_radius: Scalar


class SeenSky(NamedTuple):
    """What a camera sees past all things: a dome table, the gain of the sun's disc, the share of the ground below the
    horizon where no ground is (0 before a backdrop)."""

    table: Floats
    disc: Scalar
    ground: Scalar


class EnvironmentArrays(NamedTuple):
    """What the kernels take of an `Environment`."""

    table: Floats
    seen: SeenSky
    sun: SunDisc
    ground_sun: Triple
    ground_sky: Triple
    row_cdf: Floats
    cell_cdf: Floats
    density: Floats


@dataclass(frozen=True, eq=False)
class Environment:
    """Sun and sky ready to be sampled: table (ROWS, COLUMNS, 3), what is seen of it past all things, the sun's disc,
    radiance below the horizon by sun and by sky, and the distribution. A panorama is a second sky, without a sun, in a
    layer of its own."""

    table: Floats
    seen: SeenSky
    sun: SunDisc
    ground_sun: Triple
    ground_sky: Triple
    row_cdf: Floats
    cell_cdf: Floats
    density: Floats
    panorama: Environment | None = None

    def arrays(self) -> EnvironmentArrays:
        """What the kernels take."""
        return EnvironmentArrays(*(getattr(self, name) for name in EnvironmentArrays._fields))


@njit(**KERNEL_OPTIONS)
def _cell_weights(table, luminance, out):
    """Light of every cell: mean luminance times its solid angle."""
    for r in range(CELL_ROWS):
        low, high = r / CELL_ROWS, (r + 1) / CELL_ROWS
        solid = math.sin(math.pi / 2 * high * high) - math.sin(math.pi / 2 * low * low)
        i0 = int(low * (ROWS - 1))
        i1 = min(int(math.ceil(high * (ROWS - 1))), ROWS - 1)
        for c in range(CELL_COLUMNS):
            j0 = c * COLUMNS // CELL_COLUMNS
            j1 = ((c + 1) * COLUMNS // CELL_COLUMNS) % COLUMNS
            total = 0.0
            for k in range(3):
                corners = table[i0, j0, k] + table[i1, j0, k] + table[i0, j1, k] + table[i1, j1, k]
                total += luminance[k] * corners
            out[r, c] = max(total, 0.0) * solid


def _triple(values: NDArray[Any]) -> Triple:
    return F(values[0]), F(values[1]), F(values[2])


def build_environment(dome: SkyDome, ground_tint: Floats | None = None) -> Environment:
    """Pack a dome for the kernels; ground_tint (3,) AP1 of luminance 1 colours what lies below the horizon."""
    tint = np.ones(3, np.float32) if ground_tint is None else ground_tint
    cells = np.zeros((CELL_ROWS, CELL_COLUMNS))
    _cell_weights(dome.table, AP1_LUMINANCE, cells)
    cells += 1e-9 * cells.max() + 1e-30
    rows = cells.sum(1)
    density = cells / cells.sum() * (CELL_ROWS * CELL_COLUMNS)
    half = math.radians(dome.sun_diameter_deg / 2.0)
    solid = 2.0 * math.pi * (1.0 - math.cos(half))
    sun = SunDisc(
        _triple(dome.sun_direction),
        _triple(dome.sun_irradiance),
        _triple(dome.sun_irradiance / solid),
        F(solid),
        F(math.cos(half)),
        F(math.sin(half) ** 2),
    )
    seen = dome.table if dome.seen_table is None else dome.seen_table
    return Environment(
        dome.table,
        SeenSky(seen, F(dome.seen_disc), F(1)),
        sun,
        _triple(dome.ground_sun * tint),
        _triple(dome.ground_sky * tint),
        (np.cumsum(rows) / rows.sum()).astype(np.float32),
        (np.cumsum(cells, 1) / rows[:, None]).astype(np.float32),
        density.astype(np.float32),
    )


def combine_environments(lights: Environment, sky_gain: float, panorama_gain: float) -> Environment:
    """Sky and panorama under their gains as one sky: what answers in proportion to light needs no more."""
    table, ground = lights.table * F(sky_gain), sky_gain * np.array(lights.ground_sky)
    seen = lights.seen.table * F(sky_gain)
    if lights.panorama is not None:
        table += lights.panorama.table * F(panorama_gain)
        seen += lights.panorama.seen.table * F(panorama_gain)
        ground = ground + panorama_gain * np.array(lights.panorama.ground_sky)
    seen_sky = lights.seen._replace(table=seen)
    return replace(lights, table=table, seen=seen_sky, ground_sky=_triple(ground), panorama=None)


def before_backdrop(lights: Environment) -> Environment:
    """The same light with nothing to be seen past all things: what stands there is put behind afterwards."""
    dark = SeenSky(np.zeros_like(lights.table), F(0), F(0))
    panorama = None if lights.panorama is None else before_backdrop(lights.panorama)
    return replace(lights, seen=dark, panorama=panorama)


def lamps_only(lights: Environment) -> Environment:
    """A night in which lamps alone shine; no ray asks for sun or sky, which a density of zero says."""
    dark = lights.sun._replace(irradiance=BLACK, radiance=BLACK)
    none = {name: np.zeros_like(getattr(lights, name)) for name in ("table", "density")}
    seen = lights.seen._replace(table=none["table"])
    return replace(lights, seen=seen, sun=dark, ground_sun=BLACK, ground_sky=BLACK, panorama=None, **none)


@njit(**INLINE_KERNEL_OPTIONS)
def pdf_solid_angle(density, u, v, cos_elevation):
    """Probability per steradian with which `sample_sky` picks the direction (u, v)."""
    r = min(max(int(u * F(CELL_ROWS)), 0), CELL_ROWS - 1)
    c = min(max(int(v * F(CELL_COLUMNS)), 0), CELL_COLUMNS - 1)
    # d(omega) = cos(elevation) * (pi u du) * (2 pi dv)
    jacobian = F(2 * math.pi * math.pi) * max(u, F(1e-4)) * max(cos_elevation, F(1e-5))
    return density[r, c] / jacobian


@njit(**INLINE_KERNEL_OPTIONS)
def _search(cdf, n, x):
    """The first of n (a power of two) whose sum is above x; every step is taken, for which way is chance."""
    low, step = 0, n >> 1
    while step > 0:
        low += step if cdf[low + step - 1] <= x else 0
        step >>= 1
    return low


@njit(**INLINE_KERNEL_OPTIONS)
def sample_sky(env, x, y):
    """A direction of the sky by its light from two uniform numbers: (direction, its place (u, v) on the dome)."""
    row_cdf, cell_cdf = env.row_cdf, env.cell_cdf
    r = _search(row_cdf, CELL_ROWS, x)
    before = row_cdf[r - 1] if r > 0 else F(0)
    x = min(F(0.99999), (x - before) / max(row_cdf[r] - before, F(1e-12)))
    c = _search(cell_cdf[r], CELL_COLUMNS, y)
    before = cell_cdf[r, c - 1] if c > 0 else F(0)
    y = min(F(0.99999), (y - before) / max(cell_cdf[r, c] - before, F(1e-12)))
    u, v = (F(r) + x) / F(CELL_ROWS), (F(c) + y) / F(CELL_COLUMNS)
    elevation, azimuth = F(math.pi / 2) * u * u, F(2 * math.pi) * v
    h = math.cos(elevation)
    return (h * math.sin(azimuth), h * math.cos(azimuth), math.sin(elevation)), (u, v)


@njit(**INLINE_KERNEL_OPTIONS)
def sun_direction(sun, u, v):
    """A direction inside the disc, by the light of its limb-darkened face: no weight is left."""
    s2 = (F(1) - (F(1) - u) ** F(1 / (1 + LIMB_DARKENING_EXPONENT / 2))) * sun.sin2_radius
    s, phi = math.sqrt(s2), F(2 * math.pi) * v
    return from_local(sun.direction, s * math.cos(phi), s * math.sin(phi), math.sqrt(F(1) - s2))


@njit(**INLINE_KERNEL_OPTIONS)
def sun_disc_radiance(sun, direction):
    """Radiance of the sun's disc in a direction over its mean, 0 outside it."""
    off = cross(direction, sun.direction)
    s2 = dot(off, off)
    if s2 >= sun.sin2_radius or dot(direction, sun.direction) <= F(0):
        return F(0)
    return F(1 + LIMB_DARKENING_EXPONENT / 2) * math.sqrt(math.sqrt(F(1) - s2 / sun.sin2_radius))
