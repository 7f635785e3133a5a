# SPDX-License-Identifier: Apache-2.0
"""The pipeline of one document: nodes that keep the results of their last inputs.

    file ▸ placed scene ▸ edited scene ▸ render scene ┐
    sky inputs ▸ dome ▸ graded dome ┬ environment ────┼▸ viewport (film, relight cache) ▸ developed picture
    panorama ▸ dome ────────────────┘                 ┘      plan, thumbnails beside it
    graded dome ▸ sky disc; air ▸ sky palette

A request enters `work`; events leave, cheapest first, until the request is superseded. What is stale follows from the
nodes' inputs alone: nothing above a change is made again, and going back to the setting before costs nothing.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from pathlib import Path
from typing import NamedTuple

from gloamet.document.model import Document
from gloamet.document.stage import Stage
from gloamet.errors import GloametError
from gloamet.memo import Memo
from gloamet.meter.natural_range import natural_range
from gloamet.meter.ratio import WIDE_DEG
from gloamet.preview.aerial_tables import AerialTables
from gloamet.preview.events import (
    Busy,
    DiscPainted,
    Event,
    Failed,
    LightSolved,
    Loading,
    PaletteSolved,
    SceneLoaded,
    StageBuilt,
)
from gloamet.preview.latest import Numbered
from gloamet.preview.light_readout import light_solved
from gloamet.preview.relighting import RelightView
from gloamet.preview.requests import RenderRequest
from gloamet.preview.sky_image import paint_disc
from gloamet.preview.viewport import LightProvider, ViewportRenderer
from gloamet.sky.aerial import rotated_to, with_gain
from gloamet.sky.air import Air
from gloamet.sky.dome import SkyDome
from gloamet.sky.grading import SkyGrade, graded_dome
from gloamet.sky.sky_cache import SkyInterpolator
from gloamet.sky.sky_palette import solve_sky_palette
from gloamet.sky.sky_solver import SkySolver
from gloamet.stage.assembly import StageEdits, apply_edits, ground_from_stage, placement_from_stage
from gloamet.stage.ground import GroundPlane
from gloamet.stage.placing import to_world_scene
from gloamet.stage.readers import read_file
from gloamet.stage.readers.progress import Cancelled, ProgressToken
from gloamet.stage.scene import Scene
from gloamet.trace.lights.environment import Environment
from gloamet.trace.render_scene import RenderScene, build_render_scene
from gloamet.translation.document_to_aerial import (
    AerialInputs,
    AerialPerspective,
    aerial_gain,
    aerial_settings,
    light_source_direction,
    panorama_fraction,
)
from gloamet.translation.document_to_light import (
    SkyInputs,
    air_from_document,
    grade_from_document,
    join_lights,
    solve_sky,
    sun_from_document,
    tint_from_document,
)
from gloamet.translation.document_to_panorama import (
    PanoramaFile,
    PanoramaInputs,
    PanoramaLight,
    read_panorama,
)
from gloamet.translation.document_to_picture import gains_from_document

AHEAD_SECONDS = 0.25  # for skies beforehand, and for air, between two steps of a relight cache and at rest
DISC_SECONDS = 0.25  # between two pictures of the sky while dragging
MOVING_LEAST_LOST = 0.003  # fraction of light that the air must take to be seen while dragging
KEPT_SCENES, KEPT_SKIES = 2, 4  # results that a node remembers


class FileInputs(NamedTuple):
    """What is read: the model, parts of it in other files, and how often it was asked for again."""

    model: str
    outside: bool
    reload_count: int


class LightInputs(NamedTuple):
    """What the lights of a document are made of."""

    sky: SkyInputs
    grade: SkyGrade
    panorama: PanoramaInputs | None
    tint: tuple[float, ...]
    backdrop: bool

    @classmethod
    def of(cls, document: Document, sky: SkyInputs, dome: SkyDome) -> LightInputs:
        """Those of a document under its sky."""
        backdrop, grade = document.sky.backdrop != "sky", grade_from_document(document)
        panorama = PanoramaInputs.of(document, dome, sky.azimuth_deg)
        return cls(sky, grade, panorama, tint_from_document(document), backdrop)


def _band_key(sky: SkyInputs) -> tuple[Air, float]:
    """Inputs of the natural range."""
    return sky.air, WIDE_DEG * round(sky.elevation_deg / WIDE_DEG)


class PreparedLight(NamedTuple):
    """The light of a document and what the meter says of it; `nature` is the sky before the artist's hand; `quick` when
    that lies between two solved ones."""

    document: Document
    inputs: LightInputs
    nature: SkyDome
    dome: SkyDome
    lights: Environment
    panorama_fraction: float
    solved: LightSolved
    quick: bool


class RenderPipeline:
    """Everything computed for one open document; only the worker calls `work`."""

    def __init__(
        self,
        report: Callable[[Event], None],
        stale: Callable[[], bool],
        give_up: Callable[[], bool],
        newest: Callable[[], Numbered[RenderRequest] | None],
    ) -> None:
        self.compiled: RenderScene | None = None
        self._report, self._superseded, self._give_up, self._newest = report, stale, give_up, newest
        self._solver = SkySolver()
        self._interpolator = SkyInterpolator(self._solver)
        self._file = Memo(self._read, KEPT_SCENES)  # the one before is gone back to when this cannot be shown
        self._placed = Memo(to_world_scene, KEPT_SCENES)
        self._edited = Memo(apply_edits, KEPT_SCENES)
        self._ground = Memo(ground_from_stage)
        self._render_scene = Memo(self._build, KEPT_SCENES)
        self._dome = Memo(lambda inputs: solve_sky(inputs, self._solver), KEPT_SKIES)
        self._graded = Memo(graded_dome, KEPT_SKIES)
        self._quick_dome = Memo(lambda inputs: solve_sky(inputs, self._interpolator))
        self._air_tables = AerialTables(self._solver, self._interpolator)
        self._panorama_light = Memo(self._read_panorama, KEPT_SKIES)
        self._environment = Memo(join_lights, KEPT_SKIES)
        self._disc = Memo(lambda dome, north_deg: paint_disc(dome, north_deg))
        self._palette = Memo(lambda air: solve_sky_palette(self._solver, air))
        self._band = Memo(
            lambda air, elevation_deg: natural_range(air, elevation_deg, self._solver), KEPT_SKIES
        )
        self._disc_shown: object = None  # the picture and the palette that were reported
        self._palette_shown: object = None
        self._refused: FileInputs | None = None
        self._loaded: Scene | None = None  # the placed scene that was reported
        self._prepared: PreparedLight | None = None
        self._next: Numbered[RenderRequest] | None = None  # whose light that is
        self._panorama_file: PanoramaFile | None = None  # that was read last
        self._last_error_text = ""  # what was said of a panorama that cannot be read
        self._disc_painted_at = 0.0
        self.viewport = ViewportRenderer(report, stale)

    def work(self, request: RenderRequest, has_picture: bool = False) -> None:
        """Bring everything the request needs up to date, then refine until it is superseded.

        With `has_picture` something better than a preview is shown already.
        """
        document, compiled = request.document, self._stage(request)
        # a hand that moves the sun gets a sky between two solved ones; one that rests the sky itself
        light, self._prepared = self._prepared, None
        if light is None or light.document is not document or compiled is None:
            light = self._light(document, quick=compiled is not None)
        self._report(light.solved)
        if compiled is None or time.monotonic() - self._disc_painted_at > DISC_SECONDS:
            self._show_disc(light.dome, document)
        if compiled is not None:
            given = light
            sky = LightProvider(
                light.inputs,
                light.lights,
                light.solved.reading.incident_ev,
                lambda view: self._aerial_perspective(given, view),
                lambda view: self._exact_light(given, view),
                self._other_light,
                lambda view: self._prepare_skies(given, view),
                self._prepare_next,
            )
            self.viewport.show(request, compiled, sky, has_picture)
        if not self._superseded():
            self._show_skies(document)

    def show_light(self, document: Document) -> None:
        """Report the meter's reading and the sky's picture alone: no ray can be traced yet."""
        self._report(self._light(document).solved)
        self._show_skies(document)
        self._show_band(document)

    # -- the stage

    def _stage(self, request: RenderRequest) -> RenderScene | None:
        stage = request.document.stage
        if not stage.scene_file:
            self._set_compiled(None)
            return None
        source = FileInputs(stage.scene_file, stage.outside_files, request.reload_count)
        if source == self._refused:
            return self.compiled
        opening = (source,) not in self._file
        try:
            return self._built(request.document, source, opening)
        except Cancelled as stopped:
            self._refused = source
            self._report(Loading(1.0, ""))
            self._report(Failed(str(stopped), stage.scene_file))
            raise
        except GloametError as error:
            if opening:
                self._refused = source
            self._report(Loading(1.0, ""))
            self._report(Failed(str(error), stage.scene_file if opening else None))
            return self.compiled

    def _set_compiled(self, compiled: RenderScene | None) -> None:
        if compiled is not self.compiled:
            self.compiled = compiled
            self._report(StageBuilt(compiled))

    def _read(self, source: FileInputs) -> Scene:
        name = Path(source.model).name
        self._report(Busy(f"opening {name}"))
        watch = ProgressToken(
            lambda fraction, word: self._report(Loading(fraction, f"{word} {name}")), self._give_up
        )
        scene = read_file(Path(source.model), watch, source.outside)
        self._report(Loading(0.95, f"preparing {name}"))
        return scene

    def _build(self, scene: Scene, ground: GroundPlane) -> RenderScene:
        return build_render_scene(scene, ground, self.compiled)

    def _built(self, document: Document, source: FileInputs, opening: bool) -> RenderScene:
        """The document's stage for rays; a model that is opened is taken only once all of it could be made."""
        stage: Stage = document.stage
        file = self._file(source)
        try:
            placed = self._placed(file, placement_from_stage(stage, file.origin))
            placed.subject_bounds()  # computed here, not where the window would wait for it
            edited = self._edited(placed, StageEdits.of(stage))
            ground = self._ground(stage.ground, stage.muted, document.air.ground_reflectance, placed)
            compiled = self._render_scene(edited, ground)
        except GloametError:
            if opening:
                self._file.drop(source)
            raise
        self._set_compiled(compiled)
        self._refused = None
        if opening:
            for node in (self._file, self._placed, self._edited, self._ground, self._render_scene):
                node.keep_newest()  # the model before may be large
        if placed is not self._loaded:
            self._loaded = placed
            self._report(SceneLoaded(placed, source.model, file))
            self._report(Loading(1.0, ""))
        return compiled

    # -- the sky

    def _exact_light(
        self, light: PreparedLight, view: RelightView
    ) -> tuple[Environment, AerialPerspective | None]:
        """The lights and the air of rest after dragging, with what the meter says where they were made quickly
        before."""
        if light.quick:
            light = self._light(light.document)
            self._report(light.solved)
        return light.lights, self._aerial_perspective(light, view)

    def _other_light(
        self, document: Document, view: RelightView
    ) -> tuple[Environment, AerialPerspective | None, LightSolved]:
        """The lights and the air of another document of this stage, and what the meter says of them."""
        light = self._light(document)
        return light.lights, self._aerial_perspective(light, view), light.solved

    def _aerial_perspective(self, light: PreparedLight, view: RelightView) -> AerialPerspective | None:
        """The air between a view and what it shows."""
        gains = gains_from_document(light.document, light.lights.sky_colour)
        settings = aerial_settings(light.document, gains, view.camera, light.panorama_fraction)
        if settings is None:
            return None
        sky = light.inputs.sky
        inputs = AerialInputs.of(sky, view.camera, view.width / view.height, light.quick)
        table = self._air_tables.table(inputs, light.nature if inputs.by_horizon else None)
        table = with_gain(table, aerial_gain(light.document, light.dome))
        least = MOVING_LEAST_LOST if light.quick else 0.0
        return AerialPerspective(
            rotated_to(table, *light_source_direction(sky)[0]), settings, view.camera, least
        )

    def _light(self, document: Document, quick: bool = False) -> PreparedLight:
        """The lights of a document and the meter's reading; `quick` may take a sky between two solved ones."""
        sky = SkyInputs.of(document)
        quick = quick and (sky,) not in self._dome and self._interpolator.covers(sky.air, sky.elevation_deg)
        nature = (self._quick_dome if quick else self._dome)(sky)
        dome = self._graded(nature, grade_from_document(document))
        inputs = LightInputs.of(document, sky, dome)
        panorama = self._panorama_light(inputs.panorama)
        second = None if panorama is None else panorama.lighting
        known = self._band(*_band_key(sky)) if _band_key(sky) in self._band else None
        solved = light_solved(document, sky, (nature, dome), panorama, known)
        lights = self._environment(dome, panorama, inputs.tint, inputs.backdrop)
        fraction = panorama_fraction(dome, second)
        return PreparedLight(document, inputs, nature, dome, lights, fraction, solved, quick)

    def _read_panorama(self, inputs: PanoramaInputs | None) -> PanoramaLight | None:
        """A panorama as light; an unreadable one is reported once, and the rest works without it."""
        if inputs is None:
            return None
        if inputs.file != self._panorama_file:
            self._panorama_file = inputs.file
            self._report(Busy(f"reading {inputs.file.path.name}"))
        try:
            return read_panorama(inputs)
        except GloametError as error:
            if self._last_error_text != str(error):
                self._last_error_text = str(error)
                self._report(Failed(str(error)))
            return None

    def forget(self) -> None:
        """Release everything that takes memory: the document is closed."""
        self.viewport.forget()
        for node in (
            self._file,
            self._placed,
            self._edited,
            self._ground,
            self._render_scene,
            self._dome,
            self._quick_dome,
            self._graded,
            self._panorama_light,
            self._environment,
            self._disc,
            self._palette,
            self._band,
        ):
            node.forget()
        self.compiled = self._loaded = self._prepared = self._next = None
        self._interpolator = SkyInterpolator(self._solver)
        self._air_tables = AerialTables(self._solver, self._interpolator)
        self._report = self._nothing

    @staticmethod
    def _nothing(_event: Event) -> None:
        """Events of a document that is closed go nowhere."""

    def _prepare_next(self) -> None:
        """The light of the next request, if it is quickly made.

        Called with a relit picture in hand that the window has not got yet: once it has, it paints, and Python
        belongs to it for longer than the sky takes.
        """
        newest = self._newest()
        if newest is None:
            return
        document = newest.request.document
        if self._interpolator.covers(air_from_document(document), sun_from_document(document)[1]):
            self._prepared, self._next = self._light(document, quick=True), newest

    def pop_prepared(self) -> Numbered[RenderRequest] | None:
        """The request whose light is ready, once: it goes before newer ones, which would find the window painting."""
        following, self._next = self._next, None
        return following

    def _prepare_skies(self, light: PreparedLight, view: RelightView) -> None:
        """The sky's picture and colours; skies beforehand, and the air in front, for a sun that is dragged."""
        if self._superseded():
            return
        self._show_skies(light.document)
        self._show_band(light.document)
        sky = light.inputs.sky
        self._interpolator.precompute(sky.air, sky.elevation_deg, self._superseded, AHEAD_SECONDS)
        if self._aerial_perspective(light, view) is not None:
            inputs = AerialInputs.of(sky, view.camera, view.width / view.height, quick=True)
            self._air_tables.precompute(inputs, self._superseded, AHEAD_SECONDS)

    def _show_band(self, document: Document) -> None:
        """Report the meter's reading again, once the natural range at this sun is known."""
        key = _band_key(SkyInputs.of(document))
        if key not in self._band:
            self._band(*key)
            self._report(self._light(document).solved)

    def _show_disc(self, dome: SkyDome, document: Document) -> None:
        """The sky as a round picture, when it is not what was reported last."""
        pixels = self._disc(dome, document.sun.north_deg)
        if pixels is not self._disc_shown:
            self._disc_shown, self._disc_painted_at = pixels, time.monotonic()
            self._report(DiscPainted(pixels))

    def _show_skies(self, document: Document) -> None:
        """The sky's picture at rest and its colours against the sun's elevation, when they are not those reported
        last."""
        self._show_disc(
            self._graded(self._dome(SkyInputs.of(document)), grade_from_document(document)), document
        )
        colours = self._palette(air_from_document(document))
        if colours is not self._palette_shown:
            self._palette_shown = colours
            self._report(PaletteSolved(colours))
