# SPDX-License-Identifier: Apache-2.0
"""Light on incident cards per source, with the balance applied; and the pixels of the ball.

Arrays enter and leave; no kernel is needed.
"""

from __future__ import annotations

from functools import lru_cache
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from gloamet.light_layers import LIGHT_LAYERS, Gains

Floats = NDArray[np.float32]
CARDS = ("horizontal", "facing the camera", "facing the sun")
BALL_PX = 40  # across


class CardLight(NamedTuple):
    """Illuminance of cards, lx in AP1, (n, light layers, 3): all, and the part that is indirect."""

    whole: Floats
    indirect: Floats

    def under(self, gains: Gains) -> CardLight:
        """The same under the gains of the lights."""
        named = gains._asdict()
        direct = np.array([named[name].direct for name in LIGHT_LAYERS], np.float32)
        indirect = self.indirect * np.array([named[name].indirect for name in LIGHT_LAYERS], np.float32)
        return CardLight((self.whole - self.indirect) * direct + indirect, indirect)


@lru_cache(maxsize=1)
def ball_pixels() -> tuple[NDArray[np.bool_], NDArray[np.float64]]:
    """Compute the pixels of a ball and their normals.

    Returns
    -------
    tuple of ndarray
        Mask of the pixels that show the ball, (BALL_PX, BALL_PX), and normals (n, 3): right, up, to the eye.
    """
    steps = (np.arange(BALL_PX) + 0.5) / BALL_PX * 2.0 - 1.0
    x, y = np.meshgrid(steps, -steps)
    inside = x * x + y * y < 0.98
    depth = np.sqrt(np.maximum(0.0, 1.0 - x * x - y * y))
    return inside, np.stack([x, y, depth], -1)[inside]
