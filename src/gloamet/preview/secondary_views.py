# SPDX-License-Identifier: Apache-2.0
"""The secondary pictures: the plan, and a thumbnail per named view.

A request, the stage and its light enter; `PlanFrame` and `Thumbnail` leave through the worker's callback. Each is
made again only when what it shows has changed.
"""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from gloamet.develop.display import develop_screen
from gloamet.document.model import Document
from gloamet.document.stage import CameraView
from gloamet.meter.picture import automatic_ev, limit_night_exposure
from gloamet.preview.events import Event, PlanFrame, Thumbnail
from gloamet.preview.requests import PlanRequest, RenderRequest
from gloamet.stage.assembly import camera_from_view
from gloamet.trace.denoise import denoise
from gloamet.trace.film import Film, Renderer
from gloamet.trace.lights.environment import Environment
from gloamet.trace.render_scene import RenderScene
from gloamet.translation.document_to_picture import develop_settings, gains_from_document
from gloamet.translation.saved_picture import surfaces_of_film

THUMB, THUMB_SAMPLES = (120, 80), 12
FEWEST_PIXELS = 20_000.0  # of a preview


def small_film(size: tuple[int, int], pixels: float) -> Film:
    """An empty film of the shape of `size`, with about so many pixels and no more than that has."""
    shrink = max(1.0, math.sqrt(size[0] * size[1] / max(FEWEST_PIXELS, pixels)))
    return Film(max(16, int(size[0] / shrink)), max(16, int(size[1] / shrink)))


class SecondaryViews:
    """What was drawn, and of what."""

    def __init__(self, report: Callable[[Event], None], stale: Callable[[], bool]) -> None:
        self._report, self._superseded = report, stale
        self._plan: tuple[object, PlanRequest, int] | None = None
        self._thumbs: dict[CameraView, tuple[RenderScene, Environment]] = {}

    def draw_plan(
        self,
        request: RenderRequest,
        renderer: Renderer,
        compiled: RenderScene,
        lights: Environment,
        light_inputs: object,
        samples: int,
        pixels: float = math.inf,
    ) -> None:
        """The plan at a few samples, again when anything it shows has changed; the first sample is never given up."""
        plan = request.plan
        if plan is None or (samples > 1 and self._superseded()):
            return
        key = ((compiled, light_inputs), plan, samples)
        if self._plan is not None and self._plan[:2] == key[:2] and self._plan[2] >= samples:
            return
        film = small_film((plan.width, plan.height), pixels)
        stop = self._superseded if samples > 1 else lambda: False
        if not renderer.accumulate(film, compiled, lights, plan.camera, samples, cancelled=stop):
            return
        picture = self._developed(request.document, film, lights)
        if picture is not None:
            self._plan = key
            self._report(PlanFrame(picture, plan.camera))

    def draw_thumbs(
        self,
        document: Document,
        renderer: Renderer,
        compiled: RenderScene,
        lights: Environment,
        in_this_light: bool = False,
    ) -> None:
        """Small pictures of the views that have none of this stage, or of this stage in this light."""
        views = [named.view for named in document.stage.views]
        self._thumbs = {view: made for view, made in self._thumbs.items() if view in views}
        for view in views:
            made = self._thumbs.get(view)
            if made is not None and made[0] is compiled and (made[1] is lights or not in_this_light):
                continue
            film, camera = Film(*THUMB), camera_from_view(view)
            if not renderer.accumulate(
                film, compiled, lights, camera, THUMB_SAMPLES, cancelled=self._superseded
            ):
                return
            picture = self._developed(document, film, lights)
            if picture is None:
                return
            self._thumbs[view] = (compiled, lights)
            self._report(Thumbnail(view, picture))

    def _developed(self, document: Document, film: Film, lights: Environment) -> NDArray[np.uint8] | None:
        """A small film cleaned and developed by its own meter."""
        gains = gains_from_document(document, lights.sky_colour)
        clean = denoise(film.light(gains), film, cancelled=self._superseded)
        if clean is None:
            return None
        ev = automatic_ev(clean, surfaces_of_film(film))
        settings = develop_settings(document, limit_night_exposure(ev)).point_operations()
        return develop_screen(clean, settings)
