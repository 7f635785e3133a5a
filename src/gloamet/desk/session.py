"""One open document on the desk: history, file, and the worker that renders it, as Qt signals.

Widgets read `document`, ask for changes through `change`, and listen. Nothing here paints.
"""

from __future__ import annotations

import time
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from pydantic import ValidationError
from PySide6.QtCore import QFileSystemWatcher, QObject, QTimer, Signal

from gloamet.desk.recent import remember
from gloamet.desk.view_conversion import view_from_camera, views_from_scene
from gloamet.document.file import load_document, save_document
from gloamet.document.history import History
from gloamet.document.model import Document
from gloamet.document.model import FieldPath as Reach
from gloamet.document.stage import Stage, View
from gloamet.errors import GloametError
from gloamet.output.sequence import drive_sun
from gloamet.preview.events import (
    Busy,
    DiscPainted,
    Failed,
    Frame,
    LightSolved,
    Loading,
    PaletteSolved,
    PlanFrame,
    PlanRequest,
    SceneLoaded,
    Thumbnail,
)
from gloamet.preview.worker import RenderWorker
from gloamet.stage.camera import look_over
from gloamet.stage.scene import Scene
from gloamet.sun.moment import Moment, moment_at
from gloamet.sun.place import resolve_zone

UPDATE_INTERVAL_S = 0.06  # while the sun or the time is dragged, widgets follow at most so often
THROTTLED_KEYS = (
    "sun.time",
    "sun.hand",
    "sun.date",
)  # these drags say where the pointer is, not how far to go on
SAME_MODEL = 0.5  # a file with this share of the names before is a newer version of it


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
    thumbnail_ready = Signal(object)
    loading = Signal(float, str)  # share done, what is being done
    selected = Signal(str)  # name of a part, "" for none
    model_opened = Signal(object)  # the scene of a model opened just now
    wall_picked = Signal()  # `wall` is another one
    tool_changed = Signal(str)  # what the next click in the picture does, "" for looking round
    model_changed = Signal()  # the model's file is not what it was
    noticed = Signal(str, str)  # sentence, kind: "warning" or "note"
    busy = Signal(str)
    file_changed = Signal()
    _reported = Signal(object)

    def __init__(self, document: Document | None = None) -> None:
        super().__init__()
        self.history = History(document or Document())
        self.path: Path | None = None
        self.scene: Scene | None = None
        self.file_scene: Scene | None = None
        self.selection = ""
        self.tool = ""
        self.keep_height = False  # whether another date keeps the sun's height instead of the clock
        self.wall: Any = None  # outward normal of the wall whose bearing is being told
        self.thumbnails: dict[View, Any] = {}
        self.plan: PlanRequest | None = None
        self.light: LightSolved | None = None
        self.frame: Frame | None = None
        self.colours: Any = None
        self.stopped = False
        self._held = False
        self._title = "Untitled"
        self._saved = self.history.current
        self._real: Document | None = None  # what is worked on while another document is only shown
        self._size = (640, 400)
        self._frame_camera = False
        self._remember_model = False
        self._import_views = False
        self._reload_count = 0
        self._ground_m = 0.0
        self._fallback: tuple[History, Document, Path | None, str] | None = None
        self._good_stage = self._told_stage = self.document.stage
        self._reported.connect(self._receive)
        self._watcher = QFileSystemWatcher(self)
        self._watcher.fileChanged.connect(self._file_touched)
        self._engine = RenderWorker(self._reported.emit)
        self._soon = QTimer(self, interval=0, singleShot=True)
        self._soon.timeout.connect(self._ask)
        self._later = QTimer(self, singleShot=True)
        self._later.timeout.connect(self._announce)
        self._last_emit = -UPDATE_INTERVAL_S

    # -- the document

    @property
    def document(self) -> Document:
        """The current document."""
        return self.history.current

    @property
    def dirty(self) -> bool:
        """Whether there is something to save."""
        return (self._real or self.document) != self._saved

    @property
    def showing_only(self) -> bool:
        """Whether the current document is shown and not worked on."""
        return self._real is not None

    def preview_document(self, document: Document | None) -> None:
        """Show a document without making it a step; None goes back to the one that is worked on."""
        real = self._real or self.document
        self._real = None if document is None else real
        self.history.current = real if document is None else document
        self._announce()

    def _end_showing(self, document: Document) -> Document:
        """An edit made while something is only shown, as an edit of what is worked on: its own sun stays."""
        real, shown = self._real, self.document
        if real is None:
            return document
        self._real, self.history.current = None, real
        return document if document.sun != shown.sun else document.model_copy(update={"sun": real.sun})

    def change(self, section: str | Reach, key: str | None = None, **values: Any) -> bool:
        """Replace fields of a section; `key` joins the changes of one drag into one undo step.

        Out-of-range values are refused with a sentence; returns whether the change was taken.
        """
        try:
            document = self.document.change(section, **values)
        except ValidationError as error:
            first = error.errors()[0]
            place, said = first["loc"], first["msg"].removeprefix("Value error, ")
            self.noticed.emit(
                f"{place[-1]}: {said}." if place else f"{said[:1].upper()}{said[1:]}.", "warning"
            )
            return False
        self.commit(document, key)
        return True

    def commit(self, document: Document, key: str | None = None) -> None:
        """Make a whole document current, as one step."""
        self.history.push(self._apply_sun_driver(self._end_showing(document)), key)
        wait = self._last_emit + UPDATE_INTERVAL_S - time.monotonic()
        if key in THROTTLED_KEYS and wait > 0.0:
            # a hand may send a hundred moves a second; drawing each would leave no time for the picture
            self._later.start(int(1000 * wait) + 1)
            self._soon.start()
        else:
            self._announce()

    def _apply_sun_driver(self, document: Document) -> Document:
        """The document with its sun where what it follows leads it, whatever was turned meanwhile."""
        if document.sun.mode != "follow" or self.scene is None:
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
        self._end_showing(self.document)
        self.history.undo()
        self._announce()

    def redo(self) -> None:
        """Do the step again."""
        self._end_showing(self.document)
        self.history.redo()
        self._announce()

    def _announce(self) -> None:
        self.stopped = False
        self._later.stop()
        self.document_changed.emit(self.document)
        if self.document.stage is not self._told_stage:
            self._told_stage = self.document.stage
            self.stage_changed.emit(self.document)
        self._last_emit = time.monotonic()
        self._soon.start()

    @property
    def ground_m(self) -> float:
        """The height below which no camera goes by accident: the ground, or the model's lowest point."""
        return self._ground_m

    # -- time

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

    def resize(self, width: int, height: int) -> None:
        """The picture's size on screen, device pixels."""
        if (width, height) != self._size:
            self._size = (width, height)
            self._soon.start()

    @property
    def picture_size(self) -> tuple[int, int]:
        """The picture's size on screen, device pixels."""
        return self._size

    @property
    def relight_state(self) -> tuple[bool, bool]:
        """Whether pictures can be relit, and whether nothing of that is left to improve."""
        return self._engine.pipeline.viewport.relight_state

    def stop(self) -> None:
        """Stop refining and keep the picture as it is."""
        self.stopped = True
        self._ask()

    def resume(self) -> None:
        """Go on refining."""
        self.stopped = False
        self._ask()

    def pause_rendering(self, on: bool) -> None:
        """Leave the picture unrefined while something else needs all the rays, such as outlines under the hand."""
        if on != self._held:
            self._held = on
            self._soon.start()

    def _ask(self) -> None:
        self._engine.request(
            self.document, *self._size, self.stopped or self._held, self.plan, self._reload_count
        )

    def show_plan(self, wish: PlanRequest | None) -> None:
        """Draw a plan beside the picture from now on, or no longer."""
        if wish != self.plan:
            self.plan = wish
            self._soon.start()

    @property
    def compiled(self) -> Any:
        """The stage as rays see it, None before there is one."""
        return self._engine.pipeline.compiled

    def select(self, name: str) -> None:
        """Mark a part, or none."""
        if name != self.selection:
            self.selection = name
            self.selected.emit(name)

    def use_tool(self, tool: str) -> None:
        """What the next press in the picture or plan does: "focus", "place 3", a tool of `aimhand`, "" to look."""
        self.tool = tool
        self.tool_changed.emit(tool)

    def stop_loading(self) -> None:
        """Give up the model that is being opened."""
        self._engine.stop_loading()

    def close(self) -> None:
        """End the worker."""
        self._soon.stop()
        self._later.stop()
        self._engine.close()

    def _receive(self, event: Any) -> None:
        if isinstance(event, Frame):
            self.frame = event
            self.frame_ready.emit(event)
        elif isinstance(event, LightSolved):
            self.light = event
            self.light_solved.emit(event)
        elif isinstance(event, DiscPainted):
            self.disc_painted.emit(event)
        elif isinstance(event, PaletteSolved):
            self.colours = event.colours
            self.colours_solved.emit(event.colours)
        elif isinstance(event, SceneLoaded):
            self._on_scene_loaded(event)
        elif isinstance(event, PlanFrame):
            self.plan_ready.emit(event)
        elif isinstance(event, Thumbnail):
            self.thumbnails[event.view] = event.pixels
            self.thumbnail_ready.emit(event)
        elif isinstance(event, Loading):
            self.loading.emit(event.share, event.word)
        elif isinstance(event, Busy):
            self.busy.emit(event.text)
        elif isinstance(event, Failed):
            self._on_failed(event)

    def _on_scene_loaded(self, event: SceneLoaded) -> None:
        before, self.scene, self.file_scene = self.scene, event.scene, event.file_scene
        self._ground_m = min(0.0, float(event.scene.bounds()[0][2]))
        opened = self._frame_camera
        if self._import_views and not opened:
            self._import_views = False
            views, was_saved = views_from_scene(event.scene, self.document.stage.view), not self.dirty
            document = self.document.change("stage", views=(*self.document.stage.views, *views))
            self.history.current = document  # part of starting, nothing to save
            if was_saved:
                self._saved = document
            self._announce()
        if opened:
            self._frame_camera = False
            was_saved = not self.dirty
            document = self.document.model_copy(update={"stage": self._first_stage(event.scene, before)})
            self.history.current = document  # part of opening, not a step of its own
            if was_saved:
                self._saved = document
            self._announce()
        led = self._apply_sun_driver(self.document)
        if led is not self.document and led != self.document:
            was_saved = not self.dirty
            self.history.current = led  # the model was turned: its leader with it
            self._saved = led if was_saved else self._saved
            self._announce()
        self._good_stage, self._fallback = self.document.stage, None
        if self._remember_model:
            self._remember_model = False
            remember(Path(event.document_model))
        self._watch(event.document_model)
        self.scene_loaded.emit(self.scene)
        if opened:
            self.model_opened.emit(self.scene)

    def _first_stage(self, scene: Scene, before: Scene | None) -> Stage:
        """The stage of a model just opened: a newer version keeps what was decided, others begin afresh."""
        stage = self.document.stage
        names = {part.name for part in before.parts} if before is not None else set()
        same = sum(part.name in names for part in scene.parts)
        if names and same >= SAME_MODEL * len(scene.parts):
            self.noticed.emit(f"{same} of {len(scene.parts)} parts keep what you decided for them.", "note")
            return stage
        camera = next(iter(scene.views.values()), None) or look_over(*scene.subject_bounds())
        return Stage(
            model=stage.model, outside=stage.outside, quality=stage.quality, view=view_from_camera(camera),
            views=views_from_scene(scene),
        )  # fmt: skip

    def _watch(self, model: str) -> None:
        for old in self._watcher.files():
            self._watcher.removePath(old)
        if Path(model).exists():
            self._watcher.addPath(model)

    def _file_touched(self, name: str) -> None:
        if name == self.document.stage.model and Path(name).exists():
            self.model_changed.emit()

    def reload(self) -> None:
        """Read the model's file again; every decision is kept by name."""
        self._reload_count += 1
        self._ask()

    def _on_failed(self, event: Failed) -> None:
        if event.model is not None and event.model == self.document.stage.model:
            # the window stays as it was
            if self._fallback is not None:
                self.history, self._saved, self.path, self._title = self._fallback
                self._fallback = None
                self.file_changed.emit()
            elif self._good_stage.model:
                self.history.push(self.document.model_copy(update={"stage": self._good_stage}))
            self._frame_camera = self._remember_model = False
            self._announce()
        self.noticed.emit(event.sentence, "warning")

    # -- files

    def open_model(self, path: Path) -> None:
        """Show another model in this document; its first camera, or a view over it, becomes the view."""
        self._frame_camera, self._remember_model, self._fallback = True, True, None
        model = str(Path(path).resolve())
        keep = self.document.stage.model_copy(update={"model": model, "units": "file", "up": "file"})
        self.history.push(self.document.model_copy(update={"stage": keep}))
        self._announce()

    def open_project(self, path: Path) -> bool:
        """Replace everything by a project; on failure the desk stays as it was."""
        try:
            document = load_document(Path(path))
        except GloametError as error:
            self.noticed.emit(str(error), "warning")
            return False
        self._fallback = (self.history, self._saved, self.path, self._title)
        self.history, self._real = History(document), None
        self._saved, self.path = document, Path(path).resolve()
        remember(self.path)
        self._announce()
        self.file_changed.emit()
        return True

    @property
    def title(self) -> str:
        """What the project is called: its file's name, or the name it was started with."""
        return self.path.stem if self.path else self._title

    def start_with(self, document: Document, title: str = "Untitled") -> None:
        """Begin with a ready document (the demo): nothing to save yet."""
        self.history, self._real = History(document), None
        self._saved, self.path, self._title = document, None, title
        self._import_views = True
        self._announce()
        self.file_changed.emit()

    def save(self, path: Path) -> bool:
        """Write the project; on failure nothing is lost."""
        try:
            save_document(self._real or self.document, path)
        except GloametError as error:
            self.noticed.emit(str(error), "warning")
            return False
        self._saved, self.path = self._real or self.document, path.resolve()
        remember(self.path)
        self.file_changed.emit()
        return True
