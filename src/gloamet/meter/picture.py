"""Metering the picture itself: the exposure it asks for."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from gloamet.colour.spaces import AP1_LUMINANCE
from gloamet.meter.light import luminance_ev

DARKEST = 1e-6
MOST_HELD_STOPS = 1.5  # a window or the sun's disc may darken the rest by so much, not more (common practice)
LOWEST_EV, HIGHEST_EV = -8.0, 22.0


def automatic_ev(picture: NDArray[np.float32]) -> float:
    """EV100 that renders a picture in AP1 cd/m2 (H, W, 3) well: log-average of the middle four fifths of
    its luminances, held so that the brightest 2 % do not go far beyond white."""
    some = picture.reshape(-1, 3)[:: max(1, picture.size // 120_000) | 1]
    y = (some @ AP1_LUMINANCE.astype(np.float32)).astype(float)
    y = y[np.isfinite(y) & (y > DARKEST)]
    if not len(y):
        return LOWEST_EV
    low, high, bright = np.quantile(y, [0.1, 0.9, 0.98])
    middle = np.exp(np.log(np.clip(y, low, high)).mean())
    by_middle, by_bright = luminance_ev(float(middle)) - 0.7, luminance_ev(float(bright)) - 3.0
    ev = max(by_middle, min(by_bright, by_middle + MOST_HELD_STOPS))
    return float(np.clip(ev, LOWEST_EV, HIGHEST_EV))
