# SPDX-License-Identifier: Apache-2.0
"""The settings with which one picture is developed: its exposure, and the links of the chain.

`DevelopSettings` is frozen and hashable, so that what was made by it can be remembered.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, fields, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from gloamet.colour.temperature import balance_matrix
from gloamet.colour.views import DEFAULT_VIEW
from gloamet.develop.links import POINT_LINKS, Links

Floats = NDArray[np.float32]

SATURATION = 1.2  # ISO 12232: Lmax = 1.2 * 2**EV100 fills a sensor
INCIDENT_LUX = 2.5  # ISO 2720, C = 250: E = 2.5 * 2**EV100
NEUTRAL_KELVIN = 6000.0  # a balance on this light changes nothing: it is the white of scene colour


@dataclass(frozen=True)
class DevelopSettings(Links):
    """EV100; the light that is white (kelvin, tint), and how much of its colour is kept (0..1; with `balanced` off all
    of it); the name of the view transform; and the other links."""

    ev: float
    kelvin: float = 6000.0
    tint: float = 0.0
    view: str = DEFAULT_VIEW
    balanced: bool = True
    warmth_kept: float = 0.0

    def point_operations(self) -> DevelopSettings:
        """Its point operations, which act on every pixel alike: for cards, skies and other views than the picture."""
        neutral: dict[str, Any] = {
            link.name: link.default for link in fields(Links) if link.name not in POINT_LINKS
        }
        return replace(self, **neutral, tone=replace(self.tone, local_contrast=0.0))

    def matrix(self) -> Floats:
        """Exposure and white balance as one AP1 matrix."""
        scale = exposure_scale(self.ev)
        if not self.balanced:
            return (np.eye(3) * scale).astype(np.float32)
        # an eye sees steps of mired alike
        mired = 1e6 / self.kelvin
        mired += self.warmth_kept * (1e6 / NEUTRAL_KELVIN - mired)
        return (balance_matrix(1e6 / mired, self.tint * (1.0 - self.warmth_kept)) * scale).astype(np.float32)


def exposure_scale(ev: float) -> float:
    """Factor from cd/m2 to reflectances under the light that an incident meter reads as EV: L = reflectance · E / π."""
    return math.pi / (INCIDENT_LUX * 2.0**ev)
