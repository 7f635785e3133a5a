# SPDX-License-Identifier: Apache-2.0
"""The state of the air in the field's own quantities, and its optical depths.

Turbidity, haze and ground reflectance enter; optical depths per band leave. Linke turbidity and
visibility are readouts of the same state, never second controls.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from gloamet.colour.spaces import XYZ_TO_AP1
from gloamet.sky.particles import HAZE, PARTICLES, KindName, ParticleKind
from gloamet.sky.spectrum import (
    OZONE_PER_ATM_CM,
    SOLAR_XYZ_LX,
    WATER_PER_CM,
    WAVELENGTH_NM,
    rayleigh_optical_depth,
)

Array = NDArray[np.float64]

TURBIDITY_PER_AOD = 10.3  # T = 1 + AOD550 / Rayleigh optical depth at 550 nm
AEROSOL_HEIGHT_KM = 1.5
DOBSON_PER_ATM_CM = 1000.0
KOSCHMIEDER = 3.912  # ln 50: 2 % contrast (Koschmieder 1924)
RAYLEIGH_PER_KM_550 = 0.0116  # extinction of clean air at sea level, 550 nm
PRECIPITABLE_WATER_CM, WATER_HEIGHT_M = 1.5, 2000.0  # common practice; the height at which a third is left
GREY = (1.0, 1.0, 1.0)
# where a ground's reflectance goes over from blue to green and on to red, and how softly (chosen by eye)
CROSSINGS_NM, CROSSING_WIDTH_NM = (490.0, 585.0), 15.0


@dataclass(frozen=True)
class Air:
    """What the artist sets: turbidity >= 1 (1 is perfectly clean), haze_visibility_km the visibility inside the haze
    layer (None: no haze) and haze_height_m the scale height of that layer, ground_reflectance 0..1, altitude_m of the
    site above the sea, ozone_du the column of ozone in Dobson units, particles the kind of aerosol, ground_tint the
    ground's hue in AP1, of luminance 1."""

    turbidity: float = 2.5
    haze_visibility_km: float | None = None
    ground_reflectance: float = 0.2
    altitude_m: float = 0.0
    ozone_du: float = 300.0
    haze_height_m: float = 300.0
    particles: KindName = "rural"
    ground_tint: tuple[float, float, float] = GREY

    @property
    def kind(self) -> ParticleKind:
        """The particles' own numbers."""
        return PARTICLES[self.particles]

    @property
    def haze_height_km(self) -> float:
        """Scale height of the haze layer."""
        return self.haze_height_m / 1000.0

    @property
    def pressure_ratio(self) -> float:
        """Air pressure at the site over that at sea level (ISO 2533, standard atmosphere)."""
        return float((1.0 - 2.25577e-5 * min(self.altitude_m, 11000.0)) ** 5.25588)

    @property
    def aod550(self) -> float:
        """Aerosol optical depth at 550 nm, without the haze layer."""
        return (self.turbidity - 1.0) / TURBIDITY_PER_AOD

    @property
    def haze_per_km(self) -> float:
        """Extinction of the haze layer at the ground, per km."""
        return 0.0 if self.haze_visibility_km is None else KOSCHMIEDER / self.haze_visibility_km

    @property
    def visibility_km(self) -> float:
        """Distance at which a dark object keeps 2 % contrast at the ground (Koschmieder)."""
        total = RAYLEIGH_PER_KM_550 + self.aod550 / AEROSOL_HEIGHT_KM + self.haze_per_km
        return KOSCHMIEDER / total

    @property
    def linke_turbidity(self) -> float:
        """Linke turbidity at air mass 2 from broadband optical depth, haze included.

        Kasten, "The Linke turbidity factor based on improved values of the integral Rayleigh optical
        thickness", Solar Energy 56 (1996), with 1.5 cm of precipitable water; the broadband aerosol depth
        is the one at 700 nm (Molineaux et al. 1998).
        """
        mass = 2.0
        aod700 = self.aod550 * (700.0 / 550.0) ** -self.kind.angstrom_exponent
        aod700 += self.haze_per_km * self.haze_height_km * (700.0 / 550.0) ** -HAZE.angstrom_exponent
        clean = -0.101 + 0.235 * mass**-0.16
        water = 0.112 * mass**-0.55 * PRECIPITABLE_WATER_CM**0.34
        return -(9.4 + 0.9 * mass) * np.log(np.exp(-mass * (clean + water + aod700))) / mass


