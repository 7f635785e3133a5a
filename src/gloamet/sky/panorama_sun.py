# SPDX-License-Identifier: Apache-2.0
"""The sun of a panorama: detection, measurement, and removal.

A lat-long picture (h, w, 3) in AP1 enters, as `environment_map` lays it out; `PanoramaSun`s leave, brightest first, and
pictures without them. A sun is a compact region that is brighter than the glow round it. Directions are azimuth
clockwise from the picture's middle, and elevation, in degrees.
"""

from __future__ import annotations

import math
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from gloamet.colour.spaces import AP1_LUMINANCE
from gloamet.sky.environment_map import downscale
from gloamet.sun.angles import azimuth_elevation
from gloamet.sun.position import direction

Array = NDArray[np.float64]
Floats = NDArray[np.float32]
LOWEST_DEG = -4.0  # suns are looked for down to this height
PATCH_DEG = 20.0  # half width of the patch round a candidate
COARSE_DEG, FINE_DEG = 0.25, 0.125  # pixel of the patch while its middle is found, and when it is measured
SEARCH_WIDTH = 512  # of the picture that candidates are looked for in
SMALL_DEG = 1.5  # radius of a clipped region whose own middle is the sun's
LOWEST_FIT_DEG = 10.0  # height of a clipped region below which the horizon's glow leads the fit astray
FIT_DEG = 9.0  # beyond the edge of a clipped sun; its position is fitted to the glow
LEAST_ROUND = 0.72  # least fraction of a clipped region within the circle of its area: clouds are ragged
MOST_SUNS = 4
APART_DEG = 12.0  # between two candidates
CORE_SHARE = 0.5  # of the peak over the glow: what is brighter is the disc
CONTRAST = 3.0  # of a disc over what surrounds it; a clear sky's own aureole stays below 2.5
WIDEST_DEG, WIDEST_CLIPPED_DEG = 3.0, 14.0  # radius of a region that is still a sun, veiled, or clipped
NEAR_DEG = 7.0  # radius round a candidate in which the brightest pixel is searched
RING = 96  # directions of the ring from which a removed sun is filled
CLIPPED_SHARE, CLIPPED_PIXELS = 1.0 - 1e-5, 6  # so many pixels alike are where a format ends
REAL_CONTRAST = 150.0  # of a disc that is not clipped, over its surroundings
AUREOLE_SHARE = 1.25  # of the sky farther out: where the glow ends


class PanoramaSun(NamedTuple):
    """Direction of a sun in its file (degrees), radius of its disc, its light on a plane that faces it (AP1, lx
    where the file is in cd/m2), its contrast to its surroundings, radius of its glow, whether clipped."""

    azimuth_deg: float
    elevation_deg: float
    radius_deg: float
    irradiance: tuple[float, float, float]
    contrast: float
    glow_deg: float
    clipped: bool


def pixel_directions(height: int, width: int) -> tuple[Array, Array]:
    """Azimuths (width,) and elevations (height,) of a picture's pixels, degrees."""
    azimuth = ((np.arange(width) + 0.5) / width - 0.5) * 360.0
    return azimuth, 90.0 - (np.arange(height) + 0.5) / height * 180.0


def solid_angles(height: int, width: int) -> Array:
    """Solid angle of a pixel of each row, (height,) steradians."""
    edges = np.radians(90.0 - np.arange(height + 1) / height * 180.0)
    return np.asarray(-np.diff(np.sin(edges)) * 2.0 * np.pi / width)


def sample(picture: Floats, vectors: Array) -> Array:
    """Light (..., 3) of a picture in directions, mixed of four pixels."""
    height, width = picture.shape[:2]
    azimuth = np.arctan2(vectors[..., 0], vectors[..., 1])
    elevation = np.arcsin(np.clip(vectors[..., 2], -1.0, 1.0))
    u = (0.5 + azimuth / (2.0 * np.pi)) * width - 0.5
    v = np.clip((0.5 - elevation / np.pi) * height - 0.5, 0.0, height - 1.001)
    i, j = np.floor(v).astype(int), np.floor(u).astype(int)
    fv, fu = (v - i)[..., None], (u - j)[..., None]
    left, right = j % width, (j + 1) % width
    top = picture[i, left] * (1.0 - fu) + picture[i, right] * fu
    below = picture[i + 1, left] * (1.0 - fu) + picture[i + 1, right] * fu
    return np.asarray(top * (1.0 - fv) + below * fv)


