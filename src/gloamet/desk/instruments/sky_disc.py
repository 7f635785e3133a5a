# SPDX-License-Identifier: Apache-2.0
"""The sky disc: the whole sky in a circle, with the day's path and a sun to drag.

North is up, east is right, the zenith in the middle, the horizon at the rim. Dragging the sun frees it from
the almanac without a jump.
"""

from __future__ import annotations

import math

import numpy as np
from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, Qt
from PySide6.QtGui import (
    QBrush,
    QColor,
    QImage,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPen,
    QPixmap,
    QResizeEvent,
)
from PySide6.QtWidgets import QWidget

from gloamet.desk.state.view_conversion import camera_from_document
from gloamet.desk.widgets import theme
from gloamet.desk.widgets.pixels import fitted
from gloamet.desk.widgets.ports import LightPort
from gloamet.document.model import Document
from gloamet.preview.events import DiscPainted
from gloamet.sun.angles import azimuth_of
from gloamet.sun.day import day_path
from gloamet.sun.position import SunPosition
from gloamet.sun.site import resolve_zone

LEAST_RADIUS, MARGIN, LETTERS = 40.0, 14.0, 48.0  # beside the disc, and above and below together
BELOW_SCALE = 0.5  # a sun below the horizon stands outside the rim, drawn nearer
LOWEST_DEG = -20.0


