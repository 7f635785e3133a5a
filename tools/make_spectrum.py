# SPDX-License-Identifier: Apache-2.0
"""Make the sixteen-band table of gloamet.sky.spectrum from the reference libraries and print it.

In: the extraterrestrial spectrum of ASTM G173-03, the ozone absorption of Leckner and the water vapour absorption of
Bird & Riordan 1986 (all through pvlib),
the CIE 1931 2-degree observer (through colour-science). Out: Python rows to paste into the module.
"""

from __future__ import annotations

import colour
import numpy as np
from pvlib.spectrum import get_reference_spectra
from pvlib.spectrum.spectrl2 import _SPECTRL2_COEFFS

from gloamet.sky.spectrum import rayleigh_optical_depth

BANDS = 16
WATER_CM, AIR_MASS = 1.5, 4.0  # at which water's bands, which saturate, are taken for straight lines


def main() -> None:
    """Average every quantity over 25 nm bands, weighted by what the eye sees of the sun's light."""
    sun = get_reference_spectra(standard="ASTM G173-03")["extraterrestrial"]
    fine = np.arange(380.0, 780.0, 0.5)
    irradiance = np.interp(fine, sun.index, sun.to_numpy())
    observer = colour.MSDS_CMFS["CIE 1931 2 Degree Standard Observer"]
    cmf = np.stack([np.interp(fine, observer.wavelengths, observer.values[:, k]) for k in range(3)], 1)
    ozone = np.interp(fine, _SPECTRL2_COEFFS["wavelength"], _SPECTRL2_COEFFS["ozone_absorption"])
    coefficients = np.interp(fine, _SPECTRL2_COEFFS["wavelength"], _SPECTRL2_COEFFS["water_vapor_absorption"])
    path = coefficients * WATER_CM * AIR_MASS
    water = 0.2385 * path / (1.0 + 20.07 * path) ** 0.45 / (WATER_CM * AIR_MASS)  # Bird & Riordan 1986, eq. 8
    tau = rayleigh_optical_depth(fine)
    edges = np.linspace(380.0, 780.0, BANDS + 1)
    for low, high in zip(edges[:-1], edges[1:], strict=True):
        band = (fine >= low) & (fine < high)
        seen = irradiance[band] * cmf[band].sum(1)
        effective_tau = (tau[band] * seen).sum() / seen.sum()
        wavelength = np.interp(-effective_tau, -tau, fine)
        xyz = 683.002 * 0.5 * (irradiance[band, None] * cmf[band]).sum(0)
        absorption = (ozone[band] * irradiance[band]).sum() / irradiance[band].sum()
        wet = (water[band] * irradiance[band]).sum() / irradiance[band].sum()
        row = f"{wavelength:.2f}, {xyz[0]:.2f}, {xyz[1]:.2f}, {xyz[2]:.2f}, {absorption:.5f}, {wet:.5f}"
        print(f"        [{row}],")


if __name__ == "__main__":
    main()