def _frame(middle: Array) -> tuple[Array, Array]:
    """Two unit vectors across a direction."""
    aside = np.cross(middle, [0.0, 0.0, 1.0] if abs(middle[2]) < 0.9 else [0.0, 1.0, 0.0])
    aside /= np.linalg.norm(aside)
    return aside, np.cross(aside, middle)


def _patch(picture: Floats, middle: Array, step_deg: float) -> tuple[Array, Array, Array]:
    """Light (n, n, 3), directions (n, n, 3) and angles from the middle (n, n) of a patch; angles keep their scale."""
    steps = np.arange(-PATCH_DEG, PATCH_DEG + 1e-6, step_deg)
    across, up = np.meshgrid(np.radians(steps), np.radians(steps))
    angle = np.hypot(across, up)
    aside, over = _frame(middle)
    fraction = np.sinc(angle / np.pi)[..., None]
    vectors = np.cos(angle)[..., None] * middle + fraction * (
        across[..., None] * aside + up[..., None] * over
    )
    return sample(picture, vectors), vectors, np.degrees(angle)


def _measure(picture: Floats, middle: Array) -> tuple[PanoramaSun, Array, float]:
    """A candidate near a direction as a sun, its direction, and the fraction of it within the circle of its area."""
    from scipy import ndimage

    core = np.zeros((1, 1), bool)
    around = 0.0
    for step_deg in (COARSE_DEG, COARSE_DEG, COARSE_DEG, FINE_DEG):
        light, vectors, angle = _patch(picture, middle, step_deg)
        level = light @ AP1_LUMINANCE
        around = float(np.median(level[(angle > 9.0) & (angle < 15.0)]))
        near = np.where(angle < NEAR_DEG, level, 0.0)
        peak = float(near.max())
        flat = level >= 0.99 * peak
        beside = float(np.median(level[(angle > 1.4) & (angle < 2.4)]))
        clipped = peak < REAL_CONTRAST * beside and _pixels_alike(picture, middle) >= CLIPPED_PIXELS
        bright = flat if clipped else level >= around + CORE_SHARE * (peak - around)
        marks, _count = ndimage.label(bright)
        core = marks == marks[np.unravel_index(int(near.argmax()), near.shape)]
        weight = np.where(core, np.maximum(level - around, 1e-6 * peak + 1e-30), 0.0)
        moved = (weight[..., None] * vectors).sum((0, 1))
        middle = moved / np.linalg.norm(moved)
    cell = step_deg**2
    area = float(core.sum()) * cell
    radius = math.sqrt(area / math.pi)
    if radius > WIDEST_CLIPPED_DEG:  # a bright half of the sky, and no sun
        return (
            PanoramaSun(*azimuth_elevation(middle), radius, (0.0, 0.0, 0.0), 1.0, radius, False),
            middle,
            0.0,
        )
    ring = (angle > 1.4 * radius + 0.9) & (angle < 1.4 * radius + 2.4)
    beside = float(np.median(level[ring]))
    disc = angle < 1.4 * radius + 0.5
    excess = np.maximum(light - np.median(light[ring], 0), 0.0)
    steradians = math.radians(step_deg) ** 2 * np.sinc(np.radians(angle[disc]) / np.pi)
    red, green, blue = ((excess[disc] * steradians[:, None]).sum(0)).tolist()
    roundness = float((core & (angle <= radius)).sum()) / max(1.0, float(core.sum()))
    if clipped and radius > SMALL_DEG and azimuth_elevation(middle)[1] > LOWEST_FIT_DEG:
        middle = _middle_of_glow(level, vectors, flat, middle)
    azimuth, elevation = azimuth_elevation(middle)
    contrast = peak / max(beside, 1e-30)
    glow = _glow_radius(level, angle, radius)
    return (
        PanoramaSun(azimuth, elevation, radius, (red, green, blue), contrast, glow, clipped),
        middle,
        roundness,
    )


