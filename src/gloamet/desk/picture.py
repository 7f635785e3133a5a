"""The picture: shows the newest frame, moves the camera with the mouse, marks the sun.

Drag turns round the target, drag with Shift or the middle button slides, the wheel comes nearer.
"""

from __future__ import annotations

import math

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, QTimer, Signal
from PySide6.QtGui import (
    QColor,
    QDragEnterEvent,
    QDropEvent,
    QImage,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from gloamet.desk import theme
from gloamet.desk.events import Frame
from gloamet.desk.session import Session, camera_of, set_camera
from gloamet.desk.widgets.small import label
from gloamet.document.model import Document
from gloamet.stage.camera import dolly, orbit, pan
from gloamet.sun.position import direction

INSET = 10
TURN_DEG_PER_PIXEL = 0.3


class Picture(QWidget):
    """The middle of the desk."""

    dropped = Signal(str)
    open_asked = Signal()
    demo_asked = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._frame: Frame | None = None
        self._image: QImage | None = None
        self._grab: QPointF | None = None
        self._button = Qt.MouseButton.NoButton
        self.setAcceptDrops(True)
        self.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        self.setAccessibleName("Picture")
        self.setMinimumSize(240, 160)
        self.start = self._make_start()
        self._wheel_rest = QTimer(self, interval=400, singleShot=True)
        self._wheel_rest.timeout.connect(session.settle)
        session.frame_ready.connect(self._take_frame)
        session.document_changed.connect(self._follow)

    def _make_start(self) -> QWidget:
        """What stands here before there is a model."""
        start = QWidget(self)
        column = QVBoxLayout(start)
        column.setSpacing(12)
        words = label("Open a model, or drop one here", "title")
        words.setAlignment(Qt.AlignmentFlag.AlignCenter)
        column.addWidget(words)
        row = QHBoxLayout()
        for text, tip, signal in (
            ("Open …", "Open a project, or a .glb, .gltf or .obj model.", self.open_asked),
            ("Show the demo", "The bathing house that ships with the program.", self.demo_asked),
        ):
            button = QPushButton(text)
            button.setToolTip(tip)
            button.clicked.connect(signal)
            row.addWidget(button)
        column.addLayout(row)
        return start

    def _take_frame(self, frame: Frame) -> None:
        self._frame = frame
        h, w = frame.pixels.shape[:2]
        self._image = QImage(frame.pixels.data, w, h, 4 * w, QImage.Format.Format_RGBX8888)
        self.update()

    def target(self) -> QRectF:
        """Where the picture is drawn: the shape of the saved picture, as large as fits."""
        out = self.session.document.output
        room_w, room_h = max(16, self.width() - 2 * INSET), max(16, self.height() - 2 * INSET)
        scale = min(room_w / out.width, room_h / out.height)
        w, h = max(16.0, round(out.width * scale)), max(16.0, round(out.height * scale))
        return QRectF(round((self.width() - w) / 2), INSET, w, h)

    def _fit(self) -> None:
        self.start.setVisible(not self.session.document.stage.model)
        self.start.adjustSize()
        self.start.move(self.rect().center() - self.start.rect().center())
        ratio = self.devicePixelRatioF()
        box = self.target()
        self.session.resize(int(box.width() * ratio), int(box.height() * ratio))

    def resizeEvent(self, event: QResizeEvent) -> None:  # noqa: N802
        self._fit()

    def _follow(self, document: Document) -> None:
        self._fit()
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:  # noqa: N802
        p = QPainter(self)
        p.fillRect(self.rect(), QColor(theme.SURROUND))
        box = self.target()
        if self._image is None or not self.session.document.stage.model:
            return
        p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        p.drawImage(box, self._image)
        self._draw_sun(p, box)

    def _draw_sun(self, p: QPainter, box: QRectF) -> None:
        """A thin ring where the sun stands in the frame."""
        light = self.session.light
        if light is None or light.sun_elevation_deg < -1.0:
            return
        towards = np.asarray(direction(light.sun_azimuth_deg, light.sun_elevation_deg))
        at = camera_of(self.session.document).project(towards, box.width() / box.height())
        if at is None or not (0.0 <= at[0] <= 1.0 and 0.0 <= at[1] <= 1.0):
            return
        q = QPointF(box.x() + at[0] * box.width(), box.y() + at[1] * box.height())
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(QPen(QColor(theme.SUN), 1.5))
        p.drawEllipse(q, 11, 11)

    # -- camera

    def mousePressEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        if event.button() in (Qt.MouseButton.LeftButton, Qt.MouseButton.MiddleButton):
            self._grab, self._button = event.position(), event.button()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        if self._grab is None:
            return
        d = event.position() - self._grab
        self._grab = event.position()
        camera = camera_of(self.session.document)
        slide = (
            self._button == Qt.MouseButton.MiddleButton
            or event.modifiers() & Qt.KeyboardModifier.ShiftModifier
        )
        if slide:
            height = max(1.0, self.target().height())
            camera = pan(camera, -d.x() / height, d.y() / height, self.session.ground_m)
        else:
            turn, lift = d.x() * TURN_DEG_PER_PIXEL, d.y() * TURN_DEG_PER_PIXEL
            camera = orbit(camera, turn, lift, self.session.ground_m)
        set_camera(self.session, camera, "camera")

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        self._grab = None
        self.session.settle()

    def wheelEvent(self, event: QWheelEvent) -> None:  # noqa: N802
        turns = event.angleDelta().y() / 120.0
        camera = dolly(camera_of(self.session.document), math.pow(0.9, turns), self.session.ground_m)
        set_camera(self.session, camera, "camera")
        self._wheel_rest.start()
        event.accept()

    # -- files dropped on it

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:  # noqa: N802
        if any(url.isLocalFile() for url in event.mimeData().urls()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:  # noqa: N802
        files = [url.toLocalFile() for url in event.mimeData().urls() if url.isLocalFile()]
        if files:
            event.acceptProposedAction()
            self.dropped.emit(files[0])
