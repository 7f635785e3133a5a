# SPDX-License-Identifier: Apache-2.0
"""Make src/gloamet/data/climate.npz: monthly Linke turbidity and altitude of the world for the Sun step.

The sources are the climatology of SoDa (Remund et al. 2003, "Worldwide Linke turbidity information") and the
altitudes that come with pvlib (BSD licence), given every twelfth of a degree; here means of whole and of half degrees.
"""

from __future__ import annotations

from pathlib import Path

import h5py
import numpy as np
import pvlib

SOURCE = Path(pvlib.__file__).parent / "data"
NO_DATA, SEA_LEVEL = 255, 450 / 28
TARGET = Path(__file__).parents[1] / "src" / "gloamet" / "data" / "climate.npz"


def main() -> None:
    """Average and write: linke (12, 180, 360) in twentieths, altitude (360, 720) in steps of 28 m from -450."""
    with h5py.File(SOURCE / "LinkeTurbidities.h5") as file:
        linke = np.asarray(file["LinkeTurbidity"])  # (2160, 4320, 12), from 90 N and 180 W
    side = linke.shape[0] // 180
    linke = linke.reshape(180, side, 360, side, 12).mean((1, 3)).transpose(2, 0, 1)
    with h5py.File(SOURCE / "Altitude.h5") as file:
        altitude = np.asarray(file["Altitude"], float)
    altitude[altitude == NO_DATA] = SEA_LEVEL
    side = altitude.shape[0] // 360
    altitude = altitude.reshape(360, side, 720, side).mean((1, 3))
    np.savez_compressed(
        TARGET, linke=np.round(linke).astype(np.uint8), altitude=np.round(altitude).astype(np.uint8)
    )
    print(f"{TARGET.name}: {TARGET.stat().st_size / 1e3:.0f} kB")


if __name__ == "__main__":
    main()
