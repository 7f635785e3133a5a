# SPDX-License-Identifier: Apache-2.0
"""Contact sheets: thumbnails in rows with captions, as PNG or PDF.

Pixels (H, W, 3 or 4) with captions enter; one picture leaves, or a file.
"""

from __future__ import annotations

import math
from io import BytesIO
from pathlib import Path
from typing import TYPE_CHECKING, Any, BinaryIO

import numpy as np
from numpy.typing import NDArray

from gloamet.errors import GloametError
from gloamet.files import write_atomically
from gloamet.shipped_data import DATA

if TYPE_CHECKING:
    from PIL.Image import Image

ENDINGS = (".png", ".pdf")
GROUND, INK = (43, 43, 43), (228, 228, 228)  # neutral, as round the picture on the desk
GAP, CAPTION, TEXT = 8, 20, 13
PDF_DPI = 150.0


def _font() -> Any:
    from PIL import ImageFont

    data = (DATA / "fonts" / "SourceSans3-Regular.ttf").read_bytes()
    return ImageFont.truetype(BytesIO(data), TEXT)


def contact_sheet(pictures: list[tuple[NDArray[np.uint8], str]], columns: int, title: str = "") -> Image:
    """Lay out pictures with captions as a contact sheet.

    Parameters
    ----------
    pictures : list of tuple of ndarray and str
        Pictures of one size, (H, W, 3) or (H, W, 4) uint8, with captions.
    columns : int
        Pictures per row.
    title : str, optional
        Title of the sheet.

    Returns
    -------
    Image
        A Pillow image.
    """
    from PIL import Image, ImageDraw

    height, width = pictures[0][0].shape[:2]
    rows = math.ceil(len(pictures) / columns)
    head = CAPTION + GAP if title else 0
    size = (
        columns * (width + GAP) + GAP,
        head + rows * (height + CAPTION + GAP) + GAP,
    )
    sheet, font = Image.new("RGB", size, GROUND), _font()
    draw = ImageDraw.Draw(sheet)
    if title:
        draw.text((GAP, GAP), title, INK, font)
    for index, (pixels, caption) in enumerate(pictures):
        row, column = divmod(index, columns)
        x, y = GAP + column * (width + GAP), head + GAP + row * (height + CAPTION + GAP)
        sheet.paste(Image.fromarray(np.ascontiguousarray(pixels[..., :3])), (x, y))
        while caption and draw.textlength(caption, font) > width:
            caption = caption[:-2] + "…" if len(caption) > 2 else ""
        draw.text((x, y + height + 2), caption, INK, font)
    return sheet


def save_sheet(sheet: Image, path: Path) -> None:
    """Save a contact sheet as PNG or PDF.

    Parameters
    ----------
    sheet : Image
        The sheet.
    path : Path
        File to write; its ending chooses the format.

    Raises
    ------
    GloametError
        The file cannot be written.
    """
    ending = path.suffix.lower()
    if ending not in ENDINGS:
        raise GloametError(f"{path.name}: a sheet is written as {' or '.join(ENDINGS)}.")

    def write(file: BinaryIO) -> None:
        if ending == ".pdf":
            sheet.save(file, "PDF", resolution=PDF_DPI)
        else:
            sheet.save(file, "PNG")

    write_atomically(path, write)
