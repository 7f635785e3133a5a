"""Make the sixteen-band table of gloamet.sky.spectrum from the reference libraries and print it.

In: the extraterrestrial spectrum of ASTM G173-03 and the ozone absorption of Leckner (both through pvlib),
the CIE 1931 2-degree observer (through colour-science). Out: Python rows to paste into the module.
"""

from __future__ import annotations

import colour
import numpy as np
from pvlib.spectrum import get_reference_spectra
from pvlib.spectrum.spectrl2 import _SPECTRL2_COEFFS

from gloamet.sky.spectrum import rayleigh_optical_depth

BANDS = 16


def main() -> None:
    """Average every quantity over 25 nm bands, weighted by what the eye sees of the sun's light."""
    sun = get_reference_spectra(standard="ASTM G173-03")["extraterrestrial"]
    fine = np.arange(380.0, 780.0, 0.5)
    irradiance = np.interp(fine, sun.index, sun.to_numpy())
    observer = colour.MSDS_CMFS["CIE 1931 2 Degree Standard Observer"]
    cmf = np.stack([np.interp(fine, observer.wavelengths, observer.values[:, k]) for k in range(3)], 1)
    ozone = np.interp(fine, _SPECTRL2_COEFFS["wavelength"], _SPECTRL2_COEFFS["ozone_absorption"])
    tau = rayleigh_optical_depth(fine)
    edges = np.linspace(380.0, 780.0, BANDS + 1)
    for low, high in zip(edges[:-1], edges[1:], strict=True):
        band = (fine >= low) & (fine < high)
        seen = irradiance[band] * cmf[band].sum(1)
        effective_tau = (tau[band] * seen).sum() / seen.sum()
        wavelength = np.interp(-effective_tau, -tau, fine)
        xyz = 683.002 * 0.5 * (irradiance[band, None] * cmf[band]).sum(0)
        absorption = (ozone[band] * irradiance[band]).sum() / irradiance[band].sum()
        print(f"        [{wavelength:.2f}, {xyz[0]:.2f}, {xyz[1]:.2f}, {xyz[2]:.2f}, {absorption:.5f}],")


if __name__ == "__main__":
    main()
