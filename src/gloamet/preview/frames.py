# SPDX-License-Identifier: Apache-2.0
"""From light to frames: metering, contours, developing, enlarging to the window, and reporting.

Light (AP1 cd/m2, (H, W, 3)) enters with the film it is of, or none for a relit one; a `Frame` is reported.
"""

from __future__ import annotations

import math
import time
from collections.abc import Callable
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from gloamet.develop.backdrop import Backdrop, over_backdrop, unpremultiplied
from gloamet.develop.display import ScreenDeveloper, enlarged_pixels
from gloamet.develop.inspect import clipping, false_colour, mask_overlay
from gloamet.develop.masks import MaskPlanes, mask_weights
from gloamet.develop.proofs import proofed_pixels
from gloamet.develop.settings import DevelopSettings
from gloamet.document.model import Document
from gloamet.light_layers import Gains
from gloamet.meter.picture import SeenSurfaces
from gloamet.meter.spot import light_at
from gloamet.output.layers import StoredLayers, layers_of_film
from gloamet.preview.events import Event, Frame
from gloamet.preview.light_shafts import LightShaftPreview
from gloamet.preview.mask_source import MaskSource
from gloamet.preview.relighting import Relighting, RelightView
from gloamet.preview.requests import RenderRequest
from gloamet.trace.contours import MAP_SCALE, composite_lines, contours
from gloamet.trace.film import Film, Renderer, pixel_region
from gloamet.trace.first_hits import SOLID, first_hits
from gloamet.trace.pixel_distances import far_parts
from gloamet.trace.quality import QUALITIES
from gloamet.trace.upsample import resize_bilinear
from gloamet.translation.document_to_aerial import AerialPerspective
from gloamet.translation.document_to_picture import (
    Exposure,
    backdrop_from_document,
    develop_settings,
    exposure_from_document,
    gains_from_document,
    masks_from_document,
)
from gloamet.translation.final_render import NextPass, StopCriterion
from gloamet.translation.saved_picture import surfaces_of_film

Floats = NDArray[np.float32]
LAYERS_FROM = 4  # samples: copying the lights takes 40 ms, for which the first exact picture must not wait
# Pixels metered while a hand moves, in a tenth of the time: 0.06 EV above all of them on average, 0.11 at most, in
# fifteen pictures of the three demos.
METERED_PIXELS = 8192
METER_INTERVAL_S = 0.1
FIRST_SPEED = 800_000.0  # paths a second until it is measured


def _thinned(picture: Floats) -> Floats:
    """About METERED_PIXELS pixels of a picture, in even steps."""
    step = max(1, round(math.sqrt(picture.shape[0] * picture.shape[1] / METERED_PIXELS)))
    return np.ascontiguousarray(picture[::step, ::step])


def _resized(plane: Floats, shape: tuple[int, int]) -> Floats:
    """A plane (H, W) at another size."""
    return np.ascontiguousarray(resize_bilinear(plane[..., None], shape)[..., 0])


def _over_backdrop(pixels: NDArray[np.uint8], transparency: Floats, backdrop: Backdrop) -> NDArray[np.uint8]:
    """Developed pixels (H, W, 4) over a backdrop."""
    codes = pixels[..., :3].astype(np.float32) / np.float32(255.0)
    over = over_backdrop(codes, _resized(transparency, codes.shape[:2]), backdrop)
    out = np.full_like(pixels, 255)
    out[..., :3] = np.round(255.0 * over)
    return out


def stop_criterion_of(document: Document, film: Film) -> StopCriterion:
    """When the picture on the desk is done."""
    quality = QUALITIES[document.stage.quality]
    region = pixel_region(document.stage.rectangle, film.width, film.height)
    return StopCriterion(
        document.output.samples, quality.noise, quality.bounces, region, gains_from_document(document)
    )


