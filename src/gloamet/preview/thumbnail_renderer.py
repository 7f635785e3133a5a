# SPDX-License-Identifier: Apache-2.0
"""Thumbnails of one stage in many lights: relit while stage and view are the same, path traced otherwise.

A base document and its stage are laid out once; a document enters, a `LitThumbnail` leaves, developed as that document
says, at its own exposure.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from gloamet.colour.balance import colour_tuple
from gloamet.develop.display import develop_screen
from gloamet.document.model import Document
from gloamet.light_layers import Gain, Gains
from gloamet.meter.light import LightReading, read_light
from gloamet.meter.picture import SeenSurfaces
from gloamet.preview.relighting import Relighting, RelightView
from gloamet.sky.aerial import rotated_to, with_gain
from gloamet.sky.dome import SkyDome
from gloamet.sky.grading import graded_dome
from gloamet.sky.sky_solver import SkySolver
from gloamet.stage.assembly import camera_from_view
from gloamet.trace.denoise import denoise
from gloamet.trace.film import Film, Renderer
from gloamet.trace.lights.environment import Environment
from gloamet.trace.pixel_distances import far_parts
from gloamet.trace.render_scene import RenderScene
from gloamet.translation.document_to_aerial import (
    AerialInputs,
    AerialPerspective,
    aerial_gain,
    aerial_settings,
    light_source_direction,
    panorama_fraction,
    solve_aerial_perspective,
)
from gloamet.translation.document_to_light import (
    SkyInputs,
    environment_from_document,
    grade_from_document,
    panorama_from_document,
    solve_sky,
)
from gloamet.translation.document_to_panorama import PanoramaLight
from gloamet.translation.document_to_picture import (
    develop_settings,
    exposure_from_document,
    gains_from_document,
)
from gloamet.translation.saved_picture import surfaces_of_film

Floats = NDArray[np.float32]
LAMP_SAMPLES, DRAFT_SAMPLES = 12, 24


class LitThumbnail(NamedTuple):
    """Pixels (H, W, 4), its light (h, w, 3) in AP1 cd/m2 with what is seen in it, the EV it is exposed with, what a
    meter on horizontal ground reads, and what the sun gives it directly where that was asked for."""

    pixels: NDArray[np.uint8]
    light: Floats
    seen: SeenSurfaces
    ev: float
    reading: LightReading
    sun: Floats | None = None


class _Lit(NamedTuple):
    dome: SkyDome
    panorama: PanoramaLight | None
    lights: Environment
    sky: SkyInputs
    gains: Gains


def _sun_alone(gains: Gains) -> Gains:
    """The gains of the sun's direct light, without all else."""
    none = (0.0, 0.0, 0.0)
    dark = Gain(none, none)
    return Gains(Gain(gains.sun.direct, none), dark, dark, dark)


class ThumbnailRenderer:
    """A stage at a size, ready to be lit; `cancelled` says when to stop tracing."""

    def __init__(
        self,
        document: Document,
        compiled: RenderScene,
        size: tuple[int, int],
        renderer: Renderer,
        cancelled: Callable[[], bool],
    ) -> None:
        """Lays the stage out for relighting, which takes some seconds; gives up when cancelled."""
        self._base, self._renderer, self.cancelled = document, renderer, cancelled
        self._solver, self._relighting = SkySolver(), Relighting()
        self.view = RelightView(compiled, camera_from_view(document.stage.view), *size)
        lit = self._lit(document)
        while not cancelled() and self._relighting.improve(self.view, lit.lights, renderer, cancelled):
            pass
        if len(compiled.lamps) and not cancelled():
            film = Film(*size)
            if renderer.accumulate(
                film, compiled, lit.lights, self.view.camera, LAMP_SAMPLES, cancelled=cancelled
            ):
                self._relighting.keep_film_light(self.view, film, renderer.pool, cancelled)

    def _lit(self, document: Document) -> _Lit:
        sky = SkyInputs.of(document)
        dome = graded_dome(solve_sky(sky, self._solver), grade_from_document(document))
        panorama = panorama_from_document(document, dome)
        gains = gains_from_document(document, colour_tuple(dome.sky_horizontal))
        return _Lit(dome, panorama, environment_from_document(document, dome, panorama), sky, gains)

    def picture(self, document: Document, with_sun: bool = False) -> LitThumbnail | None:
        """The stage in a document's light; None when cancelled. with_sun tells apart what the sun gives it directly,
        where the stage is relit."""
        lit, view = self._lit(document), self.view
        gains = lit.gains
        second = None if lit.panorama is None else lit.panorama.lighting
        reading = read_light(lit.dome, gains, second)
        front, sun = self._aerial_perspective(document, lit), None
        if document.stage == self._base.stage and self._relighting.ready(view):
            light = self._relighting.lit(lit.lights, gains, True, document.fill.contact_shadow)
            seen, parts = self._relighting.seen(), self._relighting.distances()
            if with_sun:
                sun = self._relighting.lit(lit.lights, _sun_alone(gains), True)
        else:
            film = Film(view.width, view.height)
            camera = camera_from_view(document.stage.view)
            arguments = film, view.compiled, lit.lights, camera, DRAFT_SAMPLES
            if not self._renderer.accumulate(*arguments, cancelled=self.cancelled):
                return None
            clean = denoise(film.light(gains), film, cancelled=self.cancelled)
            if clean is None:
                return None
            light, seen = clean, surfaces_of_film(film)
            parts = far_parts(film.mean("depth"), film.mean("near"))
        if front is not None:
            light = front.over(light, parts, self._renderer.pool)
        ev = exposure_from_document(document, light, seen, lambda: reading.incident_ev).ev
        pixels = develop_screen(light, develop_settings(document, ev), (view.width, view.height))
        return LitThumbnail(pixels, light, seen, ev, reading, sun)

    def _aerial_perspective(self, document: Document, lit: _Lit) -> AerialPerspective | None:
        camera = camera_from_view(document.stage.view)
        second = None if lit.panorama is None else lit.panorama.lighting
        settings = aerial_settings(document, lit.gains, camera, panorama_fraction(lit.dome, second))
        if settings is None:
            return None
        inputs = AerialInputs.of(lit.sky, camera, self.view.width / self.view.height, quick=True)
        table = with_gain(
            solve_aerial_perspective(inputs, lit.dome, self._solver), aerial_gain(document, lit.dome)
        )
        return AerialPerspective(rotated_to(table, *light_source_direction(lit.sky)[0]), settings, camera)
