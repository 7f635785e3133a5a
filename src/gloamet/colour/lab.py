# SPDX-License-Identifier: Apache-2.0
"""CIE 1976 L*a*b* of XYZ relative to a white (CIE 15)."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike, NDArray

Array = NDArray[np.float64]
_EPSILON, _KAPPA = 216.0 / 24389.0, 24389.0 / 27.0


def _f(ratio: Array) -> Array:
    return np.where(ratio > _EPSILON, np.cbrt(ratio), (_KAPPA * ratio + 16.0) / 116.0)


def lightness(y: ArrayLike) -> Array:
    """Compute CIE L* of relative luminance.

    Parameters
    ----------
    y : array_like
        Luminance over that of white, 0 to 1, any shape.

    Returns
    -------
    ndarray
        L*, 0 to 100.
    """
    return np.asarray(116.0 * _f(np.asarray(y, float)) - 16.0)


def xyz_to_lab(xyz: ArrayLike) -> Array:
    """Convert XYZ relative to white to L*a*b*.

    Parameters
    ----------
    xyz : array_like
        XYZ over that of white, (..., 3).

    Returns
    -------
    ndarray
        L*a*b*, (..., 3).
    """
    x, y, z = np.moveaxis(_f(np.asarray(xyz, float)), -1, 0)
    return np.stack([116.0 * y - 16.0, 500.0 * (x - y), 200.0 * (y - z)], -1)