class SkyDisc(QWidget):
    """The polar picture of the sky."""

    def __init__(self, session: LightPort) -> None:
        super().__init__()
        self.session = session
        self._image: QImage | None = None
        self._fitted: QPixmap | None = None
        self._pixels: np.ndarray | None = None
        self._path: SunPosition | None = None
        self._path_key: object = None
        self._drawn: tuple[QPainterPath, list[QPointF]] | None = None
        self._backdrop: tuple[object, QPixmap] | None = None
        self._dragging = False
        self._room = math.inf  # height that it may have
        self._offset = QPointF(0, 0)
        self._turned: tuple[float, float] | None = None  # azimuth of the grab on the ring, north then
        self.setToolTip(
            "Drag the sun anywhere; the line is its path today. Drag the compass ring to rotate north."
        )
        self.setAccessibleName("Sky disc")
        session.results.disc_painted.connect(self._on_disc_painted)
        session.document_changed.connect(self._on_document_changed)
        self._on_document_changed(session.document)

    def sizeHint(self) -> QSize:  # noqa: N802
        return QSize(192, 212)

    @property
    def radius(self) -> float:
        """Radius of the horizon, pixels."""
        return max(LEAST_RADIUS, min(self.width() / 2.0 - MARGIN, (self._room - LETTERS) / 2.0))

    def fit(self, room: float) -> None:
        """Be no higher than so many pixels."""
        self._room = room
        height = round(2.0 * self.radius + LETTERS)
        if height == self.height():
            return
        self.setFixedHeight(height)
        self._drawn = self._backdrop = None
        self.update()

    def resizeEvent(self, event: QResizeEvent) -> None:  # noqa: N802
        self._drawn = self._backdrop = None
        self.fit(self._room)

    def _on_document_changed(self, document: Document) -> None:
        site, day = document.site, document.sun.wall_time.date()
        key = (site, day)
        if key != self._path_key:
            zone = resolve_zone(site.timezone)
            _, self._path = day_path(day, site.latitude_deg, site.longitude_deg, zone, 97)
            self._path_key = key
            self._drawn = self._backdrop = None
        self.update()

    def _on_disc_painted(self, disc: DiscPainted) -> None:
        self._pixels = disc.pixels
        h, w = self._pixels.shape[:2]
        self._image = QImage(self._pixels.data, w, h, 4 * w, QImage.Format.Format_RGBX8888)
        self._fitted = self._backdrop = None
        self.update()

    # -- geometry

    def centre(self) -> QPointF:
        """Middle of the disc in widget coordinates."""
        return QPointF(self.width() / 2, self.height() / 2)

    def position(self, azimuth_deg: float, elevation_deg: float) -> QPointF:
        """Position of a direction on the disc (true north up)."""
        away = (90.0 - elevation_deg) / 90.0
        if elevation_deg < 0.0:
            away = 1.0 - elevation_deg / 90.0 * BELOW_SCALE
        a = math.radians(azimuth_deg)
        return self.centre() + QPointF(math.sin(a), -math.cos(a)) * (away * self.radius)

    def direction_at(self, p: QPointF) -> tuple[float, float]:
        """Azimuth and elevation under a point, degrees."""
        d = p - self.centre()
        away = math.hypot(d.x(), d.y()) / self.radius
        elevation = 90.0 * (1.0 - away) if away <= 1.0 else -90.0 * (away - 1.0) / BELOW_SCALE
        return math.degrees(math.atan2(d.x(), -d.y())) % 360.0, max(LOWEST_DEG, elevation)

    def sun(self) -> tuple[float, float]:
        """The sun's true azimuth and elevation in the light that is shown."""
        sun = self.session.shown_document.sun
        if sun.mode != "almanac":
            return sun.azimuth_deg, sun.elevation_deg
        moment = self.session.moment()
        return moment.azimuth_deg, moment.elevation_deg

    # -- painting

    def changeEvent(self, event: QEvent) -> None:  # noqa: N802
        if event.type() == QEvent.Type.PaletteChange:
            self._backdrop = None  # painted in the colours of another theme
        super().changeEvent(event)

    def paintEvent(self, event: QPaintEvent) -> None:  # noqa: N802
        document = self.session.document
        key = (document.stage.view, document.sun.north_deg, self.devicePixelRatioF())
        if self._backdrop is None or self._backdrop[0] != key:
            self._backdrop = (key, self._make_backdrop())
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self._turned is not None:  # the ring stays while dragging; let go, north is up again
            p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            p.translate(self.centre())
            p.rotate(document.sun.north_deg - self._turned[1])
            p.translate(-self.centre())
        p.drawPixmap(0, 0, self._backdrop[1])
        self._draw_panorama_sun(p, document.sun.north_deg)
        sun = self.sun()
        p.setPen(QPen(QColor("#1c1c1c"), 1.5))
        p.setBrush(QColor(theme.PICTURE_SUN) if sun[1] > -0.6 else QColor(theme.PICTURE_QUIET))
        p.drawEllipse(self.position(*sun), 6.5, 6.5)

    def _draw_panorama_sun(self, p: QPainter, north_deg: float) -> None:
        """Four strokes around the sun of a panorama."""
        light = self.session.results.light
        solved = light.panorama if light is not None else None
        if solved is None or solved.sun_deg is None:
            return
        at = self.position((solved.sun_deg[0] - north_deg) % 360.0, solved.sun_deg[1])
        p.setPen(QPen(QColor(theme.PICTURE_PANORAMA), 2.0))
        for dx, dy in ((1, 0), (-1, 0), (0, 1), (0, -1)):
            p.drawLine(at + QPointF(5 * dx, 5 * dy), at + QPointF(11 * dx, 11 * dy))

    def _make_backdrop(self) -> QPixmap:
        """All that stays while the sun is dragged: sky, rings, view, path and letters."""
        ratio = self.devicePixelRatioF()
        backdrop = QPixmap(self.size() * ratio)
        backdrop.setDevicePixelRatio(ratio)
        backdrop.fill(Qt.GlobalColor.transparent)
        p = QPainter(backdrop)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        c = self.centre()
        circle = QRectF(c.x() - self.radius, c.y() - self.radius, 2 * self.radius, 2 * self.radius)
        clip = QPainterPath()
        clip.addEllipse(circle)
        if self._image is None:
            p.fillPath(clip, QColor(theme.WELL))
        else:
            p.save()
            p.setClipPath(clip)
            self._fitted = fitted(self._image, circle, ratio, self._fitted)
            p.drawPixmap(circle.topLeft(), self._fitted)
            p.restore()
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(QPen(QColor(255, 255, 255, 40), 1))
        for height in (30, 60):
            r = self.radius * (90 - height) / 90
            p.drawEllipse(c, r, r)
        self._draw_view(p, c)
        self._draw_path(p)
        p.setFont(theme.font(theme.SMALL, True))
        for text, dx, dy in (("N", 0, -1), ("E", 1, 0), ("S", 0, 1), ("W", -1, 0)):
            p.setPen(QColor(theme.INK if text == "N" else theme.QUIET))
            q = c + QPointF(dx, dy) * (self.radius + 10)
            p.drawText(QRectF(q.x() - 8, q.y() - 8, 16, 16), Qt.AlignmentFlag.AlignCenter, text)
        p.end()
        return backdrop

    def _draw_view(self, p: QPainter, c: QPointF) -> None:
        """A faint wedge where the camera looks."""
        document = self.session.document
        camera = camera_from_document(document)
        ahead = np.subtract(camera.target, camera.eye)
        if math.hypot(ahead[0], ahead[1]) < 1e-6:
            return
        heading = azimuth_of(ahead) - document.sun.north_deg
        half = min(80.0, camera.fov_deg * 0.75)
        p.save()
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(QBrush(QColor(255, 255, 255, 26)))
        box = QRectF(c.x() - self.radius, c.y() - self.radius, 2 * self.radius, 2 * self.radius)
        p.drawPie(box, int((90 - heading - half) * 16), int(2 * half * 16))
        p.restore()

    def _draw_path(self, p: QPainter) -> None:
        if self._path is None:
            return
        if self._drawn is None:
            self._drawn = self._make_path(self._path)
        line, hours = self._drawn
        p.setPen(QPen(QColor(255, 255, 255, 190), 1.2))
        p.drawPath(line)
        p.setPen(QPen(QColor(255, 255, 255, 220), 3.2, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
        p.drawPoints(hours)

    def _make_path(self, path: SunPosition) -> tuple[QPainterPath, list[QPointF]]:
        """The day's line, and a dot for every hour above the horizon."""
        line, open_ = QPainterPath(), False
        for azimuth, elevation in zip(path.azimuth_deg, path.elevation_deg, strict=True):
            if elevation < -2.0:
                open_ = False
                continue
            q = self.position(float(azimuth), float(elevation))
            if open_:
                line.lineTo(q)
            else:
                line.moveTo(q)
            open_ = True
        every_hour = zip(path.azimuth_deg[::4], path.elevation_deg[::4], strict=True)
        return line, [self.position(float(a), float(e)) for a, e in every_hour if e > 0.0]

    # -- hand

    def _move(self, p: QPointF) -> None:
        azimuth, elevation = self.direction_at(p)
        self.session.change("sun", "sun.hand", mode="manual", azimuth_deg=azimuth, elevation_deg=elevation)

    def mousePressEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        d = event.position() - self.centre()
        if event.button() != Qt.MouseButton.LeftButton:
            return
        near = self.position(*self.sun()) - event.position()
        if math.hypot(d.x(), d.y()) > self.radius + 4.0 and math.hypot(near.x(), near.y()) > 9.0:
            self._turned = (math.degrees(math.atan2(d.x(), -d.y())), self.session.document.sun.north_deg)
        elif math.hypot(d.x(), d.y()) < self.radius * 1.15:
            self._dragging = True
            at = self.position(*self.sun())
            # a grab on the sun itself must not jump; elsewhere the sun comes to the pointer
            held = math.hypot(near.x(), near.y()) < 9.0
            self._offset = at - event.position() if held else QPointF(0, 0)
            self._move(event.position() + self._offset)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        if self._turned is not None:
            d = event.position() - self.centre()
            turn = math.degrees(math.atan2(d.x(), -d.y())) - self._turned[0]
            north = (self._turned[1] + turn + 180.0) % 360.0 - 180.0
            self.session.change("sun", "sun.north", north_deg=round(north, 1))
        elif self._dragging:
            self._move(event.position() + self._offset)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        self._dragging, self._turned = False, None
        self.session.end_undo_group()
        self.update()
