# SPDX-License-Identifier: Apache-2.0
"""Decoding pictures inside models: bytes or a file enter, an 8-bit RGBA texture leaves.

A picture that cannot be read becomes a grey checker and a note, so that the scene still opens.
"""

from __future__ import annotations

import io
import warnings
from pathlib import Path

import numpy as np

from gloamet.stage.scene import Texture

MAX_SIDE = 4096
MAX_PIXELS = 300_000_000


def checker(name: str) -> Texture:
    """The grey checker that stands for a picture that is missing or broken."""
    board = np.indices((8, 8)).sum(0) % 2
    grey = np.where(board, 150, 105).astype(np.uint8)
    pixels = np.dstack([grey, grey, grey, np.full_like(grey, 255)])
    return Texture(name, np.ascontiguousarray(pixels.repeat(8, 0).repeat(8, 1)))


def decode(name: str, source: bytes | Path) -> tuple[Texture, str | None]:
    """The texture, and a note when it had to be replaced or made smaller."""
    from PIL import Image

    Image.MAX_IMAGE_PIXELS = None  # the limit below takes its place
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            with Image.open(io.BytesIO(source) if isinstance(source, bytes) else source) as picture:
                if picture.width * picture.height > MAX_PIXELS:
                    raise ValueError(f"{picture.width} × {picture.height} is too large")
                note = None
                if max(picture.size) > MAX_SIDE:
                    note = (
                        f"Picture {name} is {picture.width} × {picture.height}: it was reduced to {MAX_SIDE}."
                    )
                    picture.thumbnail((MAX_SIDE, MAX_SIDE))
                pixels = np.asarray(picture.convert("RGBA"), np.uint8).copy()
                return Texture(name, pixels), note
    except FileNotFoundError:
        return checker(name), f"Picture {name} is missing: a grey checker stands in."
    except Exception as error:  # the decoder raises many kinds for damaged data
        return checker(name), f"Picture {name} cannot be read ({error}): a grey checker stands in."
