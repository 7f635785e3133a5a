# SPDX-License-Identifier: Apache-2.0
"""Scopes of a picture: histogram of codes, histogram of stops, waveform, vectorscope.

Developed pixels (H, W, 4) or light in AP1 cd/m2 enter; counts leave. Large pictures are read at every few pixels: a
scope is looked at, not calculated with.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from gloamet.colour.oklab import linear_to_oklab
from gloamet.colour.spaces import srgb_to_linear
from gloamet.develop.inspect import stops_over_grey

Pixels = NDArray[np.uint8]
Counts = NDArray[np.int64]
READ_PIXELS = 60_000
LOWEST_STOP, HIGHEST_STOP, BINS_PER_STOP = -9, 9, 8
WIDEST_CHROMA = 0.34  # Oklab chroma at the rim: just beyond the screen's strongest colours


def _thinned(picture: NDArray[Any]) -> NDArray[Any]:
    step = max(1, int(np.sqrt(picture.shape[0] * picture.shape[1] / READ_PIXELS)))
    return picture[::step, ::step]


def code_counts(pixels: Pixels) -> Counts:
    """Count the display codes of each channel.

    Parameters
    ----------
    pixels : ndarray
        Developed pixels, 8-bit RGBX (H, W, 4).

    Returns
    -------
    ndarray
        Counts for red, green and blue, (3, 256).
    """
    few = _thinned(pixels)
    return np.stack([np.bincount(few[..., c].ravel(), minlength=256) for c in range(3)])


def stop_counts(picture: NDArray[np.float32], ev: float) -> Counts:
    """Count pixels by stops from a grey card.

    Parameters
    ----------
    picture : ndarray
        Light, AP1 cd/m², (H, W, 3).
    ev : float
        Exposure value at ISO 100.

    Returns
    -------
    ndarray
        Counts for each eighth of a stop from LOWEST_STOP to HIGHEST_STOP; what is beyond is counted at the ends.
    """
    stops = stops_over_grey(_thinned(picture).astype(np.float32), ev)
    bins = (HIGHEST_STOP - LOWEST_STOP) * BINS_PER_STOP
    index = np.clip((stops - LOWEST_STOP) * BINS_PER_STOP, 0, bins - 1).astype(np.int64)
    return np.bincount(index.ravel(), minlength=bins)


def waveform(pixels: Pixels, columns: int, rows: int) -> Counts:
    """Count display codes by column of the picture.

    Parameters
    ----------
    pixels : ndarray
        Developed pixels, 8-bit RGBX (H, W, 4).
    columns : int
        Number of columns.
    rows : int
        Number of rows of codes, bright on top.

    Returns
    -------
    ndarray
        Counts, (3, rows, columns).
    """
    few = _thinned(pixels)
    across = np.arange(few.shape[1]) * columns // few.shape[1]
    out = np.empty((3, rows, columns), np.int64)
    for c in range(3):
        level = rows - 1 - few[..., c].astype(np.int64) * rows // 256
        position = level * columns + across[None]
        out[c] = np.bincount(position.ravel(), minlength=rows * columns).reshape(rows, columns)
    return out


def colour_position(codes: NDArray[np.float64], size: int) -> NDArray[np.int64]:
    """Compute the position of colours in the vectorscope.

    Parameters
    ----------
    codes : ndarray
        Display codes 0 to 1, (..., 3).
    size : int
        Width of the field in pixels.

    Returns
    -------
    ndarray
        Column and row, (..., 2).
    """
    lab = linear_to_oklab(srgb_to_linear(codes))
    across = 0.5 + 0.5 * lab[..., 1] / WIDEST_CHROMA
    down = 0.5 - 0.5 * lab[..., 2] / WIDEST_CHROMA
    return np.clip(np.stack([across, down], -1) * size, 0, size - 1).astype(np.int64)


def colour_counts(pixels: Pixels, size: int) -> Counts:
    """Count pixels by hue and chroma.

    Parameters
    ----------
    pixels : ndarray
        Developed pixels, 8-bit RGBX (H, W, 4).
    size : int
        Width of the field in pixels.

    Returns
    -------
    ndarray
        Counts, (size, size): grey in the centre, hue as angle in Oklab.
    """
    few = _thinned(pixels)[..., :3].reshape(-1, 3) / 255.0
    position = colour_position(few, size)
    return np.bincount(position[:, 1] * size + position[:, 0], minlength=size * size).reshape(size, size)
