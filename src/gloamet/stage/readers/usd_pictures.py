# SPDX-License-Identifier: Apache-2.0
"""Single-channel pictures of UsdPreviewSurface packed as the scene keeps them.

The row of a material and the decoded textures enter; a texture with roughness in green and metalness in blue,
or a colour picture with its see-through picture in alpha, is added and its index leaves.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from gloamet.stage.scene import Texture

CHANNELS = "rgba"


def _channel(row: dict[str, Any], name: str, textures: list[Texture]) -> NDArray[np.uint8] | None:
    """The channel of a picture that an input reads, None when it reads none."""
    index = row.get(f"{name}.picture")
    if index is None:
        return None
    output = str(row.get(f"{name}.output"))
    return textures[index].pixels[..., CHANNELS.index(output) if output in CHANNELS else 0]


def _fitted(plane: NDArray[np.uint8], size: tuple[int, int]) -> NDArray[np.uint8]:
    """A plane stretched to (height, width)."""
    if plane.shape == size:
        return plane
    picture = Image.fromarray(np.ascontiguousarray(plane))
    return np.asarray(picture.resize((size[1], size[0]), Image.Resampling.BILINEAR), np.uint8)


def surface_picture(row: dict[str, Any], textures: list[Texture]) -> int | None:
    """Index of a new texture of roughness (green) and metalness (blue), None when neither is a picture."""
    planes = [_channel(row, name, textures) for name in ("roughness", "metallic")]
    found = [plane for plane in planes if plane is not None]
    if not found:
        return None
    height, width = max((plane.shape for plane in found), key=lambda shape: shape[0] * shape[1])
    pixels = np.full((height, width, 4), 255, np.uint8)
    for column, plane in zip((1, 2), planes, strict=True):
        if plane is not None:
            pixels[..., column] = _fitted(plane, (height, width))
    textures.append(Texture(f"{row['name']} surface", pixels))
    return len(textures) - 1


def base_picture(row: dict[str, Any], textures: list[Texture]) -> int | None:
    """Index of the colour picture; a new one when its see-through picture is another, or stands alone."""
    base, alpha = row.get("diffuseColor.picture"), row.get("opacity.picture")
    plane = _channel(row, "opacity", textures)
    if plane is None or (base == alpha and row.get("opacity.output") == "a"):
        return None if base is None else int(base)
    pixels = np.full((*plane.shape, 4), 255, np.uint8) if base is None else textures[base].pixels.copy()
    pixels[..., 3] = _fitted(plane, (pixels.shape[0], pixels.shape[1]))
    textures.append(Texture(f"{row['name']} colour", pixels))
    return len(textures) - 1
