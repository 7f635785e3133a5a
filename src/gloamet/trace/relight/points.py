# SPDX-License-Identifier: Apache-2.0
"""Rows of points and pixels for relighting: their columns, and the arrays that hold them.

points (n, POINT_WORDS) float32: POINT_POSITION off the surface, shading POINT_NORMAL, FACE_NORMAL, POINT_TO_VIEWER,
POINT_ALPHA of the specular lobe, POINT_SPECULAR strength (0 for matt), POINT_METALNESS, POINT_TRANSLUCENCY; a point
with no normal is skipped. shading (n, SHADING_WORDS) float32: PATH_WEIGHT per channel of what is seen, ALBEDO,
PIXEL_KIND (SURFACE_PIXEL, SKY_PIXEL or EMPTY_PIXEL), DIFFUSE_ALBEDO_SCALE the fraction of light a matt base sends out
through its specular lobe, ON_GROUND 1 where the surface is the ground plane. A pixel of sky has its direction in the
point's position, and where the face would be its coordinates on the dome and GROUND_FADE, the share of the far ground
that the camera sees there.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from gloamet.trace.geometry.records import Triple

Floats = NDArray[np.float32]
POINT_POSITION, POINT_NORMAL, FACE_NORMAL, POINT_TO_VIEWER = 0, 3, 6, 9
POINT_ALPHA, POINT_SPECULAR, POINT_METALNESS, POINT_TRANSLUCENCY = 12, 13, 14, 15
POINT_WORDS = 16
SKY_U, SKY_V, GROUND_FADE = FACE_NORMAL, FACE_NORMAL + 1, FACE_NORMAL + 2
PATH_WEIGHT, ALBEDO, PIXEL_KIND, DIFFUSE_ALBEDO_SCALE, ON_GROUND = 0, 3, 6, 7, 8
SHADING_WORDS = 9
MIRRORED_SKY = 2.0  # taken off SKY_U where a mirror shows the sky: below zero, as no sky straight ahead is
EMPTY_PIXEL, SURFACE_PIXEL, SKY_PIXEL = 0.0, 1.0, 2.0


class SourceGains(NamedTuple):
    """Factors per channel of the lights of a frame: direct light of sun and sky, and their indirect light."""

    sun: Triple
    sky: Triple
    sun_indirect: Triple
    sky_indirect: Triple


ONE = (np.float32(1), np.float32(1), np.float32(1))
UNIT_SOURCE_GAINS = SourceGains(ONE, ONE, ONE, ONE)


class GBufferArrays(NamedTuple):
    """The pixels of one size, n = height × width, as laid out above."""

    points: Floats
    shading: Floats
    width: int
    height: int
