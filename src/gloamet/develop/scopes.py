"""Scopes of a picture: how often which code, how many stops, where across it, which colours.

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
    """How many pixels have each code of red, green and blue, (3, 256)."""
    few = _thinned(pixels)
    return np.stack([np.bincount(few[..., c].ravel(), minlength=256) for c in range(3)])


def stop_counts(picture: NDArray[np.float32], ev: float) -> Counts:
    """How many pixels lie in each eighth of a stop from a grey card, from LOWEST_STOP to HIGHEST_STOP; what is beyond
    counts at the ends."""
    stops = stops_over_grey(_thinned(picture).astype(np.float32), ev)
    bins = (HIGHEST_STOP - LOWEST_STOP) * BINS_PER_STOP
    index = np.clip((stops - LOWEST_STOP) * BINS_PER_STOP, 0, bins - 1).astype(np.int64)
    return np.bincount(index.ravel(), minlength=bins)


def waveform(pixels: Pixels, columns: int, rows: int) -> Counts:
    """How many pixels of each column of the picture have which code, per channel: (3, rows, columns), bright on top."""
    few = _thinned(pixels)
    across = np.arange(few.shape[1]) * columns // few.shape[1]
    out = np.empty((3, rows, columns), np.int64)
    for c in range(3):
        level = rows - 1 - few[..., c].astype(np.int64) * rows // 256
        place = level * columns + across[None]
        out[c] = np.bincount(place.ravel(), minlength=rows * columns).reshape(rows, columns)
    return out


def colour_position(codes: NDArray[np.float64], size: int) -> NDArray[np.int64]:
    """Place (..., 2), across and down, of colours of codes 0..1 on a round field of hues, `size` pixels wide."""
    lab = linear_to_oklab(srgb_to_linear(codes))
    across = 0.5 + 0.5 * lab[..., 1] / WIDEST_CHROMA
    down = 0.5 - 0.5 * lab[..., 2] / WIDEST_CHROMA
    return np.clip(np.stack([across, down], -1) * size, 0, size - 1).astype(np.int64)


def colour_counts(pixels: Pixels, size: int) -> Counts:
    """How many pixels have which hue and chroma, (size, size): grey in the middle, hue round it as in Oklab."""
    few = _thinned(pixels)[..., :3].reshape(-1, 3) / 255.0
    place = colour_position(few, size)
    return np.bincount(place[:, 1] * size + place[:, 0], minlength=size * size).reshape(size, size)
