# SPDX-License-Identifier: Apache-2.0
"""Oklab: lightness and two perceptually uniform opponent axes, from linear Rec.709 light and back.

Ottosson, "A perceptual color space for image processing" (2020). Hue is an angle in degrees, chroma a length.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

Array = NDArray[Any]
RGB_TO_CONES = np.array(
    [
        [0.4122214708, 0.5363325363, 0.0514459929],
        [0.2119034982, 0.6806995451, 0.1073969566],
        [0.0883024619, 0.2817188376, 0.6299787005],
    ]
)
CONES_TO_LAB = np.array(
    [
        [0.2104542553, 0.7936177850, -0.0040720468],
        [1.9779984951, -2.4285922050, 0.4505937099],
        [0.0259040371, 0.7827717662, -0.8086757660],
    ]
)
CONES_TO_RGB, LAB_TO_CONES = np.linalg.inv(RGB_TO_CONES), np.linalg.inv(CONES_TO_LAB)


def linear_to_oklab(rgb: Array) -> Array:
    """Convert linear Rec. 709 to Oklab.

    Parameters
    ----------
    rgb : ndarray
        Linear Rec. 709, (..., 3).

    Returns
    -------
    ndarray
        Oklab, (..., 3); white has lightness 1.

    References
    ----------
    .. [1] B. Ottosson, "A perceptual color space for image processing", 2020.
    """
    return np.asarray(np.cbrt(rgb @ RGB_TO_CONES.T.astype(rgb.dtype)) @ CONES_TO_LAB.T.astype(rgb.dtype))


def oklab_to_linear(lab: Array) -> Array:
    """Convert Oklab to linear Rec. 709.

    Parameters
    ----------
    lab : ndarray
        Oklab, (..., 3).

    Returns
    -------
    ndarray
        Linear Rec. 709, (..., 3).

    References
    ----------
    .. [1] B. Ottosson, "A perceptual color space for image processing", 2020.
    """
    return np.asarray((lab @ LAB_TO_CONES.T.astype(lab.dtype)) ** 3 @ CONES_TO_RGB.T.astype(lab.dtype))