class FrameMaker:
    """Develops what the viewport has. The viewport sets `view`, `air`, `gains`, `shafts`, `renderer`, `speed` (paths a
    second), `started` and `incident_ev`."""

    def __init__(
        self,
        report: Callable[[Event], None],
        relighting: Relighting,
        relight_state: Callable[[], tuple[bool, bool]],
        stale: Callable[[], bool],
    ) -> None:
        self._report, self._relighting, self._relight_state = report, relighting, relight_state
        self._stale = stale
        self._ink: tuple[object, Floats] | None = None
        self.view: RelightView | None = None
        self.air: AerialPerspective | None = None
        self.gains = Gains()
        self.settings = DevelopSettings(14.0)  # of the picture that was shown last
        self.incident_ev = math.nan  # what a meter on horizontal ground reads
        self._developer, self._masks = ScreenDeveloper(), MaskSource(relighting)
        self._metered_ev, self._meter_at = math.nan, -math.inf  # read last, and when it is read again
        self._spots: tuple[tuple[float, float, float], ...] = ()
        self._layers: tuple[Film, float, StoredLayers] | None = None
        self.light_shafts = LightShaftPreview()
        self.renderer: Renderer | None = None
        self.speed = FIRST_SPEED
        self.started = 0.0  # when the film that is shown was begun

    def show(
        self,
        request: RenderRequest,
        film: Film | None,
        picture: Floats,
        step: NextPass | None,
        ahead: Callable[[], None] = lambda: None,
        moving: bool = False,
    ) -> None:
        """Turn light into pixels and report them; film is None for a relit picture, step for all that is not exact.

        `ahead` is called before the window gets the picture. `moving` is for a picture relit while a hand moves: it
        may have a film too, whose light is the same; fewer pixels are metered.
        """
        document = request.document
        seen = self._relighting.seen() if film is None else surfaces_of_film(film)
        picture = self.light_shafts.over(picture, self.gains, self._stale)
        picture = self._through_air(picture, None if moving else film, moving)
        exposure = self._exposure_of(request, picture, seen, moving)
        self.settings = develop_settings(document, exposure.ev)
        self._spots = tuple(light_at(picture, spot.x, spot.y) for spot in document.fill.spots)
        picture = self._inked(document, picture, step is not None)
        # a relit picture is small: made large here, it does not hold up the window
        size = (request.width, request.height) if step is None else None
        planes = self._masks.planes(masks_from_document(document), film, self.gains, self.view)
        shown = None if moving else film
        pixels = self._developed(document, picture, exposure.ev, shown, size, planes)
        inspected = self._inspected(request, picture, pixels, size, planes)
        ahead()
        frame = self._frame(document, film, pixels, exposure, step)
        layers = None
        if film is not None and step is not None and film.mean_samples() >= LAYERS_FROM:
            layers = self._layers_of(film)
        self._report(replace(frame, inspected=inspected, light=picture, layers=layers))

    def _exposure_of(
        self, request: RenderRequest, picture: Floats, seen: SeenSurfaces, moving: bool
    ) -> Exposure:
        """The exposure of a picture; while a hand moves under a held one, the meter is read ten times a second."""
        document, held, now = request.document, request.held_ev, time.monotonic()
        if moving and held is not None and document.expose.automatic and now < self._meter_at:
            return Exposure(held, self._metered_ev)
        metered = _thinned(picture) if moving and document.expose.metering != "spot" else picture
        exposure = exposure_from_document(document, metered, seen, lambda: self.incident_ev, held)
        self._metered_ev, self._meter_at = exposure.metered_ev, now + METER_INTERVAL_S
        return exposure

    def _layers_of(self, film: Film) -> StoredLayers:
        """The lights of a film apart, copied once for what it has."""
        samples = film.mean_samples()
        if self._layers is None or self._layers[0] is not film or self._layers[1] != samples:
            self._layers = (film, samples, layers_of_film(film))
        return self._layers[2]

    def beside(
        self, document: Document, picture: Floats, air: AerialPerspective | None
    ) -> tuple[NDArray[np.uint8], float]:
        """A relit picture under another document's light, at that document's own exposure: pixels, and its EV."""
        assert self.renderer is not None and self.view is not None
        if air is not None:
            picture = air.over(picture, self._relighting.distances(picture.shape), self.renderer.pool)
        seen = self._relighting.seen()
        ev = exposure_from_document(document, picture, seen, lambda: self.incident_ev).ev
        picture = self._inked(document, picture, exact=True)
        planes = self._masks.planes(masks_from_document(document), None, self.gains, self.view)
        return self._developed(document, picture, ev, None, (self.view.width, self.view.height), planes), ev

    def _inspected(
        self,
        request: RenderRequest,
        picture: Floats,
        pixels: NDArray[np.uint8],
        size: tuple[int, int] | None,
        planes: MaskPlanes,
    ) -> NDArray[np.uint8] | None:
        """The inspection picture, None when none is requested."""
        masks, (word, _, number) = masks_from_document(request.document), request.inspect.partition(" ")
        if request.inspect == "clipping":
            return clipping(pixels)
        if word == "proof":
            return proofed_pixels(pixels, request.inspect.removeprefix("proof "))
        if request.inspect == "false colour":
            seen = false_colour(picture, self.settings)
            return seen if size is None else enlarged_pixels(seen, size)
        if word == "mask" and int(number) < len(masks):
            shape = (pixels.shape[0], pixels.shape[1])
            return mask_overlay(pixels, mask_weights(masks[int(number)], shape, planes))
        return None

    def _developed(
        self,
        document: Document,
        picture: Floats,
        ev: float,
        film: Film | None,
        size: tuple[int, int] | None,
        planes: MaskPlanes,
    ) -> NDArray[np.uint8]:
        """Light as pixels, over the document's backdrop."""
        backdrop = backdrop_from_document(document)
        settings = develop_settings(document, ev)
        guided = film is None and self._relighting.enlarges(picture.shape)
        transparency = None if backdrop is None else self._transparency(picture.shape[:2], film)
        if transparency is not None:
            picture = unpremultiplied(picture, transparency)
        pixels = self._developer.develop(picture, settings, None if guided else size, planes)
        if guided:
            pixels = self._relighting.enlarged(pixels)
            if size is not None and pixels.shape[:2] != size[::-1]:
                pixels = enlarged_pixels(pixels, size)
        if backdrop is None or transparency is None:
            return pixels
        return _over_backdrop(pixels, transparency, backdrop)

    def _through_air(self, picture: Floats, film: Film | None, moving: bool) -> Floats:
        """A picture through the air in front of what it shows."""
        if self.air is None or self.renderer is None:
            return picture
        if film is None:
            parts = self._relighting.distances(picture.shape, plain=moving)
            return self.air.over(picture, parts, self.renderer.pool)
        # a preview was made larger along edges
        depth, near = (_resized(film.mean(name), picture.shape[:2]) for name in ("depth", "near"))
        return self.air.over(picture, far_parts(depth, near), self.renderer.pool)

    def _transparency(self, shape: tuple[int, int], film: Film | None) -> Floats:
        """The fraction of each pixel of a picture that sees past all objects."""
        transparency = self._relighting.transparency(shape) if film is None else film.mean("transparency")
        return transparency if transparency.shape == shape else _resized(transparency, shape)

    def _inked(self, document: Document, picture: Floats, exact: bool) -> Floats:
        plaster, view = document.stage.plaster, self.view
        if not (plaster.on and plaster.contours) or view is None or self.renderer is None:
            return picture
        h, w = picture.shape[:2]
        key = (view.compiled.geometry, *view[1:], plaster.contour_px)
        if self._ink is None or self._ink[0] != key:
            if not exact:
                return picture
            pool = self.renderer.pool
            maps = first_hits(view.compiled, view.camera, MAP_SCALE * w, MAP_SCALE * h, pool, SOLID)
            self._ink = (key, contours(maps, plaster.contour_px, MAP_SCALE))
        return composite_lines(picture, resize_bilinear(self._ink[1][..., None], (h, w))[..., 0])

    def _frame(
        self,
        document: Document,
        film: Film | None,
        pixels: NDArray[np.uint8],
        exposure: Exposure,
        step: NextPass | None,
    ) -> Frame:
        goal, samples = QUALITIES[document.stage.quality].noise, 0
        if film is not None:
            samples = round(film.mean_samples(stop_criterion_of(document, film).region))
        frame = Frame(
            pixels,
            samples,
            document.output.samples,
            *exposure,
            False,
            0.0,
            0.0,
            goal=goal,
            document=document,
            relight_state=self._relight_state(),
            spots=self._spots,
        )
        if step is None:
            return frame
        left = 0.0 if step.done else step.paths_left / self.speed
        seconds = time.monotonic() - self.started
        return replace(
            frame, exact=True, seconds=seconds, seconds_left=left, noise=step.noise, done=step.done
        )
