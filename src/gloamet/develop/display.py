"""Developing for the screen: linear light in AP1 cd/m2 to 8-bit colour, quickly.

A view's exact transform is baked once into a 65-cube behind a log2 allocation and applied by a kernel, rows in
parallel. A `DevelopSettings` enters with the picture; RGBX leaves.
"""

from __future__ import annotations

import os
from concurrent.futures import ThreadPoolExecutor
from functools import lru_cache
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from gloamet.colour.spaces import AP1_TO_REC709, linear_to_srgb
from gloamet.colour.views import VIEWS
from gloamet.develop.display_kernels import (
    COUNTER_COUNT,
    CUBE_SIZE,
    CURVE_SIZE,
    LOG_LOW,
    LOG_RANGE,
    EnlargedArrays,
    ViewArrays,
    develop_rows,
)
from gloamet.develop.exact import DevelopSettings
from gloamet.thread_barrier import run_on_all_threads

Floats = NDArray[np.float32]


def _cache_file(view: str) -> Path:
    from platformdirs import user_cache_path

    return user_cache_path("gloamet") / f"view-{view.replace(' ', '-')}-{CUBE_SIZE}-2.npy"


@lru_cache(maxsize=4)
def screen_cube(view: str) -> Floats:
    """The baked view, (CUBE**3, 4) float32 in code values 0..255 (red fastest, fourth unused).

    Kept in the user's cache: baking costs up to a second.
    """
    file = _cache_file(view)
    try:
        cube = np.load(file)
        if cube.shape == (CUBE_SIZE**3, 4) and cube.dtype == np.float32:
            return cube
    except (OSError, ValueError, EOFError):
        pass
    axis = np.exp2(np.linspace(0.0, 1.0, CUBE_SIZE) * LOG_RANGE + LOG_LOW).astype(np.float32)
    axis[0] = 0.0
    blue, green, red = np.meshgrid(axis, axis, axis, indexing="ij")
    grid = np.stack([red, green, blue], -1).reshape(1, -1, 3)
    cube = np.zeros((CUBE_SIZE**3, 4), np.float32)
    cube[:, :3] = np.clip(VIEWS[view].apply(np.ascontiguousarray(grid))[0], 0.0, 1.0) * 255.0
    try:
        file.parent.mkdir(parents=True, exist_ok=True)
        np.save(file, cube)
    except OSError:
        pass  # a full or read-only cache only costs time
    return cube


@lru_cache(maxsize=1)
def _srgb_curve() -> NDArray[np.uint8]:
    return np.round(linear_to_srgb(np.linspace(0.0, 1.0, CURVE_SIZE + 1)) * 255.0).astype(np.uint8)


@lru_cache(maxsize=1)
def _pool() -> ThreadPoolExecutor:
    return ThreadPoolExecutor(os.cpu_count(), thread_name_prefix="develop")


@lru_cache(maxsize=4)
def _resample_axis(few: int, many: int) -> NDArray[np.int32]:
    """Where the pixels of an enlarged row lie among `few`: (many, 2), as the kernels take them."""
    at = np.clip((np.arange(many) + 0.5) * few / many - 0.5, 0.0, few - 1.0)
    return np.stack([np.floor(at), np.floor(256.0 * (at - np.floor(at)))], 1).astype(np.int32)


def develop_screen(
    picture: Floats, recipe: DevelopSettings, size: tuple[int, int] | None = None
) -> NDArray[np.uint8]:
    """8-bit RGBX for the screen, (H, W, 4); within a few codes of the exact transform.

    `size` (width, height) is what the picture is enlarged to once it is developed.
    """
    height, width = picture.shape[:2]
    matrix, curve = recipe.matrix(), _srgb_curve()
    if VIEWS[recipe.view].curve_alone:
        matrix = np.ascontiguousarray(AP1_TO_REC709 @ matrix, np.float32)
        cube = np.zeros((0, 4), np.float32)
    else:
        cube = screen_cube(recipe.view)
    wide, high = (0, 0) if size is None or size == (width, height) else size
    out, large = np.empty((height, width), np.uint32), np.empty((high, wide), np.uint32)
    threads = os.cpu_count() or 1
    words = (
        np.zeros(COUNTER_COUNT, np.int64),
        threads,
        np.ascontiguousarray(picture, np.float32),
        ViewArrays(matrix, cube, curve),
        out,
        np.empty((threads, 3, width), np.float32),
        np.empty((threads, width + 1), np.uint32),
        EnlargedArrays(_resample_axis(height, high), _resample_axis(width, wide), large),
    )
    run_on_all_threads(_pool(), threads, develop_rows, words)
    done = large if high else out
    return done.view(np.uint8).reshape(*done.shape, 4)
