# SPDX-License-Identifier: Apache-2.0
"""An automatic exposure that stays constant while another step than Expose is open.

What the meter would choose is shown meanwhile, and taken when that is asked for.
"""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal

from gloamet.desk.state.session import Session
from gloamet.document.model import Document
from gloamet.preview.events import Frame

SEEN_STOPS = 0.15  # a difference that is worth telling


class ExposureHold(QObject):
    """Listens to a session and holds its exposure."""

    changed = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.session = session
        self._exposing = False  # whether the Expose step is open
        self._document = session.document
        session.document_changed.connect(self._on_document_changed)
        session.results.frame_ready.connect(lambda _: self.changed.emit())
        session.loaded.model_opened.connect(lambda _: self.release())
        session.file_changed.connect(self.release)

    @property
    def held_ev(self) -> float | None:
        """The exposure that is held, None while it follows the meter."""
        return self.session.render.held_ev

    @property
    def off_by(self) -> float:
        """Stops between the locked exposure and the meter; 0 where they agree."""
        frame, held = self.session.results.frame, self.held_ev
        if frame is None or held is None or abs(held - frame.meter_ev) < SEEN_STOPS:
            return 0.0
        return held - frame.meter_ev

    def use_step(self, exposing: bool) -> None:
        """Another step is open; the exposure follows the meter in the Expose step alone."""
        self._exposing = exposing
        if exposing:
            self.release()

    def release(self) -> None:
        """Let the exposure follow the meter until something is changed."""
        self.session.render.hold_ev(None)
        self.changed.emit()

    def _on_document_changed(self, document: Document) -> None:
        before, self._document = self._document, document
        frame: Frame | None = self.session.results.frame
        if (
            self._exposing
            or not document.expose.automatic
            or document.expose != before.expose
            or document.stage.scene_file != before.stage.scene_file
        ):
            self.release()
        elif self.held_ev is None and frame is not None and document is not before:
            self.session.render.hold_ev(frame.ev)
            self.changed.emit()
