# SPDX-License-Identifier: Apache-2.0
"""Export of the sky as a lat-long panorama.

A Dome enters; AP1 cd/m2 pixels leave, +Z up, north in the centre column, east to the right.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from gloamet.sky.dome import SkyDome, dome_radiance

SUPERSAMPLES = 16
STRIP_ROWS = 64


def _directions(width: int, height: int, x: NDArray, y: NDArray) -> NDArray:
    """Unit vectors of picture coordinates (in pixels, centres at .5)."""
    azimuth = (x / width - 0.5) * 2.0 * np.pi
    elevation = (0.5 - y / height) * np.pi
    h = np.cos(elevation)
    return np.stack([h * np.sin(azimuth), h * np.cos(azimuth), np.sin(elevation) + 0.0 * azimuth], -1)


def _add_sun(picture: NDArray, dome: SkyDome) -> None:
    """Draw the disc so that the picture's own pixels hold exactly the sun's irradiance."""
    height, width = picture.shape[:2]
    azimuth, elevation = math.radians(dome.sun_azimuth_deg), math.radians(dome.sun_elevation_deg)
    cx = ((azimuth / (2 * math.pi) + 0.5) % 1.0) * width
    cy = (0.5 - elevation / math.pi) * height
    radius = math.radians(dome.sun_diameter_deg / 2.0)
    reach_y = int(radius / math.pi * height) + 2
    reach_x = min(width // 2, int(radius / (2 * math.pi) * width / max(math.cos(elevation), 1e-3)) + 2)
    rows = np.arange(max(0, int(cy) - reach_y), min(height, int(cy) + reach_y + 1))
    columns = np.arange(int(cx) - reach_x, int(cx) + reach_x + 1)
    fine = (np.arange(SUPERSAMPLES) + 0.5) / SUPERSAMPLES
    y, x = np.meshgrid((rows[:, None] + fine).ravel(), (columns[:, None] + fine).ravel(), indexing="ij")
    d = _directions(width, height, x, y)
    inside = (d @ dome.sun_direction > math.cos(radius)) & (d[..., 2] >= 0.0)
    shape = (len(rows), SUPERSAMPLES, len(columns), SUPERSAMPLES)
    cover = inside.reshape(shape).mean((1, 3))
    solid = np.cos((0.5 - (rows + 0.5) / height) * np.pi) * (np.pi / height) * (2 * np.pi / width)
    total = float((cover * solid[:, None]).sum())
    if total > 0.0:
        light = cover[..., None] * (dome.sun_irradiance * dome.sun_visible / total)
        np.add.at(picture, (rows[:, None], columns[None, :] % width), light.astype(np.float32))


def export_environment_map(dome: SkyDome, width: int, with_sun: bool = True) -> NDArray[np.float32]:
    """Render a dome as a lat-long panorama.

    Parameters
    ----------
    dome : SkyDome
        The sky.
    width : int
        Width in pixels; the height is half of it.
    with_sun : bool, optional
        Whether to draw the sun disc.

    Returns
    -------
    ndarray
        AP1 cd/m², (width / 2, width, 3) float32; below the horizon the lit ground.
    """
    height = width // 2
    picture = np.zeros((height, width, 3), np.float32)
    for y0 in range(0, height, STRIP_ROWS):
        rows = np.arange(y0, min(height, y0 + STRIP_ROWS)) + 0.5
        y, x = np.meshgrid(rows, np.arange(width) + 0.5, indexing="ij")
        d = _directions(width, height, x, y)
        ground = dome.ground_sun + dome.ground_sky
        above = d[..., 2:] >= 0.0
        picture[y0 : y0 + len(rows)] = np.where(above, dome_radiance(dome, d), ground)
    if with_sun and dome.sun_visible > 0.0:
        _add_sun(picture, dome)
    return picture
