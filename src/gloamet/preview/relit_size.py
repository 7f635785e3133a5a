# SPDX-License-Identifier: Apache-2.0
"""How many pixels are relit while a hand moves, so that the whole picture is ready in time.

Seconds that relighting and all the rest of a picture took enter; a number of pixels leaves.
"""

from __future__ import annotations

FRAME_BUDGET_S = 0.033  # from the hand's event to a picture: light, relighting, air, exposure, developing
MIN_PIXELS, MAX_PIXELS = 160_000, 400_000  # with fewer outlines get lost; more keep a dense screen waiting
INITIAL_SPEED, INITIAL_REST_S = (
    7e6,
    0.018,
)  # pixels a second, and what does not depend on them, until measured
WEIGHT = 0.1  # of one picture in what is measured


class RelitSize:
    """Running means of what a picture's parts take."""

    def __init__(self) -> None:
        self.speed, self.rest_s = INITIAL_SPEED, INITIAL_REST_S
        self._relighting_s = 0.0  # of the picture that is being made

    def relit(self, pixels: int, seconds: float) -> None:
        """Note what relighting so many pixels took."""
        self._relighting_s = seconds
        self.speed += WEIGHT * (pixels / max(seconds, 1e-6) - self.speed)

    def shown(self, seconds: float) -> None:
        """Note what the whole picture took that has just been relit."""
        if self._relighting_s > 0.0:
            self.rest_s += WEIGHT * (max(0.0, seconds - self._relighting_s) - self.rest_s)
        self._relighting_s = 0.0

    def pixels(self) -> int:
        """How many pixels to relight."""
        wanted = (FRAME_BUDGET_S - self.rest_s) * self.speed
        return int(min(max(wanted, MIN_PIXELS), MAX_PIXELS))