def _pixels_alike(picture: Floats, middle: Array) -> int:
    """How many pixels near a direction are as bright as the brightest of them."""
    height, width = picture.shape[:2]
    azimuth, elevation = pixel_directions(height, width)
    rows = np.flatnonzero(np.abs(elevation - azimuth_elevation(middle)[1]) < NEAR_DEG)
    near = direction(azimuth[None, :], elevation[rows][:, None]) @ middle > math.cos(math.radians(NEAR_DEG))
    level = (picture[rows] @ AP1_LUMINANCE.astype(np.float32))[near]
    return int((level >= CLIPPED_SHARE * level.max()).sum()) if level.size else 0


def _middle_of_glow(level: Array, vectors: Array, flat: NDArray[np.bool_], middle: Array) -> Array:
    """The direction about which the glow round a clipped sun is symmetric: light there is taken for a product of one
    function of the angle to the sun and one of height, and the sun for where that fits best."""
    from scipy.optimize import minimize

    height = np.degrees(np.arcsin(np.clip(vectors[..., 2], -1.0, 1.0)))
    reach = float(np.arccos(np.clip((vectors[flat] @ middle).min(), -1.0, 1.0)))
    close = vectors @ middle > math.cos(reach + math.radians(FIT_DEG))
    used = np.zeros_like(flat)
    used[::2, ::2] = True  # a quarter of them is enough
    used &= ~flat & close & (height > 0.4) & (level > 0.0)
    low, up = np.log(height[used] + 3.0), height[used] / 10.0
    towards, logs = vectors[used], np.log(level[used])
    if len(logs) < 200:
        return middle
    aside, over = _frame(middle)

    def misfit(moved: Array) -> float:
        """How badly a glow round this place fits, in logs."""
        sun = middle + np.radians(moved[0]) * aside + np.radians(moved[1]) * over
        cosine = np.clip(towards @ (sun / np.linalg.norm(sun)), -1.0, 1.0)
        angle = np.degrees(np.arccos(cosine))
        columns = [np.ones_like(up), np.log(angle + 0.5), angle / 10.0, (angle / 10.0) ** 2, up, up**2, low]
        basis = np.stack(columns, 1)
        fit, *_rest = np.linalg.lstsq(basis, logs, rcond=None)
        # clouds are outliers: the median of the misfits counts, not their squares
        return float(np.abs(basis @ fit - logs).mean())

    simplex = np.array([[0.0, 0.0], [1.0, 0.0], [0.0, 1.0]])
    options: Any = {"initial_simplex": simplex, "xatol": 0.01, "fatol": 1e-7, "maxiter": 120}
    best = minimize(misfit, np.zeros(2), method="Nelder-Mead", options=options)
    if np.hypot(*best.x) > 6.0:
        return middle
    sun = middle + np.radians(best.x[0]) * aside + np.radians(best.x[1]) * over
    return np.asarray(sun / np.linalg.norm(sun))


def _glow_radius(level: Array, angle: Array, radius: float) -> float:
    """How far the glow of a sun reaches: where it has come down to the sky farther out."""
    edges = np.arange(0.0, PATCH_DEG - 1.0, 0.5)
    profile = np.array([np.median(level[(angle >= a) & (angle < a + 0.5)]) for a in edges])
    far = np.median(profile[-4:])
    over = np.flatnonzero(profile > AUREOLE_SHARE * far)
    reach = edges[over[-1]] + 0.5 if len(over) else radius
    return float(min(max(reach, 1.4 * radius + 1.0), PATCH_DEG - 3.0))


