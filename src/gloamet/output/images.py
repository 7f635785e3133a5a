# SPDX-License-Identifier: Apache-2.0
"""Writing of pictures: PNG (8 and 16 bit), JPEG and layered EXR.

Linear AP1 cd/m2 or display codes enter; a file leaves, written beside its target and renamed so that an old
file stays whole when writing fails.
"""

from __future__ import annotations

import contextlib
import os
import tempfile
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from gloamet.colour.spaces import AP1_PRIMARIES, D60_WHITE
from gloamet.errors import GloametError

PICTURE_ENDINGS = (".png", ".jpg", ".jpeg", ".exr")
JPEG_QUALITY = 95
CHROMATICITIES = tuple(v for pair in (*AP1_PRIMARIES, D60_WHITE) for v in pair)


def check_ending(path: Path, transparent: bool = False) -> str:
    """Check that a picture file can be written.

    Parameters
    ----------
    path : Path
        The file.
    transparent : bool, optional
        Whether the picture has an alpha channel.

    Returns
    -------
    str
        Its ending in lower case.

    Raises
    ------
    GloametError
        The format is unknown, or cannot hold transparency.
    """
    ending = path.suffix.lower()
    if transparent and ending in (".jpg", ".jpeg"):
        raise GloametError(
            f"{path.name}: JPEG has no transparency, choose .png or .exr, or another backdrop."
        )
    if ending not in PICTURE_ENDINGS:
        raise GloametError(f"{path.name}: pictures are saved as {', '.join(PICTURE_ENDINGS)}.")
    return ending


def write_picture(
    path: Path, pixels: NDArray[Any], file_format: str, attributes: dict[str, Any], names: list[str]
) -> None:
    """Write pixels (H, W, channels) by the path's ending. Raises GloametError, and then an old file stays whole."""
    import OpenImageIO as oiio

    spec = oiio.ImageSpec(pixels.shape[1], pixels.shape[0], pixels.shape[2], file_format)
    if names:
        spec.channelnames = names
    for key, value in attributes.items():
        if isinstance(value, tuple):
            spec.attribute(key, oiio.TypeDesc(f"float[{len(value)}]"), value)
        else:
            spec.attribute(key, value)
    try:
        descriptor, temporary = tempfile.mkstemp(
            prefix=".gloamet-", suffix=path.suffix.lower(), dir=path.parent
        )
        os.close(descriptor)
    except OSError as error:
        raise GloametError(
            f"{path.name} was not saved ({error.strerror}): choose another folder or free some space."
        ) from None
    try:
        out = oiio.ImageOutput.create(temporary)
        if out is None:
            raise GloametError(f"{path.name} was not saved ({oiio.geterror().strip()}): use another ending.")
        fine = out.open(temporary, spec) and out.write_image(np.ascontiguousarray(pixels))
        fine = out.close() and fine
        # the library's own words name the temporary file, which tells an artist nothing
        if not fine or out.geterror() or oiio.geterror():
            raise GloametError(
                f"{path.name} was not saved (writing stopped): choose another folder or free some space."
            )
        os.chmod(temporary, 0o644)
        os.replace(temporary, path)
    except OSError as error:
        raise GloametError(
            f"{path.name} was not saved ({error.strerror}): choose another folder or free some space."
        ) from None
    finally:
        with contextlib.suppress(OSError):
            os.unlink(temporary)


def save_display(
    path: Path,
    codes: NDArray[np.float32],
    sixteen_bit: bool = False,
    alpha: NDArray[np.float32] | None = None,
) -> None:
    """Save display codes as PNG or JPEG in sRGB.

    Parameters
    ----------
    path : Path
        The file.
    codes : ndarray
        Display codes 0 to 1, (H, W, 3).
    sixteen_bit : bool, optional
        Whether to write 16-bit PNG.
    alpha : ndarray or None, optional
        Coverage 0 to 1, (H, W), not premultiplied; PNG only.

    Raises
    ------
    GloametError
        The file cannot be written.
    """
    ending = check_ending(path)
    wide = sixteen_bit and ending == ".png"
    top = 65535 if wide else 255
    attributes: dict[str, Any] = {"oiio:ColorSpace": "sRGB", "Software": "Gloamet"}
    if alpha is not None:
        attributes["oiio:UnassociatedAlpha"] = 1
        codes = np.concatenate([codes, alpha[..., None]], 2)
    if ending == ".exr":
        raise GloametError(f"{path.name}: developed pictures are saved as .png or .jpg.")
    pixels = np.round(np.clip(codes, 0.0, 1.0) * top).astype(np.uint16 if wide else np.uint8)
    if ending != ".png":
        attributes["Compression"] = f"jpeg:{JPEG_QUALITY}"
    write_picture(path, pixels, "uint16" if wide else "uint8", attributes, [])


def layer_channels(layers: dict[str, NDArray[np.float32]]) -> tuple[NDArray[np.float32], list[str]]:
    """Layers, (H, W, 3) or (H, W), side by side as (H, W, channels), and their names; "" is the picture."""
    planes, names = [], []
    for name, layer in layers.items():
        planes.append(np.asarray(layer if layer.ndim == 3 else layer[..., None], np.float32))
        letters = "Z" if layer.ndim == 2 else "XYZ" if name == "normal" else "RGB"
        names += [f"{name}.{letter}" if name else letter for letter in letters]
    return np.concatenate(planes, axis=2), names


def save_light(
    path: Path,
    picture: NDArray[np.float32],
    layers: dict[str, NDArray[np.float32]] | None = None,
    white_cd_m2: float = 1.0,
    alpha: NDArray[np.float32] | None = None,
) -> None:
    """Save linear light as a 32-bit EXR with layers.

    Channels are named like sun.R, normal.X and depth.Z.

    Parameters
    ----------
    path : Path
        The file.
    picture : ndarray
        Light in AP1, (H, W, 3).
    layers : dict of str to ndarray or None, optional
        Further layers by name, (H, W, 3), or (H, W) for depth.
    white_cd_m2 : float, optional
        Luminance of RGB (1, 1, 1), cd/m².
    alpha : ndarray or None, optional
        Coverage 0 to 1, (H, W), premultiplied.

    Raises
    ------
    GloametError
        The file cannot be written.
    """
    if check_ending(path) != ".exr":
        raise GloametError(f"{path.name}: light is saved as .exr.")
    pixels, names = layer_channels({"": picture, **(layers or {})})
    if alpha is not None:
        pixels, names = np.insert(pixels, 3, alpha, axis=2), [*names[:3], "A", *names[3:]]
    attributes: dict[str, Any] = {
        "compression": "zip",
        "chromaticities": CHROMATICITIES,
        "whiteLuminance": float(white_cd_m2),
        "oiio:ColorSpace": "ACEScg",
        "Software": "Gloamet",
    }
    write_picture(path, pixels, "float", attributes, names)
