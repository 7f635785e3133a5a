"""Metering the picture itself: the exposure it asks for."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from gloamet.colour.spaces import AP1_LUMINANCE
from gloamet.meter.light import luminance_ev

DARKEST = 1e-6
BRIGHTEST = (0.965, 0.995)  # shares of the sorted picture about its brightest 2 %
MOST_HELD_STOPS = 1.5  # a window or the sun's disc may darken the rest by so much, not more (common practice)
LOWEST_EV, HIGHEST_EV = -8.0, 22.0
NIGHT_EV, NIGHT_SHARE = 3.0, 0.65  # below a lit street, a third of the darkness is kept (chosen by eye)


def automatic_ev(picture: NDArray[np.float32]) -> float:
    """EV100 that renders a picture in AP1 cd/m2 (H, W, 3) well: log-average of the middle four fifths of
    its luminances, held so that the brightest 2 % do not go far beyond white.

    How bright those are is the log-average of what lies about them: one luminance out of the sorted row leaps when it
    falls on the edge of a lamp.
    """
    some = picture.reshape(-1, 3)[:: max(1, picture.size // 40_000) | 1]
    y = np.sort(some @ AP1_LUMINANCE.astype(np.float32))
    y = y[np.searchsorted(y, DARKEST, "right") : np.searchsorted(y, np.inf)]
    if not len(y):
        return LOWEST_EV
    low, high, first, last = (round(share * (len(y) - 1)) for share in (0.1, 0.9, *BRIGHTEST))
    logs = np.log(y)
    middle = np.exp(np.clip(logs, logs[low], logs[high]).mean(dtype=float))
    bright = np.exp(logs[first : last + 1].mean(dtype=float))
    by_middle, by_bright = luminance_ev(float(middle)) - 0.7, luminance_ev(float(bright)) - 3.0
    ev = max(by_middle, min(by_bright, by_middle + MOST_HELD_STOPS))
    return float(np.clip(ev, LOWEST_EV, HIGHEST_EV))


def limit_night_exposure(ev: float) -> float:
    """The exposure an automatic one takes where the meter says `ev`: dusk and night stay dim, for an eye does not
    make day of them.

    >>> limit_night_exposure(12.0), limit_night_exposure(-5.0)
    (12.0, -2.2)
    """
    return ev if ev >= NIGHT_EV else NIGHT_EV + NIGHT_SHARE * (ev - NIGHT_EV)
