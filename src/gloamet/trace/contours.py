# SPDX-License-Identifier: Apache-2.0
"""Contour lines at discontinuities of part, normal or depth.

Maps of what a camera sees enter; the fraction of each pixel that ink covers (H, W) leaves.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from gloamet.trace.first_hits import FirstHits

CREASE_COS = 0.86  # faces turned by more than about 30 degrees
DEPTH_STEP = 0.012  # a step of inverse depth, as a fraction of it, that no plane explains
ONE_SURFACE = 0.02  # a step of depth, as a fraction of it, within one surface
REFERENCE_PX = 1000.0  # widths are given for a picture this high
MIN_LINE_SPACING = (
    0.25,
    0.55,
)  # fractions of a neighbourhood that are edges: from here lines thin out, here they are gone
MAP_SCALE = 2  # maps have this many times the picture's pixels a side
INK = np.float32(0.04)  # what is left of the light under a line


def _edges(maps: FirstHits) -> NDArray[np.bool_]:
    part, normal = maps.part, maps.normal
    inverse = np.where(maps.depth > 0.0, 1.0 / np.maximum(maps.depth, 1e-6), 0.0)
    out = np.zeros(part.shape, bool)
    right = part[:, :-1] != part[:, 1:]
    down = part[:-1] != part[1:]
    right |= (normal[:, :-1] * normal[:, 1:]).sum(-1) < CREASE_COS * (part[:, 1:] >= 0)
    down |= (normal[:-1] * normal[1:]).sum(-1) < CREASE_COS * (part[1:] >= 0)
    out[:, :-1] |= right
    out[:-1] |= down
    # positive on the nearer side of a step only, so that a line is one pixel wide
    bend = 2.0 * inverse[:, 1:-1] - inverse[:, :-2] - inverse[:, 2:]
    out[:, 1:-1] |= (bend > DEPTH_STEP * np.maximum(inverse[:, 1:-1], 1e-6)) & (part[:, 1:-1] >= 0)
    bend = 2.0 * inverse[1:-1] - inverse[:-2] - inverse[2:]
    out[1:-1] |= (bend > DEPTH_STEP * np.maximum(inverse[1:-1], 1e-6)) & (part[1:-1] >= 0)
    return out


def _agree(maps: FirstHits, a: tuple[slice, ...], b: tuple[slice, ...]) -> NDArray[np.bool_]:
    """Whether samples at a and at b lie on one smooth surface."""
    near, far = maps.depth[a], maps.depth[b]
    same = (maps.part[a] == maps.part[b]) & (np.abs(near - far) <= ONE_SURFACE * np.maximum(near, far))
    return np.asarray(same & ((maps.normal[a] * maps.normal[b]).sum(-1) >= CREASE_COS * (maps.part[a] >= 0)))


def _without_slivers(maps: FirstHits) -> FirstHits:
    """Gaps and slats one or two samples wide taken out: sampled so coarsely they would draw dashes."""
    for wide in (1, 2):
        for axis in (0, 1):
            n = maps.part.shape[axis]
            if n <= wide + 1:
                continue

            def at(start: int, stop: int, axis: int = axis) -> tuple[slice, ...]:
                return (slice(None),) * axis + (slice(start, stop),)

            before, after = at(0, n - wide - 1), at(wide + 1, n)
            bridge = _agree(maps, before, after)
            parts, depth, normal = maps.part.copy(), maps.depth.copy(), maps.normal.copy()
            for k in range(1, wide + 1):
                inside = at(k, n - wide - 1 + k)
                gone = bridge & ~_agree(maps, before, inside)
                for new, old in ((parts, maps.part), (depth, maps.depth), (normal, maps.normal)):
                    new[inside][gone] = old[before][gone]
            maps = replace(maps, part=parts, depth=depth, normal=normal)
    return maps


def contours(maps: FirstHits, weight_px: float, finer: int = 1) -> NDArray[np.float32]:
    """Compute contour lines where parts, normals or depth break.

    Where shapes are smaller than pixels (distant slats, leaves) the lines fade.

    Parameters
    ----------
    maps : FirstHits
        First hits of the camera.
    weight_px : float
        Line width in pixels of a picture 1000 pixels high.
    finer : int, optional
        Resolution of the maps as a multiple of the picture's.

    Returns
    -------
    ndarray
        Coverage 0 to 1, (H, W).
    """
    from scipy.ndimage import distance_transform_edt, uniform_filter

    edges = _edges(_without_slivers(maps))
    h, w = edges.shape[0] // finer, edges.shape[1] // finer
    if not edges.any():
        return np.zeros((h, w), np.float32)
    width = weight_px * edges.shape[0] / REFERENCE_PX
    away = np.asarray(distance_transform_edt(~edges))
    # a line finer than a pixel is fainter instead
    cover = np.clip(0.5 * max(width, 1.0) + 0.5 - away, 0.0, 1.0).astype(np.float32) * min(width, 1.0)
    crowd = np.asarray(uniform_filter(edges.astype(np.float32), 4 * finer + 1))
    cover *= np.clip((MIN_LINE_SPACING[1] - crowd) / (MIN_LINE_SPACING[1] - MIN_LINE_SPACING[0]), 0.0, 1.0)
    return np.ascontiguousarray(cover[: h * finer, : w * finer].reshape(h, finer, w, finer).mean((1, 3)))


def composite_lines(picture: NDArray[np.float32], cover: NDArray[np.float32]) -> NDArray[np.float32]:
    """Draw contour lines over a picture.

    Parameters
    ----------
    picture : ndarray
        Light or codes, (H, W, 3).
    cover : ndarray
        Coverage of the lines 0 to 1, (H, W).

    Returns
    -------
    ndarray
        The picture, (H, W, 3).
    """
    return np.asarray(picture * (1.0 - cover * (1.0 - INK))[..., None], np.float32)
