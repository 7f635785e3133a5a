# SPDX-License-Identifier: Apache-2.0
"""Compositing of aerial perspective over finished light, pixel by pixel.

An `AerialTable`, a picture (AP1 cd/m2), the distance of every pixel and the camera enter; the picture through the air
leaves. No path is traced. Distances are those that paths travel, through glass and by mirrors too; the air there is
that in the direction of the pixel.
"""

from __future__ import annotations

import math
import os
from concurrent.futures import Executor
from typing import NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

from gloamet.jit import ALLOCATING_KERNEL_OPTIONS, KERNEL_OPTIONS
from gloamet.light_layers import EVEN, Colour
from gloamet.sky.aerial import (
    DISTANCES,
    ELEVATIONS,
    FARTHEST_KM,
    TURNS,
    AerialTable,
    distance_column,
    elevation_row,
)
from gloamet.sky.atmosphere import particle_phase, rayleigh_phase
from gloamet.sky.scatter import MULTIPLE_TERM, VIEW_TERMS
from gloamet.stage.camera import Camera
from gloamet.trace.geometry.camera_rays import camera_ray
from gloamet.trace.pixel_distances import FarParts

F = np.float32
Floats = NDArray[np.float32]
ROWS_APART = 150  # heights of a picture that are looked up apart: a quarter of a degree
GRID_ROWS, GRID_COLUMNS = 28, 48  # places of the picture at which the air is looked up


class AerialSettings(NamedTuple):
    """What an artist makes of the aerial perspective: how many times denser it is, how much of it is seen (0 none,
    1 all), from how many metres on, the gains per channel of what sun and sky light in it, and whether (1) what is
    denser than the physical stands before the sky too."""

    density: float = 1.0
    strength: float = 1.0
    begin_m: float = 0.0
    sun_gain: Colour = EVEN
    sky_gain: Colour = EVEN
    dims_sky: float = 0.0


@njit(**KERNEL_OPTIONS)
def _add(fraction, row, out):
    """Add a fraction of a row to the beginning of another, the length of out."""
    for k in range(len(out)):
        out[k] += F(fraction) * row[k]


@njit(**KERNEL_OPTIONS)
def _fill_grid(through, light, sun, forward_g, camera, grid):
    """grid (rows, columns, 2, 3 * distances): what passes and what is added over the nearest distances, at places of
    the picture from its upper left to its lower right corner. through (elevations, 3 * DISTANCES) and light
    (elevations, turns, terms, 3 * DISTANCES) are those of a table."""
    rows, columns = grid.shape[:2]
    sun_level = math.sqrt(max(1e-12, sun[0] * sun[0] + sun[1] * sun[1]))
    for p in range(rows):
        for q in range(columns):
            position = (F(q / (columns - 1)), F(p / (rows - 1)))
            d = camera_ray(camera, (0, 0), (1, 1), position, (F(0), F(0))).direction
            row = elevation_row(d[2])
            i = min(int(row), ELEVATIONS - 2)
            level = math.sqrt(max(1e-12, d[0] * d[0] + d[1] * d[1]))
            aside = (d[0] * sun[0] + d[1] * sun[1]) / (level * sun_level)
            turn = math.acos(min(1.0, max(-1.0, aside))) / math.pi * (TURNS - 1)
            b = min(int(turn), TURNS - 2)
            fi, fb = row - i, turn - b
            cosine = d[0] * sun[0] + d[1] * sun[1] + d[2] * sun[2]
            aerosol, haze = particle_phase(cosine, forward_g[0]), particle_phase(cosine, forward_g[1])
            weights = (rayleigh_phase(cosine), aerosol, haze, 1.0)
            passing, added = grid[p, q, 0], grid[p, q, 1]
            passing[:] = F(0)
            added[:] = F(0)
            for a, fraction in ((i, 1.0 - fi), (i + 1, fi)):
                _add(fraction, through[a], passing)
                for n in range(VIEW_TERMS):
                    _add(weights[n] * fraction * (1.0 - fb), light[a, b, n], added)
                    _add(weights[n] * fraction * fb, light[a, b + 1, n], added)


