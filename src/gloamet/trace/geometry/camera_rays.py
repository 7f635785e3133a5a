# SPDX-License-Identifier: Apache-2.0
"""Camera rays: from a point on the lens through a point of a pixel, sampled by the pixel filter.

camera (5, 3): eye, middle, half width, half height, lens (see `Camera.packed`).
"""

from __future__ import annotations

import math

from numba import njit

from gloamet.jit import INLINE_KERNEL_OPTIONS, F
from gloamet.trace.geometry.records import Ray
from gloamet.trace.geometry.vec import add, add_scaled, dot, normalize, scale, sub, triple

EYE, MIDDLE, HALF_WIDTH, HALF_HEIGHT, LENS = range(5)  # rows of a packed camera
RADIUS, FOCUS, PARALLEL = range(3)  # of the lens
FILTER_RADIUS = F(
    0.8
)  # half width of the pixel's tent: a little softer than its square, without its jagged edges


@njit(**INLINE_KERNEL_OPTIONS)
def sample_pixel_filter(u):
    """A place across a pixel, whose own width is 0..1, most often near its middle, from a uniform number."""
    return F(0.5) + FILTER_RADIUS * (
        math.sqrt(F(2) * u) - F(1) if u < F(0.5) else F(1) - math.sqrt(F(2) - F(2) * u)
    )


@njit(**INLINE_KERNEL_OPTIONS)
def camera_ray(camera, pixel, size, offset, lens):
    """The ray through a point of pixel (x, y), offset (u, v) inside it, of a picture of a size; lens (p, q) is a
    uniform place on the aperture."""
    a = F(2) * (F(pixel[0]) + offset[0]) / F(size[0]) - F(1)
    b = F(1) - F(2) * (F(pixel[1]) + offset[1]) / F(size[1])
    right, up, forward = (
        triple(camera, HALF_WIDTH, 0),
        triple(camera, HALF_HEIGHT, 0),
        triple(camera, MIDDLE, 0),
    )
    eye, across = triple(camera, EYE, 0), add_scaled(scale(right, a), up, b)
    if camera[LENS, PARALLEL] > F(0):
        return Ray(add(eye, across), forward)
    direction = add(forward, across)
    if camera[LENS, RADIUS] > F(0):
        r, phi = camera[LENS, RADIUS] * math.sqrt(lens[0]), F(2 * math.pi) * lens[1]
        shift = add_scaled(
            scale(right, r * math.cos(phi) / math.sqrt(dot(right, right))),
            up,
            r * math.sin(phi) / math.sqrt(dot(up, up)),
        )
        eye, direction = add(eye, shift), sub(scale(direction, camera[LENS, FOCUS]), shift)
    return Ray(eye, normalize(direction))
