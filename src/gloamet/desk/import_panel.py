# SPDX-License-Identifier: Apache-2.0
"""The import panel: size and orientation of a model just opened, beside a person."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QRectF, Qt, Signal
from PySide6.QtGui import QColor, QImage, QPainter, QPaintEvent, QPixmap
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from gloamet.desk.state.session import Session
from gloamet.desk.steps.stage.model import facing_label
from gloamet.desk.widgets import theme
from gloamet.desk.widgets.form import SegmentedControl, action_button, label
from gloamet.desk.widgets.pixels import fitted
from gloamet.desk.widgets.switch import Switch
from gloamet.document.model import Document
from gloamet.preview.latest import LatestWorker
from gloamet.stage.assembly import placement_from_stage
from gloamet.stage.placing import PERSON_M, size_warning
from gloamet.stage.scene import Scene

SIZE, FINE = (258, 150), 4  # of the drawing, and pixels traced for each of its
GROUND_LINE = 0.94  # fraction of the height where the model and the person stand


class Elevation(QWidget):
    """Front view of the model as a silhouette beside a person of 1.75 m, to scale.

    The silhouette is traced off the window's thread; the newest request wins.
    """

    _traced = Signal(object, object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setFixedSize(*SIZE)
        self._image: QImage | None = None
        self._fitted: QPixmap | None = None
        self._wanted: Any = None
        self._worker: LatestWorker[Any] = LatestWorker("elevation", self._trace)
        self._traced.connect(self._on_traced)

    def draw(self, scene: Scene) -> None:
        """Compute the silhouette of the present stage."""
        compiled = self.session.loaded.compiled
        if compiled is not None:
            self._wanted = (compiled, scene.subject_bounds())
            self._worker.request(self._wanted)

    def _trace(self, wanted: Any) -> None:
        from gloamet.desk.files.silhouette import silhouette

        width, rows = FINE * SIZE[0], FINE * SIZE[1]
        self._traced.emit(wanted, silhouette(wanted[0], wanted[1], width, rows, GROUND_LINE))

    def _on_traced(self, wanted: Any, pixels: NDArray[np.uint8]) -> None:
        if wanted is self._wanted:
            self._wanted = None  # it holds the stage
            h, w = pixels.shape[:2]
            self._image = QImage(pixels.data, w, h, 4 * w, QImage.Format.Format_RGBA8888).copy()
            self._fitted = None
            self.update()

    def paintEvent(self, event: QPaintEvent) -> None:  # noqa: N802
        p = QPainter(self)
        p.fillRect(self.rect(), QColor(theme.WELL))
        if self._image is None:
            return
        self._fitted = fitted(self._image, QRectF(self.rect()), self.devicePixelRatioF(), self._fitted)
        p.drawPixmap(0, 0, self._fitted)
        p.setPen(QColor(theme.QUIET))
        y = round(GROUND_LINE * self.height())
        p.drawLine(0, y, self.width(), y)


class ImportPanel(QWidget):
    """Units, axis, turn and ground of a model just opened, over the controls; the picture follows at once."""

    def __init__(self, session: Session, parent: QWidget) -> None:
        super().__init__(parent)
        self.setObjectName("sheet")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.session = session
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 14, 16, 14)
        column.setSpacing(6)
        self.title = label("", "title")
        self.drawing = Elevation(session)
        self.size_label = label("", "note", wrap=True)
        self.warning = label("", "warning", wrap=True)
        self.units_why, self.up_why = label("", "note", wrap=True), label("", "note", wrap=True)
        column.addWidget(self.title)
        column.addWidget(self.drawing)
        column.addWidget(self.size_label)
        column.addWidget(self.warning)
        column.addWidget(label("Unit of the file", "head"))
        column.addWidget(
            SegmentedControl(
                session, "stage", "units", [(u, u) for u in ("file", "m", "cm", "mm", "in", "ft")]
            )
        )
        column.addWidget(self.units_why)
        column.addWidget(label("Up axis of the file", "head"))
        column.addWidget(
            SegmentedControl(session, "stage", "up", [("file", "file"), ("y", "Y up"), ("z", "Z up")])
        )
        column.addWidget(self.up_why)
        row = QHBoxLayout()
        row.addWidget(label("Front faces", "head"))
        row.addWidget(facing_label(session))
        column.addLayout(row)
        column.addWidget(Switch(session, "stage", "drop_to_ground", "Drop to height 0"))
        column.addWidget(Switch(session, "stage", "outside_files", "Allow files outside its folder"))
        tip = "Close this sheet; the same settings are in the Stage step."
        self.done = action_button("Done", tip, self.hide, main=True)
        column.addWidget(self.done)
        column.addStretch(1)
        session.loaded.model_opened.connect(self.open)
        session.loaded.scene_loaded.connect(self._on_scene_loaded)
        session.stage_changed.connect(self._on_document_changed)
        self.hide()

    def open(self, scene: Scene) -> None:
        """Show the sheet for a scene."""
        parent = self.parentWidget()
        assert parent is not None
        self.setGeometry(parent.rect())
        self.show()
        self.raise_()
        self._on_scene_loaded(scene)

    def _on_scene_loaded(self, scene: Scene) -> None:
        if not self.isVisible():
            return
        self.title.setText(scene.path.name if scene.path else "")
        low, high = scene.subject_bounds()
        wide, deep, tall = high - low
        self.size_label.setText(
            f"{wide:.4g} m wide, {deep:.4g} m deep, {tall:.4g} m high, beside a person of {PERSON_M} m."
        )
        self.warning.setText(size_warning(high - low) or "")
        self.warning.setVisible(bool(self.warning.text()))
        self.drawing.draw(scene)
        self._on_document_changed(self.session.document)

    def _on_document_changed(self, document: Document) -> None:
        scene = self.session.loaded.file_scene
        if scene is None or not self.isVisible():
            return
        placement = placement_from_stage(document.stage, scene.origin)
        guess = "" if scene.origin.declared else "A guess: "
        own = document.stage.units == "file"
        self.units_why.setText(
            f"{guess}{placement.units}; {scene.origin.units_why}." if own else "Chosen by you."
        )
        own = document.stage.up == "file"
        self.up_why.setText(
            f"{guess}{placement.up.upper()} up; {scene.origin.up_why}." if own else "Chosen by you."
        )