@njit(**KERNEL_OPTIONS)
def _fill_block(grid, v, u, near, line, block):
    """What passes and what is added over the distances near and near + 1 into a block of line (blocks, 2, 6), at a
    place of the picture, v down and u across, each 0..1."""
    rows, columns = grid.shape[:2]
    down, across = min(v, F(1)) * F(rows - 1), min(u, F(1)) * F(columns - 1)
    p, q = min(int(down), rows - 2), min(int(across), columns - 2)
    fy, fx = down - F(p), across - F(q)
    c00, c01, c10, c11 = (F(1) - fy) * (F(1) - fx), (F(1) - fy) * fx, fy * (F(1) - fx), fy * fx
    # unsigned, as numbers from the end are looked for otherwise
    i, j, here = np.uint64(p), np.uint64(q), np.uint64(block)
    m, r, first = np.uint64(p + 1), np.uint64(q + 1), np.uint64(3 * near)
    for part in range(2):
        e = np.uint64(part)
        for k in range(6):
            h = first + np.uint64(k)
            upper = grid[i, j, e, h] * c00 + grid[i, r, e, h] * c01
            line[here, e, np.uint64(k)] = upper + grid[m, j, e, h] * c10 + grid[m, r, e, h] * c11


@njit(**KERNEL_OPTIONS)
def _copy(row, out):
    """Copy a row of numbers."""
    for k in range(len(out)):
        out[k] = row[k]


