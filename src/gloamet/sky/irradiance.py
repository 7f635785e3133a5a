# SPDX-License-Identifier: Apache-2.0
"""Irradiance of an unobstructed surface of any orientation: nine spherical harmonics of a dome's table.

A table enters; the irradiance of normals leaves. Ramamoorthi & Hanrahan, "An efficient representation for irradiance
environment maps", SIGGRAPH 2001: within some hundredths for skies.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from gloamet.sky.dome import COLUMNS, ROWS, row_weights

Array = NDArray[np.float64]
COSINE_LOBE = np.array([np.pi] + [2.0 * np.pi / 3.0] * 3 + [np.pi / 4.0] * 5)  # by band, their equation 8


def harmonics(vectors: Array) -> Array:
    """The nine real harmonics of unit vectors (..., 3), (..., 9)."""
    x, y, z = vectors[..., 0], vectors[..., 1], vectors[..., 2]
    return np.stack(
        [
            np.full_like(x, 0.282095),
            0.488603 * y,
            0.488603 * z,
            0.488603 * x,
            1.092548 * x * y,
            1.092548 * y * z,
            0.315392 * (3.0 * z * z - 1.0),
            1.092548 * x * z,
            0.546274 * (x * x - y * y),
        ],
        -1,
    )


@lru_cache(maxsize=1)
def _node_harmonics() -> Array:
    """Harmonics of a table's nodes times their solid angles, (ROWS, COLUMNS, 9)."""
    elevation = np.pi / 2.0 * (np.arange(ROWS) / (ROWS - 1)) ** 2
    azimuth = 2.0 * np.pi * np.arange(COLUMNS) / COLUMNS
    level = np.cos(elevation)[:, None]
    up = np.broadcast_to(np.sin(elevation)[:, None], (ROWS, COLUMNS))
    vectors = np.stack([level * np.sin(azimuth), level * np.cos(azimuth), up], -1)
    return np.asarray(harmonics(vectors) * row_weights()[0][:, None, None])


def open_sky(table: NDArray[np.float32]) -> Array:
    """Compute harmonic coefficients of the irradiance from a dome table.

    Parameters
    ----------
    table : ndarray
        Dome table, (ROWS, COLUMNS, 3), AP1 cd/m².

    Returns
    -------
    ndarray
        Coefficients, (9, 3).
    """
    light = np.einsum("rcn,rck->nk", _node_harmonics(), table, optimize=True)
    return np.asarray(COSINE_LOBE[:, None] * light)


def irradiance(coefficients: Array, normals: NDArray[np.floating]) -> Array:
    """Compute the irradiance of surfaces from harmonic coefficients.

    Parameters
    ----------
    coefficients : ndarray
        Coefficients of `open_sky`, (9, 3).
    normals : ndarray
        Unit normals, (..., 3).

    Returns
    -------
    ndarray
        AP1 lux, (..., 3).

    References
    ----------
    .. [1] R. Ramamoorthi, P. Hanrahan, "An efficient representation for irradiance environment maps", 2001.
    """
    return np.asarray(harmonics(np.asarray(normals, float)) @ coefficients)
