# SPDX-License-Identifier: Apache-2.0
"""A thumbnail of a panorama file, from a subset of its rows.

A file and a size enter; developed pixels leave, None for a file that is no panorama.
"""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from gloamet.colour.spaces import AP1_LUMINANCE, REC709_TO_AP1
from gloamet.develop.display import develop_screen
from gloamet.develop.settings import DevelopSettings
from gloamet.meter.light import luminance_ev

ROWS_MIXED = 4  # rows of the file read for each of the small picture: all of an 8k one are 400 MB
KEY = 0.18 / 0.10  # the middle of a sky shows about twice as bright as grey


def _evenly(count: int, of: int) -> NDArray[np.intp]:
    """So many places, evenly laid over others."""
    return ((np.arange(count) + 0.5) * of / count).astype(np.intp)


def _some_rows(file: Any, count: int) -> NDArray[np.float32] | None:
    """Rows (count, W, 3) of an open file, from top to bottom."""
    spec = file.spec()
    if spec.nchannels < 3:
        return None
    positions = _evenly(count, spec.height)
    if spec.tile_width > 0:  # tiles are read at once
        whole = file.read_image(0, 0, 0, 3, "float")
        read = None if whole is None else [np.asarray(whole).reshape(spec.height, spec.width, 3)[positions]]
    else:
        read = [file.read_scanlines(y, y + 1, 0, 0, 3, "float") for y in map(int, positions)]
    if file.geterror() or read is None or any(row is None for row in read):
        return None
    return np.asarray(read, np.float32).reshape(count, spec.width, 3)


def thumbnail(path: Path, width: int, height: int) -> NDArray[np.uint8] | None:
    """(height, width, 4) uint8 RGBX, exposed for its own middle."""
    import OpenImageIO as oiio

    file = oiio.ImageInput.open(str(path))
    if file is None:
        oiio.geterror()
        return None
    try:
        rows = _some_rows(file, height * ROWS_MIXED)
    finally:
        file.close()
    if rows is None:
        return None
    mixed = max(1, rows.shape[1] // width)
    pixels = rows[:, _evenly(width * mixed, rows.shape[1])].reshape(height, ROWS_MIXED, width, mixed, 3)
    light = np.maximum(np.nan_to_num(pixels), 0.0).mean((1, 3))
    light = np.asarray(light @ REC709_TO_AP1.T.astype(np.float32), np.float32)
    middle = float(np.median(light[: height // 2] @ AP1_LUMINANCE.astype(np.float32)))
    settings = DevelopSettings(luminance_ev(max(middle, 1e-6) / KEY))
    return np.asarray(develop_screen(np.ascontiguousarray(light), settings))
