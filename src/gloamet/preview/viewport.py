"""The worker's pictures: quick previews, the exact one refined pass by pass, and when those beside it are drawn.

Films are kept under the key they were exposed for; a newer wish stops what became stale between two tiles
of rays and keeps what did not.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import partial
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from gloamet.document.model import Document
from gloamet.preview.events import Busy, Frame
from gloamet.preview.lamp_film import LampFilm
from gloamet.preview.relighting import Relighting
from gloamet.preview.secondary_views import SecondaryViews, small_film
from gloamet.stage.assembly import camera_from_view
from gloamet.stage.camera import Camera
from gloamet.trace.quality import QUALITIES

if TYPE_CHECKING:
    from gloamet.output.final import NextPass
    from gloamet.preview.requests import RenderRequest
    from gloamet.trace.film import Gains, Region
    from gloamet.trace.render_scene import RenderScene

PREVIEW_SECONDS = 0.035  # rays of the first picture after a change; cleaning it costs about as much again
FIRST_SPEED = 800_000.0  # paths a second until it is measured
SETTLE_SECONDS = 0.12  # a hand that pauses this long lets the full-size picture begin
PASS_SECONDS = 0.25  # of rays between two looks at what the picture still wants
GUIDED_AT = (1, 4, 16)  # samples at which the edges for enlarging previews are taken anew
PLAN_SAMPLES = 12
THUMBS_AFTER = 8  # samples of the picture before the views get theirs
Floats = NDArray[np.float32]
_NOT_DONE = np.ones((1, 1), np.uint16)  # wanted of a picture shown again, when it is not known to be done


@dataclass(frozen=True)
class LightProvider:
    """The light of a wish under its key, and what is to be done about it: `exact` gives the lights of a hand that
    rests, `idle` is called then, and after the first step of a record, `ahead` before a relit picture is handed out."""

    key: Any
    lights: Any
    exact: Callable[[], Any]
    idle: Callable[[], None]
    ahead: Callable[[], None]


class ViewportRenderer:
    """Films and what was made of them."""

    def __init__(self, report: Callable[[Any], None], stale: Callable[[], bool]) -> None:
        self._report, self._superseded = report, stale
        self._speed = FIRST_SPEED
        self._tracer: Any = None
        self._film: tuple[Any, Any] | None = None
        self._previewed: Any = None  # the film of the last preview, until a record has taken its lamps
        self._clean: tuple[Any, float, Floats] | None = None
        self._last: tuple[Any, Floats, NextPass | None] | None = (
            None  # film, light and step of what was shown last
        )
        self._view_key: Any = None
        self._guides: tuple[Any, Any, int] | None = None
        self._ink: tuple[Any, Floats] | None = None
        self._beside = SecondaryViews(report, stale)
        self._relighting = Relighting()
        self._lamps = LampFilm(self._superseded, self._relighting)
        self._gains: Any = None
        self._view: Any = None  # stage, camera and size of what is shown
        self._started = 0.0

    def show(self, wish: RenderRequest, compiled: RenderScene, sky: LightProvider) -> None:
        """Bring the picture up to date and refine it."""
        from gloamet.output.document_to_light import gains_from_document
        from gloamet.trace.film import Film, Renderer

        if self._tracer is None:
            self._report(Busy("preparing the rays"))
            self._tracer = Renderer()
        quality = QUALITIES[wish.document.stage.quality]
        camera = camera_from_view(wish.document.stage.view)
        width, height = (max(16, int(side * quality.scale)) for side in (wish.width, wish.height))
        lights = sky.lights
        key = (compiled, camera, sky.key, width, height, quality.bounces)
        self._view_key = (compiled.geometry, camera, width, height)
        self._view = view = (compiled, camera, width, height)
        gains = gains_from_document(wish.document)
        fresh = self._film is None or self._film[0] != key
        moved = fresh or gains != self._gains
        if fresh:
            self._film = self._clean = self._last = None
        self._relighting.follow_ground(view)
        self._show_first_image(wish, lights, gains, view, sky.ahead)
        self._gains = gains
        plan = partial(self._beside.draw_plan, wish, self._tracer, compiled, lights, sky.key)
        plan(1, self._speed * PREVIEW_SECONDS)
        while time.monotonic() - wish.requested_at < SETTLE_SECONDS:
            if self._superseded():
                return
            time.sleep(0.005)
        if self._superseded():
            return
        if moved:
            kept = self._film[1] if self._film is not None else None
            lights = sky.exact()
            self._refine_relit(wish, lights, gains, view, (key, gains), kept, sky.idle)
            if self._superseded():
                return
        if fresh:
            self._film = (key, Film(width, height))
            self._started = time.monotonic()
        plan(4)
        assert self._film is not None
        self._refine(wish, compiled, lights, camera, self._film[1])
        if not self._superseded():
            plan(PLAN_SAMPLES)
        self._beside.draw_thumbs(wish.document, self._tracer, compiled, lights, in_this_light=True)

    def _show_first_image(
        self, wish: RenderRequest, lights: Any, gains: Gains, view: Any, ahead: Callable[[], None]
    ) -> None:
        """The first picture after a wish, at once and never given up: a hand that keeps moving must see pictures."""
        if self._film is None:
            if not self._relight(wish, lights, gains, view, ahead=ahead):
                self._preview(wish, view[0], lights, view[1], view[2:])
        elif gains != self._gains:
            film = self._film[1]
            if not self._relight(wish, lights, gains, view, film=film):
                self._develop(wish, film, film.light(*gains), None)
        elif self._last is not None:
            film, picture, step = self._last
            self._develop(wish, film, picture, step and replace(step, wanted=_NOT_DONE))

    def _relight(
        self,
        wish: RenderRequest,
        lights: Any,
        gains: Gains,
        view: Any,
        rest: Any = None,
        film: Any = None,
        ahead: Callable[[], None] | None = None,
    ) -> bool:
        """Show the picture relit, if there is a record of this view; with `rest`, kept for the hand-over."""
        if not self._relighting.ready(view):
            return False
        picture = self._relighting.relit(lights, gains, rest)
        if rest is None or not self._superseded():
            self._develop(wish, film, picture, None, ahead)
        return True

    def _refine_relit(
        self, wish: RenderRequest, lights: Any, gains: Gains, view: Any, rest: Any, film: Any,
        idle: Callable[[], None],
    ) -> None:  # fmt: skip
        """The relit picture of a hand that rests, again with every step of a record that is not full yet.

        It comes before the exact one: a step takes about as long as that one's first, far grainier sample.
        """
        bounces, first = QUALITIES[wish.document.stage.quality].bounces, True
        self._relight(wish, lights, gains, view, rest, film)
        while not wish.stopped and self._improve_record(view, lights):
            if self._previewed is not None:
                self._relighting.keep_lamps(
                    view, self._previewed, self._tracer.pool, self._superseded, least=1
                )
                self._previewed = None
            self._relight(wish, lights, gains, view, rest, film)
            if self._lamps.update(self._tracer, view, lights, bounces):
                self._relight(wish, lights, gains, view, rest, film)
            if first:
                idle()
            first = False
        if not wish.stopped and self._lamps.update(self._tracer, view, lights, bounces):
            self._relight(wish, lights, gains, view, rest, film)
        idle()

    def forget(self) -> None:
        """Let go of everything that takes memory, the threads too: the document is closed."""
        self._relighting = Relighting()
        self._film = self._previewed = self._clean = self._last = None
        self._guides = self._ink = self._view = None
        self._lamps = LampFilm(self._superseded, self._relighting)
        self._beside = SecondaryViews(self._report, self._superseded)
        if self._tracer is not None:
            self._tracer.pool.shutdown(wait=False)
            self._tracer = None

    @property
    def cache(self) -> Any:
        """What pictures are relit by, None before there is one."""
        return self._relighting.cache

    @property
    def relight_state(self) -> tuple[bool, bool]:
        """Whether pictures can be relit, and whether nothing of that is left to improve, lamps neither."""
        view = self._view
        if view is None or not self._relighting.ready(view):
            return False, False
        return True, bool(self.cache.full) and not self._lamps.missing(view)

    # -- the picture

    @staticmethod
    def _region(document: Document, film: Any) -> Region | None:
        from gloamet.trace.film import pixel_region

        return pixel_region(document.stage.rectangle, film.width, film.height)

    def _aim(self, document: Document, film: Any) -> Any:
        """When the picture on the desk is done."""
        from gloamet.output.document_to_light import gains_from_document
        from gloamet.output.final import StopCriterion

        quality, region = QUALITIES[document.stage.quality], self._region(document, film)
        return StopCriterion(
            document.output.samples, quality.noise, quality.bounces, region, gains_from_document(document)
        )

    def _refine(
        self, wish: RenderRequest, compiled: RenderScene, lights: Any, camera: Camera, film: Any
    ) -> None:
        from gloamet.output.final import plan_next_pass

        aim = self._aim(wish.document, film)
        shown = 0.0
        while True:
            step = plan_next_pass(film, aim, PASS_SECONDS * self._speed)
            done = film.mean_samples(aim.region)
            if film.samples_in(None) and (step.done or done >= 2.0 * shown):
                self._show(wish, film, step)
                shown = done
                view = (compiled, camera, film.width, film.height)
                self._relighting.keep_lamps(view, film, self._tracer.pool, self._superseded)
            if step.done or wish.stopped or self._superseded():
                break
            begin = time.monotonic()
            if not self._tracer.accumulate(
                film, compiled, lights, camera, step.wanted, aim.bounces, self._superseded
            ):
                return
            paths, seconds = float(step.wanted.sum(dtype=np.int64)), time.monotonic() - begin
            self._speed = 0.5 * self._speed + 0.5 * paths / max(seconds, 1e-6)
            if film.samples_in(None) >= THUMBS_AFTER:
                self._beside.draw_thumbs(wish.document, self._tracer, compiled, lights)
            self._renew_guides(film)

    def _renew_guides(self, film: Any) -> None:
        """Edges for enlarging previews, from the film at its first, fourth and sixteenth sample."""
        from gloamet.trace.upsample import guides_from_film

        level = sum(film.samples_in(None) >= samples for samples in GUIDED_AT)
        if level and (self._guides is None or (self._guides[0], self._guides[2]) != (self._view_key, level)):
            self._guides = (self._view_key, guides_from_film(film), level)

    def _improve_record(self, view: Any, lights: Any) -> bool:
        """One step more for the record of a view; False when there is none to make."""
        compiled, camera, width, height = view
        if self._superseded() or camera.parallel_m > 0.0:
            return False
        return self._relighting.improve(
            view, compiled, camera, (width, height), lights, self._tracer.pool, self._tracer.threads, self._superseded,
        )  # fmt: skip

    def _preview(
        self, wish: RenderRequest, compiled: RenderScene, lights: Any, camera: Camera, size: tuple[int, int]
    ) -> None:
        """A picture small enough to be there at once."""
        film = self._previewed = small_film(size, self._speed * PREVIEW_SECONDS)
        begin = time.monotonic()
        self._tracer.accumulate(film, compiled, lights, camera, 1)
        self._speed = 0.7 * self._speed + 0.3 * film.width * film.height / (time.monotonic() - begin)
        self._show(wish, film, None)

    def _sharpen(self, picture: Floats, film: Any) -> Floats:
        """A preview enlarged along the edges that an exact picture of this camera has left."""
        from gloamet.trace.upsample import upsample

        if self._guides is None or self._guides[0] != self._view_key:
            return picture
        return upsample(picture, film, self._guides[1], self._tracer.pool)

    def _inked(
        self, document: Document, compiled: RenderScene, camera: Camera, picture: Floats, exact: bool
    ) -> Floats:
        from gloamet.trace.contours import MAP_SCALE, composite_lines, contours
        from gloamet.trace.first_hits import SOLID, first_hits
        from gloamet.trace.upsample import resize_bilinear

        plaster = document.stage.plaster
        if not (plaster.on and plaster.ink):
            return picture
        h, w = picture.shape[:2]
        key = (self._view_key, plaster.ink_px)
        if self._ink is None or self._ink[0] != key:
            if not exact:
                return picture
            maps = first_hits(compiled, camera, MAP_SCALE * w, MAP_SCALE * h, self._tracer.pool, SOLID)
            self._ink = (key, contours(maps, plaster.ink_px, MAP_SCALE))
        cover = self._ink[1]
        return composite_lines(picture, resize_bilinear(cover[..., None], (h, w))[..., 0])

    def _show(self, wish: RenderRequest, film: Any, step: NextPass | None) -> None:
        """Clean a film and show it; without a step it is a preview."""
        from gloamet.output.document_to_light import gains_from_document
        from gloamet.trace.denoise import denoise, match_mean_luminance

        gains = gains_from_document(wish.document)
        done = float(film.layers["counts"].sum())
        exact = step is not None
        plain = exact and not wish.document.output.denoise_desk
        key = (id(film), gains, plain)
        rest = (self._film[0], gains) if self._film is not None and exact else None
        share = (
            1.0
            if step is not None and step.done
            else self._relighting.exact_weight(rest, film.mean_samples())
        )
        if share == 0.0:
            picture = self._relighting.mixed(None, 0.0, (film.height, film.width))
        elif self._clean is not None and self._clean[0] == key and self._clean[1] == done:
            picture = self._clean[2]
        else:
            light = film.light(*gains)
            clean = (
                light
                if plain
                else denoise(light, film, cancelled=self._superseded if exact else lambda: False)
            )
            if clean is None:
                return
            if exact and not plain and film.layers["lamps"].any():
                clean = match_mean_luminance(clean, light)
            picture = clean if exact else self._sharpen(clean, film)
            self._clean = (key, done, picture) if exact else None
        if 0.0 < share < 1.0:
            picture = self._relighting.mixed(picture, share, (film.height, film.width))
        if not exact or not self._superseded():
            self._develop(wish, film, picture, step)

    def _develop(
        self,
        wish: RenderRequest,
        film: Any,
        picture: Floats,
        step: NextPass | None,
        ahead: Callable[[], None] | None = None,
    ) -> None:
        """Turn light into pixels and report them; film is None for a relit picture."""
        from gloamet.develop.display import develop_screen
        from gloamet.meter.picture import automatic_ev, limit_night_exposure
        from gloamet.output.document_to_light import develop_settings, surfaces_of_film

        document = wish.document
        self._last = (film, picture, step)
        meter_ev = automatic_ev(picture, self._relighting.seen() if film is None else surfaces_of_film(film))
        expose = document.expose
        ev = limit_night_exposure(meter_ev) - expose.compensation if expose.automatic else expose.ev
        compiled, camera = self._view[:2]
        picture = self._inked(document, compiled, camera, picture, step is not None)
        # a relit picture is small: made large here, it does not hold up the window
        size = (wish.width, wish.height) if step is None else None
        pixels = develop_screen(picture, develop_settings(document, ev), size)
        if ahead is not None:
            ahead()
        if film is None:
            target, goal = document.output.samples, QUALITIES[document.stage.quality].noise
            self._report(
                Frame(
                    pixels,
                    0,
                    target,
                    ev,
                    meter_ev,
                    False,
                    0.0,
                    0.0,
                    goal=goal,
                    document=document,
                    relight_state=self.relight_state,
                )
            )
        else:
            self._report(self._frame(document, film, pixels, (ev, meter_ev), step))

    def _frame(
        self, document: Document, film: Any, pixels: NDArray[np.uint8], evs: tuple[float, float], step: NextPass | None
    ) -> Frame:  # fmt: skip
        aim = self._aim(document, film)
        samples = round(film.mean_samples(aim.region))
        state = self.relight_state
        if step is None:
            return Frame(
                pixels, samples, aim.samples, *evs, False, 0.0, 0.0, goal=aim.noise, document=document,
                relight_state=state,
            )  # fmt: skip
        seconds = time.monotonic() - self._started
        left = 0.0 if step.done else step.paths_left / self._speed
        return Frame(
            pixels, samples, aim.samples, *evs, True, seconds, left, step.noise, aim.noise, step.done, document,
            state,
        )  # fmt: skip
