# SPDX-License-Identifier: Apache-2.0
"""The plan: the stage from above in the present light, with north, sun and camera.

A click stands there, a drag from there looks where it ends; the wheel comes nearer, the middle button slides.
"""

from __future__ import annotations

import math

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import (
    QColor,
    QImage,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
    QResizeEvent,
    QShowEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QWidget

from gloamet.desk.actions import stage_actions
from gloamet.desk.aim.aim_controller import AimController
from gloamet.desk.aim.aim_tool import TOOLS, AimTool, ViewAdapter
from gloamet.desk.picture.sun_overlay import draw_shadow_pins
from gloamet.desk.state.session import Session
from gloamet.desk.state.view_conversion import camera_from_document
from gloamet.desk.widgets import theme
from gloamet.preview.events import PlanFrame
from gloamet.preview.requests import PlanRequest
from gloamet.stage.camera import Camera
from gloamet.stage.scene import Scene

INSET, CLICK_PX = 10, 4
CUT_ABOVE_EYE_M = 0.6
ABOVE_M = 50.0


class PlanView(QWidget):
    """A parallel view straight down."""

    def __init__(self, session: Session, aimer: AimController) -> None:
        super().__init__()
        self.session = session
        self.aim = AimTool(
            session,
            aimer,
            ViewAdapter(self._point, self._point, lambda _: None, lambda _: None, self._on_plan),
        )
        self.centre, self.span_m, self.cut = (0.0, 0.0), 30.0, False
        self._frame: PlanFrame | None = None
        self._image: QImage | None = None
        self._press: QPointF | None = None
        self._last = QPointF()
        self._moved = False
        self._button = Qt.MouseButton.NoButton
        self.setMinimumWidth(200)
        self.setAccessibleName("Plan")
        self.setToolTip("Click to place the camera, drag to aim it; wheel and middle button move the plan.")
        session.results.plan_ready.connect(self._on_plan_ready)
        session.loaded.scene_loaded.connect(self._centre_on)
        session.document_changed.connect(lambda _: self._on_document_changed())
        session.results.light_solved.connect(lambda _: self.update())

    # -- what is shown

    def camera(self) -> Camera:
        """The plan's own camera: from above everything, or from a cut a little above the eye."""
        scene = self.session.loaded.scene
        top = float(scene.bounds()[1][2]) + ABOVE_M if scene is not None else ABOVE_M
        props = self.session.document.stage.props
        top = max([top, *(p.position[2] + p.height_m + 1.0 for p in props)])
        if self.cut:
            top = camera_from_document(self.session.document).eye[2] + CUT_ABOVE_EYE_M
        x, y = self.centre
        return Camera((x, y, top), (x, y, top - 1.0), parallel_m=self.span_m)

    def _wish(self) -> PlanRequest | None:
        if not self.isVisible() or self.session.loaded.scene is None:
            return None
        ratio = self.devicePixelRatioF()
        box = self.box()
        return PlanRequest(
            self.camera(), max(16, int(box.width() * ratio)), max(16, int(box.height() * ratio))
        )

    def _on_document_changed(self) -> None:
        self.session.render.show_plan(self._wish())
        self.update()

    def _centre_on(self, scene: Scene) -> None:
        low, high = scene.subject_bounds()
        camera = camera_from_document(self.session.document)
        apart = float(np.linalg.norm(np.subtract(camera.eye, camera.target)[:2]))
        self.centre = (0.5 * (camera.eye[0] + camera.target[0]), 0.5 * (camera.eye[1] + camera.target[1]))
        self.span_m = min(2.6 * max(1.0, apart), 3.0 * max(1.0, float((high - low)[:2].max())))
        self._on_document_changed()

    def set_cut(self, on: bool) -> None:
        """Look from just above the eye, so that roofs are off."""
        self.cut = on
        self._on_document_changed()

    def showEvent(self, event: QShowEvent) -> None:  # noqa: N802
        self._on_document_changed()

    def hideEvent(self, event) -> None:  # type: ignore[no-untyped-def]  # noqa: N802
        self.session.render.show_plan(None)

    def resizeEvent(self, event: QResizeEvent) -> None:  # noqa: N802
        self._on_document_changed()

    def _on_plan_ready(self, frame: PlanFrame) -> None:
        h, w = frame.pixels.shape[:2]
        self._frame = frame
        self._image = QImage(frame.pixels.data, w, h, 4 * w, QImage.Format.Format_RGBX8888)
        self.update()

    # -- geometry

    def box(self) -> QRectF:
        """Where the plan is drawn."""
        return QRectF(0, INSET, max(16, self.width() - INSET), max(16, self.height() - 2 * INSET))

    def to_screen(self, x: float, y: float) -> QPointF:
        """A place of the world on the plan."""
        box = self.box()
        scale = box.height() / self.span_m
        c = box.center()
        return QPointF(c.x() + (x - self.centre[0]) * scale, c.y() - (y - self.centre[1]) * scale)

    def to_world(self, at: QPointF) -> tuple[float, float]:
        """A place of the plan in the world."""
        box = self.box()
        scale = self.span_m / box.height()
        c = box.center()
        return self.centre[0] + (at.x() - c.x()) * scale, self.centre[1] - (at.y() - c.y()) * scale

    # -- painting

    def paintEvent(self, event: QPaintEvent) -> None:  # noqa: N802
        p = QPainter(self)
        p.fillRect(self.rect(), QColor(theme.SURROUND))
        box = self.box()
        p.setClipRect(box)
        p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self._image is not None and self._frame is not None:
            # while a new plan is on its way the old one is drawn where it belongs
            old = self._frame.camera
            size = QPointF(old.parallel_m * self._image.width() / self._image.height(), old.parallel_m)
            a = self.to_screen(old.eye[0] - 0.5 * size.x(), old.eye[1] + 0.5 * size.y())
            b = self.to_screen(old.eye[0] + 0.5 * size.x(), old.eye[1] - 0.5 * size.y())
            p.drawImage(QRectF(a, b), self._image)
        self._draw_camera(p)
        draw_shadow_pins(p, self.session, self._on_plan, self.aim.draft)
        self._draw_compass(p, box)

    # -- what the aiming hand asks

    def _point(self, at: QPointF) -> np.ndarray | None:
        x, y = self.to_world(at)
        return np.array([x, y, stage_actions.surface_height(self.session, x, y, self.camera().eye[2])])

    def _on_plan(self, point: np.ndarray) -> QPointF | None:
        return self.to_screen(float(point[0]), float(point[1]))

    def _draw_camera(self, p: QPainter) -> None:
        camera = camera_from_document(self.session.document)
        eye = self.to_screen(camera.eye[0], camera.eye[1])
        out = self.session.document.output
        reach = 0.18 * self.span_m
        wedge = [eye]
        for x in (0.0, 1.0):
            ray = camera.ray(x, 0.5, out.width / out.height)
            flat = max(math.hypot(ray[0], ray[1]), 1e-6)
            wedge.append(
                self.to_screen(camera.eye[0] + reach * ray[0] / flat, camera.eye[1] + reach * ray[1] / flat)
            )
        p.setBrush(QColor(228, 228, 228, 50))
        p.setPen(QPen(QColor(theme.PICTURE_INK), 1.2))
        p.drawPolygon(QPolygonF(wedge))
        p.setBrush(QColor(theme.PICTURE_INK))
        p.drawEllipse(eye, 3.5, 3.5)

    def _draw_compass(self, p: QPainter, box: QRectF) -> None:
        """North and the sun's azimuth, in the upper corner."""
        centre, radius = QPointF(box.right() - 34, box.top() + 34), 22.0
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(QColor(38, 38, 38, 170))
        p.drawEllipse(centre, radius + 6, radius + 6)
        north = math.radians(self.session.document.sun.north_deg)
        up = QPointF(math.sin(north), -math.cos(north))
        tip = centre + up * radius
        p.setPen(QPen(QColor(theme.PICTURE_INK), 1.5))
        p.drawLine(centre, centre + up * (radius - 9.0))
        p.setFont(theme.font(theme.SMALL, bold=True))
        p.drawText(QRectF(tip.x() - 8, tip.y() - 8, 16, 16), Qt.AlignmentFlag.AlignCenter, "N")
        light = self.session.results.light
        if light is not None and light.sun_elevation_deg > -0.5:
            angle = math.radians(light.sun_azimuth_deg)
            at = centre + QPointF(math.sin(angle), -math.cos(angle)) * radius * math.cos(
                math.radians(light.sun_elevation_deg)
            )
            p.setPen(QPen(QColor(theme.PICTURE_SUN), 1.5))
            p.drawLine(at, centre)
            p.setBrush(QColor(theme.PICTURE_SUN))
            p.drawEllipse(at, 4, 4)

    # -- hand

    def mousePressEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        left = event.button() == Qt.MouseButton.LeftButton
        if (
            left
            and (self.session.state.tool in TOOLS or self.session.document.aim.pins)
            and self.aim.press(event.position())
        ):
            return
        self._press = self._last = event.position()
        self._button, self._moved = event.button(), False

    def mouseMoveEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        if self.aim.move(event.position()):
            self.update()
            return
        if self._press is None:
            return
        at = event.position()
        step, far = at - self._last, at - self._press
        if not self._moved and abs(far.x()) + abs(far.y()) < CLICK_PX:
            return
        if self._button == Qt.MouseButton.MiddleButton:
            scale = self.span_m / self.box().height()
            self.centre = (self.centre[0] - step.x() * scale, self.centre[1] + step.y() * scale)
            self._on_document_changed()
        elif self._button == Qt.MouseButton.LeftButton:
            if not self._moved:
                self._stand(self._press)
            stage_actions.look_at(self.session, *self.to_world(at), "plan")
        self._last, self._moved = at, True

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        if self.aim.release(event.position()):
            self.update()
            return
        if self._press is not None and not self._moved and self._button == Qt.MouseButton.LeftButton:
            tool = self.session.state.tool
            if tool.startswith("place "):
                x, y = self.to_world(event.position())
                z = stage_actions.surface_height(self.session, x, y, self.camera().eye[2])
                stage_actions.place_prop(self.session, int(tool.split()[1]), np.array([x, y, z]))
                self.session.state.use_tool("")
            else:
                self._stand(event.position())
        self._press = None
        self.session.end_undo_group()

    def _stand(self, at: QPointF) -> None:
        x, y = self.to_world(at)
        stage_actions.stand_at(self.session, x, y, self.camera().eye[2], "plan")

    def wheelEvent(self, event: QWheelEvent) -> None:  # noqa: N802
        """Nearer or farther about the place under the pointer."""
        before = self.to_world(event.position())
        self.span_m = min(max(self.span_m * 0.85 ** (event.angleDelta().y() / 120.0), 0.5), 20000.0)
        after = self.to_world(event.position())
        self.centre = (self.centre[0] + before[0] - after[0], self.centre[1] + before[1] - after[1])
        self._on_document_changed()
        event.accept()
