# SPDX-License-Identifier: Apache-2.0
"""The whole sky seen from below as a round picture, for the sky disc."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from gloamet.colour.spaces import AP1_LUMINANCE
from gloamet.develop.display import develop_screen
from gloamet.develop.settings import DevelopSettings
from gloamet.meter.light import luminance_ev
from gloamet.sky.dome import dome_radiance

DISC_PIXELS = 128


@lru_cache(maxsize=1)
def disc_directions(north_deg: float) -> NDArray[np.float32]:
    """Return where every pixel of the sky disc looks, unit vectors (n, n, 3)."""
    axis = (np.arange(DISC_PIXELS) + 0.5) / DISC_PIXELS * 2.0 - 1.0
    x, y = np.meshgrid(axis, -axis)
    elevation = (1.0 - np.minimum(np.hypot(x, y), 1.0)) * np.pi / 2
    turn = np.arctan2(x, y) / (2 * np.pi)
    azimuth, h = 2 * np.pi * turn + np.radians(north_deg), np.cos(elevation)
    return np.stack([h * np.sin(azimuth), h * np.cos(azimuth), np.sin(elevation)], -1).astype(np.float32)


def disc_ev(light: NDArray[np.float32]) -> float:
    """EV that the sky disc is shown with; light (n, n, 3) is that of its pixels, AP1 cd/m2."""
    middle = float(np.exp(np.log(light[::4, ::4] @ AP1_LUMINANCE + 1e-9).mean()))
    # dusk may look darker than day: the eye adapts only partly
    return luminance_ev(middle) * 0.82 + 0.18 * 13.0 - 0.7


def paint_disc(dome: Any, north_deg: float) -> NDArray[np.uint8]:
    """The whole sky seen from below as a round picture, north up and east right, RGBX."""
    light = dome_radiance(dome, disc_directions(north_deg))
    return develop_screen(light, DevelopSettings(disc_ev(light), 6000.0))
