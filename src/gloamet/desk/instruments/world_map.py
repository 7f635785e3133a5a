# SPDX-License-Identifier: Apache-2.0
"""The world map: coasts, day and night at the moment, the subsolar point, the site; a click moves the site.

Equal steps of longitude and latitude. The coasts ship with the program.
"""

from __future__ import annotations

import math
from functools import lru_cache

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QImage, QMouseEvent, QPainter, QPainterPath, QPaintEvent, QPen, QPixmap
from PySide6.QtWidgets import QSizePolicy, QWidget

from gloamet.desk.widgets import theme
from gloamet.desk.widgets.ports import LightPort
from gloamet.desk.widgets.throttle import Throttle
from gloamet.shipped_data import DATA
from gloamet.sun.position import sun_position

COLUMNS, ROWS = 72, 36
DARKEST = 150.0  # of 255, deep in the night
PACE_MS = 150  # between two paintings
TURN_S = 480  # the world turns by two degrees: nothing to be seen on so small a map
NORTH, SOUTH = 84.0, -60.0  # what is shown: nobody builds beyond


@lru_cache(maxsize=1)
def _coasts() -> QPainterPath:
    """Land in degrees, y downwards."""
    with np.load(DATA / "world.npz") as arrays:
        points, ends = arrays["points"], arrays["ends"]
    path, start = QPainterPath(), 0
    for end in ends:
        ring = points[start:end]
        path.moveTo(float(ring[0, 0]), -float(ring[0, 1]))
        for x, y in ring[1:]:
            path.lineTo(float(x), -float(y))
        path.closeSubpath()
        start = int(end)
    return path


def night(unix_s: float) -> np.ndarray:
    """How dark the world is, (ROWS, COLUMNS) of 255: none by day, all at the end of nautical twilight."""
    lat = NORTH - (np.arange(ROWS) + 0.5) * (NORTH - SOUTH) / ROWS
    lon = -180.0 + (np.arange(COLUMNS) + 0.5) * 360.0 / COLUMNS
    under, at = (math.radians(angle) for angle in sun_point(unix_s))
    lat, turn = np.radians(lat)[:, None], np.radians(lon)[None] - at
    height = np.degrees(
        np.arcsin(np.sin(lat) * math.sin(under) + np.cos(lat) * math.cos(under) * np.cos(turn))
    )
    return np.asarray(DARKEST * np.clip(-height / 12.0, 0.0, 1.0)).astype(np.uint8)


def sun_point(unix_s: float) -> tuple[float, float]:
    """Latitude and longitude under the sun, degrees."""
    p = sun_position(unix_s, 0.0, 0.0)
    hours = (unix_s % 86400.0) / 3600.0 + float(p.equation_of_time_min) / 60.0
    return float(p.declination_deg), (180.0 - 15.0 * hours + 180.0) % 360.0 - 180.0


class WorldMap(QWidget):
    """A map to click."""

    picked = Signal(float, float)  # latitude, longitude

    def __init__(self, session: LightPort) -> None:
        super().__init__()
        self.session = session
        self._night: tuple[int, QImage] | None = None
        self._land: QPixmap | None = None
        self._shown: object = None
        self._pace = Throttle(self, PACE_MS, self.update)
        self._pixels: np.ndarray | None = None
        self.setFixedHeight(108)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setCursor(Qt.CursorShape.CrossCursor)
        self.setAccessibleName("World")
        self.setToolTip(
            "Click to move the site there. The night side is dark; the mark is where the sun is at the zenith."
        )
        session.document_changed.connect(lambda _: self._on_document_changed())

    def sizeHint(self) -> QSize:  # noqa: N802
        return QSize(260, 108)

    def _on_document_changed(self) -> None:
        """Painted again only when something on it has moved by a hair."""
        shown = (self.session.document.site, self._bucket())
        if shown != self._shown:
            self._shown = shown
            self._pace.ask()

    def _bucket(self) -> int:
        return int(self.session.moment().instant.timestamp() // TURN_S)

    def position(self, latitude_deg: float, longitude_deg: float) -> QPointF:
        """Position of a site on the map."""
        y = (NORTH - latitude_deg) / (NORTH - SOUTH) * self.height()
        return QPointF((longitude_deg + 180.0) / 360.0 * self.width(), y)

    def position_at(self, at: QPointF) -> tuple[float, float]:
        """Latitude and longitude under a point."""
        lat = NORTH - at.y() / max(1, self.height()) * (NORTH - SOUTH)
        lon = at.x() / max(1, self.width()) * 360.0 - 180.0
        return min(max(lat, -90.0), 90.0), min(max(lon, -180.0), 180.0)

    def _darkness(self, unix_s: float) -> QImage:
        minute = self._bucket()
        if self._night is None or self._night[0] != minute:
            self._pixels = np.zeros((ROWS, COLUMNS, 4), np.uint8)
            self._pixels[..., 3] = night(unix_s)
            form = QImage.Format.Format_RGBA8888_Premultiplied
            self._night = (minute, QImage(self._pixels.data, COLUMNS, ROWS, 4 * COLUMNS, form))
        return self._night[1]

    def _drawn_land(self) -> QPixmap:
        ratio = self.devicePixelRatioF()
        if self._land is None or self._land.size() != self.size() * ratio:
            self._land = QPixmap(self.size() * ratio)
            self._land.setDevicePixelRatio(ratio)
            self._land.fill(QColor(theme.LINE))
            p = QPainter(self._land)
            p.setRenderHint(QPainter.RenderHint.Antialiasing)
            p.scale(self.width() / 360.0, self.height() / (NORTH - SOUTH))
            p.translate(180.0, NORTH)
            p.fillPath(_coasts(), QColor("#8a8a8a"))
            p.end()
        return self._land

    def paintEvent(self, event: QPaintEvent) -> None:  # noqa: N802
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        box = QRectF(self.rect())
        clip = QPainterPath()
        clip.addRoundedRect(box, 3, 3)
        p.setClipPath(clip)
        p.drawPixmap(0, 0, self._drawn_land())
        second = self.session.moment().instant.timestamp()
        p.drawImage(box, self._darkness(second))
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(QColor(theme.PICTURE_SUN))
        p.drawEllipse(self.position(*sun_point(second)), 4.0, 4.0)
        site = self.session.document.site
        at = self.position(site.latitude_deg, site.longitude_deg)
        p.setPen(QPen(QColor(theme.INK), 1.0))
        p.drawLine(QPointF(at.x(), 0), QPointF(at.x(), at.y() - 4))
        p.drawLine(QPointF(at.x(), at.y() + 4), QPointF(at.x(), self.height()))
        p.drawLine(QPointF(0, at.y()), QPointF(at.x() - 4, at.y()))
        p.drawLine(QPointF(at.x() + 4, at.y()), QPointF(self.width(), at.y()))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawEllipse(at, 4.0, 4.0)

    def mousePressEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        if event.button() == Qt.MouseButton.LeftButton:
            self.picked.emit(*self.position_at(event.position()))