def find_suns(picture: Floats) -> list[PanoramaSun]:
    """Suns in a panorama, the one that gives most light first; none in an overcast or a clear sky without its disc."""
    fewer = downscale(picture, SEARCH_WIDTH)
    azimuth, elevation = pixel_directions(*fewer.shape[:2])
    level = (fewer @ AP1_LUMINANCE.astype(np.float32)).astype(float)
    level[elevation < LOWEST_DEG] = 0.0
    everywhere = direction(azimuth[None, :], elevation[:, None])
    found: list[PanoramaSun] = []
    cosine = math.cos(math.radians(APART_DEG))
    for _ in range(MOST_SUNS):
        top = np.unravel_index(int(level.argmax()), level.shape)
        if level[top] <= 0.0:
            break
        sun, middle, roundness = _measure(picture, everywhere[top])
        for taken in (middle, everywhere[top]):
            level[everywhere @ taken > cosine] = 0.0
        stands_out = sun.contrast >= CONTRAST or sun.clipped
        stands_out = stands_out and (not sun.clipped or roundness >= LEAST_ROUND)
        small = sun.radius_deg <= (WIDEST_CLIPPED_DEG if sun.clipped else WIDEST_DEG)
        again = any(direction(s.azimuth_deg, s.elevation_deg) @ middle > cosine for s in found)
        if stands_out and small and not again and sun.elevation_deg > LOWEST_DEG:
            found.append(sun)
    return sorted(found, key=lambda sun: -float(AP1_LUMINANCE @ np.array(sun.irradiance)))


def sun_at(picture: Floats, azimuth_deg: float, elevation_deg: float) -> PanoramaSun:
    """The sun at a picked direction, measured; the direction is kept."""
    sun, _middle, _round = _measure(picture, direction(azimuth_deg, elevation_deg))
    return sun._replace(azimuth_deg=azimuth_deg % 360.0, elevation_deg=elevation_deg)


def filled(picture: Floats, middle: Array, radius_deg: float) -> Floats:
    """A picture (h, w, 3) whose pixels within a radius are filled from the ring about it, with a soft edge."""
    height, width = picture.shape[:2]
    azimuth, elevation = pixel_directions(height, width)
    rows = np.flatnonzero(np.abs(elevation - azimuth_elevation(middle)[1]) < radius_deg + 0.5)
    vectors = direction(azimuth[None, :], elevation[rows][:, None])
    angle = np.degrees(np.arccos(np.clip(vectors @ middle, -1.0, 1.0)))
    y, x = np.nonzero(angle < radius_deg)
    aside, over = _frame(middle)
    turns = 2.0 * np.pi * np.arange(RING) / RING
    ring = np.cos(turns)[:, None] * aside + np.sin(turns)[:, None] * over
    colours = np.median(
        [
            sample(picture, math.cos(math.radians(r)) * middle + math.sin(math.radians(r)) * ring)
            for r in (radius_deg * 1.02, radius_deg * 1.1, radius_deg * 1.2)
        ],
        0,
    )
    edge = math.cos(math.radians(radius_deg)) * middle + math.sin(math.radians(radius_deg)) * ring
    near = 1.0 - vectors[y, x] @ edge.T
    weight = 1.0 / np.maximum(near, 1e-7)
    fill = (weight @ colours) / weight.sum(1, keepdims=True)
    blend = np.clip((radius_deg - angle[y, x]) / (0.12 * radius_deg), 0.0, 1.0)[:, None]
    out = picture.copy()
    before = out[rows[y], x]
    # never brighter than before: no light is added
    out[rows[y], x] = before + blend * (np.minimum(fill, before) - before)
    return np.asarray(out, np.float32)


def removed_light(before: Floats, after: Floats, middle: Array) -> tuple[Array, Array]:
    """Light that was taken out of a picture, AP1: on a plane that faces `middle`, and on horizontal ground."""
    height, width = before.shape[:2]
    azimuth, elevation = pixel_directions(height, width)
    rows = np.flatnonzero((before != after).any((1, 2)))
    taken = (before[rows] - after[rows]).astype(float) * solid_angles(height, width)[rows, None, None]
    vectors = direction(azimuth[None, :], elevation[rows][:, None])
    facing = np.maximum(vectors @ middle, 0.0)
    level = np.maximum(vectors[..., 2], 0.0)
    return np.einsum("yxc,yx->c", taken, facing), np.einsum("yxc,yx->c", taken, level)
