"""Developing exactly: linear light in AP1 cd/m2 to display codes through exposure, white balance and a view.

A picture and `DevelopSettings` enter; code values in 0..1 leave. It needs no kernel: files are developed by it, and the
first picture of a program whose kernels are not compiled yet.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from gloamet.colour.temperature import balance_matrix
from gloamet.colour.views import DEFAULT_VIEW, VIEWS

Floats = NDArray[np.float32]

SATURATION = 1.2  # ISO 12232: Lmax = 1.2 * 2**EV100 fills a sensor
INCIDENT_LUX = 2.5  # ISO 2720, C = 250: E = 2.5 * 2**EV100


@dataclass(frozen=True)
class DevelopSettings:
    """EV100, the light that is white (kelvin, tint) and the name of the view transform."""

    ev: float
    kelvin: float = 6000.0
    tint: float = 0.0
    view: str = DEFAULT_VIEW

    def matrix(self) -> Floats:
        """Exposure and white balance as one AP1 matrix."""
        scale = exposure_scale(self.ev)
        return (balance_matrix(self.kelvin, self.tint) * scale).astype(np.float32)


def exposure_scale(ev: float) -> float:
    """Factor from cd/m2 to reflectances under the light that an incident meter reads as EV: L = reflectance · E / π."""
    return math.pi / (INCIDENT_LUX * 2.0**ev)


def develop_exact(picture: Floats, recipe: DevelopSettings) -> Floats:
    """Display code values in 0..1, (H, W, 3) float32, by the exact transform: for files."""
    clean = np.nan_to_num(picture, nan=0.0, posinf=1e9, neginf=0.0)
    exposed = np.ascontiguousarray(clean @ recipe.matrix().T, np.float32)
    return np.clip(VIEWS[recipe.view].apply(exposed), 0.0, 1.0)
