# SPDX-License-Identifier: Apache-2.0
"""Small readings of a picture: what each source alone gives it.

A film or relit pictures, gains and how the whole is developed enter; `SourcePictures` leave.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence

import numpy as np
from numpy.typing import NDArray

from gloamet.colour.balance import apply_gain
from gloamet.develop.display import develop_screen
from gloamet.develop.settings import DevelopSettings
from gloamet.light_layers import LIGHTS, Gains, even_gains
from gloamet.preview.events import SourcePictures
from gloamet.trace.film import Film

Floats = NDArray[np.float32]
SOURCE_WIDTH = 128


def source_pictures(film: Film, gains: Gains, settings: DevelopSettings) -> SourcePictures:
    """What each source alone gives a film, small, as the whole is developed."""
    fraction = np.reciprocal(np.maximum(film.layers["counts"][..., None], np.float32(1.0)))
    pictures: dict[str, NDArray[np.uint8]] = {}
    for light, gain in zip(LIGHTS, gains, strict=True):
        whole, indirect = film.layers[light.name], film.layers[light.indirect]
        if whole.any():
            picture = apply_gain(whole * fraction, indirect * fraction, *gain)
            pictures[light.name] = _developed(picture, settings)
    return SourcePictures(pictures)


def relit_source_pictures(
    lit: Callable[[Gains], Floats],
    present: Sequence[str],
    gains: Gains,
    settings: DevelopSettings,
    cancelled: Callable[[], bool] = lambda: False,
) -> SourcePictures | None:
    """The same before there is a film, for lights of these names; `lit` gives the relit picture under gains. None when
    cancelled."""
    pictures: dict[str, NDArray[np.uint8]] = {}
    for name in present:
        if cancelled():
            return None
        alone = even_gains(0.0, 0.0, 0.0, 0.0)._replace(**{name: getattr(gains, name)})
        pictures[name] = _developed(lit(alone), settings)
    return SourcePictures(pictures)


def _developed(picture: Floats, settings: DevelopSettings) -> NDArray[np.uint8]:
    """A picture (H, W, 3) at most SOURCE_WIDTH wide, developed."""
    shrink = max(1, math.ceil(picture.shape[1] / SOURCE_WIDTH))
    height, width = (side // shrink * shrink for side in picture.shape[:2])
    blocks = picture[:height, :width].reshape(height // shrink, shrink, width // shrink, shrink, 3)
    return develop_screen(np.ascontiguousarray(blocks.mean((1, 3)), np.float32), settings)
