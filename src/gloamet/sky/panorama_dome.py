# SPDX-License-Identifier: Apache-2.0
"""A panorama as a light source: rotated, tilted, mirrored, scaled, softened, its sun separate, resampled to a dome.

A `PanoramaPicture` and how it is placed enter; a `PreparedPanorama` and, turned and at its level, a `SkyDome` leave,
whose sun is the panorama's own. Below the horizon the scene's ground is lit instead of what the panorama shows there.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from gloamet.colour.spaces import AP1_LUMINANCE
from gloamet.sky.dome import COLUMNS, ROWS, SUN_DIAMETER_DEG, SkyDome, assemble_dome
from gloamet.sky.environment_map import Codes, PanoramaPicture, decode, downscale
from gloamet.sky.panorama_sun import (
    PanoramaSun,
    filled,
    find_suns,
    pixel_directions,
    removed_light,
    sample,
    solid_angles,
    sun_at,
)
from gloamet.sun.angles import azimuth_elevation
from gloamet.sun.position import direction

Array = NDArray[np.float64]
Floats = NDArray[np.float32]
FINE = 16  # samples across the two cells that a node of a dome answers for, each way
BLUR_WIDTH = 256  # of the picture that is softened
NO_SUN = (0.0, -90.0, SUN_DIAMETER_DEG), np.zeros(3)
LEAST_SUN = 0.02  # least fraction of a panorama's light for a sun that is separated from it


class Placing(NamedTuple):
    """Orientation of a panorama: a tilt that lowers its north, mirrored east to west, elevations stretched; then it is
    rotated, clockwise seen from above."""

    rotation_deg: float = 0.0
    tilt_deg: float = 0.0
    mirrored: bool = False
    elevation_scale: float = 1.0

    def rows(self) -> Array:
        """The matrix (3, 3) that takes a direction of the world to the file, heights not yet stretched."""
        t, n = math.radians(self.rotation_deg), math.radians(self.tilt_deg)
        turned = np.array(
            [[math.cos(t), -math.sin(t), 0.0], [math.sin(t), math.cos(t), 0.0], [0.0, 0.0, 1.0]]
        )
        tilted = np.array(
            [[1.0, 0.0, 0.0], [0.0, math.cos(n), -math.sin(n)], [0.0, math.sin(n), math.cos(n)]]
        )
        flipped = np.diag([-1.0 if self.mirrored else 1.0, 1.0, 1.0])
        return np.asarray(flipped @ tilted @ turned)

    def to_world(self, azimuth_deg: float, elevation_deg: float) -> tuple[float, float]:
        """Azimuth and elevation in the world of a place in the file."""
        height = min(90.0, max(-90.0, elevation_deg * self.elevation_scale))
        return azimuth_elevation(self.rows().T @ direction(azimuth_deg, height))

    def to_file(self, azimuth_deg: float, elevation_deg: float) -> tuple[float, float]:
        """Azimuth and elevation in the file of a direction of the world."""
        azimuth, height = azimuth_elevation(self.rows() @ direction(azimuth_deg, elevation_deg))
        return azimuth, min(90.0, max(-90.0, height / self.elevation_scale))


class LightOptions(NamedTuple):
    """What a panorama's light is made by, its turn and level apart: how it lies, how much it is softened (degrees),
    whether its sun is taken out, and where its sun was picked in the file, None where it is found."""

    placing: Placing = Placing()
    blur_deg: float = 0.0
    lifted: bool = False
    picked: tuple[float, float] | None = None


@dataclass(frozen=True, eq=False)
class PreparedPanorama:
    """A panorama as light, not turned and at its own level: a dome's table, its sun apart with its place in the world
    and its light on a plane that faces it (AP1); what was taken out, on such a plane and on horizontal ground. suns are
    those found in the file. seen and scale are its codes as it is seen."""

    picture: PanoramaPicture
    options: LightOptions
    table: Floats
    suns: tuple[PanoramaSun, ...]
    sun: PanoramaSun | None
    sun_irradiance: Array
    lifted: Array
    removed_level: Array
    seen: Codes


def tabulate_environment_map(picture: Floats) -> Floats:
    """The upper half of a panorama as a dome's table (ROWS, COLUMNS, 3), light kept: each node is the average of the
    directions about it, weighted by solid angle and by what the dome's interpolation gives the node there."""
    height, width = picture.shape[:2]
    within = (np.arange(FINE) + 0.5) / FINE * 2.0 - 1.0
    tent = 1.0 - np.abs(within)
    u = np.clip((np.arange(ROWS)[:, None] + within) / (ROWS - 1), 0.0, 1.0)
    weight = tent * u * np.cos(np.pi / 2 * u * u)
    outside = np.arange(ROWS)[:, None] + within
    weight[(outside < 0) | (outside > ROWS - 1)] = 0.0
    above = picture[: (height + 1) // 2]  # the part below the horizon must not add to the lowest sky
    rows = _mean_radiance(above, (0.5 - 0.5 * u * u) * height - 0.5, weight, periodic=False)
    turns = (np.arange(COLUMNS)[:, None] + within) / COLUMNS + 0.5
    across = np.broadcast_to(tent, (COLUMNS, FINE))
    out = _mean_radiance(rows.transpose(1, 0, 2), turns * width - 0.5, across, periodic=True)
    return np.ascontiguousarray(out.transpose(1, 0, 2), np.float32)


def _mean_radiance(lines: Floats, positions: Array, weight: Array, periodic: bool) -> Floats:
    """Weighted means (nodes, W, 3) of lines (H, W, 3) read in between at places (nodes, FINE), in pixels."""
    count = len(lines)
    low = np.floor(positions).astype(int)
    part = positions - low
    matrix = np.zeros((len(positions), count))
    nodes = np.broadcast_to(np.arange(len(positions))[:, None], positions.shape)
    for index, fraction in ((low, 1.0 - part), (low + 1, part)):
        index = index % count if periodic else np.clip(index, 0, count - 1)
        np.add.at(matrix, (nodes, index), weight * fraction)
    matrix /= matrix.sum(1, keepdims=True)
    return np.asarray(np.tensordot(matrix.astype(np.float32), lines, (1, 0)), np.float32)


def rotate_table(table: Floats, rotation_deg: float) -> Floats:
    """A dome's table rotated clockwise seen from above, interpolated between two columns."""
    columns = rotation_deg / 360.0 * COLUMNS
    whole = math.floor(columns)
    part = np.float32(columns - whole)
    near = np.roll(table, whole, axis=1)
    return near if part == 0.0 else near + part * (np.roll(near, 1, axis=1) - near)


def blurred(picture: Floats, blur_deg: float) -> Floats:
    """A panorama softened all over the sphere by a bell of that standard deviation (von Mises and Fisher's), at
    BLUR_WIDTH; the light of each pixel is spread, so that the total stays the same."""
    small = downscale(picture, BLUR_WIDTH)
    height, width = small.shape[:2]
    azimuth, elevation = pixel_directions(height, width)
    e, turn = np.radians(elevation), np.radians(azimuth - azimuth[0])
    sharpness = 1.0 / max(math.radians(blur_deg), 1e-3) ** 2
    product = np.sin(e)[:, None] * np.sin(e)[None]
    across = np.cos(e)[:, None] * np.cos(e)[None]
    spread = np.exp(sharpness * (product[..., None] + across[..., None] * np.cos(turn) - 1.0))
    solid = solid_angles(height, width)
    # the weights of a pixel over all its targets add up to 1
    spread /= (solid[:, None, None] * spread).sum((0, 2), keepdims=True)
    kernel = np.fft.rfft(spread, axis=2)
    light = np.fft.rfft(small.astype(float) * solid[:, None, None], axis=1)
    mixed = np.einsum("ijf,jfc->ifc", kernel, light, optimize=True)
    return np.asarray(np.maximum(np.fft.irfft(mixed, width, axis=1), 0.0), np.float32)


def laid(picture: Floats, placing: Placing) -> Floats:
    """A panorama in its orientation, at its size, without its rotation."""
    still = placing._replace(rotation_deg=0.0)
    if still == Placing():
        return picture
    height, width = picture.shape[:2]
    azimuth, elevation = pixel_directions(height, width)
    vectors = direction(azimuth[None, :], elevation[:, None]) @ still.rows().T
    if placing.elevation_scale != 1.0:
        level = np.hypot(vectors[..., 0], vectors[..., 1])
        up = np.clip(np.arctan2(vectors[..., 2], level) / placing.elevation_scale, -np.pi / 2, np.pi / 2)
        fraction = np.cos(up) / np.maximum(level, 1e-9)
        vectors = np.stack([vectors[..., 0] * fraction, vectors[..., 1] * fraction, np.sin(up)], -1)
    return np.asarray(sample(picture, vectors), np.float32)


def suns_of(picture: PanoramaPicture) -> tuple[PanoramaSun, ...]:
    """Find the suns of a panorama.

    Parameters
    ----------
    picture : PanoramaPicture
        The panorama.

    Returns
    -------
    tuple of PanoramaSun
        The suns, brightest first.
    """
    return tuple(find_suns(picture.light))


def prepare_panorama(
    picture: PanoramaPicture, options: LightOptions, suns: tuple[PanoramaSun, ...]
) -> PreparedPanorama:
    """Prepare a panorama as a light.

    Parameters
    ----------
    picture : PanoramaPicture
        The panorama.
    options : LightOptions
        Tilt, mirroring, blur and whether its sun is removed.
    suns : tuple of PanoramaSun
        Suns found in it, from `suns_of`.

    Returns
    -------
    PreparedPanorama
        Table of the sky and suns apart.
    """
    light, seen, none = picture.light, picture.codes, np.zeros(3)
    sun = suns[0] if suns else None
    if options.picked is not None:
        sun = sun_at(light, *options.picked)
    apart, lifted, level = none, none, none
    if sun is not None:
        middle = direction(sun.azimuth_deg, sun.elevation_deg)
        radius = sun.glow_deg if options.lifted else 1.4 * sun.radius_deg + 0.5
        bare = filled(light, middle, radius)
        taken, taken_level = removed_light(light, bare, middle)
        if options.lifted:
            light, lifted, level = bare, taken, taken_level
            seen = _filled_codes(picture, middle, radius, bare)
        elif options.blur_deg == 0.0 and _light_fraction(light, taken) > LEAST_SUN:
            light, apart = bare, taken
    if options.blur_deg > 0.0:
        light = blurred(light, options.blur_deg)
    table = tabulate_environment_map(laid(light, options.placing))
    return PreparedPanorama(picture, options, table, suns, sun, apart, lifted, level, seen)


def _light_fraction(light: Floats, taken: Array) -> float:
    """What was taken of a panorama's light, seen as one from everywhere."""
    whole = np.einsum("yxc,y->c", light, solid_angles(*light.shape[:2]).astype(np.float32))
    return float(AP1_LUMINANCE @ taken) / max(float(AP1_LUMINANCE @ whole), 1e-30)


def _filled_codes(picture: PanoramaPicture, middle: Array, radius_deg: float, bare: Floats) -> Codes:
    """The codes of a panorama; within a radius those of a smaller picture without its sun."""
    out = picture.codes.copy()
    height, width = out.shape[:2]
    azimuth, elevation = pixel_directions(height, width)
    rows = np.flatnonzero(np.abs(elevation - azimuth_elevation(middle)[1]) < radius_deg + 0.5)
    vectors = direction(azimuth[None, :], elevation[rows][:, None])
    y, x = np.nonzero(vectors @ middle > math.cos(math.radians(radius_deg)))
    fill = sample(bare, vectors[y, x])
    kept = decode(out[rows[y], x], picture.scale)
    fraction = np.clip(np.minimum(fill, kept) / picture.scale, 0.0, 1.0)
    out[rows[y], x] = np.round(65535.0 * fraction**0.25).astype(np.uint16)
    return out


def rotated_dome(
    table: Floats,
    rotation_deg: float,
    ground_reflectance: float,
    illuminance_lx: float = 0.0,
    sun: tuple[tuple[float, float, float], Array] = NO_SUN,
) -> SkyDome:
    """The dome of a table rotated by rotation_deg, with a sun (azimuth, elevation, diameter in degrees; AP1 lx on a
    plane that faces it); with illuminance_lx, made to light horizontal ground with so much."""
    turned = rotate_table(table, rotation_deg)
    dome = assemble_dome(turned, *sun[0], sun[1], ground_reflectance)
    if illuminance_lx <= 0.0:
        return dome
    scale = illuminance_lx / max(float((dome.sky_horizontal + dome.sun_horizontal) @ AP1_LUMINANCE), 1e-30)
    return replace(
        dome,
        table=turned * np.float32(scale),
        sun_irradiance=dome.sun_irradiance * scale,
        sky_horizontal=dome.sky_horizontal * scale,
        ground_sun=dome.ground_sun * scale,
        ground_sky=dome.ground_sky * scale,
    )


def panorama_dome(
    prepared: PreparedPanorama, rotation_deg: float, ground_reflectance: float, illuminance_lx: float = 0.0
) -> SkyDome:
    """Make the dome of a panorama.

    Parameters
    ----------
    prepared : PreparedPanorama
        The panorama.
    rotation_deg : float
        Rotation, degrees clockwise from above.
    ground_reflectance : float
        Reflectance of the ground, 0 to 1.
    illuminance_lx : float, optional
        Horizontal illuminance to reach, lux; 0 keeps the values of the file.

    Returns
    -------
    SkyDome
        The dome.
    """
    sun = NO_SUN
    if prepared.sun is not None and prepared.sun_irradiance.any():
        placing = prepared.options.placing._replace(rotation_deg=rotation_deg)
        position = placing.to_world(prepared.sun.azimuth_deg, prepared.sun.elevation_deg)
        diameter = max(SUN_DIAMETER_DEG, 2.0 * prepared.sun.radius_deg)
        sun = (*position, diameter), prepared.sun_irradiance
    return rotated_dome(prepared.table, rotation_deg, ground_reflectance, illuminance_lx, sun)


def illuminance_scale(dome: SkyDome, prepared: PreparedPanorama) -> float:
    """Compute the scale of a panorama's dome against its file.

    Parameters
    ----------
    dome : SkyDome
        The sky.
    prepared : PreparedPanorama
        The panorama.

    Returns
    -------
    float
        Factor on the values of the file.
    """
    own = float(prepared.table.sum(dtype=float))
    return float(dome.table.sum(dtype=float)) / own if own > 0.0 else 1.0