@dataclass(frozen=True)
class OpticalDepths:
    """Vertical optical depths per band, each of shape (16,): extinction of Rayleigh, aerosol, ozone, haze and water
    vapour, and the scattering part of aerosol and haze."""

    rayleigh: Array
    aerosol: Array
    ozone: Array
    haze: Array
    water: Array
    aerosol_scatter: Array
    haze_scatter: Array

    def stacked(self) -> Array:
        """Extinctions in the order of the profile columns, shape (4, 16); water vapour lies among the aerosol."""
        return np.stack([self.rayleigh, self.aerosol + self.water, self.ozone, self.haze])


def turbidity_of_linke(linke: float, particles: KindName = "rural") -> float:
    """Convert Linke turbidity to turbidity.

    Parameters
    ----------
    linke : float
        Linke turbidity of air without haze.
    particles : KindName, optional
        Kind of aerosol.

    Returns
    -------
    float
        Turbidity, 1 to 15.

    Examples
    --------
    >>> round(turbidity_of_linke(float(Air(2.5).linke_turbidity)), 6)
    2.5
    """
    # Linke turbidity is a straight line in aerosol depth, see `Air.linke_turbidity`
    low, high = (float(Air(t, particles=particles).linke_turbidity) for t in (1.0, 2.0))
    return min(max(1.0 + (linke - low) / (high - low), 1.0), 15.0)


def optical_depths(air: Air, wavelength_nm: Array = WAVELENGTH_NM) -> OpticalDepths:
    """Compute the vertical optical depths of the air above the site.

    Parameters
    ----------
    air : Air
        The air.
    wavelength_nm : ndarray, optional
        Wavelengths of the bands, nm, (n,).

    Returns
    -------
    OpticalDepths
        Extinction and scattering by species, (n,) each.
    """
    relative = wavelength_nm / 550.0
    aerosol = air.aod550 * relative**-air.kind.angstrom_exponent
    haze = air.haze_per_km * air.haze_height_km * relative**-HAZE.angstrom_exponent
    ozone = np.interp(wavelength_nm, WAVELENGTH_NM, OZONE_PER_ATM_CM) * air.ozone_du / DOBSON_PER_ATM_CM
    rayleigh = rayleigh_optical_depth(wavelength_nm) * air.pressure_ratio
    water = np.interp(wavelength_nm, WAVELENGTH_NM, WATER_PER_CM)
    water = water * PRECIPITABLE_WATER_CM * np.exp(-air.altitude_m / WATER_HEIGHT_M)
    scattered = air.kind.albedo * aerosol, HAZE.albedo * haze
    return OpticalDepths(rayleigh, aerosol, ozone, haze, water, *scattered)


def ground_albedo(air: Air) -> Array:
    """The ground's reflectance per band, (16,): under sunlight it has the tint's colour and the air's reflectance.

    A smooth sum of a blue, a green and a red part; a tint too strong for it is held to 0..1.
    """
    if air.ground_tint == GREY:
        return np.full(len(WAVELENGTH_NM), air.ground_reflectance)
    first, second = (1.0 / (1.0 + np.exp((at - WAVELENGTH_NM) / CROSSING_WIDTH_NM)) for at in CROSSINGS_NM)
    parts = np.stack([1.0 - first, first - second, second])
    bands = SOLAR_XYZ_LX @ XYZ_TO_AP1.T
    fractions = np.linalg.solve((parts @ bands).T, np.array(air.ground_tint) * bands.sum(0))
    return np.asarray(np.clip(air.ground_reflectance * (fractions @ parts), 0.0, 1.0))
