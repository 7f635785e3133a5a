# SPDX-License-Identifier: Apache-2.0
"""Small readings of a picture: what each source alone gives it.

A film, gains and how the whole is developed enter; `SourcePictures` leave.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from gloamet.colour.balance import apply_gain
from gloamet.develop.display import develop_screen
from gloamet.develop.settings import DevelopSettings
from gloamet.light_layers import LIGHTS, Gains
from gloamet.preview.events import SourcePictures
from gloamet.trace.film import Film

Floats = NDArray[np.float32]
SOURCE_WIDTH = 128


def source_pictures(film: Film, gains: Gains, settings: DevelopSettings) -> SourcePictures:
    """What each source alone gives a film, small, as the whole is developed."""
    shrink = max(1, math.ceil(film.width / SOURCE_WIDTH))
    height, width = film.height // shrink * shrink, film.width // shrink * shrink
    fraction = np.reciprocal(np.maximum(film.layers["counts"][:height, :width, None], np.float32(1.0)))
    pictures: dict[str, NDArray[np.uint8]] = {}
    for light, gain in zip(LIGHTS, gains, strict=True):
        whole, indirect = (film.layers[name][:height, :width] for name in (light.name, light.indirect))
        if whole.any():
            picture = apply_gain(whole * fraction, indirect * fraction, *gain)
            small = picture.reshape(height // shrink, shrink, width // shrink, shrink, 3).mean((1, 3))
            pictures[light.name] = develop_screen(np.ascontiguousarray(small, np.float32), settings)
    return SourcePictures(pictures)
