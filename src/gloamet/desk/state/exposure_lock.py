# SPDX-License-Identifier: Apache-2.0
"""Automatic exposure in motion and at rest.

While the light is changed in another step than Expose the exposure is held, so that the picture gets darker towards
evening. When changes pause and the picture is `ADAPTED_STOPS` too dark or `WASHED_STOPS` too bright by the meter, the
exposure eases to it, as an eye adapts.
A locked exposure is a manual one, a field of the document (`expose_actions.lock_exposure`).
"""

from __future__ import annotations

import time

from PySide6.QtCore import QObject, QTimer, Signal

from gloamet.desk.state.session import Session
from gloamet.document.model import Document
from gloamet.preview.events import Frame

SEEN_STOPS = 0.3  # worth showing: cameras are set in thirds of a stop (common practice)
ADAPTED_STOPS = 1.5  # darker than the meter by up to this stays: evening shall look like evening
WASHED_STOPS = 1.0  # brighter than the meter by more than this loses the highlights
REST_MS = 350  # after the last change
EASE_S, EASE_STEP_MS = 0.5, 33


class ExposureHold(QObject):
    """Listens to a session; holds its exposure and eases it to the meter."""

    changed = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.session = session
        self._exposing = False  # whether the Expose step is open
        self._document = session.document
        if self._document.expose.automatic:
            session.state.automatic_metering = self._document.expose.metering
        self._ease = (0.0, 0.0, 0.0)  # when easing began, from which EV to which
        self._rest = QTimer(self, interval=REST_MS, singleShot=True)
        self._rest.timeout.connect(self._adapt)
        self._step = QTimer(self, interval=EASE_STEP_MS)
        self._step.timeout.connect(self._on_step)
        session.document_changed.connect(self._on_document_changed)
        session.results.frame_ready.connect(self._on_frame_ready)
        session.loaded.model_opened.connect(lambda _: self.release())
        session.file_changed.connect(self.release)

    @property
    def held_ev(self) -> float | None:
        """The exposure that is held, None while it follows the meter."""
        return self.session.render.held_ev

    @property
    def off_by(self) -> float:
        """Stops between the held exposure and the meter; 0 where they agree."""
        frame, held = self.session.results.frame, self.held_ev
        if frame is None or held is None or abs(held - frame.meter_ev) < SEEN_STOPS:
            return 0.0
        return held - frame.meter_ev

    @property
    def easing(self) -> bool:
        """Whether the exposure is on its way to the meter."""
        return self._step.isActive()

    @property
    def locked(self) -> bool:
        """Whether the exposure is a manual one."""
        return not self.session.document.expose.automatic

    def use_step(self, exposing: bool) -> None:
        """Another step is open; the exposure follows the meter in the Expose step alone."""
        self._exposing = exposing
        if exposing:
            self.release()

    def release(self) -> None:
        """Let the exposure follow the meter until something is changed."""
        self._rest.stop()
        self._step.stop()
        self.session.render.hold_ev(None)
        self.changed.emit()

    def _on_document_changed(self, document: Document) -> None:
        before, self._document = self._document, document
        if document.expose.automatic:
            self.session.state.automatic_metering = document.expose.metering
        frame: Frame | None = self.session.results.frame
        if (
            self._exposing
            or not document.expose.automatic
            or document.expose != before.expose
            or document.stage.scene_file != before.stage.scene_file
        ):
            self.release()
        elif document is not before:
            self._step.stop()
            self._rest.start()
            if self.held_ev is None and frame is not None:
                self.session.render.hold_ev(frame.ev)
                self.changed.emit()

    def _on_frame_ready(self, _frame: Frame) -> None:
        if not self._rest.isActive():
            self._adapt()
        self.changed.emit()

    def _adapt(self) -> None:
        """Begin to ease, when the picture of the present document is too far from its meter."""
        frame, held = self.session.results.frame, self.held_ev
        if self.easing or frame is None or held is None or frame.document is not self.session.document:
            return
        if held - frame.meter_ev > ADAPTED_STOPS or frame.meter_ev - held > WASHED_STOPS:
            self._ease = (time.monotonic(), held, frame.meter_ev)
            self._step.start()

    def _on_step(self) -> None:
        began, start, end = self._ease
        t = min(1.0, (time.monotonic() - began) / EASE_S)
        self.session.render.hold_ev(start + (end - start) * t * t * (3.0 - 2.0 * t))
        if t >= 1.0:
            self._step.stop()
            self.changed.emit()
