# SPDX-License-Identifier: Apache-2.0
"""The viewport: shows the newest frame, hands drags and keys to the tool in hand or the camera, marks the sun.

Drag orbits, drag with Shift or the middle button pans, the wheel comes nearer; a click selects a part, keys walk.
"""

from __future__ import annotations

import math

import numpy as np
from PySide6.QtCore import QEvent, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QDragEnterEvent,
    QDropEvent,
    QImage,
    QInputDevice,
    QKeyEvent,
    QMouseEvent,
    QNativeGestureEvent,
    QPainter,
    QPaintEvent,
    QPixmap,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QWidget

from gloamet.desk.actions import expose_actions, panorama_actions, spot_actions, stage_actions
from gloamet.desk.aim.aim_controller import AimController
from gloamet.desk.aim.aim_tool import TOOLS, AimTool, ViewAdapter
from gloamet.desk.picture.camera_hand import DOLLY_PER_NOTCH, CameraHand
from gloamet.desk.picture.mask_tool import MaskTool, draw_mask
from gloamet.desk.picture.overlay import (
    draw_cards,
    draw_exposure_spot,
    draw_panorama_sun,
    draw_rectangle,
    draw_safe_lines,
    draw_selection,
    draw_spots,
    draw_sun,
    draw_zones,
    on_screen,
)
from gloamet.desk.picture.picture_overlay import PictureOverlay
from gloamet.desk.picture.region_tool import RegionTool
from gloamet.desk.picture.start_panel import StartPanel
from gloamet.desk.picture.sun_overlay import PathLayer, draw_aim
from gloamet.desk.picture.wipe import Wipe
from gloamet.desk.state.session import Session
from gloamet.desk.state.view_conversion import camera_from_document
from gloamet.desk.widgets import theme
from gloamet.desk.widgets.pixels import fitted
from gloamet.document.model import Document
from gloamet.preview.events import Frame

INSET = 10
ONLY_SKY = "There is only sky at that point: click on an object."
EDGE_PX, NEARER = 3.0, 0.97
NOTCH_DEG = 120.0  # of a wheel, as Qt counts
ZOOM_KEY = Qt.KeyboardModifier.ControlModifier


