"""The import sheet: how a model just opened stands, beside a person, before anything else is done with it."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QImage, QPainter, QPaintEvent, QPolygonF
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from gloamet.desk import theme
from gloamet.desk.session import Session
from gloamet.desk.steps.stage.model import facing_words
from gloamet.desk.widgets.small import Choice, label
from gloamet.desk.widgets.switch import Switch
from gloamet.document.model import Document
from gloamet.stage.assembly import placement_of
from gloamet.stage.camera import Camera
from gloamet.stage.placing import PERSON_M, size_warning
from gloamet.stage.props import person
from gloamet.stage.scene import Scene

DRAWING = (258, 150)
FINE = 2


class Elevation(QWidget):
    """The model seen from its front as a silhouette, a person of 1.75 m beside it, to one scale."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setFixedSize(*DRAWING)
        self._image: QImage | None = None
        self._person = (0.0, 0.0, 0.0)

    def draw(self, scene: Scene) -> None:
        """Take the silhouette of what is compiled now."""
        from gloamet.trace.firsthit import ALL, first_hits

        compiled = self.session.compiled
        low, high = scene.subject_bounds()
        size = high - low
        gap = max(0.15 * PERSON_M, 0.03 * float(size[0]))
        wide = float(size[0]) + gap + 0.6
        tall = max(float(size[2]), PERSON_M)
        span = 1.12 * max(tall, wide * DRAWING[1] / DRAWING[0])
        left = 0.5 * (float(low[0]) + float(high[0])) - 0.5 * (gap + 0.6)
        middle = np.array([left, low[1] - 10.0 - size[1], low[2] + 0.44 * span])
        camera = Camera(tuple(middle.tolist()), tuple((middle + [0, 1, 0]).tolist()), parallel_m=span)
        if compiled is None:
            return
        with ThreadPoolExecutor(2) as pool:
            maps = first_hits(compiled, camera, FINE * DRAWING[0], FINE * DRAWING[1], pool, ALL)
        props = [k for k, part in enumerate(compiled.scene.parts) if part.group == ("shade makers",)]
        seen = (maps.part >= 0) & ~np.isin(maps.part, props)
        shade = np.where(seen, 110 + 60 * np.abs(maps.normal[..., 1]), 0).astype(np.uint8)
        pixels = np.dstack([shade, shade, shade, np.where(seen, 255, 0).astype(np.uint8)])
        self._pixels = np.ascontiguousarray(pixels)
        h, w = pixels.shape[:2]
        self._image = QImage(self._pixels.data, w, h, 4 * w, QImage.Format.Format_RGBA8888)
        scale = DRAWING[1] / span
        x = DRAWING[0] / 2 + (float(low[0]) - gap - 0.3 - left) * scale
        y = DRAWING[1] / 2 + 0.44 * DRAWING[1]
        self._person = (x, y, scale)
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:  # noqa: N802
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        p.fillRect(self.rect(), QColor(theme.WELL))
        x, y, scale = self._person
        if self._image is None or scale <= 0.0:
            return
        p.drawImage(QRectF(self.rect()), self._image)
        shape = person()
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(QColor(theme.SUN))
        if PERSON_M * scale >= 3.0:
            for a, b, c in shape.positions[shape.triangles][:, :, [0, 2]]:
                p.drawPolygon(QPolygonF([QPointF(x + v[0] * scale, y - v[1] * scale) for v in (a, b, c)]))
        else:
            p.drawEllipse(QRectF(x - 1.5, y - 3, 3, 3))
        p.setPen(QColor(theme.QUIET))
        p.drawLine(0, round(y), self.width(), round(y))


class ImportSheet(QWidget):
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
        self.size_words = label("", "note", wrap=True)
        self.warning = label("", "warning", wrap=True)
        self.units_why, self.up_why = label("", "note", wrap=True), label("", "note", wrap=True)
        column.addWidget(self.title)
        column.addWidget(self.drawing)
        column.addWidget(self.size_words)
        column.addWidget(self.warning)
        column.addWidget(label("One unit of the file is", "head"))
        column.addWidget(
            Choice(session, "stage", "units", [(u, u) for u in ("file", "m", "cm", "mm", "in", "ft")])
        )
        column.addWidget(self.units_why)
        column.addWidget(label("Up in the file", "head"))
        column.addWidget(Choice(session, "stage", "up", [("file", "file"), ("y", "Y up"), ("z", "Z up")]))
        column.addWidget(self.up_why)
        row = QHBoxLayout()
        row.addWidget(label("Front faces", "head"))
        row.addWidget(facing_words(session))
        column.addLayout(row)
        column.addWidget(Switch(session, "stage", "drop", "Stands on height 0"))
        column.addWidget(Switch(session, "stage", "outside", "Files outside its folder may be read"))
        self.done = QPushButton("Done")
        self.done.setToolTip("Closes this sheet; the same choices stay on the Stage step.")
        self.done.clicked.connect(self.hide)
        column.addWidget(self.done)
        column.addStretch(1)
        session.model_opened.connect(self.open)
        session.scene_loaded.connect(self._take)
        session.stage_changed.connect(self._follow)
        self.hide()

    def open(self, scene: Scene) -> None:
        """Show the sheet for a scene."""
        parent = self.parentWidget()
        assert parent is not None
        self.setGeometry(parent.rect())
        self.show()
        self.raise_()
        self._take(scene)

    def _take(self, scene: Scene) -> None:
        if not self.isVisible():
            return
        self.title.setText(scene.path.name if scene.path else "")
        low, high = scene.subject_bounds()
        wide, deep, tall = high - low
        self.size_words.setText(
            f"{wide:.4g} m wide, {deep:.4g} m deep, {tall:.4g} m high, beside a person of {PERSON_M} m."
        )
        self.warning.setText(size_warning(high - low) or "")
        self.warning.setVisible(bool(self.warning.text()))
        self.drawing.draw(scene)
        self._follow(self.session.document)

    def _follow(self, document: Document) -> None:
        scene = self.session.file_scene
        if scene is None or not self.isVisible():
            return
        place = placement_of(document.stage, scene.origin)
        guess = "" if scene.origin.said else "A guess: "
        own = document.stage.units == "file"
        self.units_why.setText(
            f"{guess}{place.units}; {scene.origin.units_why}." if own else "Chosen by you."
        )
        own = document.stage.up == "file"
        self.up_why.setText(
            f"{guess}{place.up.upper()} up; {scene.origin.up_why}." if own else "Chosen by you."
        )
