"""Ink contours: lines where parts, normals or depth break.

Maps of what a camera sees enter; the share of each pixel that ink covers (H, W) leaves.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from gloamet.trace.firsthit import Maps

CREASE_COS = 0.86  # faces turned by more than about 30 degrees
BREAK = 0.012  # a step of inverse depth, as a share of it, that no plane explains
REFERENCE_PX = 1000.0  # widths are given for a picture this high
INK = np.float32(0.04)  # what is left of the light under a line


def _edges(maps: Maps) -> NDArray[np.bool_]:
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
    out[:, 1:-1] |= (bend > BREAK * np.maximum(inverse[:, 1:-1], 1e-6)) & (part[:, 1:-1] >= 0)
    bend = 2.0 * inverse[1:-1] - inverse[:-2] - inverse[2:]
    out[1:-1] |= (bend > BREAK * np.maximum(inverse[1:-1], 1e-6)) & (part[1:-1] >= 0)
    return out


def contours(maps: Maps, weight_px: float, finer: int = 1) -> NDArray[np.float32]:
    """Ink of lines weight_px wide in a picture 1000 pixels high; maps are `finer` times the picture's size."""
    from scipy.ndimage import distance_transform_edt

    edges = _edges(maps)
    if not edges.any():
        return np.zeros((edges.shape[0] // finer, edges.shape[1] // finer), np.float32)
    width = weight_px * edges.shape[0] / REFERENCE_PX
    away = np.asarray(distance_transform_edt(~edges))
    # a line finer than a pixel is fainter instead
    cover = np.clip(0.5 * max(width, 1.0) + 0.5 - away, 0.0, 1.0).astype(np.float32) * min(width, 1.0)
    h, w = cover.shape[0] // finer, cover.shape[1] // finer
    return np.ascontiguousarray(cover[: h * finer, : w * finer].reshape(h, finer, w, finer).mean((1, 3)))


def inked(picture: NDArray[np.float32], cover: NDArray[np.float32]) -> NDArray[np.float32]:
    """The picture (H, W, 3) under the ink."""
    return np.asarray(picture * (1.0 - cover * (1.0 - INK))[..., None], np.float32)