@njit(**ALLOCATING_KERNEL_OPTIONS)
def _composite_rows(grid, settings, skipped, picture, parts, first, apart, out):
    """Rows of out (H, 3 W) through the air: every so many of blocks, from the first. Denser air takes by the power of
    what the physical takes, and adds in proportion to what is lost. What is nearer than `skipped` metres is left."""
    height, width = parts.distance.shape
    density, strength, begin = F(settings.density), F(settings.strength), F(settings.begin_m)
    fraction, veiled = F(1.0 / (1000.0 * FARTHEST_KM)), settings.dims_sky > 0.0 and density > F(1)
    last = grid.shape[3] // 3 - 2
    alike = max(1, height // ROWS_APART)  # side of a block of pixels that are seen through the same air
    # what is before each block of a row, kept from one line of pixels to the next
    line = np.empty(((width + alike - 1) // alike, 2, 6), np.float32)
    filled = np.full(len(line), -1)  # the row of blocks and the distance that each of them is of
    for block in range(first, (height + alike - 1) // alike, apart):
        v = (F(block * alike) + F(0.5) * F(alike)) / F(height)
        for y in range(block * alike, min(height, (block + 1) * alike)):
            _copy(picture[y], out[y])
            for j in range(len(line)):
                for x in range(j * alike, min(width, (j + 1) * alike)):
                    distance, shown = parts.distance[y, x], strength * parts.fraction[y, x]
                    far = (distance - begin) * fraction
                    before_sky = veiled and distance <= F(0)
                    if before_sky:  # which has the physical air in it already
                        far = F(1)
                    elif distance <= skipped or far <= F(0):
                        continue
                    position = distance_column(min(far, F(1)))
                    near = min(int(position), last)
                    fk = position - F(near)
                    if filled[j] != block * DISTANCES + near:
                        filled[j] = block * DISTANCES + near
                        _fill_block(grid, v, (F(j) + F(0.5)) * F(alike) / F(width), near, line, j)
                    power = density - F(1) if before_sky else density
                    i = np.uint64(j)  # unsigned, as numbers from the end are looked for otherwise
                    for n in range(3):
                        m = np.uint64(n)
                        passing = line[i, 0, m] * (F(1) - fk) + line[i, 0, m + np.uint64(3)] * fk
                        added = line[i, 1, m] * (F(1) - fk) + line[i, 1, m + np.uint64(3)] * fk
                        if power != F(1):
                            lost = max(F(1) - passing, F(1e-7))
                            passing = max(passing, F(0)) ** power
                            added *= (F(1) - passing) / lost
                        k = 3 * x + n
                        out[y, k] = picture[y, k] * (F(1) - shown * (F(1) - passing)) + shown * added


def _skipped_m(table: AerialTable, density: float, least_lost: float) -> float:
    """Distance up to which air of a density takes less than a fraction of light, in every direction of a table."""
    lost = 1.0 - table.through.min((0, 2)).astype(float) ** density
    last = int(np.searchsorted(lost, least_lost, "right")) - 1
    return float(1000.0 * FARTHEST_KM * (max(0, last) / (DISTANCES - 1)) ** 4)


def _light_under_gains(light: Floats, settings: AerialSettings) -> Floats:
    """Light of a table under the gains of what it comes from: (elevations, turns, terms, 3 * DISTANCES)."""
    if settings.sun_gain != EVEN or settings.sky_gain != EVEN:  # most pictures while dragging have none
        gains = np.tile(np.array(settings.sun_gain, np.float32), (VIEW_TERMS, 1, 1))
        gains[MULTIPLE_TERM] = settings.sky_gain
        light = light * gains
    return light.reshape(ELEVATIONS, TURNS, VIEW_TERMS, -1)


def _columns_needed(settings: AerialSettings, farthest_m: float) -> int:
    """How many columns of a table pixels up to a distance are looked up in."""
    if settings.dims_sky > 0.0 and settings.density > 1.0:  # the sky stands behind all of them
        return DISTANCES
    fraction = max(0.0, farthest_m - settings.begin_m) / (1000.0 * FARTHEST_KM)
    return min(DISTANCES, int(min(fraction, 1.0) ** 0.25 * (DISTANCES - 1)) + 2)


def _of_one_type(settings: AerialSettings) -> AerialSettings:
    """Settings as kernels are compiled for, whatever numbers they were given as."""
    sun, sky = (tuple(float(v) for v in gain) for gain in (settings.sun_gain, settings.sky_gain))
    density, strength, begin_m = (float(v) for v in settings[:3])
    return AerialSettings(density, strength, begin_m, sun, sky, float(settings.dims_sky))  # type: ignore[arg-type]


def composite_aerial_perspective(
    table: AerialTable,
    settings: AerialSettings,
    camera: Camera,
    picture: Floats,
    parts: FarParts,
    pool: Executor,
    least_lost: float = 0.0,
) -> Floats:
    """Composite aerial perspective over a picture.

    Parameters
    ----------
    table : AerialTable
        Transmittance and in-scattered light.
    settings : AerialSettings
        Density, strength, start distance and gains.
    camera : Camera
        The camera.
    picture : ndarray
        Light, AP1 cd/m², (H, W, 3).
    parts : FarParts
        For each pixel what fraction of it is far, and how far.
    pool : Executor
        Threads that run the kernels.
    least_lost : float, optional
        Smallest fraction of light lost that is computed; less leaves the pixel unchanged.

    Returns
    -------
    ndarray
        Light, AP1 cd/m², (H, W, 3).
    """
    (height, width), out = parts.distance.shape, np.empty(picture.shape, np.float32)
    settings = _of_one_type(settings)
    distances = _columns_needed(settings, float(parts.distance.max()))
    skipped = F(_skipped_m(table, settings.density, least_lost)) if least_lost > 0.0 else F(0)
    grid = np.empty((GRID_ROWS, GRID_COLUMNS, 2, 3 * distances), np.float32)
    rows_of_table = table.through.reshape(ELEVATIONS, -1), _light_under_gains(table.light, settings)
    _fill_grid(*rows_of_table, table.sun, table.forward_g, camera.packed(width, height), grid)
    flat, flat_out = np.ascontiguousarray(picture).reshape(height, -1), out.reshape(height, -1)
    jobs = os.cpu_count() or 1  # few and long, one of them here: between two Python may belong to the window

    def rows(first: int) -> None:
        _composite_rows(grid, settings, skipped, flat, parts, first, jobs, flat_out)

    others = [pool.submit(rows, first) for first in range(1, jobs)]
    rows(0)
    for job in others:
        job.result()
    return out
