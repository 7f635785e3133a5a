"""A picture seen through the air: aerial perspective laid over finished light, pixel by pixel.

An `AerialTable`, a picture (AP1 cd/m2), the distance of every pixel and the camera enter; the picture through the air
leaves. No path is traced. Distances are those that paths travel, through glass and by mirrors too; the air there is
that in the direction of the pixel.
"""

from __future__ import annotations

import math
from concurrent.futures import Executor
from typing import NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

from gloamet.document.lights import EVEN, Colour
from gloamet.jit import ALLOCATING_KERNEL_OPTIONS, KERNEL_OPTIONS
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
from gloamet.trace.camera_rays import camera_ray
from gloamet.trace.distance import FarParts

F = np.float32
Floats = NDArray[np.float32]
ROWS_A_JOB = 32
ROWS_APART = 180  # heights of a picture that are looked up apart
GRID_ROWS, GRID_COLUMNS = 28, 48  # places of the picture at which the air is looked up


class AerialSettings(NamedTuple):
    """What an artist makes of the air in front of things: how many times denser it is, how much of it is seen (0 none,
    1 all), from how many metres on, the gains per channel of what sun and sky light in it, and whether (1) what is
    denser than nature's stands before the sky too."""

    density: float = 1.0
    strength: float = 1.0
    begin_m: float = 0.0
    sun_gain: Colour = EVEN
    sky_gain: Colour = EVEN
    dims_sky: float = 0.0


@njit(**KERNEL_OPTIONS)
def _fill_grid(table, settings, camera, grid):
    """grid (rows, columns, DISTANCES, 6): what passes and what is added over every distance, at places of the picture
    from its upper left to its lower right corner."""
    through, light, sun = table.through, table.light, table.sun
    aerosol_g, haze_g = table.forward_g
    rows, columns = grid.shape[:2]
    sun_level = math.sqrt(max(1e-12, sun[0] * sun[0] + sun[1] * sun[1]))
    for p in range(rows):
        for q in range(columns):
            place = (F(q / (columns - 1)), F(p / (rows - 1)))
            d = camera_ray(camera, (0, 0), (1, 1), place, (F(0), F(0))).direction
            row = elevation_row(d[2])
            i = min(int(row), ELEVATIONS - 2)
            level = math.sqrt(max(1e-12, d[0] * d[0] + d[1] * d[1]))
            aside = (d[0] * sun[0] + d[1] * sun[1]) / (level * sun_level)
            turn = math.acos(min(1.0, max(-1.0, aside))) / math.pi * (TURNS - 1)
            b = min(int(turn), TURNS - 2)
            fi, fb = F(row - i), F(turn - b)
            cosine = d[0] * sun[0] + d[1] * sun[1] + d[2] * sun[2]
            weights = (
                F(rayleigh_phase(cosine)),
                F(particle_phase(cosine, aerosol_g)),
                F(particle_phase(cosine, haze_g)),
                F(1),
            )
            for k in range(DISTANCES):
                for c in range(3):
                    grid[p, q, k, c] = through[i, k, c] * (F(1) - fi) + through[i + 1, k, c] * fi
                    added = F(0)
                    for n in range(VIEW_TERMS):
                        low = light[i, b, k, n, c] * (F(1) - fb) + light[i, b + 1, k, n, c] * fb
                        high = light[i + 1, b, k, n, c] * (F(1) - fb) + light[i + 1, b + 1, k, n, c] * fb
                        gain = settings.sky_gain[c] if n == MULTIPLE_TERM else settings.sun_gain[c]
                        added += weights[n] * F(gain) * (low * (F(1) - fi) + high * fi)
                    grid[p, q, k, 3 + c] = added


