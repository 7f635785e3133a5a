# SPDX-License-Identifier: Apache-2.0
"""Triples of float32 inside kernels: points, directions and AP1 colours."""

from __future__ import annotations

import math

from numba import njit

from gloamet.colour.spaces import AP1_LUMINANCE
from gloamet.jit import INLINE_KERNEL_OPTIONS, F

BLACK, WHITE, UP = (F(0), F(0), F(0)), (F(1), F(1), F(1)), (F(0), F(0), F(1))
_RED, _GREEN, _BLUE = (F(weight) for weight in AP1_LUMINANCE)


@njit(**INLINE_KERNEL_OPTIONS)
def add(a, b):
    """Add two triples.

    Parameters
    ----------
    a : tuple of float32
        A triple.
    b : tuple of float32
        A triple.

    Returns
    -------
    tuple of float32
        The sum.
    """
    return a[0] + b[0], a[1] + b[1], a[2] + b[2]


@njit(**INLINE_KERNEL_OPTIONS)
def sub(a, b):
    """a − b."""
    return a[0] - b[0], a[1] - b[1], a[2] - b[2]


@njit(**INLINE_KERNEL_OPTIONS)
def mul(a, b):
    """Channel by channel."""
    return a[0] * b[0], a[1] * b[1], a[2] * b[2]


@njit(**INLINE_KERNEL_OPTIONS)
def scale(a, s):
    """Multiply a triple by a number.

    Parameters
    ----------
    a : tuple of float32
        A triple.
    s : float32
        A number.

    Returns
    -------
    tuple of float32
        The product.
    """
    return a[0] * s, a[1] * s, a[2] * s


@njit(**INLINE_KERNEL_OPTIONS)
def add_scaled(a, b, s):
    """a + s b: a point on a ray, light by its weight."""
    return a[0] + s * b[0], a[1] + s * b[1], a[2] + s * b[2]


@njit(**INLINE_KERNEL_OPTIONS)
def add_product(a, b, c):
    """a + b c, channel by channel: radiance gathered with a throughput."""
    return a[0] + b[0] * c[0], a[1] + b[1] * c[1], a[2] + b[2] * c[2]


@njit(**INLINE_KERNEL_OPTIONS)
def mix(a, b, fraction):
    """Part of the way from a to b."""
    return a[0] + fraction * (b[0] - a[0]), a[1] + fraction * (b[1] - a[1]), a[2] + fraction * (b[2] - a[2])


@njit(**INLINE_KERNEL_OPTIONS)
def neg(a):
    """−a."""
    return -a[0], -a[1], -a[2]


@njit(**INLINE_KERNEL_OPTIONS)
def dot(a, b):
    """Compute the scalar product of two triples.

    Parameters
    ----------
    a : tuple of float32
        A triple.
    b : tuple of float32
        A triple.

    Returns
    -------
    float32
        The product.
    """
    return a[0] * b[0] + a[1] * b[1] + a[2] * b[2]


@njit(**INLINE_KERNEL_OPTIONS)
def cross(a, b):
    """Vector product."""
    return a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]


@njit(**INLINE_KERNEL_OPTIONS)
def normalize(a):
    """The unit vector along a."""
    return scale(a, F(1) / math.sqrt(dot(a, a)))


@njit(**INLINE_KERNEL_OPTIONS)
def total(a):
    """Sum of the three."""
    return a[0] + a[1] + a[2]


@njit(**INLINE_KERNEL_OPTIONS)
def largest(a):
    """The largest of the three."""
    return max(a[0], max(a[1], a[2]))


@njit(**INLINE_KERNEL_OPTIONS)
def at_most_one(a):
    """No channel above 1."""
    return min(F(1), a[0]), min(F(1), a[1]), min(F(1), a[2])


@njit(**INLINE_KERNEL_OPTIONS)
def luminance(a):
    """Luminance of an AP1 colour."""
    return _RED * a[0] + _GREEN * a[1] + _BLUE * a[2]


@njit(**INLINE_KERNEL_OPTIONS)
def mirror(direction, normal):
    """A direction reflected by a face of that normal."""
    return add_scaled(direction, normal, F(-2) * dot(direction, normal))


@njit(**INLINE_KERNEL_OPTIONS)
def triple(rows, i, k):
    """Read a triple from a row of an array.

    Parameters
    ----------
    rows : float32 array
        Rows of numbers, (n, columns).
    i : int64
        Row.
    k : int64
        First column.

    Returns
    -------
    tuple of float32
        Three numbers.
    """
    return rows[i, k], rows[i, k + 1], rows[i, k + 2]


@njit(**INLINE_KERNEL_OPTIONS)
def put(rows, i, k, a):
    """Write a triple into row i from column k on."""
    rows[i, k], rows[i, k + 1], rows[i, k + 2] = a


@njit(**INLINE_KERNEL_OPTIONS)
def accumulate(picture, y, x, a):
    """Add a triple to a pixel.

    Parameters
    ----------
    picture : float32 array
        Picture, (H, W, 3).
    y : int64
        Row.
    x : int64
        Column.
    a : tuple of float32
        The triple.
    """
    picture[y, x, 0] += a[0]
    picture[y, x, 1] += a[1]
    picture[y, x, 2] += a[2]


@njit(**INLINE_KERNEL_OPTIONS)
def orthonormal_basis(n):
    """Two tangents of a unit normal (Duff et al., JCGT 6, 2017)."""
    s = math.copysign(F(1), n[2])
    a = F(-1) / (s + n[2])
    b = n[0] * n[1] * a
    return (F(1) + s * n[0] * n[0] * a, s * b, -s * n[0]), (b, s + n[1] * n[1] * a, -n[1])


@njit(**INLINE_KERNEL_OPTIONS)
def from_local(n, x, y, z):
    """A vector of the frame whose z axis is the unit normal n, in the world."""
    t, b = orthonormal_basis(n)
    return (
        t[0] * x + b[0] * y + n[0] * z,
        t[1] * x + b[1] * y + n[1] * z,
        t[2] * x + b[2] * y + n[2] * z,
    )


@njit(**INLINE_KERNEL_OPTIONS)
def power_heuristic(p, q):
    """MIS weight of a sample of density p that q could have drawn too (Veach 1997, β = 2)."""
    return p * p / (p * p + q * q)
