# SPDX-License-Identifier: Apache-2.0
"""Colour tables: reads .cube files with OpenColorIO, and writes the colour of a chain as one.

Code values of an sRGB screen in 0..1 (..., 3) enter and leave.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from gloamet.errors import GloametError
from gloamet.files import write_atomically

Floats = NDArray[np.float32]
MAX_BYTES = 256 * 1024**2


@lru_cache(maxsize=4)
def _processor(path: str, changed_ns: int) -> Any:
    import PyOpenColorIO as ocio

    name = Path(path).name
    ocio.ClearAllCaches()  # OpenColorIO knows files by their path alone, and one may have been written again
    try:
        transform = ocio.FileTransform(path, interpolation=ocio.INTERP_TETRAHEDRAL)
        return ocio.Config.CreateRaw().getProcessor(transform).getDefaultCPUProcessor()
    except ocio.Exception:
        pass
    try:  # a table of one dimension knows no tetrahedra
        transform = ocio.FileTransform(path, interpolation=ocio.INTERP_LINEAR)
        return ocio.Config.CreateRaw().getProcessor(transform).getDefaultCPUProcessor()
    except ocio.Exception as error:
        reason = str(error).strip().splitlines()[-1]
        raise GloametError(f"{name} is not a look-up table ({reason}): choose a .cube file.") from None


def written_ns(path: str) -> int:
    """When a file was written last, nanoseconds; 0 for none."""
    try:
        return Path(path).stat().st_mtime_ns if path else 0
    except OSError:
        return 0


def apply_table(codes: Floats, path: str) -> Floats:
    """Apply a .cube look-up table to display codes.

    Parameters
    ----------
    codes : ndarray
        Display codes 0 to 1, (..., 3).
    path : str
        Path of a .cube file of one or three dimensions.

    Returns
    -------
    ndarray
        Codes, (..., 3).

    Raises
    ------
    GloametError
        The table cannot be read.
    """
    file = Path(path)
    try:
        found = file.stat()
    except OSError:
        raise GloametError(
            f"The look-up table {file.name} does not exist: choose another one or none."
        ) from None
    if file.suffix.lower() != ".cube" or found.st_size > MAX_BYTES:
        raise GloametError(f"{file.name} is not a look-up table: choose a .cube file.")
    out = np.array(codes, np.float32, order="C")  # an array that is not contiguous would be read wrongly
    flat = out.reshape(1, -1, 3)
    _processor(str(file), found.st_mtime_ns).applyRGB(flat)
    return np.nan_to_num(flat.reshape(codes.shape), nan=0.0)


def write_table(path: Path, colours: Callable[[Floats], Floats], size: int, title: str) -> None:
    """Write a function of colours as a .cube look-up table.

    Parameters
    ----------
    path : Path
        File to write.
    colours : callable
        Function of display codes (n, 3) in 0 to 1.
    size : int
        Grid points per side.
    title : str
        Title in the file.

    Raises
    ------
    GloametError
        The file cannot be written.
    """
    if not 2 <= size <= 129:
        raise GloametError(f"A look-up table has 2 to 129 grid points per side, not {size}.")
    axis = np.linspace(0.0, 1.0, size, dtype=np.float32)
    blue, green, red = np.meshgrid(axis, axis, axis, indexing="ij")
    out = colours(np.stack([red, green, blue], -1).reshape(-1, 3))
    rows = "\n".join(" ".join(f"{value:.6f}" for value in row) for row in out.tolist())
    text = f'TITLE "{title}"\nLUT_3D_SIZE {size}\nDOMAIN_MIN 0 0 0\nDOMAIN_MAX 1 1 1\n{rows}\n'
    write_atomically(Path(path), lambda file: file.write(text.encode()))
