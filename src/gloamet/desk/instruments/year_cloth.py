# SPDX-License-Identifier: Apache-2.0
"""The year cloth: 365 days by 24 hours painted with the sky's colour, the sun's elevation, the light on the ground, or
the sunlit fraction of a surface; click or drag to go to a day and clock time.

Days run to the right, the clock of the place downwards. Images are made of arrays by pure functions below.
"""

from __future__ import annotations

from datetime import datetime, timedelta
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPixmap
from PySide6.QtWidgets import QSizePolicy, QWidget

from gloamet.desk.widgets import theme
from gloamet.desk.widgets.ports import LightPort
from gloamet.document.model import Document
from gloamet.sun.site import resolve_zone
from gloamet.sun.year import YearGrid, year_grid

if TYPE_CHECKING:
    from gloamet.desk.aim.aim_controller import AimController

HEIGHT, LEFT, BOTTOM, MINUTES = 142, 18, 16, 20
MEASURES = {
    "sky": "Colour of the sky.",
    "elevation": "Elevation of the sun, a line every 10°.",
    "illuminance": "Horizontal illuminance, from moonless night to full sun.",
    "sunlit": "Sunlit fraction of the surface picked under Aim.",
}
HEIGHTS = np.linspace(-18.0, 90.0, 217)
SKY_ROW = 8  # of the strip from horizon to zenith: the colour that stands for the whole sky
Pixels = NDArray[np.uint8]


def _looked_up(table: Pixels, elevations_deg: NDArray) -> Pixels:
    """Colours (steps, days, 4) of sun elevations (days, steps)."""
    index = np.clip((elevations_deg + 18.0) / 108.0 * (len(HEIGHTS) - 1), 0, len(HEIGHTS) - 1)
    return np.ascontiguousarray(table[np.round(index).astype(int)].transpose(1, 0, 2))


def sky_cloth(grid: YearGrid, colours: Any) -> Pixels:
    """The cloth in the sky's colours."""
    from gloamet.develop.exact import exact_pixels
    from gloamet.develop.settings import DevelopSettings

    strips = colours.adapted(HEIGHTS)[:, SKY_ROW : SKY_ROW + 1]
    table = exact_pixels(np.ascontiguousarray(strips, np.float32), DevelopSettings(1.0, 6000.0))[:, 0]
    return _looked_up(table, grid.elevation_deg)


def _grey(values: NDArray) -> Pixels:
    grey = np.clip(values, 0.0, 255.0).astype(np.uint8)
    return np.ascontiguousarray(np.stack([grey, grey, grey, np.full_like(grey, 255)], -1))


def elevation_cloth(grid: YearGrid) -> Pixels:
    """The cloth by sun elevation: dark below the horizon, a brighter band each 10 degrees."""
    table = 40.0 + 24.0 * np.floor(np.maximum(HEIGHTS, 0.0) / 10.0) + 14.0 * (HEIGHTS > 0.0)
    return _looked_up(_grey(table), grid.elevation_deg)


def light_cloth(grid: YearGrid, colours: Any) -> Pixels:
    """The cloth by illuminance of horizontal ground: a step of grey for each factor, black at 0.001 lx."""
    decades = np.log10(np.maximum(colours.level_at(HEIGHTS), 1e-3)) + 3.0
    return _looked_up(_grey(30.0 + 25.0 * decades), grid.elevation_deg)


def reach_cloth(grid: YearGrid, fraction: NDArray[np.float32]) -> Pixels:
    """The cloth by sunlit share (days, steps): night dark, day grey, sun on the surface in the sun's colour."""
    back = _looked_up(_grey(38.0 + 30.0 * (HEIGHTS > 0.0)), grid.elevation_deg).astype(np.float32)
    rows = np.minimum(
        (np.arange(back.shape[0]) + 0.5) / back.shape[0] * fraction.shape[1], fraction.shape[1] - 1
    )
    part = fraction.T[rows.astype(int)][..., None]
    sun = QColor(theme.PICTURE_SUN)
    colour = np.array([sun.red(), sun.green(), sun.blue(), 255], np.float32)
    part = np.where(part > 0.0, 0.25 + 0.75 * part, 0.0)
    return np.ascontiguousarray((back + part * (colour - back)).astype(np.uint8))