class Viewport(QWidget):
    """The middle of the desk."""

    dropped = Signal(str)
    open_asked = Signal()
    demo_asked = Signal(str)

    def __init__(self, session: Session, aimer: AimController) -> None:
        super().__init__()
        self.session, self.aimer = session, aimer
        self._path = PathLayer()
        self._shown: object = None
        self.sun_tools = False  # whether the Sun step's path and pins are drawn
        self._frame: Frame | None = None
        self._image: QImage | None = None
        self._fitted: QPixmap | None = None
        self.camera_hand = CameraHand(session)
        self.hand, self.mask_hand = RegionTool(session), MaskTool(session)
        self.aim = AimTool(
            session, aimer, ViewAdapter(self._point, self._edge, self._towards, self._spot, self._on_picture)
        )
        aimer.outlines.ready.connect(self.update)
        aimer.answered.connect(self.update)
        self.wipe = Wipe(session)
        self.wipe.changed.connect(self.update)
        self.overlays: list[PictureOverlay] = []  # what may be looked at in place of the picture
        self.safe_lines = False
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self.setAcceptDrops(True)
        self.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        self.setAccessibleName("Picture")
        self.setMinimumSize(240, 160)
        self.start = StartPanel(self)
        self.start.open_asked.connect(self.open_asked)
        self.start.demo_asked.connect(self.demo_asked)
        session.results.frame_ready.connect(self._on_frame_ready)
        session.document_changed.connect(self._on_document_changed)
        session.state.selected.connect(lambda _: self.update())
        session.state.tool_changed.connect(self._on_tool_changed)

    def add_overlay(self, overlay: PictureOverlay) -> None:
        """Something more that may be looked at in place of the picture."""
        self.overlays.append(overlay)
        overlay.changed.connect(self.update)

    @property
    def overlay(self) -> PictureOverlay | None:
        """What is looked at in place of the picture."""
        return next((overlay for overlay in self.overlays if overlay.on), None)

    def show_safe_lines(self, on: bool) -> None:
        """Lines that help to compose."""
        self.safe_lines = on
        self.update()

    def _on_frame_ready(self, frame: Frame) -> None:
        self._frame = frame
        pixels = frame.pixels if frame.inspected is None else frame.inspected
        h, w = pixels.shape[:2]
        self._image = QImage(pixels.data, w, h, 4 * w, QImage.Format.Format_RGBX8888)
        self._fitted = None
        self.update()

    def target(self) -> QRectF:
        """Where the picture is drawn: the shape of the saved picture, as large as fits."""
        out = self.session.document.output
        room_w, room_h = max(16, self.width() - 2 * INSET), max(16, self.height() - 2 * INSET)
        scale = min(room_w / out.width, room_h / out.height)
        w, h = max(16.0, round(out.width * scale)), max(16.0, round(out.height * scale))
        return QRectF(round((self.width() - w) / 2), round((self.height() - h) / 2), w, h)

    def _fit(self) -> None:
        self.start.setVisible(not self.session.document.stage.scene_file)
        self.start.adjustSize()
        self.start.move(self.rect().center() - self.start.rect().center())
        ratio = self.devicePixelRatioF()
        box = self.target()
        self.session.render.resize(int(box.width() * ratio), int(box.height() * ratio))
        self.aimer.size = self.session.render.size

    def resizeEvent(self, event: QResizeEvent) -> None:  # noqa: N802
        self._fit()

    def _on_document_changed(self, document: Document) -> None:
        self._fit()
        sun = document.sun
        shown = (
            document.stage,
            document.output,
            document.aim,
            document.fill.spots,
            document.expose,
            document.site,
            sun.wall_time.date(),
            sun.north_deg,
        )
        if shown != self._shown:  # a sun that only moves is painted with its frame
            self._shown = shown
            self.update()

    def paintEvent(self, event: QPaintEvent) -> None:  # noqa: N802
        p = QPainter(self)
        p.fillRect(self.rect(), QColor(theme.SURROUND))
        box = self.target()
        if self._image is None or not self.session.document.stage.scene_file:
            return
        self._fitted = fitted(self._image, box, self.devicePixelRatioF(), self._fitted)
        p.drawPixmap(box.topLeft(), self._fitted)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setClipRect(box)
        if self.overlay is not None:
            self.overlay.paint(p, box)
            return
        self.wipe.paint(p, box)
        draw_rectangle(p, box, self.session.document.stage.rectangle)
        if self.safe_lines:
            draw_safe_lines(p, box)
        draw_selection(p, box, self.session)
        draw_sun(p, box, self.session)
        draw_panorama_sun(p, box, self.session)
        draw_spots(p, box, self.session.document.fill.spots)
        draw_cards(p, box, self.session.document)
        draw_exposure_spot(p, box, self.session.document.expose)
        draw_mask(p, box, self.session)
        if self.session.render.inspect == "false colour":
            draw_zones(p, box)
        if self.sun_tools:
            draw_aim(p, box, self.session, self.aimer, self._path, self.aim.draft)

    def show_sun_tools(self, on: bool) -> None:
        """Draw the path of the day and the pins, or not."""
        self.sun_tools = on
        if self.session.state.tool in TOOLS:
            self.session.state.use_tool("")
        if not on:
            self.aimer.show(None)
        self.update()

    # -- what the aiming hand asks

    def _point(self, at: QPointF) -> np.ndarray | None:
        return (
            stage_actions.point_at(self.session, *self._fraction(at)) if self.target().contains(at) else None
        )

    def _edge(self, at: QPointF) -> np.ndarray | None:
        """The point under a place, or of a nearer thing whose edge passes within EDGE_PX."""
        eye = np.asarray(camera_from_document(self.session.document).eye)
        found = self._point(at)
        far = math.inf if found is None else float(np.linalg.norm(found - eye))
        for k in range(8):
            a = math.pi * k / 4.0
            beside = self._point(at + QPointF(math.cos(a), math.sin(a)) * EDGE_PX)
            off = math.inf if beside is None else float(np.linalg.norm(beside - eye))
            if off < NEARER * far:
                found, far = beside, off
        return found

    def _towards(self, at: QPointF) -> np.ndarray | None:
        return np.asarray(camera_from_document(self.session.document).ray(*self._fraction(at)), float)

    def _spot(self, at: QPointF) -> tuple[float, float] | None:
        return self._fraction(at)[:2]

    def _on_picture(self, point: np.ndarray) -> QPointF | None:
        box = self.target()
        return on_screen(
            box, camera_from_document(self.session.document).project_point(point, box.width() / box.height())
        )

    def _fraction(self, at: QPointF) -> tuple[float, float, float]:
        """A place on the picture in shares, and the picture's aspect."""
        box = self.target()
        return (at.x() - box.x()) / box.width(), (at.y() - box.y()) / box.height(), box.width() / box.height()

    # -- clicks and camera

    def mousePressEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        at = event.position()
        if self.overlay is not None and self.overlay.press(self.target(), at, event.modifiers()):
            return
        if event.button() == Qt.MouseButton.LeftButton:
            if self.wipe.press(self.target(), at):
                return
            if self.hand.press(self.target(), at) or self.mask_hand.press(self.target(), at):
                return
            if self.sun_tools and self.target().contains(at) and self.aim.press(at):
                return
        if event.button() in (Qt.MouseButton.LeftButton, Qt.MouseButton.MiddleButton):
            pans = event.button() == Qt.MouseButton.MiddleButton
            self.camera_hand.press(at, None if pans else self._pivot(at), pans, self.target().height())

    def _pivot(self, at: QPointF) -> np.ndarray | None:
        """The point that an orbit turns about: what is seen there, None for the camera's target."""
        return self._point(at) if self.session.loaded.compiled is not None else None

    def mouseMoveEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        box, at = self.target(), event.position()
        if self.overlay is not None and self.overlay.move(box, at):
            return
        if self.wipe.move(box, at) or self.mask_hand.move(box, at):
            return
        if self.aim.move(at):
            self.update()
            return
        if not self.hand.move(box, at):
            pans = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
            self.camera_hand.move(at, pans, event.timestamp())

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        if self.overlay is not None and self.overlay.release():
            return
        tools = self.wipe, self.hand, self.mask_hand
        if any(tool.release() for tool in tools) or self.aim.release(event.position()):
            self.update()
            return
        if self.camera_hand.release(event.timestamp()) and event.button() == Qt.MouseButton.LeftButton:
            self._click(event.position())

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        self.camera_hand.stop()
        x, y, aspect = self._fraction(event.position())
        inside = 0.0 <= x <= 1.0 and 0.0 <= y <= 1.0 and self.overlay is None
        if inside and self.session.loaded.compiled is not None and not self.session.state.tool:
            name = stage_actions.pick(self.session, x, y, aspect)
            if name:
                stage_actions.frame_parts(self.session, {name})

    def _click(self, at: QPointF) -> None:
        """Select, or what the tool in hand does."""
        session = self.session
        x, y, aspect = self._fraction(at)
        if not (0.0 <= x <= 1.0 and 0.0 <= y <= 1.0) or session.loaded.scene is None:
            return
        if session.state.tool in ("", "rectangle"):
            session.state.select(stage_actions.pick(session, x, y, aspect))
            return
        if session.state.tool in expose_actions.CLICK_TOOLS:
            expose_actions.click(session, session.state.tool, x, y, aspect)
            session.state.use_tool("")
            return
        if session.state.tool == "spot":
            spot_actions.add_spot(session, x, y)
            session.state.use_tool("")
            return
        if session.state.tool == "card":
            if spot_actions.place_cards(session, x, y):
                session.state.use_tool("")
            else:
                session.noticed.emit(ONLY_SKY, "note")
            return
        if session.state.tool == "panorama sun":
            towards = camera_from_document(session.document).ray(x, y, aspect)
            panorama_actions.pick_sun(session, np.asarray(towards, float))
            session.state.use_tool("")
            return
        point = stage_actions.point_at(session, x, y, aspect)
        if point is None:
            session.noticed.emit(ONLY_SKY, "note")
            return
        if session.state.tool == "focus":
            camera = camera_from_document(session.document)
            ahead = float((point - np.asarray(camera.eye)) @ camera.frame()[0])
            session.change("stage.view", focus_m=min(max(ahead, 0.05), 10000.0), depth_of_field=True)
        elif session.state.tool.startswith("place "):
            stage_actions.place_prop(session, int(session.state.tool.split()[1]), point)
        session.state.use_tool("")

    def _on_tool_changed(self, tool: str) -> None:
        self.setCursor(Qt.CursorShape.CrossCursor if tool else Qt.CursorShape.ArrowCursor)
        self.update()

    def wheelEvent(self, event: QWheelEvent) -> None:  # noqa: N802
        touch_pad = event.device().type() == QInputDevice.DeviceType.TouchPad
        if self.overlay is not None:
            self.overlay.zoom_by(event.angleDelta().y() / NOTCH_DEG)
        elif touch_pad and not event.pixelDelta().isNull() and not event.modifiers() & ZOOM_KEY:
            pans = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
            pivot = self._pivot(event.position())
            self.camera_hand.scroll(QPointF(event.pixelDelta()), pivot, pans, self.target().height())
        else:
            self.camera_hand.dolly_by(math.pow(DOLLY_PER_NOTCH, event.angleDelta().y() / NOTCH_DEG))
        event.accept()

    def event(self, event: QEvent) -> bool:
        """Two fingers that move apart on a touch pad bring the camera nearer."""
        if isinstance(event, QNativeGestureEvent):
            if event.gestureType() != Qt.NativeGestureType.ZoomNativeGesture:
                return super().event(event)
            if self.overlay is not None:
                self.overlay.zoom_by(math.log(max(0.1, 1.0 + event.value())) / -math.log(DOLLY_PER_NOTCH))
            else:
                self.camera_hand.dolly_by(1.0 / max(0.1, 1.0 + event.value()))
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:  # noqa: N802
        if event.key() == Qt.Key.Key_Escape:
            if self.overlay is not None:
                self.overlay.end()
            self.hand.leave()
            self.aimer.show(None)
            self.session.state.select("")
        elif not self.camera_hand.key(
            event.key(), bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        ):
            super().keyPressEvent(event)

    # -- files dropped on it

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:  # noqa: N802
        if any(url.isLocalFile() for url in event.mimeData().urls()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:  # noqa: N802
        files = [url.toLocalFile() for url in event.mimeData().urls() if url.isLocalFile()]
        if files:
            event.acceptProposedAction()
            self.dropped.emit(files[0])
