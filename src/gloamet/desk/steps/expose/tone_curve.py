# SPDX-License-Identifier: Apache-2.0
"""A free tone curve: points added, dragged and removed, over the histogram of the picture."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QFocusEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from gloamet.colour.curves import STRAIGHT, CurvePoints
from gloamet.desk.state.session import Session
from gloamet.desk.widgets import theme
from gloamet.desk.widgets.document_fields import reach
from gloamet.desk.widgets.follow import follow
from gloamet.develop.scopes import HIGHEST_STOP, LOWEST_STOP, stop_counts
from gloamet.develop.tone import CURVE_HIGH, CURVE_LOW, free_curve
from gloamet.document.metadata import description
from gloamet.document.model import Document

SIDE, REACH_PX, DOT = 8, 9.0, 4.0
NEAREST = 0.02  # between two points across
STEP = 0.01  # of the arrow keys
MOST_POINTS = 16
SECTION = "expose.tone"


class ToneCurve(QWidget):
    """A field that holds the points of a curve."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.name, self.colour = "curve", theme.INK
        self.chosen = 0
        self._held = False
        self._points: CurvePoints = STRAIGHT
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        follow(self, session.document_changed, self._on_document_changed)
        follow(self, session.results.frame_ready, lambda _: self.update())
        self.show_curve("curve", theme.INK)

    def sizeHint(self) -> QSize:  # noqa: N802
        return QSize(260, 170)

    @property
    def points(self) -> CurvePoints:
        """The points shown."""
        return self._points

    def show_curve(self, name: str, colour: str) -> None:
        """Work on another of the curves."""
        self.name, self.colour, self.chosen = name, colour, 0
        self.setToolTip(
            f"{description(SECTION, name)} Click to add a point, drag it, double-click to take it away; arrow keys "
            "move it by a hair."
        )
        self.setAccessibleName(f"Curve: {name.removeprefix('curve_').removeprefix('curve') or 'brightness'}")
        self._on_document_changed(self.session.document)
        self.update()

    def _on_document_changed(self, document: Document) -> None:
        points = getattr(reach(document, SECTION), self.name)
        if points != self._points:
            self._points = points
            self.chosen = min(self.chosen, len(points) - 1)
            self.update()

    def set_points(self, points: CurvePoints, key: str | None = None) -> None:
        """Ask for other points."""
        rounded = tuple((round(x, 4), round(y, 4)) for x, y in points)
        self.session.change(SECTION, key, **{self.name: rounded})

    def move_point(self, index: int, x: float, y: float, key: str | None = None) -> None:
        """Ask for a point's place, held between its neighbours: the curve never falls."""
        points = list(self._points)
        last = len(points) - 1
        before = points[index - 1] if index > 0 else (-NEAREST, 0.0)
        after = points[index + 1] if index < last else (1.0 + NEAREST, 1.0)
        across = (
            points[index][0] if index in (0, last) else min(max(x, before[0] + NEAREST), after[0] - NEAREST)
        )
        points[index] = (across, min(max(y, before[1]), after[1]))
        self.set_points(tuple(points), key)

    # -- geometry

    def _box(self) -> QRectF:
        return QRectF(SIDE, SIDE, self.width() - 2 * SIDE, self.height() - 2 * SIDE)

    def position(self, x: float, y: float) -> QPointF:
        """Where a place of the curve is drawn."""
        box = self._box()
        return QPointF(box.x() + x * box.width(), box.bottom() - y * box.height())

    def _at(self, at: QPointF) -> tuple[float, float]:
        box = self._box()
        return (at.x() - box.x()) / box.width(), (box.bottom() - at.y()) / box.height()

    def _near(self, at: QPointF) -> int | None:
        far = [(self.position(*point) - at).manhattanLength() for point in self._points]
        nearest = int(np.argmin(far))
        return nearest if far[nearest] <= REACH_PX else None

    def paintEvent(self, event: QPaintEvent) -> None:  # noqa: N802
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.fillRect(self.rect(), QColor(theme.WELL))
        self._paint_stops(p)
        p.setPen(QPen(QColor(theme.LINE), 1.0))
        grey = -CURVE_LOW / (CURVE_HIGH - CURVE_LOW)
        p.drawLine(self.position(grey, 0.0), self.position(grey, 1.0))
        p.drawLine(self.position(0.0, grey), self.position(1.0, grey))
        p.drawLine(self.position(0.0, 0.0), self.position(1.0, 1.0))
        stops = np.linspace(CURVE_LOW, CURVE_HIGH, 120)
        out = (free_curve(stops, self._points) - CURVE_LOW) / (CURVE_HIGH - CURVE_LOW)
        p.setPen(QPen(QColor(theme.shown(self.colour)), 1.6))
        p.drawPolyline(QPolygonF([self.position(k / 119.0, float(v)) for k, v in enumerate(out)]))
        p.setPen(QPen(QColor(theme.WELL), 1.0))
        for index, point in enumerate(self._points):
            lit = index == self.chosen and self.hasFocus()
            p.setBrush(QColor(theme.SUN if lit else theme.shown(self.colour)))
            p.drawEllipse(self.position(*point), DOT, DOT)

    def _paint_stops(self, p: QPainter) -> None:
        """Histogram of the picture in stops, behind the curve."""
        frame = self.session.results.frame
        if frame is None or frame.light is None:
            return
        counts = np.sqrt(stop_counts(frame.light, frame.ev).astype(float))
        levels = counts / max(float(counts.max()), 1e-9)
        box, shade = self._box(), QColor(theme.LINE)
        for k, level in enumerate(levels):
            stop = LOWEST_STOP + (HIGHEST_STOP - LOWEST_STOP) * k / len(levels)
            x = (stop - CURVE_LOW) / (CURVE_HIGH - CURVE_LOW)
            if 0.0 <= x < 1.0:
                wide = box.width() * (HIGHEST_STOP - LOWEST_STOP) / len(levels) / (CURVE_HIGH - CURVE_LOW)
                left = box.x() + x * box.width()
                p.fillRect(
                    QRectF(
                        left,
                        box.bottom() - 0.7 * level * box.height(),
                        wide + 0.5,
                        0.7 * level * box.height(),
                    ),
                    shade,
                )

    # -- hand

    def mousePressEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        if event.button() != Qt.MouseButton.LeftButton:
            return
        found = self._near(event.position())
        if found is None:
            found = self._add(*self._at(event.position()))
        self.chosen, self._held = found if found is not None else self.chosen, found is not None
        self.update()

    def _add(self, x: float, y: float) -> int | None:
        """A new point, where there is room for it; its index."""
        index = sum(px < x for px, _ in self._points)
        room = 0 < index < len(self._points) and len(self._points) < MOST_POINTS
        if not room or min(abs(px - x) for px, _ in self._points) < NEAREST:
            return None
        low, high = self._points[index - 1][1], self._points[index][1]
        point = (x, min(max(y, low), high))
        self.set_points((*self._points[:index], point, *self._points[index:]), f"{SECTION}.{self.name}")
        return index

    def mouseMoveEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        if self._held:
            self.move_point(self.chosen, *self._at(event.position()), f"{SECTION}.{self.name}")

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        self._held = False
        self.session.end_undo_group()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        found = self._near(event.position())
        self._held = False
        if found is not None:
            self.remove_point(found)

    def remove_point(self, index: int) -> None:
        """Take a point away; an end goes back to its corner."""
        last = len(self._points) - 1
        if index in (0, last):
            self.move_point(index, 0.0, float(index == last))
        else:
            self.set_points(self._points[:index] + self._points[index + 1 :])

    def keyPressEvent(self, event: QKeyEvent) -> None:  # noqa: N802
        moves = {
            Qt.Key.Key_Up: (0.0, STEP),
            Qt.Key.Key_Down: (0.0, -STEP),
            Qt.Key.Key_Left: (-STEP, 0.0),
            Qt.Key.Key_Right: (STEP, 0.0),
        }
        x, y = self._points[self.chosen]
        if event.key() in moves:
            dx, dy = moves[Qt.Key(event.key())]
            self.move_point(self.chosen, x + dx, y + dy, f"{SECTION}.{self.name}")
        elif event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.remove_point(self.chosen)
        elif event.key() in (Qt.Key.Key_PageUp, Qt.Key.Key_PageDown):
            step = 1 if event.key() == Qt.Key.Key_PageUp else -1
            self.chosen = min(max(self.chosen + step, 0), len(self._points) - 1)
            self.update()
        else:
            super().keyPressEvent(event)

    def focusOutEvent(self, event: QFocusEvent) -> None:  # noqa: N802
        self.session.end_undo_group()
        self.update()
