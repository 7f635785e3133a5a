# SPDX-License-Identifier: Apache-2.0
"""Textures of the demo, made from noise: salt crust and weathered boards."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter
from scipy.spatial import cKDTree

SIZE = 768


def noise(rng: np.random.Generator, sigma: tuple[float, float]) -> NDArray:
    """Smooth periodic noise of unit deviation."""
    field = gaussian_filter(rng.normal(size=(SIZE, SIZE)), sigma, mode="wrap")
    return field / field.std()


def to_codes(linear: NDArray) -> NDArray[np.uint8]:
    """Linear colour to 8-bit sRGB."""
    v = np.clip(linear, 0.0, 1.0)
    return np.round(255 * np.where(v < 0.0031308, 12.92 * v, 1.055 * v ** (1 / 2.4) - 0.055)).astype(np.uint8)


def salt(seed: int = 3) -> NDArray[np.uint8]:
    """Salt crust: pale plates with raised darker seams, tiling."""
    rng = np.random.default_rng(seed)
    seeds = rng.uniform(0, SIZE, (70, 2))
    tiled = np.concatenate([seeds + [dx, dy] for dx in (-SIZE, 0, SIZE) for dy in (-SIZE, 0, SIZE)])
    yx = np.stack(np.indices((SIZE, SIZE)), -1).reshape(-1, 2).astype(float)
    warp = np.stack([noise(rng, (14, 14)), noise(rng, (14, 14))], -1).reshape(-1, 2) * 5
    distance, _ = cKDTree(tiled).query(yx + warp, k=2)
    seam = np.exp(-(((distance[:, 1] - distance[:, 0]) / 4.5) ** 2)).reshape(SIZE, SIZE)
    tone = 0.55 + 0.035 * noise(rng, (60, 60)) + 0.02 * noise(rng, (5, 5)) + 0.02 * noise(rng, (1, 1))
    tone = tone - 0.16 * seam
    warm = np.array([1.0, 0.955, 0.87]) + 0.02 * noise(rng, (90, 90))[..., None] * np.array([1, 0, -1])
    return to_codes(tone[..., None] * warm)


def boards(seed: int, tone: tuple[float, float, float], contrast: float) -> NDArray[np.uint8]:
    """Weathered timber, grain along the picture's width, tiling."""
    rng = np.random.default_rng(seed)
    grain = noise(rng, (1.2, 90)) * 0.6 + noise(rng, (5, 160)) * 0.8 + noise(rng, (0.7, 20)) * 0.25
    rows = np.indices((SIZE, SIZE))[0] + 9 * noise(rng, (30, 120))
    rings = np.sin(rows / SIZE * 2 * np.pi * 14)
    value = 1.0 + contrast * (0.5 * grain + 0.35 * rings) + 0.04 * noise(rng, (80, 80))
    return to_codes(np.clip(value, 0.3, 1.7)[..., None] * np.asarray(tone))
