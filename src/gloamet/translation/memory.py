# SPDX-License-Identifier: Apache-2.0
"""Memory needed by a picture, computed before rendering.

Sizes come from the arrays themselves; what the ray library, the denoiser and the program take on top are
factors measured with this program (see `gloamet render --json`: memory_mb beside the process's own peak).
"""

from __future__ import annotations

import contextlib
import ctypes
from pathlib import Path

import numpy as np

from gloamet.errors import GloametError
from gloamet.trace.film import BYTES_PER_PIXEL
from gloamet.trace.render_scene import RenderScene

PROGRAM_BYTES = 230 * 2**20
RAYS_BYTES_A_TRIANGLE = 130  # the acceleration structure
FINISHING_BYTES_A_PIXEL = 240  # the layers under their gains and seen through the air, the developed picture
CLEANING_BYTES, CLEANING_BYTES_A_PIXEL = 760 * 2**20, 290  # the cleaner works in tiles


def give_back() -> None:
    """Return freed memory to the system."""
    with contextlib.suppress(OSError, AttributeError):  # only the GNU C library has it
        ctypes.CDLL(None).malloc_trim(0)


def memory_needed(compiled: RenderScene, width: int, height: int, denoise: bool) -> int:
    """Estimate the memory of saving a picture.

    Parameters
    ----------
    compiled : RenderScene
        The render scene.
    width : int
        Width in pixels.
    height : int
        Height in pixels.
    denoise : bool
        Whether it is denoised.

    Returns
    -------
    int
        Bytes of the whole program.
    """
    scene = sum(array.nbytes for array in compiled.arrays() if isinstance(array, np.ndarray))
    rays = RAYS_BYTES_A_TRIANGLE * len(compiled.geometry.triangles)
    cleaning = CLEANING_BYTES + CLEANING_BYTES_A_PIXEL * width * height if denoise else 0
    picture = (BYTES_PER_PIXEL + FINISHING_BYTES_A_PIXEL) * width * height
    return PROGRAM_BYTES + scene + rays + picture + cleaning


def memory_free(table: Path = Path("/proc/meminfo")) -> int | None:
    """Bytes available without swapping; None where the system does not report it."""
    try:
        for line in table.read_text(encoding="ascii").splitlines():
            if line.startswith("MemAvailable:"):
                return 1024 * int(line.split()[1])
    except (OSError, ValueError, IndexError):
        return None
    return None


def check_memory(need: int) -> None:
    """Check that a picture fits into memory.

    Parameters
    ----------
    need : int
        Bytes needed.

    Raises
    ------
    GloametError
        The picture does not fit.
    """
    free = memory_free()
    if free is not None and need > free:
        raise GloametError(
            f"The picture needs about {need / 1e9:.1f} GB of memory and {free / 1e9:.1f} GB are free: "
            "choose a smaller size, or close other programs."
        )
