# SPDX-License-Identifier: Apache-2.0
"""The day ribbon: 24 hours painted with the colours of the sky, the sun's elevation, and a handle to drag."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from typing import Any

import numpy as np
from PySide6.QtCore import QEvent, QPointF, QRectF, Qt
from PySide6.QtGui import (
    QColor,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPen,
    QPixmap,
)
from PySide6.QtWidgets import QWidget

from gloamet.desk.widgets import theme
from gloamet.desk.widgets.form import sentence
from gloamet.desk.widgets.ports import LightPort
from gloamet.document.model import Document
from gloamet.sun.day import DayEvents, day_events, day_path, day_span_s
from gloamet.sun.position import SunPosition
from gloamet.sun.site import resolve_zone

SIDE = 16
STRIP_TOP, STRIP_HEIGHT = 34, 44
QUARTERS = 96
SNAP_S = 60.0
TAG_HALF = 23.0


class DayRibbon(QWidget):
    """The day at the bottom of the desk."""

    def __init__(self, session: LightPort) -> None:
        super().__init__()
        self.setObjectName("ribbon")
        self.session = session
        self.setFixedHeight(theme.RIBBON_HEIGHT)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Day ribbon")
        self.setToolTip("Drag through the day. Arrows step five minutes, Shift an hour, Ctrl a minute.")
        self._key: object = None
        self._times = np.zeros(0)
        self._path: SunPosition | None = None
        self._events: DayEvents | None = None
        self._span = (0.0, 86400.0)
        self._image: QImage | None = None
        self._backdrop: QPixmap | None = None
        self._pixels: np.ndarray | None = None
        self._dragging = False
        session.document_changed.connect(self._on_document_changed)
        session.results.colours_solved.connect(lambda _: self._repaint_strip())
        self._on_document_changed(session.document)

    def _on_document_changed(self, document: Document) -> None:
        site, day = document.site, document.sun.wall_time.date()
        if (site, day) != self._key:
            self._key = (site, day)
            zone = resolve_zone(site.timezone)
            self._span = day_span_s(day, zone)
            self._times, self._path = day_path(day, site.latitude_deg, site.longitude_deg, zone, QUARTERS + 1)
            self._events = day_events(day, site.latitude_deg, site.longitude_deg, zone)
            self._backdrop = None
            self._repaint_strip()
        self.update()

    def _repaint_strip(self) -> None:
        colours: Any = self.session.results.colours
        if colours is None or self._path is None:
            return
        from gloamet.develop.exact import exact_pixels
        from gloamet.develop.settings import DevelopSettings

        strips = colours.adapted(self._path.elevation_deg)
        picture = np.ascontiguousarray(strips.transpose(1, 0, 2)[::-1], np.float32)
        self._pixels = exact_pixels(picture, DevelopSettings(1.0, 6000.0))
        self._backdrop = None
        h, w = self._pixels.shape[:2]
        self._image = QImage(self._pixels.data, w, h, 4 * w, QImage.Format.Format_RGBX8888)
        self.update()

    # -- geometry

    def x_of(self, second: float) -> float:
        """Widget x coordinate of an instant of the day."""
        a, b = self._span
        return SIDE + (second - a) / (b - a) * (self.width() - 2 * SIDE)

    def second_at(self, x: float) -> float:
        """The instant under a point, held inside the day and on a whole minute."""
        a, b = self._span
        fraction = min(max((x - SIDE) / max(1, self.width() - 2 * SIDE), 0.0), 1.0)
        return min(a + round(fraction * (b - a) / SNAP_S) * SNAP_S, b - SNAP_S)

    # -- painting

    def changeEvent(self, event: QEvent) -> None:  # noqa: N802
        if event.type() == QEvent.Type.PaletteChange:
            self._backdrop = None  # painted in the colours of another theme
        super().changeEvent(event)

    def paintEvent(self, event: QPaintEvent) -> None:  # noqa: N802
        ratio = self.devicePixelRatioF()
        if self._backdrop is None or self._backdrop.size() != self.size() * ratio:
            self._backdrop = QPixmap(self.size() * ratio)
            self._backdrop.setDevicePixelRatio(ratio)
            self._paint_backdrop(QPainter(self._backdrop))
        p = QPainter(self)
        p.drawPixmap(0, 0, self._backdrop)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        hand = self.x_of(self.session.moment().instant.timestamp())
        self._draw_events(p, hand)
        self._draw_hand(p, hand)

    def _paint_backdrop(self, p: QPainter) -> None:
        """Everything but the hand: it changes only with the day, the air and the size."""
        p.fillRect(self.rect(), QColor(theme.GROUND))
        p.setPen(QColor(theme.LINE))
        p.drawLine(0, 0, self.width(), 0)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        strip = QRectF(SIDE, STRIP_TOP, self.width() - 2 * SIDE, STRIP_HEIGHT)
        if self._image is None:
            p.fillRect(strip, QColor(theme.WELL))
        else:
            p.drawImage(strip, self._image)
        self._draw_elevation(p)
        self._draw_hours(p)
        p.end()

    def _draw_elevation(self, p: QPainter) -> None:
        if self._path is None:
            return
        line = QPainterPath()
        for k, (second, height) in enumerate(zip(self._times, self._path.elevation_deg, strict=True)):
            y = STRIP_TOP + STRIP_HEIGHT - 5 - max(float(height), -4.0) / 90.0 * (STRIP_HEIGHT - 8)
            q = QPointF(self.x_of(float(second)), y)
            if k:
                line.lineTo(q)
            else:
                line.moveTo(q)
        p.setPen(QPen(QColor(255, 255, 255, 170), 1.2))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawPath(line)

    def _draw_hours(self, p: QPainter) -> None:
        p.setFont(theme.font(theme.SMALL))
        p.setPen(QColor(theme.QUIET))
        zone = resolve_zone(self.session.document.site.timezone)
        start = datetime.fromtimestamp(self._span[0], UTC)
        hours = round((self._span[1] - self._span[0]) / 3600)
        for k in range(hours + 1):
            instant = start + timedelta(hours=k)
            local = instant.astimezone(zone)
            last = k == hours
            if (local.hour % 3 or local.minute) and not last:
                continue
            x = self.x_of(instant.timestamp())
            text = "24" if last else f"{local.hour:02d}"
            align = Qt.AlignmentFlag.AlignLeft if k == 0 else Qt.AlignmentFlag.AlignHCenter
            box = QRectF(x, 82, 24, 16) if k == 0 else QRectF(x - 20, 82, 40, 16)
            if last:
                align, box = Qt.AlignmentFlag.AlignRight, QRectF(x - 24, 82, 24, 16)
            p.drawText(box, align | Qt.AlignmentFlag.AlignVCenter, text)

    def _draw_events(self, p: QPainter, hand: float) -> None:
        e = self._events
        if e is None:
            return
        p.setFont(theme.font(theme.SMALL))
        for instant in (e.civil_dawn, e.civil_dusk, e.nautical_dawn, e.nautical_dusk):
            if instant is not None:
                x = self.x_of(instant.timestamp())
                p.setPen(QColor(theme.QUIET))
                p.drawLine(QPointF(x, STRIP_TOP - 4), QPointF(x, STRIP_TOP))
        rows = (("Sunrise", e.sunrise), ("Noon", e.solar_noon), ("Sunset", e.sunset))
        if e.kind != "sun rises and sets":
            rows = ((sentence(e.kind) + ", noon", e.solar_noon),)  # type: ignore[assignment]
        for name, instant in rows:
            if instant is None:
                continue
            x = self.x_of(instant.timestamp())
            p.setPen(QColor(theme.DIM))
            p.drawLine(QPointF(x, STRIP_TOP - 5), QPointF(x, STRIP_TOP))
            text = f"{name} {instant:%H:%M}"
            wide = p.fontMetrics().horizontalAdvance(text) + 4.0
            left = min(max(x - wide / 2, SIDE), self.width() - SIDE - wide)
            if left < hand + TAG_HALF and left + wide > hand - TAG_HALF:  # step aside for the hand's own time
                left = hand + TAG_HALF + 4 if x >= hand else hand - TAG_HALF - 4 - wide
            p.drawText(QRectF(left, 12, wide, 16), Qt.AlignmentFlag.AlignCenter, text)

    def _draw_hand(self, p: QPainter, x: float) -> None:
        moment = self.session.moment()
        free = self.session.document.sun.mode != "almanac"
        colour = QColor(theme.PICTURE_QUIET if free else theme.PICTURE_SUN)
        p.setPen(QPen(colour, 1.5))
        p.drawLine(QPointF(x, 22), QPointF(x, STRIP_TOP + STRIP_HEIGHT + 6))
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(colour)
        box = QRectF(min(max(x - TAG_HALF, 2), self.width() - 2 * TAG_HALF - 2), 6, 2 * TAG_HALF, 18)
        p.drawRoundedRect(box, 3, 3)
        p.setPen(QColor("#1c1c1c"))
        p.setFont(theme.font(theme.NOTE, True))
        p.drawText(box, Qt.AlignmentFlag.AlignCenter, f"{moment.local:%H:%M}")

    # -- hand

    def _go(self, second: float) -> None:
        self.session.go_to(datetime.fromtimestamp(second, UTC), "sun.time")

    def mousePressEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        if event.button() == Qt.MouseButton.LeftButton:
            self._dragging = True
            self._go(self.second_at(event.position().x()))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        if self._dragging:
            self._go(self.second_at(event.position().x()))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        self._dragging = False
        self.session.end_undo_group()

    def keyPressEvent(self, event: QKeyEvent) -> None:  # noqa: N802
        sign = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()))
        if sign is None:
            super().keyPressEvent(event)
            return
        step = 300
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            step = 3600
        elif event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            step = 60
        self._go(self.session.moment().instant.timestamp() + sign * step)
