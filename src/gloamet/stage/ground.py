# SPDX-License-Identifier: Apache-2.0
"""The ground: an infinite horizontal plane, a disc or none, dry or water.

A scene enters; the height at which its ground rests, and where the model brings a ground of its own, leave.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from gloamet.stage.scene import Part, Scene, bounds_of, is_flat

BELOW_M = 0.004  # the ground lies this much below what stands on it, so that the two never fight
OWN_GROUND_SHARE = 1.5  # a flat part this much larger than the rest is a ground of the model's own
Hole = tuple[float, float, float, float]


@dataclass(frozen=True)
class GroundPlane:
    """A horizontal ground at height_m; radius_m is infinite for an endless one and 0 for none.

    colour is linear Rec.709 and gives only the hue: the luminance is the reflectance. hole is the rectangle
    (x0, y0, x1, y1) where the model's own ground is. The horizon line stands at horizon_deg and melts into
    the sky over softness_deg below it, for the camera only.
    """

    height_m: float = 0.0
    radius_m: float = 0.0
    centre: tuple[float, float] = (0.0, 0.0)
    reflectance: float = 0.2
    colour: tuple[float, float, float] = (1.0, 1.0, 1.0)
    water: bool = False
    ripple: float = 0.2
    hole: Hole | None = None
    horizon_deg: float = 0.0
    softness_deg: float = 0.0


def own_ground(scene: Scene) -> Part | None:
    """The flat ground of the model itself, None when it has none."""
    flat = [part for part in scene.parts if is_flat(part)]
    if not flat:
        return None
    area = [float(np.prod((part.bounds()[1] - part.bounds()[0])[:2])) for part in flat]
    ground = flat[int(np.argmax(area))]
    rest = [part for part in scene.parts if part is not ground and part not in flat]
    if not rest:
        return ground
    low, high = bounds_of(rest)
    top = ground.bounds()[1][2]
    larger = max(area) >= OWN_GROUND_SHARE * float(np.prod((high - low)[:2]))
    return ground if larger and top <= low[2] + 0.35 * (high[2] - low[2]) else None


def rest_height(scene: Scene, ground: Part | None) -> tuple[float, Hole | None]:
    """Height of a ground under the scene, and the rectangle of the model's own ground, if it has one.

    A floating model gets its ground at its lowest point; a model with a ground of its own is left alone
    inside it and gets the ground outside, level with its edge.
    """
    if not scene.parts:
        return 0.0, None
    if ground is None:
        return float(scene.bounds()[0][2]) - BELOW_M, None
    low, high = ground.bounds()
    points = ground.positions
    span = np.maximum(high - low, 1e-6)
    edge = np.abs((points - low) / span - 0.5)[:, :2].max(1) > 0.49
    height = float(np.median(points[edge, 2])) if edge.any() else float(low[2])
    return height - BELOW_M, (float(low[0]), float(low[1]), float(high[0]), float(high[1]))
