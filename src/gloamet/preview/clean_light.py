# SPDX-License-Identifier: Apache-2.0
"""The light of a film as displayed: with gains, denoised on request, with contact shadow.

A film, the lights it was exposed to, and its balance enter; light (H, W, 3) leaves, None when a newer request came.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from gloamet.light_layers import LIGHTS, Gains
from gloamet.sky.irradiance import open_sky
from gloamet.trace.contact_shadow import contact_shadow_loss
from gloamet.trace.denoise import denoise, match_mean_luminance
from gloamet.trace.film import Film
from gloamet.trace.lights.environment import Environment

Floats = NDArray[np.float32]


def clean_light(
    film: Film,
    lights: Environment | None,
    balance: tuple[Gains, float],
    wanted: bool,
    cancelled: Callable[[], bool],
) -> Floats | None:
    """The light of a film with gains and contact shadow, denoised on request."""
    gains, contact = balance
    light = film.light(gains)
    clean = denoise(light, film, cancelled=cancelled) if wanted else light
    if clean is None:
        return None
    if wanted and any(film.layers[source.name].any() for source in LIGHTS if source.sparse):
        clean = match_mean_luminance(clean, light)
    if contact == 0.0 or lights is None:
        return clean
    loss = _contact_shadow_loss(film, lights, gains, contact, cancelled)
    return None if loss is None else np.asarray(clean - loss, np.float32)


def _contact_shadow_loss(
    film: Film, lights: Environment, gains: Gains, contact: float, cancelled: Callable[[], bool]
) -> Floats | None:
    """What contact shadow takes of the direct light of sky and panorama."""
    loss = np.zeros((film.height, film.width, 3), np.float32)
    for name, env in (("sky", lights), ("panorama", lights.panorama)):
        if env is None or not film.layers[name].any():
            continue
        direct = denoise(film.mean(name) - film.mean(f"{name}_indirect"), film, cancelled=cancelled)
        if direct is None:
            return None
        arguments = direct, film.mean("albedo"), film.mean("normal"), open_sky(env.table), contact
        loss += contact_shadow_loss(*arguments) * np.array(getattr(gains, name).direct, np.float32)
    return loss
