# SPDX-License-Identifier: Apache-2.0
"""Sun and sky as the kernels sample them: a packed sun, a dome table, and its sampling distribution.

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
from gloamet.light_layers import EVEN, Colour
from gloamet.sky.dome import COLUMNS, ROWS, SkyDome, sky_radiance
from gloamet.trace.geometry.records import Scalar, Triple
from gloamet.trace.geometry.vec import add_scaled, cross, dot, from_local, mul

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


class SeenPicture(NamedTuple):
    """A lat-long picture as it is seen: pixels (H, W, 3) uint16, fourth roots of shares of `scale` per channel; rows of
    the matrix that takes the world to its file; the factor from elevations there to the file's; shares of it that are
    seen ahead and in mirrors. A picture of one pixel is none."""

    pixels: NDArray[np.uint16]
    scale: Triple
    east: Triple
    north: Triple
    up: Triple
    elevation_scale: Scalar
    ahead: Scalar
    mirrored: Scalar


class SeenSky(NamedTuple):
    """What a camera sees past all things: dome tables of what is ahead and of what mirrors show, the gains of the sun's
    disc in both, the share of the ground below the horizon where no ground is (0 before a backdrop), and a picture."""

    table: Floats
    reflected: Floats
    disc: Scalar
    reflected_disc: Scalar
    ground: Scalar
    picture: SeenPicture


NO_PICTURE = SeenPicture(
    np.zeros((1, 1, 3), np.uint16),
    BLACK,
    (F(1), F(0), F(0)),
    (F(0), F(1), F(0)),
    (F(0), F(0), F(1)),
    F(1),
    F(0),
    F(0),
)


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
    """Sun and sky ready to be sampled: table (ROWS, COLUMNS, 3), what is seen of it past all objects, the sun's disc,
    radiance below the horizon by sun and by sky, and the distribution. A panorama is a second sky, whose sun is its
    own, in a layer of its own. sky_colour is that of its horizontal illuminance, AP1 of luminance 1."""

    table: Floats
    seen: SeenSky
    sun: SunDisc
    ground_sun: Triple
    ground_sky: Triple
    row_cdf: Floats
    cell_cdf: Floats
    density: Floats
    sky_colour: tuple[float, float, float] = (1.0, 1.0, 1.0)
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
    """Pack a dome for the kernels.

    Parameters
    ----------
    dome : SkyDome
        The sky.
    ground_tint : ndarray or None, optional
        Hue of the ground below the horizon, AP1 of luminance 1, (3,).

    Returns
    -------
    Environment
        The environment.
    """
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
    level = max(float(AP1_LUMINANCE @ dome.sky_horizontal), 1e-30)
    red, green, blue = (float(x) for x in dome.sky_horizontal / level)
    return Environment(
        dome.table,
        SeenSky(seen, dome.table, F(dome.seen_disc), F(1), F(1), NO_PICTURE),
        sun,
        _triple(dome.ground_sun * tint),
        _triple(dome.ground_sky * tint),
        (np.cumsum(rows) / rows.sum()).astype(np.float32),
        (np.cumsum(cells, 1) / rows[:, None]).astype(np.float32),
        density.astype(np.float32),
        (red, green, blue),
    )


def panorama_environment(
    dome: SkyDome, picture: SeenPicture, lights: bool, ground_tint: Floats
) -> Environment:
    """Pack a panorama for the kernels.

    Parameters
    ----------
    dome : SkyDome
        The sky.
    picture : SeenPicture
        The panorama as it is seen.
    lights : bool
        Whether it lights the scene.
    ground_tint : ndarray
        Hue of the ground below the horizon, AP1 of luminance 1, (3,).

    Returns
    -------
    Environment
        The environment.
    """
    out = build_environment(dome, ground_tint)
    none = np.zeros_like(out.table)
    seen = SeenSky(none, none, F(0), F(0), F(0), picture)
    if lights:
        # below the horizon lies lit ground, by its light too
        return replace(out, seen=seen._replace(ground=F(1)))
    dark = out.sun._replace(irradiance=BLACK, radiance=BLACK)
    unlit = replace(out, table=none, density=np.zeros_like(out.density))
    return replace(unlit, seen=seen, sun=dark, ground_sun=BLACK, ground_sky=BLACK)


def combine_environments(lights: Environment, sky: Colour = EVEN, panorama: Colour = EVEN) -> Environment:
    """Combine sky and panorama under their gains into one environment.

    Parameters
    ----------
    lights : Environment
        Environment with its panorama.
    sky : Colour, optional
        Gain of the sky for each AP1 channel.
    panorama : Colour, optional
        Gain of the panorama for each AP1 channel.

    Returns
    -------
    Environment
        One sky with the sun of the sky.
    """
    gain = np.array(sky, np.float32)
    table, ground = lights.table * gain, gain * np.array(lights.ground_sky)
    seen, reflected, picture = lights.seen.table * gain, lights.seen.reflected * gain, lights.seen.picture
    second = lights.panorama
    if second is not None:
        more = np.array(panorama, np.float32)
        table += second.table * more
        seen += second.seen.table * more
        reflected += second.seen.reflected * more
        ground = ground + more * np.array(second.ground_sky)
        picture = second.seen.picture
        picture = picture._replace(scale=_triple(more * np.array(picture.scale)))
    seen_sky = lights.seen._replace(table=seen, reflected=reflected, picture=picture)
    return replace(lights, table=table, seen=seen_sky, ground_sky=_triple(ground), panorama=None)


def with_sun_of(lights: Environment, other: Environment) -> Environment:
    """Replace the sun of an environment.

    Parameters
    ----------
    lights : Environment
        Environment whose sky is kept.
    other : Environment
        Environment whose sun is used, invisible to the camera.

    Returns
    -------
    Environment
        The environment.
    """
    seen = lights.seen._replace(disc=F(0), reflected_disc=F(0))
    return replace(lights, sun=other.sun, ground_sun=other.ground_sun, seen=seen)


def sun_only(lights: Environment) -> Environment:
    """Make the environment of the sun in a black sky.

    Parameters
    ----------
    lights : Environment
        Environment.

    Returns
    -------
    Environment
        The environment; its sun disc is not visible.
    """
    dark = _unseen(lights)
    table, density = np.zeros_like(lights.table), np.zeros_like(lights.density)
    return replace(lights, table=table, density=density, seen=dark, ground_sky=BLACK, panorama=None)


def _unseen(lights: Environment) -> SeenSky:
    none = np.zeros_like(lights.table)
    return SeenSky(none, none, F(0), F(0), F(0), NO_PICTURE)


def before_backdrop(lights: Environment) -> Environment:
    """Hide the environment from the camera.

    Parameters
    ----------
    lights : Environment
        Environment.

    Returns
    -------
    Environment
        The same light; nothing is seen behind the scene.
    """
    seen = lights.seen
    hidden = seen._replace(
        table=np.zeros_like(lights.table), disc=F(0), ground=F(0), picture=seen.picture._replace(ahead=F(0))
    )
    panorama = None if lights.panorama is None else before_backdrop(lights.panorama)
    return replace(lights, seen=hidden, panorama=panorama)


def lamps_only(lights: Environment) -> Environment:
    """Make the environment of a night in which only lamps shine.

    Parameters
    ----------
    lights : Environment
        Environment.

    Returns
    -------
    Environment
        An environment whose sun and sky have density zero.
    """
    dark = lights.sun._replace(irradiance=BLACK, radiance=BLACK)
    none = {name: np.zeros_like(getattr(lights, name)) for name in ("table", "density")}
    return replace(
        lights, seen=_unseen(lights), sun=dark, ground_sun=BLACK, ground_sky=BLACK, panorama=None, **none
    )


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


@njit(**INLINE_KERNEL_OPTIONS)
def picture_radiance(picture, direction):
    """Radiance of a lat-long picture in a direction, mixed of four pixels."""
    height, width = picture.pixels.shape[:2]
    x, y, z = dot(picture.east, direction), dot(picture.north, direction), dot(picture.up, direction)
    elevation = math.asin(min(F(1), max(F(-1), z))) * picture.elevation_scale
    elevation = min(F(math.pi / 2), max(F(-math.pi / 2), elevation))
    u = (F(0.5) + math.atan2(x, y) * F(0.5 / math.pi)) * F(width) - F(0.5)
    v = min(max((F(0.5) - elevation * F(1 / math.pi)) * F(height) - F(0.5), F(0)), F(height) - F(1.001))
    i, j = int(math.floor(v)), int(math.floor(u))
    fv, fu = v - F(i), u - F(j)
    out = BLACK
    for n in range(4):
        a, b = n >> 1, n & 1
        w = (fv if a == 1 else F(1) - fv) * (fu if b == 1 else F(1) - fu)
        row, column = i + a, (j + b + width) % width
        pixel = picture.pixels
        root = (
            F(pixel[row, column, 0]) * F(1 / 65535),
            F(pixel[row, column, 1]) * F(1 / 65535),
            F(pixel[row, column, 2]) * F(1 / 65535),
        )
        square = mul(root, root)
        out = add_scaled(out, mul(square, square), w)
    return mul(out, picture.scale)


@njit(**INLINE_KERNEL_OPTIONS)
def seen_radiance(env, direction, position, ahead):
    """What is seen of the sky in a direction, ahead or in a mirror; place (u, v) is that on the dome."""
    seen, fraction = env.seen, env.seen.picture.ahead if ahead else env.seen.picture.mirrored
    light = sky_radiance(seen.table if ahead else seen.reflected, position[0], position[1])
    if fraction > F(0):
        light = add_scaled(light, picture_radiance(seen.picture, direction), fraction)
    return light
