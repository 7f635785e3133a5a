# SPDX-License-Identifier: Apache-2.0
"""Kinds of particles: wavelength dependence, single-scattering albedo and asymmetry of their scattering.

A name enters, a `ParticleKind` leaves. Values are those of the kinds of aerosol in OPAC at 80 % of humidity and 550 nm
[1], from memory; the phase function is a double Henyey-Greenstein whose mean cosine is the kind's own.

[1] Hess, Koepke, Schult, "Optical properties of aerosols and clouds: the software package OPAC", Bull. Amer. Meteor.
    Soc. 79 (1998), table 4.
"""

from __future__ import annotations

from typing import Literal, NamedTuple

BACKWARD_G, FORWARD_SHARE = (
    -0.45,
    0.93,
)  # of the lobe towards the light, and of the one away from it (practice)

KindName = Literal["rural", "urban", "maritime", "dust"]


class ParticleKind(NamedTuple):
    """angstrom_exponent: of extinction over wavelength; albedo: single-scattering albedo, 0..1; asymmetry: mean cosine
    of scattering; words: where it is met."""

    angstrom_exponent: float
    albedo: float
    asymmetry: float
    description: str

    @property
    def forward_g(self) -> float:
        """Parameter of the lobe away from the light that gives the phase function its asymmetry."""
        return (self.asymmetry - (1.0 - FORWARD_SHARE) * BACKWARD_G) / FORWARD_SHARE


# rural lies between OPAC's clean and average continental kinds (0.972 and 0.925; exponents 1.10 to 1.42)
PARTICLES: dict[KindName, ParticleKind] = {
    "rural": ParticleKind(1.3, 0.95, 0.7125, "Fields and woods"),
    "urban": ParticleKind(1.28, 0.817, 0.689, "Towns: sooty, absorbing"),
    "maritime": ParticleKind(0.10, 0.997, 0.772, "Sea air: white, bright around the sun"),
    "dust": ParticleKind(0.19, 0.888, 0.729, "Desert: pale"),
}
# Droplets of mist, larger than any of those: nearly white, forward-scattering, swallowing next to nothing (practice)
HAZE = ParticleKind(0.3, 0.98, 0.80, "Mist near the ground")
