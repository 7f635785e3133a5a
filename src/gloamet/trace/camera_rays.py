"""Rays of a camera: from a place on its lens through a place of a pixel, as the pixel's filter weighs it.

camera (5, 3): eye, middle, half width, half height, lens (see `Camera.packed`).
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit

from gloamet.jit import KERNEL_OPTIONS

F = np.float32
FILTER_RADIUS = F(
    0.8
)  # half width of the pixel's tent: a little softer than its square, without its jagged edges


@njit(inline="always", **KERNEL_OPTIONS)
def row_length(rows, k):
    """Length of a row of three."""
    return math.sqrt(rows[k, 0] * rows[k, 0] + rows[k, 1] * rows[k, 1] + rows[k, 2] * rows[k, 2])


@njit(inline="always", **KERNEL_OPTIONS)
def sample_pixel_filter(u):
    """A place across a pixel, whose own width is 0..1, most often near its middle, from a uniform number."""
    return F(0.5) + FILTER_RADIUS * (
        math.sqrt(F(2) * u) - F(1) if u < F(0.5) else F(1) - math.sqrt(F(2) - F(2) * u)
    )


@njit(inline="always", **KERNEL_OPTIONS)
def camera_ray(camera, x, y, width, height, u, v, p, q):
    """Origin and unit direction through a point (u, v) of pixel (x, y); (p, q) is a place on the lens."""
    a = F(2) * (F(x) + u) / F(width) - F(1)
    b = F(1) - F(2) * (F(y) + v) / F(height)
    ox, oy, oz = camera[0, 0], camera[0, 1], camera[0, 2]
    sx = a * camera[2, 0] + b * camera[3, 0]
    sy = a * camera[2, 1] + b * camera[3, 1]
    sz = a * camera[2, 2] + b * camera[3, 2]
    if camera[4, 2] > F(0):
        return ox + sx, oy + sy, oz + sz, camera[1, 0], camera[1, 1], camera[1, 2]
    dx, dy, dz = camera[1, 0] + sx, camera[1, 1] + sy, camera[1, 2] + sz
    if camera[4, 0] > F(0):
        r, phi = camera[4, 0] * math.sqrt(p), F(2 * math.pi) * q
        i, j = r * math.cos(phi) / row_length(camera, 2), r * math.sin(phi) / row_length(camera, 3)
        ax = i * camera[2, 0] + j * camera[3, 0]
        ay = i * camera[2, 1] + j * camera[3, 1]
        az = i * camera[2, 2] + j * camera[3, 2]
        ox, oy, oz = ox + ax, oy + ay, oz + az
        dx, dy, dz = dx * camera[4, 1] - ax, dy * camera[4, 1] - ay, dz * camera[4, 1] - az
    inverse = F(1) / math.sqrt(dx * dx + dy * dy + dz * dz)
    return ox, oy, oz, dx * inverse, dy * inverse, dz * inverse
