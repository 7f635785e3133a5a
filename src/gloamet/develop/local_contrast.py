# SPDX-License-Identifier: Apache-2.0
"""Local contrast: amplifies or reduces details against their surroundings, in stops, without halos at edges.

The surroundings are those of a guided filter of the logarithm of luminance by itself (He, Sun, Tang 2013), its
coefficients found on a small picture (He, Sun 2015). A picture enters, factors of its pixels leave.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from gloamet.develop.links import Tone

Floats = NDArray[np.float32]
EDGE_STOPS = 0.7  # steps much larger than this are edges and stay as they are
SMALL_HEIGHT = 270  # pixels of the picture on which surroundings are found
DARKEST = 2.0**-12  # of a white card: darker is as dark as this


def _line(small: Floats, width: int) -> Floats:
    """The line of each surrounding, `width` pixels wide: slope and rest, (h, w, 2); straight edges have slope 1."""
    from scipy.ndimage import uniform_filter

    def mean(plane: NDArray[Any]) -> Floats:
        return np.asarray(uniform_filter(plane, width, mode="nearest"), np.float32)

    middle = mean(small)
    variance = np.maximum(mean(np.square(small)) - np.square(middle), np.float32(0.0))
    slope = variance / (variance + np.float32(EDGE_STOPS**2))
    return np.stack([mean(slope), mean(middle - slope * middle)], -1)


def local_gain(picture: Floats, tone: Tone, weights: Floats) -> Floats:
    """Factors (H, W) by which local contrast makes the pixels of a picture (H, W, 3) brighter; weights (3,) are those
    of its channels in luminance."""
    from gloamet.develop.light_kernels import details_rows, shrink_stops_rows
    from gloamet.develop.threads import on_all_threads

    height, wide = picture.shape[:2]
    factor = max(1, round(height / SMALL_HEIGHT))
    small = np.empty((-(-height // factor), -(-wide // factor)), np.float32)
    least = np.float32(DARKEST)
    on_all_threads(shrink_stops_rows, picture, factor, weights, least, small)
    width = 2 * max(1, round(0.5 * tone.local_radius / 100.0 * len(small))) + 1
    amount = np.float32(tone.strength * tone.local_contrast)
    gain = np.empty((height, wide), np.float32)
    on_all_threads(details_rows, picture, _line(small, width), factor, weights, least, amount, gain)
    return gain
