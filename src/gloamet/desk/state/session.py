# SPDX-License-Identifier: Apache-2.0
"""One open document as Qt signals, and the objects that belong to it.

Widgets read `document`, ask for changes through `change` and connect to the signals: the session's for the document
and its file, those of `loaded` for the model, of `results` for the light, of `state` for selection and tool, of
`render` for the worker. Nothing here paints.
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
from gloamet.desk.state.interface_state import InterfaceState
from gloamet.desk.state.light_results import LightResults
from gloamet.desk.state.loaded_scene import LoadedScene
from gloamet.desk.state.model_loader import ModelLoader
from gloamet.desk.state.recent import remember
from gloamet.desk.state.render_client import RenderClient
from gloamet.document.history import History
from gloamet.document.model import Document, FieldPath
from gloamet.errors import GloametError
from gloamet.light_layers import EVEN, Gains
from gloamet.preview.events import Failed, Loading, SceneLoaded, StageBuilt
from gloamet.preview.preparation import KernelPreparation
from gloamet.sun.moment import Moment, moment_at
from gloamet.sun.site import resolve_zone
from gloamet.translation.document_to_picture import gains_from_document
from gloamet.translation.sequence import drive_sun

UPDATE_INTERVAL_S = 0.06  # while the sun or the time is dragged, widgets follow at most so often
# these drags say where the pointer is, not how far to go on
THROTTLED_KEYS = ("sun.time", "sun.hand", "sun.date", "pin ")  # beginnings of keys


class Session(QObject):
    """The document and what can be done to it."""

    document_changed = Signal(object)
    stage_changed = Signal(object)  # the document, when its stage is another one
    noticed = Signal(str, str)  # sentence, kind: "warning" or "note"
    file_changed = Signal()

    def __init__(
        self, document: Document | None = None, preparation: KernelPreparation | None = None
    ) -> None:
        super().__init__()
        self._closed = False
        self.store = DocumentStore(document or Document())
        self.state = InterfaceState(self)
        self.loaded = LoadedScene(self)
        self.results = LightResults(self)
        self._loader = ModelLoader(self.document.stage)
        self._told_stage = self.document.stage
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
            field, message = first["loc"], first["msg"].removeprefix("Value error, ")
            sentence = f"{field[-1]}: {message}." if field else f"{message[:1].upper()}{message[1:]}."
            self.noticed.emit(sentence, "warning")
            return False
        self.commit(document, key)
        return True

    def commit(self, document: Document, key: str | None = None) -> None:
        """Make a whole document current, as one step."""
        self.store.commit(document, key, self._apply_sun_driver)
        wait = self._last_emit + UPDATE_INTERVAL_S - time.monotonic()
        if key is not None and key.startswith(THROTTLED_KEYS) and wait > 0.0:
            # a hand may send a hundred moves a second; drawing each would leave no time for the picture
            self._later.start(int(1000 * wait) + 1)
            self.render.show(self.document)
        else:
            self._announce()

    def _apply_sun_driver(self, document: Document) -> Document:
        """The document with its sun where what it follows leads it, whatever was turned meanwhile."""
        if document.sun.mode != "driver" or self.loaded.scene is None:
            return document
        try:
            return drive_sun(document, self.loaded.scene)
        except GloametError:  # another model: the sun stays where it was led last
            return document

    def end_undo_group(self) -> None:
        """A drag has ended."""
        self.history.end_undo_group()

    def undo(self) -> None:
        """Take the last step back."""
        self.move_in_history(-1)

    def redo(self) -> None:
        """Do the step again."""
        self.move_in_history(1)

    def move_in_history(self, offset: int) -> None:
        """Undo (below 0) or redo so many steps at once."""
        self.store.move_in_history(offset)
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

    @property
    def shown_document(self) -> Document:
        """The document whose light is shown: that of a preview, else the current one."""
        return self.render.previewed or self.document

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
        light = self.results.light
        colour = light.sky_colour if light is not None else EVEN
        return gains_from_document(self.document, colour)

    def show_beside(self, made: Callable[[Document], Document] | None) -> None:
        """Show the picture under another light too from now on, made from the document, or no longer."""
        self.render.show_beside(made)
        self.state.compare(made is not None)

    def close(self) -> None:
        """End the worker, and release the stage and the session at the end of this turn of the event loop."""
        if self._closed:
            return
        self._closed = True
        self._later.stop()
        self.render.close()
        self.loaded.clear()
        self.results.clear()
        # connections hold what they call, closures with whole windows in them, as long as their sender lives
        self.render.deleteLater()
        self.deleteLater()

    # -- what the worker says

    def _on_reported(self, event: Any) -> None:
        if isinstance(event, StageBuilt):
            self.loaded.compiled = event.compiled
        elif isinstance(event, SceneLoaded):
            self._on_scene_loaded(event)
        elif isinstance(event, Loading):
            self.loaded.loading.emit(event.fraction, event.word)
        elif isinstance(event, Failed):
            self._on_failed(event)
        else:
            self.results.take(event)

    def _amend(self, document: Document) -> None:
        """Replace the document as part of the last step, not as a new one."""
        if document is not self.document and document != self.document:
            self.store.amend(document)
            self._announce()

    def _on_scene_loaded(self, event: SceneLoaded) -> None:
        before = self.loaded.take(event)
        if self._loader.remembers:
            remember(Path(event.document_model))
        opened = self._loader.finish(event.scene, before, self.document)
        if opened.note:
            self.noticed.emit(opened.note, "note")
        self._amend(opened.document)
        # the model was rotated: what drives the sun with it
        self._amend(self._apply_sun_driver(self.document))
        self._loader.keep(self.document.stage)
        self.loaded.scene_loaded.emit(event.scene)
        if opened.fresh:
            self.loaded.model_opened.emit(event.scene)

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
        """Continue with another project's store, its unsaved edits and all."""
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