class YearCloth(QWidget):
    """The year to look at and to go through."""

    def __init__(self, session: LightPort, aimer: AimController) -> None:
        super().__init__()
        self.session, self.aimer = session, aimer
        self.measure = "sky"
        self._grid: tuple[Any, YearGrid] | None = None
        self._pixels: Pixels | None = None
        self._image: QImage | None = None
        self._backdrop: QPixmap | None = None
        self.setFixedHeight(HEIGHT)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Year cloth")
        self.setToolTip(
            "Days to the right, clock time downwards. Click or drag to go there; arrow keys step one day "
            "or ten minutes."
        )
        session.document_changed.connect(self._on_document_changed)
        session.results.colours_solved.connect(lambda _: self.repaint_cloth())
        aimer.scanned.connect(self.repaint_cloth)

    def sizeHint(self) -> QSize:  # noqa: N802
        return QSize(260, HEIGHT)

    def show_measure(self, measure: str) -> None:
        """Paint another measure."""
        self.measure = measure
        self.repaint_cloth()

    def grid(self) -> YearGrid:
        """The sun of the document's place and year."""
        document = self.session.document
        site, year = document.site, document.sun.wall_time.year
        key = (site.latitude_deg, site.longitude_deg, site.timezone, year)
        if self._grid is None or self._grid[0] != key:
            zone = resolve_zone(site.timezone)
            self._grid = (key, year_grid(year, site.latitude_deg, site.longitude_deg, zone, MINUTES))
        return self._grid[1]

    def _on_document_changed(self, document: Document) -> None:
        before = None if self._grid is None else self._grid[0]
        if not self.isVisible():
            return
        if self.grid() is not None and self._grid is not None and self._grid[0] != before:
            self.repaint_cloth()
        self.update()

    def showEvent(self, event: object) -> None:  # noqa: N802
        self.repaint_cloth()

    def repaint_cloth(self) -> None:
        """Make the picture again: the place, the air or the measure is another one."""
        if not self.isVisible():
            return
        grid, colours, reach = self.grid(), self.session.results.colours, self.aimer.reach
        if self.measure == "sunlit" and reach is not None and reach.scan.grid.year == grid.year:
            self._pixels = reach_cloth(grid, reach.scan.fraction)
        elif self.measure in ("sky", "illuminance") and colours is not None:
            self._pixels = (sky_cloth if self.measure == "sky" else light_cloth)(grid, colours)
        else:
            self._pixels = elevation_cloth(grid)
        h, w = self._pixels.shape[:2]
        self._image = QImage(self._pixels.data, w, h, 4 * w, QImage.Format.Format_RGBX8888)
        self._backdrop = None
        self.update()

    # -- geometry

    def box(self) -> QRectF:
        """Rectangle of the cloth."""
        return QRectF(LEFT, 0, max(16, self.width() - LEFT), HEIGHT - BOTTOM)

    def position(self, wall: datetime) -> QPointF:
        """Position of a clock time on the cloth."""
        box, days = self.box(), len(self.grid().times_s)
        day = wall.timetuple().tm_yday - 1
        hour = wall.hour + wall.minute / 60.0
        return QPointF(box.x() + (day + 0.5) / days * box.width(), hour / 24.0 * box.height())

    def wall_at(self, at: QPointF) -> datetime:
        """The day and clock time under a point, held inside the year, to ten minutes."""
        box, grid = self.box(), self.grid()
        days = len(grid.times_s)
        day = min(max(int((at.x() - box.x()) / box.width() * days), 0), days - 1)
        ten = min(max(round(at.y() / box.height() * 144.0), 0), 143)
        return datetime.combine(grid.day(day), datetime.min.time()) + timedelta(minutes=10 * ten)

    # -- painting

    def _cloth(self, box: QRectF) -> QPixmap:
        """All but the mark of the moment: it changes only with place, air, measure and size."""
        ratio = self.devicePixelRatioF()
        if self._backdrop is not None and self._backdrop.size() == self.size() * ratio:
            return self._backdrop
        self._backdrop = QPixmap(self.size() * ratio)
        self._backdrop.setDevicePixelRatio(ratio)
        self._backdrop.fill(Qt.GlobalColor.transparent)
        p = QPainter(self._backdrop)
        p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        if self._image is not None:
            p.drawImage(box, self._image)
        p.setFont(theme.font(theme.SMALL))
        p.setPen(QColor(theme.QUIET))
        for hour in (6, 12, 18):
            y = hour / 24.0 * box.height()
            right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
            p.drawText(QRectF(0, y - 8, LEFT - 4, 16), right, str(hour))
        year = self.session.document.sun.wall_time.year
        for month in range(1, 13):
            x = self.position(datetime(year, month, 15)).x()
            letter = QRectF(x - 10, box.height() + 2, 20, 14)
            p.drawText(letter, Qt.AlignmentFlag.AlignCenter, "JFMAMJJASOND"[month - 1])
        p.end()
        return self._backdrop

    def changeEvent(self, event: QEvent) -> None:  # noqa: N802
        if event.type() == QEvent.Type.PaletteChange:
            self._backdrop = None  # painted in the colours of another theme
        super().changeEvent(event)

    def paintEvent(self, event: QPaintEvent) -> None:  # noqa: N802
        p, box = QPainter(self), self.box()
        p.drawPixmap(0, 0, self._cloth(box))
        at = self.position(self.session.moment().local)
        p.setPen(QPen(QColor(255, 255, 255, 110), 1.0))
        p.drawLine(QPointF(at.x(), 0), QPointF(at.x(), box.height()))
        p.drawLine(QPointF(box.x(), at.y()), QPointF(box.right(), at.y()))
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setPen(QPen(QColor("#1c1c1c"), 1.5))
        free = self.session.document.sun.mode != "almanac"
        p.setBrush(QColor(theme.PICTURE_QUIET if free else theme.PICTURE_SUN))
        p.drawEllipse(at, 5.0, 5.0)

    # -- hand

    def _go(self, wall: datetime) -> None:
        if wall != self.session.document.sun.wall_time:
            self.session.change("sun", "sun.date", wall_time=wall, mode="almanac")

    def mousePressEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        self.mouseMoveEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        if event.buttons() & Qt.MouseButton.LeftButton:
            self._go(self.wall_at(event.position()))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        self.session.end_undo_group()

    def keyPressEvent(self, event: QKeyEvent) -> None:  # noqa: N802
        steps = {
            Qt.Key.Key_Left: timedelta(days=-1),
            Qt.Key.Key_Right: timedelta(days=1),
            Qt.Key.Key_Up: timedelta(minutes=-10),
            Qt.Key.Key_Down: timedelta(minutes=10),
        }
        move = steps.get(Qt.Key(event.key()))
        if move is None:
            super().keyPressEvent(event)
            return
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            move *= 7 if abs(move) >= timedelta(days=1) else 6
        self._go(self.session.document.sun.wall_time + move)
