"""A small picture of a panorama's file, read by the image library at a fraction of its size.

A file and a size enter; developed pixels leave, None for a file that is no panorama.
"""

from __future__ import annotations

from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from gloamet.colour.spaces import AP1_LUMINANCE, REC709_TO_AP1
from gloamet.develop.display import develop_screen
from gloamet.develop.exact import DevelopSettings
from gloamet.meter.light import luminance_ev

KEY = 0.18 / 0.10  # the middle of a sky shows about twice as bright as grey


def thumbnail(path: Path, width: int, height: int) -> NDArray[np.uint8] | None:
    """(height, width, 4) uint8 RGBX, exposed for its own middle."""
    import OpenImageIO as oiio

    buffer = oiio.ImageBuf(str(path))
    if not buffer.read(0, 0, True, oiio.FLOAT) or buffer.nchannels < 3:
        buffer.geterror()
        return None
    small = oiio.ImageBufAlgo.resize(buffer, "box", roi=oiio.ROI(0, width, 0, height, 0, 1, 0, 3))
    pixels = np.asarray(small.get_pixels(oiio.FLOAT), np.float32)
    if small.has_error or pixels.size != 3 * width * height:
        small.geterror()
        return None
    light = np.maximum(np.nan_to_num(pixels.reshape(height, width, 3)), 0.0)
    light = np.asarray(light @ REC709_TO_AP1.T.astype(np.float32), np.float32)
    middle = float(np.median(light[: height // 2] @ AP1_LUMINANCE.astype(np.float32)))
    settings = DevelopSettings(luminance_ev(max(middle, 1e-6) / KEY))
    return np.asarray(develop_screen(np.ascontiguousarray(light), settings))