@njit(**ALLOCATING_KERNEL_OPTIONS)
def _see_rows(grid, settings, skipped, picture, parts, y0, y1, out):
    """Rows y0..y1 of the picture through the air. Denser air takes by the power of what nature's takes, and
    adds in proportion to what is lost. What is nearer than `skipped` metres is left as it is."""
    height, width = parts.distance.shape
    density, strength, begin = F(settings.density), F(settings.strength), F(settings.begin_m)
    share, dims_sky = F(1.0 / (1000.0 * FARTHEST_KM)), settings.dims_sky > 0.0
    rows, columns = grid.shape[:2]
    alike = max(1, height // ROWS_APART)
    across = np.empty(grid.shape[1:], np.float32)  # the grid at the height of a few rows of pixels
    for y in range(y0, y1):
        if (y - y0) % alike == 0:
            v = min((F(y) + F(0.5) * F(alike)) / F(height), F(1)) * F(rows - 1)
            p = min(int(v), rows - 2)
            fy = v - F(p)
            for q in range(columns):
                for k in range(DISTANCES):
                    for c in range(6):
                        across[q, k, c] = grid[p, q, k, c] * (F(1) - fy) + grid[p + 1, q, k, c] * fy
        for x in range(width):
            distance, shown = parts.distance[y, x], strength * parts.share[y, x]
            far = (distance - begin) * share
            before_sky = distance <= F(0) and dims_sky and density > F(1)
            if before_sky:  # which has nature's air in it already
                far = F(1)
            elif distance <= skipped or far <= F(0):
                for c in range(3):
                    out[y, x, c] = picture[y, x, c]
                continue
            place = distance_column(min(far, F(1)))
            u = (F(x) + F(0.5)) / F(width) * F(columns - 1)
            near, left = min(int(place), DISTANCES - 2), min(int(u), columns - 2)
            fk, fx = place - F(near), u - F(left)
            a, b = (F(1) - fx) * (F(1) - fk), fx * (F(1) - fk)
            c0, d0 = (F(1) - fx) * fk, fx * fk
            # unsigned, as numbers from the end are looked for otherwise
            i, j = np.uint64(near), np.uint64(left)
            m, r = np.uint64(near + 1), np.uint64(left + 1)
            for n in range(3):
                h, e = np.uint64(n), np.uint64(n + 3)
                passing = (
                    across[j, i, h] * a + across[r, i, h] * b + across[j, m, h] * c0 + across[r, m, h] * d0
                )
                added = (
                    across[j, i, e] * a + across[r, i, e] * b + across[j, m, e] * c0 + across[r, m, e] * d0
                )
                if density != F(1):
                    lost = max(F(1) - passing, F(1e-7))
                    passing = max(passing, F(0)) ** (density - F(1) if before_sky else density)
                    added *= (F(1) - passing) / lost
                out[y, x, n] = picture[y, x, n] * (F(1) - shown * (F(1) - passing)) + shown * added


def _skipped_m(table: AerialTable, density: float, least_lost: float) -> float:
    """Distance up to which air of a density takes less than a share of light, in every direction of a table."""
    lost = 1.0 - table.through.min((0, 2)).astype(float) ** density
    last = int(np.searchsorted(lost, least_lost, "right")) - 1
    return float(1000.0 * FARTHEST_KM * (max(0, last) / (DISTANCES - 1)) ** 4)


def _of_one_type(settings: AerialSettings) -> AerialSettings:
    """Settings as kernels are compiled for, whatever numbers they were given as."""
    sun, sky = (tuple(float(v) for v in gain) for gain in (settings.sun_gain, settings.sky_gain))
    density, strength, begin_m = (float(v) for v in settings[:3])
    return AerialSettings(density, strength, begin_m, sun, sky, float(settings.dims_sky))  # type: ignore[arg-type]


def see_through_air(
    table: AerialTable,
    settings: AerialSettings,
    camera: Camera,
    picture: Floats,
    parts: FarParts,
    pool: Executor,
    least_lost: float = 0.0,
) -> Floats:
    """The picture (H, W, 3) through the air before it, by what of each pixel is far, and how far. Where less than a
    share of light is lost, the picture is left as it is."""
    height, width = parts.distance.shape
    out, grid = np.empty_like(picture), np.empty((GRID_ROWS, GRID_COLUMNS, DISTANCES, 6), np.float32)
    skipped = F(_skipped_m(table, settings.density, least_lost)) if least_lost > 0.0 else F(0)
    settings = _of_one_type(settings)
    _fill_grid(table, settings, camera.packed(width, height), grid)

    def rows(y: int) -> None:
        _see_rows(grid, settings, skipped, picture, parts, y, min(height, y + ROWS_A_JOB), out)

    list(pool.map(rows, range(0, height, ROWS_A_JOB)))
    return out
