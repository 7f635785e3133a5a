# SPDX-License-Identifier: Apache-2.0
"""Contact shadow: the occluded fraction of the open sky, removed from the light of the sky.

The direct light of a sky on a picture with its albedo and normals, and what that sky gives in the open, enter; what
is to be taken off leaves. A surface that sees all of the sky loses nothing, one that sees none of it has nothing to
lose.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from gloamet.colour.spaces import AP1_LUMINANCE
from gloamet.sky.irradiance import irradiance

Floats = NDArray[np.float32]
LEAST_ALBEDO = 0.02  # below which a surface shows its gloss more than its shade


def sky_visibility(direct: Floats, albedo: Floats, normal: Floats, sky: NDArray[np.float64]) -> Floats:
    """Share (H, W) of the open sky's light that reaches what a picture shows, 0..1; 1 where it shows sky. direct is
    the light (H, W, 3) that the sky gives it without bounces, sky the coefficients of `sky.irradiance.open_sky`."""
    weights = AP1_LUMINANCE.astype(np.float32)
    length = np.sqrt((normal * normal).sum(-1))
    facing = normal / np.maximum(length, 1e-6)[..., None]
    in_open = np.maximum(irradiance(sky, facing) @ AP1_LUMINANCE, 1e-12) * (albedo @ weights) / np.pi
    fraction = (direct @ weights) / np.maximum(in_open, 1e-12)
    shows = (length > 0.5) & ((albedo @ weights) > LEAST_ALBEDO)
    return np.asarray(np.where(shows, np.clip(fraction, 0.0, 1.0), 1.0), np.float32)


def contact_shadow_loss(
    direct: Floats, albedo: Floats, normal: Floats, sky: NDArray[np.float64], fraction: float
) -> Floats:
    """Compute the light that a contact shadow removes from the sky.

    Parameters
    ----------
    direct : ndarray
        Direct light of the sky, AP1 cd/m², (H, W, 3).
    albedo : ndarray
        Albedo in AP1, (H, W, 3).
    normal : ndarray
        Unit normals, (H, W, 3).
    sky : ndarray
        Harmonic coefficients of the open sky, (9, 3).
    fraction : float
        Strength, 0 to 1.

    Returns
    -------
    ndarray
        Light to subtract, (H, W, 3).
    """
    hidden = 1.0 - sky_visibility(direct, albedo, normal, sky)
    return np.asarray(direct * (np.float32(fraction) * hidden)[..., None], np.float32)
