"""What the worker has computed, each with the key it was computed for: nothing above a change is redone.

A wish enters `work`; model, stage, sky, pictures, plan and thumbnails leave as events, cheapest first, until
the wish is stale.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

from gloamet.document.model import Document
from gloamet.errors import GloametError
from gloamet.preview.events import (
    Busy,
    DiscPainted,
    Failed,
    LightSolved,
    Loading,
    PaletteSolved,
    SceneLoaded,
    StageBuilt,
)
from gloamet.preview.latest import Numbered
from gloamet.preview.requests import RenderRequest
from gloamet.preview.sky_image import paint_disc
from gloamet.preview.viewport import LightProvider, ViewportRenderer
from gloamet.stage.readers.progress import Cancelled, ProgressToken
from gloamet.stage.scene import Scene

if TYPE_CHECKING:
    from gloamet.trace.render_scene import RenderScene

# decisions that do not change what is rendered, only from where and how far
VIEW_ONLY_FIELDS = {"view", "views", "quality", "rectangle", "locked"}

SKY_CACHE_SECONDS = 0.25  # for skies beforehand, between two steps of a record and when a hand rests
DISC_SECONDS = 0.25  # between two pictures of the sky while the hand moves


class RenderPipeline:
    """Everything computed for one open document; only the worker calls `work`."""

    def __init__(
        self, report: Callable[[Any], None], stale: Callable[[], bool], give_up: Callable[[], bool],
        newest: Callable[[], Numbered[RenderRequest] | None],
    ) -> None:  # fmt: skip
        self.compiled: RenderScene | None = None
        self._report, self._superseded, self._give_up, self._newest = report, stale, give_up, newest
        self._file: tuple[Any, Scene] | None = None
        self._placed: tuple[Any, Scene] | None = None
        self._stage_key: Any = None
        self._refused: Any = None
        self._solver: Any = None
        self._ladder: Any = None
        self._sky: tuple[Any, Any] | None = None
        self._prepared: tuple[Document, tuple[Any, Any], LightSolved] | None = None
        self._next: Numbered[RenderRequest] | None = None  # whose sky that is
        self._sky_is_interpolated = False  # whether that sky is from the ladder
        self._lights: tuple[Any, Any] | None = None
        self._panorama_dome: tuple[Any, Any] | None = None  # the panorama
        self._last_error_text = ""  # what was said of one that cannot be read
        self._colours_key: Any = None
        self._disc: tuple[Any, float] = (None, 0.0)
        self.viewport = ViewportRenderer(report, stale)

    def work(self, wish: RenderRequest) -> None:
        """Bring everything the wish needs up to date, then refine until it is stale."""
        compiled = self._stage(wish)
        # a hand that moves the sun gets a sky between two solved ones; one that rests the sky itself
        prepared, self._prepared = self._prepared, None
        if prepared is None or prepared[0] is not wish.document or compiled is None:
            prepared = (wish.document, *self._light(wish.document, quick=compiled is not None))
        _document, (key, lights), solved = prepared
        self._report(solved)
        if compiled is None or time.monotonic() - self._disc[1] > DISC_SECONDS:
            self._paint_disc(wish.document)
        if compiled is not None:
            document = wish.document
            sky = LightProvider(
                key, lights, lambda: self._exact_light(document) if self._sky_is_interpolated else lights,
                lambda: self._prepare_skies(document), self._prepare_next,
            )  # fmt: skip
            self.viewport.show(wish, compiled, sky)
        if not self._superseded():
            self._paint_skies(wish.document)

    # -- the stage

    def _stage(self, wish: RenderRequest) -> RenderScene | None:
        stage = wish.document.stage
        if not stage.model:
            self._set_compiled(None)
            return None
        key = (stage.model, stage.outside, wish.reload_count)
        if key == self._refused:
            return self.compiled
        opening = self._file is None or self._file[0] != key
        try:
            return self._built(wish.document, key)
        except Cancelled as stopped:
            self._refused = key
            self._report(Loading(1.0, ""))
            self._report(Failed(str(stopped), stage.model))
            raise
        except GloametError as error:
            if opening:
                self._refused = key
            self._report(Loading(1.0, ""))
            self._report(Failed(str(error), stage.model if opening else None))
            return self.compiled

    def _set_compiled(self, compiled: RenderScene | None) -> None:
        if compiled is not self.compiled:
            self.compiled = compiled
            self._report(StageBuilt(compiled))

    def _built(self, document: Document, key: Any) -> RenderScene:
        from gloamet.output.document_to_light import build_stage
        from gloamet.stage.assembly import place_in_world, placement_from_stage
        from gloamet.stage.readers import read_file

        stage, opened = document.stage, self._file
        if opened is None or opened[0] != key:
            name = Path(key[0]).name
            self._report(Busy(f"opening {name}"))
            watch = ProgressToken(
                lambda share, word: self._report(Loading(share, f"{word} {name}")), self._give_up
            )
            opened = (key, read_file(Path(key[0]), watch, stage.outside))
            self._report(Loading(0.95, f"preparing {name}"))
        place = (key, placement_from_stage(stage, opened[1].origin))
        placed = self._placed
        if placed is None or placed[0] != place:
            placed = (place, place_in_world(opened[1], stage))
            placed[1].subject_bounds()  # worked out here, not where the window would wait for it
        decisions = stage.model_dump(exclude=VIEW_ONLY_FIELDS)
        stage_key = (place, decisions, document.air.ground_reflectance)
        if self.compiled is None or stage_key != self._stage_key:
            compiled = build_stage(document, placed[1], self.compiled)
            self._stage_key = stage_key
            self._set_compiled(compiled)
        assert self.compiled is not None
        fresh = placed is not self._placed
        self._file, self._placed, self._refused = opened, placed, None
        if fresh:
            self._report(SceneLoaded(placed[1], key[0], opened[1]))
            self._report(Loading(1.0, ""))
        return self.compiled

    # -- the sky

    def _exact_light(self, document: Document) -> Any:
        """The lights of a document after all, and what the meter says of them."""
        (_key, lights), solved = self._light(document)
        self._report(solved)
        return lights

    def _light(self, document: Document, quick: bool = False) -> tuple[tuple[Any, Any], LightSolved]:
        """The lights of a document under the key of its sky, and the meter's reading; `quick` may take them from the
        ladder."""
        from gloamet.meter.light import read_light
        from gloamet.output.document_to_light import (
            air_from_document,
            dome_from_document,
            environment_from_document,
            gains_from_document,
            lights_key,
            sky_key,
            sun_from_document,
        )
        from gloamet.sky.dome import SkySolver
        from gloamet.sky.sky_cache import SkyInterpolator

        air, (azimuth, elevation) = air_from_document(document), sun_from_document(document)
        key = sky_key(document)
        if self._sky is None or self._sky[0] != key or (self._sky_is_interpolated and not quick):
            if self._solver is None:
                self._report(Busy("preparing the sky"))
                self._solver = SkySolver()
                self._ladder = SkyInterpolator(self._solver)
            self._sky_is_interpolated = quick and self._ladder.covers(air, elevation)
            self._sky = (
                key,
                dome_from_document(document, self._ladder if self._sky_is_interpolated else self._solver),
            )
            self._lights = None
        dome = self._sky[1]
        panorama = self._panorama(document)
        gains, plain = gains_from_document(document), read_light(dome)
        gained = gains[0] != 1.0 or gains[1] != 1.0 or panorama is not None
        reading = read_light(dome, gains[0], gains[1], panorama, gains[3]) if gained else plain
        linke = float(air.linke_turbidity)
        moonlit = document.sun.moon and abs(dome.sun_elevation_deg - elevation) > 0.01 and elevation < 0.0
        moonlit = moonlit and dome.sun_elevation_deg > -1.0
        solved = LightSolved(reading, plain, azimuth, elevation, air.visibility_km, linke, moonlit)
        whole = (key, lights_key(document))
        if self._lights is None or self._lights[0] != whole:
            self._lights = (whole, environment_from_document(document, dome, panorama))
        return self._lights, solved

    def _panorama(self, document: Document) -> Any:
        """The document's panorama as a dome; one that cannot be read is told once, and the rest goes on without."""
        from gloamet.output.document_to_light import lights_key, panorama_from_document

        key = lights_key(document)
        if self._panorama_dome is None or self._panorama_dome[0] != key:
            try:
                self._panorama_dome = (key, panorama_from_document(document))
            except GloametError as error:
                self._panorama_dome = (key, None)
                if self._last_error_text != str(error):
                    self._last_error_text = str(error)
                    self._report(Failed(str(error)))
        return self._panorama_dome[1]

    def forget(self) -> None:
        """Let go of everything that takes memory: the document is closed."""
        self.viewport.forget()
        self.compiled = self._file = self._placed = self._sky = self._lights = self._prepared = None
        self._next = self._panorama_dome = self._ladder = self._solver = None
        self._report = self._nothing

    @staticmethod
    def _nothing(_event: Any) -> None:
        """Events of a document that is closed go nowhere."""

    def _prepare_next(self) -> None:
        """The sky of the next wish, if it is quickly made.

        Called with a relit picture in hand that the window has not got yet: once it has, it paints, and Python
        belongs to it for longer than the sky takes.
        """
        from gloamet.output.document_to_light import air_from_document, sun_from_document

        if self._ladder is None:
            return
        newest = self._newest()
        if newest is None:
            return
        document = newest.request.document
        if self._ladder.covers(air_from_document(document), sun_from_document(document)[1]):
            self._prepared, self._next = (document, *self._light(document, quick=True)), newest

    def pop_prepared(self) -> Numbered[RenderRequest] | None:
        """The wish whose sky is ready, once: it goes before newer ones, which would find the window painting."""
        following, self._next = self._next, None
        return following

    def _prepare_skies(self, document: Document) -> None:
        """The sky's picture and colours, and skies beforehand for a hand that will move the sun."""
        from gloamet.output.document_to_light import air_from_document, sun_from_document

        if not self._superseded():
            self._paint_skies(document)
            self._ladder.precompute(
                air_from_document(document),
                sun_from_document(document)[1],
                self._superseded,
                SKY_CACHE_SECONDS,
            )

    def _paint_disc(self, document: Document) -> None:
        """The sky of now as a round picture, when it is not what was painted last."""
        if self._sky is None:
            return
        key = (self._sky[0], document.sun.north_deg)
        if key != self._disc[0]:
            self._report(DiscPainted(paint_disc(self._sky[1], document.sun.north_deg)))
            self._disc = (key, time.monotonic())

    def _paint_skies(self, document: Document) -> None:
        self._paint_disc(document)
        self._solve_colours(document)

    def _solve_colours(self, document: Document) -> None:
        from gloamet.output.document_to_light import air_from_document
        from gloamet.sky.sky_palette import solve_sky_palette

        key = air_from_document(document)
        if key != self._colours_key:
            colours = solve_sky_palette(self._solver, key)
            self._colours_key = key
            self._report(PaletteSolved(colours))
