# SPDX-License-Identifier: Apache-2.0
"""Sunlight above the atmosphere and the optical properties of clean air, in sixteen bands from 380 to 780 nm.

The table is made by tools/make_spectrum.py; wavelengths enter the Rayleigh formula in nanometres, optical
depths leave for sea-level pressure.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike, NDArray

# Columns: effective wavelength (nm); X, Y, Z of the extraterrestrial sun in the band (lx, ASTM G173-03 with
# the CIE 1931 2-degree observer); ozone absorption (per atm-cm, Leckner 1978); absorption of water vapour (per cm of
# precipitable water, at air mass 4 of a sky with 1.5 cm of it; Bird & Riordan, J. Climate Appl. Meteorol. 25 (1986)).
BANDS = np.array(
    [
        [398.58, 187.92, 5.23, 890.72, 0.00000, 0.00000],
        [421.55, 3494.46, 114.01, 16850.41, 0.00000, 0.00000],
        [443.00, 10425.34, 872.03, 53298.73, 0.00142, 0.00000],
        [465.54, 7603.96, 2939.84, 47479.06, 0.00856, 0.00000],
        [490.61, 1068.42, 7977.66, 14845.16, 0.02341, 0.00000],
        [518.09, 1787.06, 20527.11, 3466.47, 0.04692, 0.00000],
        [542.69, 10393.12, 30492.11, 623.55, 0.07712, 0.00000],
        [567.36, 22369.03, 29970.57, 89.45, 0.11178, 0.00086],
        [591.72, 31158.28, 22230.78, 33.63, 0.11932, 0.00499],
        [615.79, 25713.25, 12102.52, 7.07, 0.10840, 0.00038],
        [639.75, 11539.78, 4531.83, 0.48, 0.07833, 0.00000],
        [664.03, 2972.68, 1095.66, 0.00, 0.05191, 0.00040],
        [688.46, 555.19, 201.03, 0.00, 0.02806, 0.00210],
        [713.53, 93.09, 33.62, 0.00, 0.01534, 0.02754],
        [738.38, 14.95, 5.40, 0.00, 0.00958, 0.01183],
        [763.54, 2.41, 0.87, 0.00, 0.00449, 0.00004],
    ]
)
WAVELENGTH_NM: NDArray[np.float64] = BANDS[:, 0].copy()
SOLAR_XYZ_LX: NDArray[np.float64] = BANDS[:, 1:4].copy()
OZONE_PER_ATM_CM: NDArray[np.float64] = BANDS[:, 4].copy()
WATER_PER_CM: NDArray[np.float64] = BANDS[:, 5].copy()


def rayleigh_optical_depth(wavelength_nm: ArrayLike) -> NDArray[np.float64]:
    """Vertical Rayleigh optical depth of a standard atmosphere at sea level.

    wavelength_nm: 250-850, any shape. Bodhaine et al., "On Rayleigh Optical Depth Calculations",
    J. Atmos. Oceanic Technol. 16 (1999), eq. 30.

    >>> round(float(rayleigh_optical_depth(550.0)), 4)
    0.0971
    """
    um = np.asarray(wavelength_nm, float) / 1000.0
    top = 1.0455996 - 341.29061 * um**-2 - 0.90230850 * um**2
    return 0.0021520 * top / (1.0 + 0.0027059889 * um**-2 - 85.968563 * um**2)
