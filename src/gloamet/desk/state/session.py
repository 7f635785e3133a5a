# SPDX-License-Identifier: Apache-2.0
"""One open document as Qt signals: the store, the model loader, the worker, and the interface state.

Widgets read `document`, ask for changes through `change`, and listen. Nothing here paints.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from pydantic import ValidationError
from PySide6.QtCore import QObject, QTimer, Signal

from gloamet.desk.state.document_store import DocumentStore, open_store
from gloamet.desk.state.event_routes import KEPT, PASSED_ON
from gloamet.desk.state.interface_state import InterfaceState
from gloamet.desk.state.model_loader import ModelLoader
from gloamet.desk.state.model_watcher import ModelWatcher
from gloamet.desk.state.recent import remember
from gloamet.desk.state.render_client import RenderClient
from gloamet.document.history import History
from gloamet.document.model import Document, FieldPath
from gloamet.document.stage import CameraView
from gloamet.errors import GloametError
from gloamet.light_layers import EVEN, Gains
from gloamet.preview.events import (
    Busy,
    Failed,
    Frame,
    LightSolved,
    Loading,
    MeterRead,
    PaletteSolved,
    Preparing,
    SceneLoaded,
    SourcePictures,
    StageBuilt,
    Thumbnail,
)
from gloamet.preview.preparation import KernelPreparation
from gloamet.preview.requests import PlanRequest
from gloamet.stage.scene import Scene
from gloamet.sun.moment import Moment, moment_at
from gloamet.sun.place import resolve_zone
from gloamet.translation.document_to_picture import gains_from_document
from gloamet.translation.sequence import drive_sun

UPDATE_INTERVAL_S = 0.06  # while the sun or the time is dragged, widgets follow at most so often
# these drags say where the pointer is, not how far to go on
THROTTLED_KEYS = ("sun.time", "sun.hand", "sun.date")


class Session(QObject):
    """The document, what was computed for it, and everything that can be done to it."""

    document_changed = Signal(object)
    stage_changed = Signal(object)  # the document, when its stage is another one
    frame_ready = Signal(object)
    light_solved = Signal(object)
    disc_painted = Signal(object)
    colours_solved = Signal(object)
    scene_loaded = Signal(object)
    plan_ready = Signal(object)
    source_pictures = Signal(object)
    meter_read = Signal(object)
    beside_ready = Signal(object)  # the picture under the other light
    beside_changed = Signal()  # whether there is one
    thumbnail_ready = Signal(object)
    loading = Signal(float, str)  # share done, what is being done
    selected = Signal(str)  # name of a part, "" for none
    model_opened = Signal(object)  # the scene of a model opened just now
    wall_picked = Signal()  # `wall` is another one
    tool_changed = Signal(str)  # what the next click in the picture does, "" for looking round
    model_changed = Signal()  # the model's file is not what it was
    noticed = Signal(str, str)  # sentence, kind: "warning" or "note"
    busy = Signal(str)
    preparing = Signal(float, float)  # share done and seconds left until rays can be traced
    file_changed = Signal()

    def __init__(
        self, document: Document | None = None, preparation: KernelPreparation | None = None
    ) -> None:
        super().__init__()
        self._closed = False
        self.prepared = True  # whether rays can be traced
        self.store = DocumentStore(document or Document())
        self.state = InterfaceState()
        self.scene: Scene | None = None
        self.file_scene: Scene | None = None
        self.compiled: Any = None  # the stage as rays see it, None before there is one
        self.thumbnails: dict[CameraView, Any] = {}
        self.light: LightSolved | None = None
        self.read: MeterRead | None = None  # the meter in the scene
        self.sources: SourcePictures | None = None
        self.frame: Frame | None = None
        self.colours: Any = None
        self.ground_m = 0.0  # below which no camera goes by accident: the ground, or the model's lowest point
        self._loader = ModelLoader(self.document.stage)
        self._told_stage = self.document.stage
        self._watcher = ModelWatcher(self)
        self._watcher.changed.connect(self.model_changed)
        self.render = RenderClient(self.document, preparation)
        self.render.reported.connect(self._on_reported)
        self._later = QTimer(self, singleShot=True)
        self._later.timeout.connect(self._announce)
        self._last_emit = -UPDATE_INTERVAL_S

    # -- the document

    @property
    def history(self) -> History:
        """The steps of the document."""
        return self.store.history

    @property
    def document(self) -> Document:
        """The current document."""
        return self.store.current

    @property
    def dirty(self) -> bool:
        """Whether there is something to save."""
        return self.store.dirty

    @property
    def path(self) -> Path | None:
        """The project's file, None before it is saved."""
        return self.store.path

    @property
    def title(self) -> str:
        """What the project is called."""
        return self.store.title

    @property
    def showing_only(self) -> bool:
        """Whether the current document is shown and not worked on."""
        return self.store.showing_only

    def preview_document(self, document: Document | None) -> None:
        """Show a document without making it a step; None goes back to the one that is worked on."""
        self.store.show_only(document)
        self._announce()

    def change(self, section: str | FieldPath, key: str | None = None, **values: Any) -> bool:
        """Replace fields of a section; `key` joins the changes of one drag into one undo step.

        Out-of-range values are refused with a sentence; returns whether the change was taken.
        """
        try:
            document = self.store.changed(section, **values)
        except ValidationError as error:
            first = error.errors()[0]
            place, message = first["loc"], first["msg"].removeprefix("Value error, ")
            sentence = f"{place[-1]}: {message}." if place else f"{message[:1].upper()}{message[1:]}."
            self.noticed.emit(sentence, "warning")
            return False
        self.commit(document, key)
        return True

    def commit(self, document: Document, key: str | None = None) -> None:
        """Make a whole document current, as one step."""
        self.store.commit(document, key, self._apply_sun_driver)
        wait = self._last_emit + UPDATE_INTERVAL_S - time.monotonic()
        if key in THROTTLED_KEYS and wait > 0.0:
            # a hand may send a hundred moves a second; drawing each would leave no time for the picture
            self._later.start(int(1000 * wait) + 1)
            self.render.show(self.document)
        else:
            self._announce()

    def _apply_sun_driver(self, document: Document) -> Document:
        """The document with its sun where what it follows leads it, whatever was turned meanwhile."""
        if document.sun.mode != "driver" or self.scene is None:
            return document
        try:
            return drive_sun(document, self.scene)
        except GloametError:  # another model: the sun stays where it was led last
            return document

    def end_undo_group(self) -> None:
        """A drag has ended."""
        self.history.end_undo_group()

    def undo(self) -> None:
        """Take the last step back."""
        self.store.undo()
        self._announce()

    def redo(self) -> None:
        """Do the step again."""
        self.store.redo()
        self._announce()

    def _announce(self) -> None:
        self.render.stopped = False
        self._later.stop()
        self.document_changed.emit(self.document)
        if self.document.stage is not self._told_stage:
            self._told_stage = self.document.stage
            self.stage_changed.emit(self.document)
        self._last_emit = time.monotonic()
        self.render.show(self.document)

    def moment(self) -> Moment:
        """The almanac sun of the document's clock time (also while the sun is placed by hand)."""
        site, wall = self.document.site, self.document.sun.wall_time
        return moment_at(wall, site.latitude_deg, site.longitude_deg, resolve_zone(site.timezone))

    def go_to(self, instant: datetime, key: str | None = None) -> None:
        """Set the clock to an instant; the sun follows the almanac again."""
        zone = resolve_zone(self.document.site.timezone)
        local = instant.astimezone(UTC).astimezone(zone).replace(tzinfo=None)
        self.change("sun", key, wall_time=local, mode="almanac")

    # -- rendering

    def gains(self) -> Gains:
        """What the fill makes of every light now."""
        colour = self.light.sky_colour if self.light is not None else EVEN
        return gains_from_document(self.document, colour)

    def resize(self, width: int, height: int) -> None:
        """The picture's size on screen, device pixels."""
        self.render.resize(width, height)

    @property
    def picture_size(self) -> tuple[int, int]:
        """The picture's size on screen, device pixels."""
        return self.render.size

    @property
    def relight_state(self) -> tuple[bool, bool]:
        """Whether the picture can be relit, and whether its relight cache is complete."""
        return self.frame.relight_state if self.frame is not None else (False, False)

    @property
    def stopped(self) -> bool:
        """Whether refining was stopped by hand."""
        return self.render.stopped

    def stop(self) -> None:
        """Stop refining and keep the picture as it is."""
        self.render.stop(True)

    def resume(self) -> None:
        """Go on refining."""
        self.render.stop(False)

    def pause_rendering(self, on: bool) -> None:
        """Leave the picture unrefined while something else needs all the rays, such as outlines while dragging."""
        self.render.pause(on)

    @property
    def plan(self) -> PlanRequest | None:
        """The rendered plan."""
        return self.render.plan

    def show_plan(self, plan: PlanRequest | None) -> None:
        """Start or stop rendering a plan beside the picture."""
        self.render.show_plan(plan)

    def show_beside(self, made: Callable[[Document], Document] | None) -> None:
        """Show the picture under another light too from now on, made from the document, or no longer."""
        self.state.compares = made is not None
        self.render.show_beside(made)
        self.beside_changed.emit()

    def stop_loading(self) -> None:
        """Give up the model that is being opened."""
        self.render.stop_loading()

    def close(self) -> None:
        """End the worker, and release the stage and the session at the end of this turn of the event loop."""
        if self._closed:
            return
        self._closed = True
        self._later.stop()
        self.render.close()
        self.scene = self.file_scene = self.compiled = self.frame = None
        self.thumbnails.clear()
        # connections hold what they call, closures with whole windows in them, as long as their sender lives
        self.render.deleteLater()
        self.deleteLater()

    def select(self, name: str) -> None:
        """Mark a part, or none."""
        if name != self.state.selection:
            self.state.selection = name
            self.selected.emit(name)

    def use_tool(self, tool: str) -> None:
        """What the next press in the picture or plan does: "focus", "place 3", a tool of `aim_tool`, "" to look."""
        self.state.tool = tool
        self.tool_changed.emit(tool)

    # -- what the worker says

    def _on_reported(self, event: Any) -> None:
        if type(event) in KEPT:
            setattr(self, KEPT[type(event)], event)
        if isinstance(event, Thumbnail):
            self.thumbnails[event.view] = event.pixels
        elif isinstance(event, PaletteSolved):
            self.colours = event.colours
            self.colours_solved.emit(event.colours)
        elif isinstance(event, StageBuilt):
            self.compiled = event.compiled
        elif isinstance(event, SceneLoaded):
            self._on_scene_loaded(event)
        elif isinstance(event, Loading):
            self.loading.emit(event.fraction, event.word)
        elif isinstance(event, Preparing):
            self.prepared = event.fraction >= 1.0
            self.preparing.emit(event.fraction, event.seconds_left)
        elif isinstance(event, Busy):
            self.busy.emit(event.text)
        elif isinstance(event, Failed):
            self._on_failed(event)
        if type(event) in PASSED_ON:
            getattr(self, PASSED_ON[type(event)]).emit(event)

    def _amend(self, document: Document) -> None:
        """Replace the document as part of the last step, not as a new one."""
        if document is not self.document and document != self.document:
            self.store.amend(document)
            self._announce()

    def _on_scene_loaded(self, event: SceneLoaded) -> None:
        before, self.scene, self.file_scene = self.scene, event.scene, event.file_scene
        self.ground_m = min(0.0, float(event.scene.bounds()[0][2]))
        if self._loader.remembers:
            remember(Path(event.document_model))
        opened = self._loader.finish(event.scene, before, self.document)
        if opened.note:
            self.noticed.emit(opened.note, "note")
        self._amend(opened.document)
        self._amend(
            self._apply_sun_driver(self.document)
        )  # the model was turned: what drives the sun with it
        self._loader.keep(self.document.stage)
        self._watcher.watch(event.document_model)
        self.scene_loaded.emit(self.scene)
        if opened.fresh:
            self.model_opened.emit(self.scene)

    def reload(self) -> None:
        """Read the model's file again; every decision is kept by name."""
        self.render.reload()

    def _on_failed(self, event: Failed) -> None:
        if event.model is not None and event.model == self.document.stage.scene_file:
            # the window stays as it was
            back = self._loader.fail(self.document)
            if isinstance(back, DocumentStore):
                self.store = back
                self.file_changed.emit()
            elif back is not None:
                self.history.push(back)
            self._announce()
        self.noticed.emit(event.sentence, "warning")

    # -- files

    def open_model(self, path: Path) -> None:
        """Show another model in this document; its first camera, or a view over it, becomes the view."""
        self.history.push(self._loader.begin(self.document, Path(path)))
        self._announce()

    def open_project(self, path: Path, moved: tuple[Path, Path] | None = None) -> bool:
        """Replace everything by a project, with a file that moved where it is now; on failure the desk stays as it
        was."""
        try:
            store = open_store(Path(path), moved)
        except GloametError as error:
            self.noticed.emit(str(error), "warning")
            return False
        self._loader.begin_project(self.store)
        self.store = store
        assert store.path is not None
        remember(store.path)
        self._announce()
        self.file_changed.emit()
        return True

    def start_with(self, document: Document, title: str = "Untitled") -> None:
        """Begin with a complete document (the demo) that has no unsaved edits."""
        self.take_up(DocumentStore(document, title))

    def take_up(self, store: DocumentStore) -> None:
        """Go on with another project's store, its unsaved edits and all."""
        self._loader.begin_project(None)
        self.store = store
        self._announce()
        self.file_changed.emit()

    def save(self, path: Path) -> bool:
        """Write the project; a failure changes nothing."""
        try:
            self.store.save(path)
        except GloametError as error:
            self.noticed.emit(str(error), "warning")
            return False
        remember(path.resolve())
        self.file_changed.emit()
        return True
