# SPDX-License-Identifier: Apache-2.0
"""The worker's pictures: previews, the exact picture refined in passes, and the order of secondary views.

Films are kept with the inputs they were exposed for; a newer request stops what became stale between two tiles of rays
and keeps what did not.
"""

from __future__ import annotations

import math
import time
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from functools import partial
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from gloamet.document.model import Document
from gloamet.light_layers import Gains
from gloamet.memo import Memo
from gloamet.preview.clean_light import clean_light
from gloamet.preview.events import BesideFrame, Busy, Event, LightSolved
from gloamet.preview.frames import FrameMaker, stop_criterion_of
from gloamet.preview.lamp_film import LampFilm
from gloamet.preview.light_shafts import LightShaftPreview, LightShaftRequest
from gloamet.preview.relighting import CROSSFADE_END, Relighting, RelightView
from gloamet.preview.requests import RenderRequest
from gloamet.preview.scene_meter import SceneMeter
from gloamet.preview.secondary_views import SecondaryViews, small_film
from gloamet.preview.source_pictures import relit_source_pictures, source_pictures
from gloamet.stage.assembly import camera_from_view
from gloamet.trace.denoise import denoise
from gloamet.trace.film import Film, Renderer
from gloamet.trace.lights.environment import Environment
from gloamet.trace.quality import QUALITIES
from gloamet.trace.relight.cache import RelightCache
from gloamet.trace.render_scene import RenderScene
from gloamet.trace.upsample import FeatureBuffers, features_from_film, upsample
from gloamet.translation.document_to_aerial import AerialPerspective
from gloamet.translation.document_to_picture import gains_from_document
from gloamet.translation.final_render import NextPass, plan_next_pass

PREVIEW_SECONDS = 0.035  # rays of the first picture after a change; cleaning it costs about as much again
SETTLE_SECONDS = 0.12  # a hand that pauses this long lets the full-size picture begin
PASS_SECONDS = 0.25  # of rays between two looks at what the picture still wants
GUIDED_AT = (1, 4, 16)  # samples at which the edges for enlarging previews are taken again
PLAN_SAMPLES = 12
THUMBS_AFTER = 8  # samples of the picture before the views get theirs
KEPT_FILMS = 2  # so that going back to the setting before costs nothing
Floats = NDArray[np.float32]
_NOT_DONE = np.ones((1, 1), np.uint16)  # wanted of a picture shown again, when it is not known to be done


@dataclass(frozen=True)
class LightProvider:
    """The light of a request with its inputs, and what is to be done about it: `air` gives the air in front of a view,
    `exact` the lights and the air of rest after dragging, `other` those of another document with what the meter says,
    `idle` is called then, and after the first step of a cache, `ahead` before a relit picture is handed out."""

    inputs: object
    lights: Environment
    incident_ev: float
    air: Callable[[RelightView], AerialPerspective | None]
    exact: Callable[[RelightView], tuple[Environment, AerialPerspective | None]]
    other: Callable[[Document, RelightView], tuple[Environment, AerialPerspective | None, LightSolved]]
    idle: Callable[[RelightView], None]
    ahead: Callable[[], None]


class FilmInputs(NamedTuple):
    """What a film is exposed with: the view, the inputs of its light, and how many bounces."""

    view: RelightView
    light: object
    bounces: int


@dataclass(eq=False)
class Exposed:
    """A film and what was made of it: its clean picture with what that depends on, and what was shown last with the
    pass it came from."""

    inputs: FilmInputs
    film: Film
    started: float = field(default_factory=time.monotonic)
    clean: tuple[object, Floats] | None = None
    shown: tuple[Floats, NextPass] | None = None


