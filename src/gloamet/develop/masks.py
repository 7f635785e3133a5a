# SPDX-License-Identifier: Apache-2.0
"""Soft masks, and local corrections through them: exposure, temperature, saturation, contrast.

A picture of scene light (H, W, 3) in reflectances, masks and what is seen in each pixel enter; the picture leaves. It
acts before the tone, on light: what a view has cut off could not be brought back.
"""

from __future__ import annotations

import math
from dataclasses import replace
from functools import lru_cache
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from gloamet.colour.balance import warmth_gain
from gloamet.colour.spaces import AP1_LUMINANCE
from gloamet.develop.links import Mask
from gloamet.develop.tone import CONTRAST_STOPS, GREY_CARD

Floats = NDArray[np.float32]
Numbers = NDArray[np.int32]
PAINTED_HEIGHT = 200  # pixels of the picture that dabs are laid on
BORDER = 0.02  # of the picture's height: how far the border of a part fades at full softness
SUN_SHARE = 0.35  # of the light of a pixel that is the sun's, from which it is in the sun


class MaskPlanes(NamedTuple):
    """What is seen in each pixel, (h, w) of one size that need not be the picture's: distance in metres (0 for sky),
    the sun's fraction of the light (0..1), indices of part and material (-1 for none) and their names; None where
    unknown."""

    depth: Floats | None = None
    sun_fraction: Floats | None = None
    parts: Numbers | None = None
    part_names: tuple[str, ...] = ()
    materials: Numbers | None = None
    material_names: tuple[str, ...] = ()


NO_PLANES = MaskPlanes()
# fields of a mask that do not say what it covers


def _area_only(mask: Mask) -> Mask:
    """The mask without name and correction: what the weights of its area depend on."""
    plain = Mask()
    return replace(
        mask,
        name=plain.name,
        on=True,
        strength=1.0,
        inverted=False,
        exposure=0.0,
        mired=0.0,
        saturation=1.0,
        contrast=0.0,
    )


def _smooth(value: NDArray[Any]) -> Floats:
    t = np.clip(value, 0.0, 1.0)
    return np.asarray(t * t * (3.0 - 2.0 * t), np.float32)


def _places(mask: Mask, shape: tuple[int, int]) -> tuple[Floats, Floats]:
    """Places of pixels from the mask's middle in picture heights, along its own axes."""
    h, w = shape
    dx = ((np.arange(w, dtype=np.float32) + 0.5) / w - mask.x)[None, :] * (w / h)
    dy = ((np.arange(h, dtype=np.float32) + 0.5) / h - mask.y)[:, None]
    c, s = math.cos(math.radians(mask.rotation_deg)), math.sin(math.radians(mask.rotation_deg))
    return np.asarray(c * dx + s * dy, np.float32), np.asarray(c * dy - s * dx, np.float32)


def _round(mask: Mask, shape: tuple[int, int]) -> Floats:
    across, down = _places(mask, shape)
    radius = np.hypot(across / (0.5 * mask.width), down / (0.5 * mask.height))
    return _smooth((1.0 - radius) / max(mask.softness, 1e-3))


def _gradient(mask: Mask, shape: tuple[int, int]) -> Floats:
    """All above the upper end of its height, nothing below the lower one."""
    return _smooth(0.5 - _places(mask, shape)[1] / mask.height)


