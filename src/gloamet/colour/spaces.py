# SPDX-License-Identifier: Apache-2.0
"""Linear colour spaces and the matrices between them.

Scene colour is linear ACEScg (AP1 primaries, D60 white) whose Y is luminance in cd/m2. Arrays of shape
(..., 3) enter and leave; matrices act as `rgb @ M.T`.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike, NDArray

Array = NDArray[np.float64]

# Chromaticities: ACEScg specification (S-2014-004) and ITU-R BT.709.
AP1_PRIMARIES = ((0.713, 0.293), (0.165, 0.830), (0.128, 0.044))
D60_WHITE = (0.32168, 0.33767)
REC709_PRIMARIES = ((0.64, 0.33), (0.30, 0.60), (0.15, 0.06))
D65_WHITE = (0.3127, 0.3290)
# CIE TC 8-01, CIECAM02: the sharpened cone responses of CAT02.
CAT02 = np.array([[0.7328, 0.4296, -0.1624], [-0.7036, 1.6975, 0.0061], [0.0030, 0.0136, 0.9834]])

# Li et al., "Comprehensive color solutions: CAM16, CAT16, and CAM16-UCS", Color Res. Appl. 42 (2017): CAT16.
CAT16 = np.array(
    [
        [0.401288, 0.650173, -0.051461],
        [-0.250268, 1.204414, 0.045854],
        [-0.002079, 0.048952, 0.953127],
    ]
)


def xy_to_xyz(xy: ArrayLike) -> Array:
    """Convert chromaticity to XYZ of unit luminance.

    Parameters
    ----------
    xy : array_like
        Chromaticity, (..., 2).

    Returns
    -------
    ndarray
        XYZ with Y = 1, (..., 3).
    """
    x, y = np.moveaxis(np.asarray(xy, float), -1, 0)
    return np.stack([x / y, np.ones_like(x), (1.0 - x - y) / y], -1)


def xyz_to_xy(xyz: ArrayLike) -> Array:
    """Convert XYZ to chromaticity.

    Parameters
    ----------
    xyz : array_like
        XYZ, (..., 3).

    Returns
    -------
    ndarray
        Chromaticity, (..., 2); black gives the equal-energy point.
    """
    value = np.asarray(xyz, float)
    total = value.sum(-1, keepdims=True)
    return np.where(total > 0.0, value[..., :2] / np.where(total > 0.0, total, 1.0), 1.0 / 3.0)


def rgb_to_xyz_matrix(primaries: ArrayLike, white: ArrayLike) -> Array:
    """Compute the matrix from linear RGB to XYZ.

    Parameters
    ----------
    primaries : array_like
        Chromaticities of red, green and blue, (3, 2).
    white : array_like
        Chromaticity of white, (2,).

    Returns
    -------
    ndarray
        Matrix, (3, 3); white has Y = 1.

    References
    ----------
    .. [1] SMPTE RP 177.
    """
    columns = xy_to_xyz(primaries).T
    return columns * np.linalg.solve(columns, xy_to_xyz(white))


def adaptation_matrix(source_xyz: ArrayLike, target_xyz: ArrayLike, cones: Array = CAT02) -> Array:
    """The 3x3 matrix in XYZ that moves the source white onto the target white, fully, by responses of `cones`."""
    gain = (cones @ np.asarray(target_xyz, float)) / (cones @ np.asarray(source_xyz, float))
    return np.linalg.inv(cones) @ (gain[:, None] * cones)


AP1_TO_XYZ = rgb_to_xyz_matrix(AP1_PRIMARIES, D60_WHITE)
XYZ_TO_AP1 = np.linalg.inv(AP1_TO_XYZ)
AP1_LUMINANCE = AP1_TO_XYZ[1].copy()
REC709_TO_AP1 = (
    XYZ_TO_AP1
    @ adaptation_matrix(xy_to_xyz(D65_WHITE), xy_to_xyz(D60_WHITE))
    @ rgb_to_xyz_matrix(REC709_PRIMARIES, D65_WHITE)
)
AP1_TO_REC709 = np.linalg.inv(REC709_TO_AP1)


def chromaticities_to_ap1(chromaticities: ArrayLike | None) -> Array:
    """Compute the matrix from a file's RGB to AP1.

    Parameters
    ----------
    chromaticities : array_like or None
        Primaries and white as eight numbers (OpenEXR attribute); None means Rec. 709.

    Returns
    -------
    ndarray
        Matrix, (3, 3); the white of the file becomes neutral.
    """
    if chromaticities is None or np.size(chromaticities) != 8:
        return REC709_TO_AP1
    pairs = np.asarray(chromaticities, float).reshape(4, 2)
    adapted = adaptation_matrix(xy_to_xyz(pairs[3]), xy_to_xyz(D60_WHITE))
    return np.asarray(XYZ_TO_AP1 @ adapted @ rgb_to_xyz_matrix(pairs[:3], pairs[3]))


def luminance(rgb: ArrayLike) -> Array:
    """Compute the luminance of linear AP1 colour.

    Parameters
    ----------
    rgb : array_like
        AP1 colour, (..., 3).

    Returns
    -------
    ndarray
        Y, (...), in the unit of the colour.
    """
    return np.asarray(rgb) @ AP1_LUMINANCE


def srgb_to_linear(code: ArrayLike) -> Array:
    """Decode sRGB to linear light.

    Parameters
    ----------
    code : array_like
        Code values 0 to 1 of any shape.

    Returns
    -------
    ndarray
        Linear values 0 to 1.

    References
    ----------
    .. [1] IEC 61966-2-1.
    """
    v = np.asarray(code, float)
    return np.where(v <= 0.04045, v / 12.92, ((np.maximum(v, 0.04045) + 0.055) / 1.055) ** 2.4)


def linear_to_srgb(value: ArrayLike) -> Array:
    """Encode linear light as sRGB.

    Parameters
    ----------
    value : array_like
        Linear values of any shape; clipped to 0 to 1.

    Returns
    -------
    ndarray
        Code values 0 to 1, float32 of float32 values.

    References
    ----------
    .. [1] IEC 61966-2-1.
    """
    given = np.asarray(value)
    v = np.clip(given if given.dtype == np.float32 else given.astype(float), 0.0, 1.0)
    return np.where(v <= 0.0031308, 12.92 * v, 1.055 * np.maximum(v, 0.0031308) ** (1 / 2.4) - 0.055)
