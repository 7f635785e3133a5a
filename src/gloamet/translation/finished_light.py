# SPDX-License-Identifier: Apache-2.0
"""Finished light of a film: the layers without noise under the gains of the document, their sum, and contours.

A document and the film of a render enter; `FinishedLight` in AP1 cd/m2 leaves, for developing and saving.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import numpy as np

from gloamet.colour.balance import apply_gain
from gloamet.document.model import Document
from gloamet.light_layers import EVEN, LIGHTS, Gain
from gloamet.sky.irradiance import open_sky
from gloamet.stage.camera import Camera
from gloamet.thread_pool import shared_pool
from gloamet.trace.contact_shadow import contact_shadow_loss
from gloamet.trace.contours import MAP_SCALE, composite_lines, contours
from gloamet.trace.denoise import denoise_prefiltered, match_mean_luminance
from gloamet.trace.film import Film
from gloamet.trace.first_hits import SOLID, first_hits
from gloamet.trace.lights.environment import (
    Environment,
)
from gloamet.trace.render_scene import RenderScene
from gloamet.translation.document_to_light import (
    Floats,
)
from gloamet.translation.document_to_picture import (
    gains_from_document,
)
from gloamet.translation.final_render import StopCriterion


@dataclass(frozen=True)
class FinishedLight:
    """The finished light of a film, AP1 cd/m2 (H, W, 3): the whole, its parts by name, which add up to it, and what of
    these has bounced."""

    whole: Floats
    parts: dict[str, Floats]
    indirect: dict[str, Floats] = field(default_factory=dict)

    def through(self, fraction: Floats, added: Floats, name: str) -> FinishedLight:
        """The light through something that lets a fraction of it by and adds light of its own, one more part."""
        parts = {key: part * fraction for key, part in self.parts.items()}
        indirect = {key: part * fraction for key, part in self.indirect.items()}
        return FinishedLight(self.whole * fraction + added, {**parts, name: added}, indirect)


def stop_criterion(document: Document) -> StopCriterion:
    """Make the stop criterion of a saved picture.

    Parameters
    ----------
    document : Document
        The document.

    Returns
    -------
    StopCriterion
        Samples, noise and gains.
    """
    out = document.output
    return StopCriterion(out.samples, out.noise / 100.0 or None, gains=gains_from_document(document))


def finished_light(
    document: Document, film: Film, clean: bool, lights: Environment | None = None
) -> FinishedLight:
    """The film under the document's gains, each part without noise when asked. `lights` are those it was exposed to:
    without them the sky's saturation and contact shadow are left out."""
    gains = gains_from_document(document, EVEN if lights is None else lights.sky_colour)._asdict()
    shining = [light for light in LIGHTS if film.layers[light.name].any()]
    parts: dict[str, Floats] = {light.name: film.mean(light.name) for light in LIGHTS}
    indirect_parts = {light.indirect: film.mean(light.indirect) for light in shining}
    if clean:
        noisy = [parts[light.name] - indirect_parts[light.indirect] for light in shining] + list(
            indirect_parts.values()
        )
        cleaned = denoise_prefiltered(noisy, film)
        assert cleaned is not None  # nobody cancels
        for k, light in enumerate(shining):
            direct, indirect = cleaned[k], cleaned[k + len(shining)]
            if light.sparse:
                indirect = match_mean_luminance(indirect, noisy[k + len(shining)])
                direct = match_mean_luminance(direct, noisy[k])
            parts[light.name], indirect_parts[light.indirect] = direct + indirect, indirect
    if lights is not None and document.fill.contact_shadow > 0.0:
        _subtract_contact_shadow(document.fill.contact_shadow, film, lights, parts, indirect_parts)
    for light in shining:
        gain: Gain = gains[light.name]
        indirect = indirect_parts[light.indirect]
        parts[light.name] = apply_gain(parts[light.name], indirect, *gain)
        indirect_parts[light.indirect] = indirect * np.array(gain.indirect, np.float32)
    whole = np.zeros_like(parts[LIGHTS[0].name])
    for part in parts.values():
        whole += part
    return FinishedLight(whole, parts, indirect_parts)


def _subtract_contact_shadow(
    fraction: float,
    film: Film,
    lights: Environment,
    parts: dict[str, Floats],
    indirect_parts: dict[str, Floats],
) -> None:
    """Take contact shadow off the direct light of sky and panorama."""
    albedo, normal = film.mean("albedo"), film.mean("normal")
    for light, env in (("sky", lights), ("panorama", lights.panorama)):
        if env is not None and f"{light}_indirect" in indirect_parts:
            direct = parts[light] - indirect_parts[f"{light}_indirect"]
            parts[light] = parts[light] - contact_shadow_loss(
                direct, albedo, normal, open_sky(env.table), fraction
            )


def with_contours(
    document: Document, compiled: RenderScene, camera: Camera, light: FinishedLight
) -> FinishedLight:
    """The whole under ink contours, when the document's plaster wants them; the layers stay plain."""
    plaster = document.stage.plaster
    if not (plaster.on and plaster.contours):
        return light
    height, width = light.whole.shape[:2]
    finer = MAP_SCALE if height <= 2200 else 1
    pool = shared_pool()
    maps = first_hits(compiled, camera, finer * width, finer * height, pool, SOLID)
    cover = contours(maps, plaster.contour_px, finer)
    return replace(light, whole=composite_lines(light.whole, cover))