class ViewportRenderer:
    """Films and what was made of them."""

    def __init__(self, report: Callable[[Event], None], stale: Callable[[], bool]) -> None:
        self._report, self._superseded = report, stale
        self._renderer: Renderer | None = None
        self._films: Memo[Exposed] = Memo(_begin_film, KEPT_FILMS)
        self._exposed: Exposed | None = None  # the film of this request, None while it has none
        self._relit_shown: Floats | None = None  # the relit picture that is shown
        self._previewed: Film | None = None  # the film of the last preview, until a cache has taken its lamps
        self._guides: tuple[object, FeatureBuffers, int] | None = None
        self._beside = SecondaryViews(report, stale)
        self._relighting = Relighting()
        self._lamps = LampFilm(self._superseded, self._relighting)
        self._frames = FrameMaker(report, self._relighting, lambda: self.relight_state, stale)
        self._is_other_medium = LightShaftPreview()  # before the picture that is compared with
        self._meter = SceneMeter(report)
        self._balance: tuple[Gains, float] | None = None  # gains and contact shadow of what was shown last
        self._lights: Environment | None = None
        self._view: RelightView | None = None

    @property
    def renderer(self) -> Renderer:
        """The threads that trace, started when they are first needed."""
        if self._renderer is None:
            self._report(Busy("Building the ray structure"))
            self._renderer = self._frames.renderer = Renderer()
        return self._renderer

    def show(
        self, request: RenderRequest, compiled: RenderScene, sky: LightProvider, has_picture: bool = False
    ) -> None:
        """Bring the picture up to date and refine it; with `has_picture` a preview would be no gain."""
        quality = QUALITIES[request.document.stage.quality]
        size = (max(16, int(side * quality.scale)) for side in (request.width, request.height))
        camera = camera_from_view(request.document.stage.view)
        self._frames.incident_ev = sky.incident_ev
        self._view = self._frames.view = view = RelightView(compiled, camera, *size)
        inputs, lights = FilmInputs(view, sky.inputs, quality.bounces), sky.lights
        gains = self._frames.gains = gains_from_document(request.document, lights.sky_colour)
        balance, self._lights = (gains, request.document.fill.contact_shadow), lights
        before, self._exposed = self._exposed, None
        if (inputs,) in self._films:
            self._expose(inputs)
        fresh, other = self._exposed is None, self._exposed is not before
        if fresh or other:
            self._relit_shown = None
        # a film that is come back to wants its relit picture while it is noisy
        moved = fresh or balance != self._balance or (other and self._samples() < CROSSFADE_END)
        self._relighting.follow_ground(view)
        self._frames.air, shafts = sky.air(view), self._frames.light_shafts
        medium = LightShaftRequest(request.document.light_shafts, view, lights, sky.inputs)
        begin = time.perf_counter()
        shafts.moving(medium, self.renderer)
        self._show_first_image(request, lights, gains, sky.ahead, has_picture)
        self._relighting.size.shown(time.perf_counter() - begin)
        self._balance = balance
        plan = partial(self._beside.draw_plan, request, self.renderer, compiled, lights, sky.inputs)
        plan(1, self._frames.speed * PREVIEW_SECONDS)
        while time.monotonic() - request.requested_at < SETTLE_SECONDS:
            if self._superseded():
                return
            time.sleep(0.005)
        if self._superseded():
            return
        lights, self._frames.air = sky.exact(view)
        self._lights = lights
        gains = self._frames.gains = gains_from_document(request.document, lights.sky_colour)
        medium = medium._replace(lights=lights)
        medium_is_new = shafts.resting(medium, self.renderer, self._superseded)
        if medium_is_new and not moved:
            self._show_first_image(request, lights, gains, sky.ahead, has_picture)
        if moved:
            self._refine_relit(request, lights, gains, (inputs, gains, balance[1]), sky.idle)
            if self._superseded():
                return
            if fresh and self._relighting.ready(view):
                self._show_relit_sources(lights, gains)
        self._show_beside(request, sky, medium)
        if not self._superseded():
            fill = request.document.fill
            self._meter.update(view, lights, inputs.light, quality.bounces, self.renderer, fill)
        if fresh:
            self._expose(inputs)
        plan(4)
        self._refine(request, medium)
        if not self._superseded():
            plan(PLAN_SAMPLES)
        self._beside.draw_thumbs(request.document, self.renderer, compiled, lights, in_this_light=True)

    def _show_beside(self, request: RenderRequest, sky: LightProvider, medium: LightShaftRequest) -> None:
        """The picture under the light that is compared with, once a hand rests."""
        other, view = request.beside, self._view
        if other is None or view is None or self._superseded() or not self._relighting.ready(view):
            return
        lights, air, solved = sky.other(other, view)
        gains = gains_from_document(other, lights.sky_colour)
        picture = self._relighting.lit(lights, gains, True, other.fill.contact_shadow)
        self._is_other_medium.resting(
            medium._replace(lights=lights, inputs=solved), self.renderer, self._superseded
        )
        picture = self._is_other_medium.over(picture, gains, self._superseded)
        self._report(BesideFrame(*self._frames.beside(other, picture, air), solved))

    def _expose(self, inputs: FilmInputs) -> None:
        self._exposed = self._films(inputs)
        self._frames.started = self._exposed.started

    def _samples(self) -> float:
        return self._exposed.film.mean_samples() if self._exposed is not None else 0.0

    def _show_first_image(
        self,
        request: RenderRequest,
        lights: Environment,
        gains: Gains,
        ahead: Callable[[], None],
        has_picture: bool,
    ) -> None:
        """The first picture after a request, at once and never given up: a hand that keeps moving must see pictures."""
        exposed, balance = self._exposed, (gains, request.document.fill.contact_shadow)
        if exposed is None:
            if not self._relight(request, lights, gains, ahead=ahead) and not has_picture:
                self._preview(request, lights)
        elif balance == self._balance and self._relit_shown is not None:
            self._show_relit(request, self._relit_shown)
        elif balance == self._balance and exposed.shown is not None:
            picture, step = exposed.shown
            self._frames.show(request, exposed.film, picture, replace(step, wanted=_NOT_DONE))
        elif not self._relight(request, lights, gains):
            if exposed.film.samples_in(None):
                self._frames.show(request, exposed.film, exposed.film.light(gains), None)
            else:
                self._preview(request, lights)

    def _relight(
        self,
        request: RenderRequest,
        lights: Environment,
        gains: Gains,
        rest: object = None,
        ahead: Callable[[], None] = lambda: None,
    ) -> bool:
        """Show the picture relit, if there is a cache of this view; with `rest`, kept for the hand-over."""
        if self._view is None or not self._relighting.ready(self._view):
            return False
        picture = self._relighting.relit(lights, gains, rest, request.document.fill.contact_shadow)
        if rest is None or not self._superseded():
            self._relit_shown = picture
            self._show_relit(request, picture, ahead, moving=rest is None)
        return True

    def _show_relit(
        self,
        request: RenderRequest,
        picture: Floats,
        ahead: Callable[[], None] = lambda: None,
        moving: bool = False,
    ) -> None:
        film = self._exposed.film if self._exposed is not None else None
        self._frames.show(request, film, picture, None, ahead, moving)

    def _refine_relit(
        self,
        request: RenderRequest,
        lights: Environment,
        gains: Gains,
        rest: object,
        idle: Callable[[RelightView], None],
    ) -> None:
        """The relit picture of rest after dragging, again with every step of a cache that is not full yet.

        It comes before the exact one: a step takes about as long as that one's first, far grainier sample.
        """
        assert self._view is not None
        view, bounces, first = self._view, QUALITIES[request.document.stage.quality].bounces, True
        self._relight(request, lights, gains, rest)
        while not request.stopped and self._improve_cache(view, lights):
            if self._previewed is not None:
                pool = self.renderer.pool
                self._relighting.keep_film_light(view, self._previewed, pool, self._superseded, least=1)
                self._previewed = None
            self._relight(request, lights, gains, rest)
            if self._lamps.update(self.renderer, view, lights, bounces):
                self._relight(request, lights, gains, rest)
            if first:
                idle(view)
            first = False
        if not request.stopped and self._lamps.update(self.renderer, view, lights, bounces):
            self._relight(request, lights, gains, rest)
        if not request.stopped and self._relighting.sharpen(view, self._superseded):
            self._relight(request, lights, gains, rest)
        idle(view)

    def _show_relit_sources(self, lights: Environment, gains: Gains) -> None:
        """What each light alone gives, until a film says it."""
        present = ["sun", "sky"]
        if self._relighting.has_film_light:
            present.append("lamps")
        if lights.panorama is not None:
            present.append("panorama")
        lit = partial(self._relighting.lit, lights, at_rest=True, sharp=False)
        with self._relighting.bounces_kept():
            made = relit_source_pictures(lit, present, gains, self._frames.settings, self._superseded)
        if made is not None:
            self._report(made)

    def forget(self) -> None:
        """Release everything that takes memory, the threads too: the document is closed."""
        if self._renderer is not None:
            self._renderer.pool.shutdown(wait=False)
        self._films.forget()
        self._relighting.forget()
        self._lamps.forget()
        self._is_other_medium.forget()
        self._frames = FrameMaker(
            self._report, self._relighting, lambda: self.relight_state, self._superseded
        )
        self._beside = SecondaryViews(self._report, self._superseded)
        self._meter, self._lights = SceneMeter(self._report), None
        self._renderer = self._exposed = self._relit_shown = self._previewed = self._guides = self._view = (
            None
        )

    @property
    def cache(self) -> RelightCache | None:
        """What pictures are relit by, None before there is one."""
        return self._relighting.cache

    @property
    def relight_state(self) -> tuple[bool, bool]:
        """Whether pictures can be relit, and whether nothing of that is left to improve, lamps neither."""
        view, cache = self._view, self.cache
        if view is None or cache is None or not self._relighting.ready(view):
            return False, False
        return True, bool(cache.full) and not self._lamps.missing(view)

    # -- the picture

    def _refine(self, request: RenderRequest, medium: LightShaftRequest) -> None:
        """Pass after pass of the picture, and of the dust before it, until it is done or a newer request comes."""
        assert self._exposed is not None and self._view is not None
        lights = medium.lights
        film, view = self._exposed.film, self._view
        aim = stop_criterion_of(request.document, film)
        shown = 0.0
        while True:
            step = plan_next_pass(film, aim, PASS_SECONDS * self._frames.speed)
            done = film.mean_samples(aim.region)
            if film.samples_in(None) and (step.done or done >= 2.0 * shown):
                self._show_exact(request, self._exposed, step)
                shown = done
                self._relighting.keep_film_light(view, film, self.renderer.pool, self._superseded)
            if step.done or request.stopped or self._superseded():
                self._refine_light_shafts(request, medium, step)
                break
            begin = time.monotonic()
            if not self.renderer.accumulate(
                film, view.compiled, lights, view.camera, step.wanted, aim.bounces, self._superseded
            ):
                return
            paths, seconds = float(step.wanted.sum(dtype=np.int64)), time.monotonic() - begin
            self._frames.speed += 0.5 * (paths / max(seconds, 1e-6) - self._frames.speed)
            self._frames.light_shafts.improve(medium, self.renderer, film.mean_samples(), self._superseded)
            if film.samples_in(None) >= THUMBS_AFTER:
                self._beside.draw_thumbs(request.document, self.renderer, view.compiled, lights)
            self._renew_guides(film)

    def _refine_light_shafts(self, request: RenderRequest, medium: LightShaftRequest, step: NextPass) -> None:
        """Continue with the dust before a picture that is done: another visibility or colour traces no path again."""
        assert self._exposed is not None
        while step.done and not request.stopped and not self._superseded():
            if not self._frames.light_shafts.improve(medium, self.renderer, math.inf, self._superseded):
                return
            self._show_exact(request, self._exposed, step)

    def _guided_view(self) -> object:
        """What the edges of a picture depend on."""
        assert self._view is not None
        return (self._view.compiled.geometry, *self._view[1:])

    def _renew_guides(self, film: Film) -> None:
        """Edges for enlarging previews, from the film at its first, fourth and sixteenth sample."""
        level, view = sum(film.samples_in(None) >= samples for samples in GUIDED_AT), self._guided_view()
        if level and (self._guides is None or (self._guides[0], self._guides[2]) != (view, level)):
            self._guides = (view, features_from_film(film), level)

    def _improve_cache(self, view: RelightView, lights: Environment) -> bool:
        """One step more for the cache of a view; False when there is none to make."""
        if self._superseded() or view.camera.parallel_m > 0.0:
            return False
        return self._relighting.improve(view, lights, self.renderer, self._superseded)

    def _preview(self, request: RenderRequest, lights: Environment) -> None:
        """A picture small enough to be there at once."""
        assert self._view is not None
        view, speed = self._view, self._frames.speed
        film = self._previewed = small_film((view.width, view.height), speed * PREVIEW_SECONDS)
        begin = time.monotonic()
        self.renderer.accumulate(film, view.compiled, lights, view.camera, 1)
        self._frames.speed += 0.3 * (film.width * film.height / (time.monotonic() - begin) - speed)
        picture = denoise(film.light(self._frames.gains), film)
        assert picture is not None
        if self._guides is not None and self._guides[0] == self._guided_view():
            # enlarged along the edges that an exact picture of this camera has left
            picture = upsample(picture, features_from_film(film, 1), self._guides[1], self.renderer.pool)
        self._frames.show(request, film, picture, None)

    def _show_exact(self, request: RenderRequest, exposed: Exposed, step: NextPass) -> None:
        """Clean a film and show it, mixed with the relit picture while it is noisy."""
        gains, film = self._frames.gains, exposed.film
        shape = film.height, film.width
        rest = exposed.inputs, gains, request.document.fill.contact_shadow
        fraction = 1.0 if step.done else self._relighting.exact_weight(rest, film.mean_samples())
        if fraction == 0.0:
            picture = self._relighting.mixed(None, 0.0, shape)
        else:
            clean = self._cleaned(request, exposed, gains)
            if clean is None:
                return
            picture = self._relighting.mixed(clean, fraction, shape) if fraction < 1.0 else clean
        if not self._superseded():
            exposed.shown, self._relit_shown = (picture, step), None
            self._frames.show(request, film, picture, step)
            self._report(source_pictures(film, gains, self._frames.settings))

    def _cleaned(self, request: RenderRequest, exposed: Exposed, gains: Gains) -> Floats | None:
        """The light of a film, denoised if the document has it on; None when a newer request is waiting."""
        film, wanted = exposed.film, request.document.output.denoise_viewport
        contact = request.document.fill.contact_shadow
        key = (gains, contact, wanted, float(film.layers["counts"].sum()))
        if exposed.clean is not None and exposed.clean[0] == key:
            return exposed.clean[1]
        clean = clean_light(film, self._lights, (gains, contact), wanted, self._superseded)
        if clean is None:
            return None
        exposed.clean = (key, clean)
        return clean


def _begin_film(inputs: FilmInputs) -> Exposed:
    return Exposed(inputs, Film(inputs.view.width, inputs.view.height))