def _painted(mask: Mask, shape: tuple[int, int]) -> Floats:
    factor = max(1, round(shape[0] / PAINTED_HEIGHT))
    h, w = -(-shape[0] // factor), -(-shape[1] // factor)
    out = np.zeros((h, w), np.float32)
    for x, y, width in mask.strokes:
        radius = 0.5 * width * h
        y0, y1 = max(0, math.floor(y * h - radius)), min(h, math.ceil(y * h + radius) + 1)
        x0, x1 = max(0, math.floor(x * w - radius)), min(w, math.ceil(x * w + radius) + 1)
        if y0 >= y1 or x0 >= x1:
            continue
        dy, dx = np.arange(y0, y1)[:, None] + 0.5 - y * h, np.arange(x0, x1)[None, :] + 0.5 - x * w
        dab = _smooth((1.0 - np.hypot(dy, dx) / max(radius, 0.5)) / max(mask.softness, 1e-3))
        out[y0:y1, x0:x1] = np.maximum(out[y0:y1, x0:x1], dab)
    return _resized(out, shape)


def _resized(plane: Floats, shape: tuple[int, int]) -> Floats:
    """A plane at another size, straight lines between its pixels."""
    for axis in (0, 1):
        few, many = plane.shape[axis], shape[axis]
        if few == many:
            continue
        at = np.clip((np.arange(many, dtype=np.float32) + 0.5) * np.float32(few / many) - 0.5, 0, few - 1)
        low = at.astype(np.int64)
        fraction = (at - low).astype(np.float32)
        a, b = np.take(plane, low, axis), np.take(plane, np.minimum(low + 1, few - 1), axis)
        plane = a + (fraction[:, None] if axis == 0 else fraction) * (b - a)
    return plane


def _softened(mask: Mask, inside: Floats) -> Floats:
    from scipy.ndimage import gaussian_filter

    sigma = mask.softness * BORDER * inside.shape[0]
    return np.asarray(gaussian_filter(inside, sigma), np.float32) if sigma > 0.2 else inside


def _named(mask: Mask, numbers: Numbers | None, names: tuple[str, ...]) -> Floats | None:
    if numbers is None:
        return None
    found = [index for index, name in enumerate(names) if name == mask.target]
    return _softened(mask, np.isin(numbers, found).astype(np.float32))


def _distance(mask: Mask, depth: Floats | None) -> Floats | None:
    if depth is None:
        return None
    far = np.where(depth > 0.0, depth, np.float32(1e6))
    border = np.float32(max(mask.softness, 1e-3) * max(mask.far_m - mask.near_m, 1e-3) * 0.5)
    return _smooth((far - mask.near_m) / border + 0.5) * _smooth((mask.far_m - far) / border + 0.5)


def _sunlit(mask: Mask, fraction: Floats | None) -> Floats | None:
    if fraction is None:
        return None
    width = 0.02 + 0.6 * mask.softness * SUN_SHARE
    inside = _smooth((fraction - SUN_SHARE) / width + 0.5)
    return _softened(mask, 1.0 - inside if mask.kind == "shaded" else inside)


@lru_cache(maxsize=4)
def _placed(mask: Mask, shape: tuple[int, int]) -> Floats:
    """How much a mask covers that is laid in the picture, kept while a hand changes its effect, left out of the key."""
    weights = PLACED[mask.kind](mask, shape)
    weights.setflags(write=False)
    return weights


PLACED = {"round": _round, "gradient": _gradient, "painted": _painted}


def mask_weights(mask: Mask, shape: tuple[int, int], planes: MaskPlanes) -> Floats:
    """Compute the weight of a mask for each pixel.

    Parameters
    ----------
    mask : Mask
        The mask.
    shape : tuple of int
        Height and width in pixels.
    planes : MaskPlanes
        Distances, sunlit fractions, parts and materials of the picture.

    Returns
    -------
    ndarray
        Weights 0 to 1, (H, W); zero where the plane it needs is unknown.
    """
    found: Floats | None
    if mask.kind in PLACED:
        found = _placed(_area_only(mask), shape)
    elif mask.kind in ("part", "material"):
        numbers, names = (
            (planes.parts, planes.part_names)
            if mask.kind == "part"
            else (planes.materials, planes.material_names)
        )
        found = _named(mask, numbers, names)
    elif mask.kind == "distance":
        found = _distance(mask, planes.depth)
    else:
        found = _sunlit(mask, planes.sun_fraction)
    if found is None:
        return np.zeros(shape, np.float32)
    found = found if found.shape == shape else _resized(found, shape)
    return np.asarray(1.0 - found if mask.inverted else found, np.float32)


def changes(mask: Mask) -> bool:
    """Tell whether a mask changes what it covers.

    Parameters
    ----------
    mask : Mask
        The mask.

    Returns
    -------
    bool
        Whether it is on and has a correction.
    """
    return (
        mask.on
        and mask.strength > 0.0
        and (mask.exposure, mask.mired, mask.saturation, mask.contrast) != (0.0, 0.0, 1.0, 0.0)
    )


def _lit(picture: Floats, weights: Floats, mask: Mask) -> Floats:
    """A picture with the light of one mask, by its weights (H, W)."""
    from gloamet.develop.light_kernels import LocalLight, local_light_rows
    from gloamet.develop.threads import on_all_threads

    warmth = [np.float32(v) for v in np.log2(warmth_gain(mask.mired))]
    luminance = [np.float32(v) for v in AP1_LUMINANCE]
    light = LocalLight(
        np.float32(mask.exposure),
        (warmth[0], warmth[1], warmth[2]),
        np.float32(mask.saturation),
        np.float32(2.0 ** (CONTRAST_STOPS * mask.contrast) - 1.0),
        np.float32(math.log2(GREY_CARD)),
        (luminance[0], luminance[1], luminance[2]),
    )
    out, rows = np.empty(picture.shape, np.float32), (len(picture), -1)
    on_all_threads(
        local_light_rows, picture.reshape(rows), np.float32(mask.strength) * weights, light, out.reshape(rows)
    )
    return out


def light_masks(picture: Floats, masks: tuple[Mask, ...], planes: MaskPlanes) -> Floats:
    """A picture (H, W, 3) with the local light of all masks, one after the other."""
    for mask in masks:
        if changes(mask):
            picture = _lit(picture, mask_weights(mask, (picture.shape[0], picture.shape[1]), planes), mask)
    return picture
