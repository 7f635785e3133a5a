# SPDX-License-Identifier: Apache-2.0
"""Noise of a film per tile, and the adaptive distribution of its next samples.

A film enters; relative errors of tiles of TILE × TILE pixels, one number for all, or samples per pixel (H, W) leave.
The estimate assumes independent samples; they are stratified, so the true error is a third smaller, in simple light
half.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from gloamet.colour.spaces import AP1_LUMINANCE
from gloamet.light_layers import (
    LIGHT_LAYERS,
    MOMENT_INDEX,
    SHARED_PATH_LAYERS,
    TOGETHER,
    UNIT_GAINS,
    Gains,
)
from gloamet.trace.film import (
    Film,
    Floats,
    Region,
)

TILE = 8  # pixels: enough for a reliable variance after 16 samples
QUANTILE = (
    0.8  # of the tiles have reached the goal when a film is done; the rest are hairs, leaves and glints
)
DARK_FLOOR = 0.02  # of the film's mean is added to a tile's mean: black may stay noisy
MAX_SAMPLES_PER_PASS = 16  # samples of a pixel in one pass: a row of them must not hold up a cancel


def _tile_means(plane: Floats) -> NDArray[np.float64]:
    """Means over tiles of TILE × TILE pixels of a plane (H, W); the last ones may be smaller."""
    down = np.arange(0, plane.shape[0], TILE)
    across = np.arange(0, plane.shape[1], TILE)
    sums = np.add.reduceat(np.add.reduceat(plane, down, axis=0), across, axis=1, dtype=np.float64)
    rows = np.diff([*down, plane.shape[0]])
    columns = np.diff([*across, plane.shape[1]])
    return np.asarray(sums / np.outer(rows, columns), np.float64)


def _blur_tiles(plane: NDArray[np.float64]) -> NDArray[np.float64]:
    """Each tile blurred with its eight neighbours, whose samples may have found rare light that its own missed."""
    wide = np.pad(plane, 1, mode="edge")
    rows = 0.25 * wide[:-2] + 0.5 * wide[1:-1] + 0.25 * wide[2:]
    return np.asarray(0.25 * rows[:, :-2] + 0.5 * rows[:, 1:-1] + 0.25 * rows[:, 2:])


def _light_and_variance(
    film: Film, cut: tuple[slice, slice], only: str | None = None
) -> tuple[Floats, Floats]:
    """Luminance (h, w) of one light, or of all, and the variance of its mean."""
    n = np.maximum(film.layers["counts"][cut], np.float32(2.0))
    names = SHARED_PATH_LAYERS if only is None else (only,)
    colours = np.add.reduce([film.layers[name][cut] for name in names])
    light = colours @ AP1_LUMINANCE.astype(np.float32) / n
    spread = film.layers["squares"][cut][..., MOMENT_INDEX[only or TOGETHER]] / n - light**2
    variance = np.maximum(spread, np.float32(0.0)) / (n - np.float32(1.0))
    if only is None and film.layers["panorama"][cut].any():
        more, its_own = _light_and_variance(film, cut, "panorama")
        return light + more, variance + its_own
    return light, variance


def tile_relative_error(
    film: Film,
    gains: Gains = UNIT_GAINS,
    region: Region | None = None,
    only: str | None = None,
) -> NDArray[np.float64]:
    """Estimate the relative standard error of each tile.

    Parameters
    ----------
    film : Film
        The film.
    gains : Gains, optional
        Gains of the lights.
    region : Region or None, optional
        Left, top, right, bottom in pixels; None for the whole picture.
    only : str or None, optional
        Name of one light to look at alone; None looks at the picture.

    Returns
    -------
    ndarray
        Standard error over mean light per tile; infinite below two samples.
    """
    x0, y0, x1, y1 = region or (0, 0, film.width, film.height)
    cut = (slice(y0, y1), slice(x0, x1))
    counts = film.layers["counts"][cut]
    if not counts.size or counts.min() < 2:
        return np.full((1, 1), np.inf)
    if only is not None:
        light, variance = _light_and_variance(film, cut, only)
    else:
        light, variance = _light_and_variance(film, cut)
        if gains != UNIT_GAINS:
            # as much more than the lights apart as at unit gains: they vary together at the edges of things
            parts = [_light_and_variance(film, cut, name) for name in LIGHT_LAYERS]
            apart = np.maximum(np.add.reduce([v for _, v in parts]), np.float32(1e-30))
            levels = [float(np.mean(gain)) for gain in gains]
            light = np.add.reduce([np.float32(g) * m for g, (m, _) in zip(levels, parts, strict=True)])
            weighed = [np.float32(g * g) * v for g, (_, v) in zip(levels, parts, strict=True)]
            variance *= np.add.reduce(weighed) / apart
    # what one sample varies is alike next door; how many there are is each square's own
    once = _blur_tiles(_tile_means(variance * counts))
    own = _tile_means(light)
    return np.asarray(np.sqrt(once / _tile_means(counts)) / np.maximum(own + DARK_FLOOR * own.mean(), 1e-12))


def error_quantile(errors: NDArray[np.float64]) -> float:
    """Return the relative error that 80 % of the tiles are below.

    Parameters
    ----------
    errors : ndarray
        Relative error of each tile.

    Returns
    -------
    float
        The quantile.
    """
    return float(np.quantile(errors, QUANTILE, method="lower"))


def samples_wanted(
    film: Film, errors: NDArray[np.float64], goal: float, most: int, region: Region | None = None
) -> NDArray[np.uint16]:
    """Plan the samples of the next adaptive pass.

    A pass at most doubles the samples of a pixel, because its error is only an estimate.

    Parameters
    ----------
    film : Film
        The film.
    errors : ndarray
        Relative error of each tile, from `tile_relative_error`.
    goal : float
        Relative error to reach.
    most : int
        Largest number of samples per pixel.
    region : Region or None, optional
        Left, top, right, bottom in pixels; None for the whole picture.

    Returns
    -------
    ndarray
        Samples per pixel, (H, W); zero where the goal is reached.
    """
    out = np.zeros((film.height, film.width), np.uint16)
    x0, y0, x1, y1 = region or (0, 0, film.width, film.height)
    counts = film.layers["counts"][y0:y1, x0:x1]
    over = np.where(errors > goal, np.minimum((errors / goal) ** 2 - 1.0, 1.0), 0.0)
    fraction = np.repeat(np.repeat(over, TILE, axis=0), TILE, axis=1)[: y1 - y0, : x1 - x0]
    more = np.minimum(np.minimum(np.ceil(counts * fraction), most - counts), MAX_SAMPLES_PER_PASS)
    out[y0:y1, x0:x1] = np.maximum(more, 0.0).astype(np.uint16)
    return out


def remaining_samples(errors: NDArray[np.float64], goal: float, mean_samples: float, most: int) -> float:
    """Estimate the samples per pixel until a noise goal.

    Parameters
    ----------
    errors : ndarray
        Relative error of each tile.
    goal : float
        Relative error to reach.
    mean_samples : float
        Mean samples per pixel so far.
    most : int
        Largest number of samples per pixel.

    Returns
    -------
    float
        Samples per pixel still needed, on average.
    """
    wanted = np.clip(mean_samples * (errors / goal) ** 2, 0.0, most)
    return float(np.maximum(wanted - mean_samples, 0.0).mean())
