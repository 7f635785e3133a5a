# SPDX-License-Identifier: Apache-2.0
"""The infinite ground plane inside the kernels: intersection, fade at the horizon, ripples.

plane (GROUND_WORDS,) float32: ON (0 or 1), HEIGHT in metres, RADIUS squared in m2, CENTRE (2) and the HOLE's corners
(4) in metres, sines of the elevations below which the ground is opaque (LOW) and above which it is not visible
(HIGH), WATER (0 or 1) and RIPPLE strength. It is intersected analytically, so it reaches the horizon without loss of
precision.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit
from numpy.typing import NDArray

from gloamet.jit import INLINE_KERNEL_OPTIONS, INNER_KERNEL_OPTIONS
from gloamet.stage.ground import GroundPlane

F = np.float32
ON, HEIGHT, RADIUS, CENTRE, HOLE, LOW, HIGH, WATER, RIPPLE = 0, 1, 2, 3, 5, 9, 10, 11, 12
GROUND_WORDS = 13
NO_GROUND = F(-1)  # distance of a ray that does not hit the plane
WAVE_COUNT = 6
_WAVE_ANGLES = np.array([0.3, 1.9, 2.7, 4.1, 5.0, 5.9], np.float32)
_WAVELENGTHS_M = np.array([2.9, 1.7, 0.93, 0.61, 0.37, 0.23], np.float32)


def pack_ground(ground: GroundPlane | None) -> NDArray[np.float32]:
    """A ground as the kernels read it; none at all when it is None."""
    plane = np.zeros(GROUND_WORDS, np.float32)
    plane[LOW], plane[HIGH] = -1e-6, 0.0
    if ground is None:
        return plane
    plane[ON] = float(ground.radius_m > 0.0)
    plane[HEIGHT], plane[RADIUS] = ground.height_m, min(ground.radius_m**2, 1e30)
    plane[CENTRE : CENTRE + 2] = ground.centre
    plane[HOLE : HOLE + 4] = ground.hole or (0.0, 0.0, 0.0, 0.0)
    high = math.radians(ground.horizon_deg)
    plane[LOW] = math.sin(high - math.radians(max(ground.softness_deg, 1e-4)))
    plane[HIGH] = math.sin(high)
    plane[WATER], plane[RIPPLE] = float(ground.water), ground.ripple
    return plane


@njit(**INLINE_KERNEL_OPTIONS)
def ground_distance(plane, ray, t):
    """Distance to the ground if it lies before t, else NO_GROUND."""
    o, d = ray.origin, ray.direction
    if plane[ON] == F(0) or d[2] >= F(0):
        return NO_GROUND
    s = (plane[HEIGHT] - o[2]) / d[2]
    if s <= F(0) or s >= t:
        return NO_GROUND
    x, y = o[0] + s * d[0], o[1] + s * d[1]
    a, b = x - plane[CENTRE], y - plane[CENTRE + 1]
    if a * a + b * b > plane[RADIUS]:
        return NO_GROUND
    if plane[HOLE] < x and x < plane[HOLE + 2] and plane[HOLE + 1] < y and y < plane[HOLE + 3]:
        return NO_GROUND
    return s


@njit(**INLINE_KERNEL_OPTIONS)
def horizon_fade(plane, dz):
    """Fraction of the ground in what the camera sees at the sine of an elevation."""
    x = min(F(1), max(F(0), (plane[HIGH] - dz) / (plane[HIGH] - plane[LOW])))
    return x * x * (F(3) - F(2) * x)


@njit(**INNER_KERNEL_OPTIONS)
def water_normal(plane, x, y, t):
    """A water normal at a place; waves too small to be seen from t away are flat."""
    sx = sy = F(0)
    for k in range(WAVE_COUNT):
        a, b = math.cos(_WAVE_ANGLES[k]), math.sin(_WAVE_ANGLES[k])
        steep = plane[RIPPLE] * F(0.16) / (F(1) + (t * F(0.004) / _WAVELENGTHS_M[k]) ** F(2))
        phase = F(2 * math.pi) / _WAVELENGTHS_M[k] * (a * x + b * y) + F(1.7) * F(k)
        slope = steep * math.cos(phase)
        sx += a * slope
        sy += b * slope
    inverse = F(1) / math.sqrt(F(1) + sx * sx + sy * sy)
    return -sx * inverse, -sy * inverse, inverse
