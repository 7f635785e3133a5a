# SPDX-License-Identifier: Apache-2.0
"""A curve of a few points: dragged up and down, stepped by arrow keys, reset by a double click."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QFocusEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from gloamet.desk.widgets import theme
from gloamet.desk.widgets.document_fields import reach
from gloamet.desk.widgets.follow import follow
from gloamet.desk.widgets.ports import DocumentPort
from gloamet.document.metadata import description, field_extra
from gloamet.document.model import Document

HEAD, PLOT, FOOT, SIDE = 22, 76, 18, 12
DOT = 4.5
STEPS_TO_LIMIT = 40  # of the arrow keys, from zero


class CurveEditor(QWidget):
    """A field that holds a number for each of some heights."""

    def __init__(
        self, session: DocumentPort, section: str, name: str, label: str, elevations_deg: Sequence[float]
    ) -> None:
        super().__init__()
        self.session, self.section, self.name, self.label = session, section, name, label
        self.elevations_deg = tuple(elevations_deg)
        extra = field_extra(section, name)
        self.limit, self.unit = float(extra["limit"]), str(extra["unit"])
        self.chosen = 0
        self._dragged = False
        self._values: tuple[float, ...] = ()
        self.setToolTip(description(section, name))
        self.setAccessibleName(label)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setCursor(Qt.CursorShape.SizeVerCursor)
        follow(self, session.document_changed, self._on_document_changed)
        self._on_document_changed(session.document)

    def sizeHint(self) -> QSize:  # noqa: N802
        return QSize(240, HEAD + PLOT + FOOT)

    @property
    def values(self) -> tuple[float, ...]:
        """The values shown."""
        return self._values

    def _on_document_changed(self, document: Document) -> None:
        values = tuple(getattr(reach(document, self.section), self.name))
        if values != self._values:
            self._values = values
            self.update()

    def set_point(self, index: int, value: float, key: str | None = None) -> None:
        """Ask for a point's value, held inside the range."""
        held = min(max(value, -self.limit), self.limit)
        digits = 2 if self.limit < 10 else 0
        changed = (*self._values[:index], round(held, digits), *self._values[index + 1 :])
        self.session.change(self.section, key, **{self.name: changed})

    # -- geometry

    def point(self, index: int) -> QPointF:
        """Position of a point."""
        fraction = index / (len(self.elevations_deg) - 1)
        x = SIDE + fraction * (self.width() - 2 * SIDE)
        return QPointF(x, HEAD + PLOT / 2 * (1.0 - self._values[index] / self.limit))

    def _value_at(self, y: float) -> float:
        return (1.0 - (y - HEAD) * 2 / PLOT) * self.limit

    def _nearest(self, x: float) -> int:
        distances = [abs(self.point(k).x() - x) for k in range(len(self.elevations_deg))]
        return distances.index(min(distances))

    def _text(self, value: float) -> str:
        if self.unit == "°":
            return f"{value:+.0f}°".replace("-", "−")
        return f"{value:+.2f} {self.unit}".replace("-", "−")

    def paintEvent(self, event: QPaintEvent) -> None:  # noqa: N802
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setFont(theme.font())
        p.setPen(QColor(theme.INK))
        head = QRectF(0, 0, self.width(), HEAD)
        centre = Qt.AlignmentFlag.AlignVCenter
        p.drawText(head, Qt.AlignmentFlag.AlignLeft | centre, self.label)
        p.setFont(theme.font(bold=True))
        here = f"{self.elevations_deg[self.chosen]:g}°: {self._text(self._values[self.chosen])}"
        p.drawText(head, Qt.AlignmentFlag.AlignRight | centre, here)
        p.fillRect(QRectF(0, HEAD, self.width(), PLOT), QColor(theme.WELL))
        p.setPen(QPen(QColor(theme.LINE), 1))
        p.drawLine(QPointF(0, HEAD + PLOT / 2), QPointF(self.width(), HEAD + PLOT / 2))
        points = [self.point(k) for k in range(len(self.elevations_deg))]
        p.setPen(QPen(QColor(theme.SKY), 1.6))
        p.drawPolyline(QPolygonF(points))
        p.setFont(theme.font(theme.NOTE))
        for k, (at, height) in enumerate(zip(points, self.elevations_deg, strict=True)):
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(QColor(theme.INK if k == self.chosen and self.hasFocus() else theme.SKY))
            p.drawEllipse(at, DOT, DOT)
            p.setPen(QColor(theme.QUIET))
            box = QRectF(at.x() - 20, HEAD + PLOT, 40, FOOT)
            p.drawText(box, Qt.AlignmentFlag.AlignCenter, f"{height:g}°")

    # -- hand

    def mousePressEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        if event.button() != Qt.MouseButton.LeftButton or event.position().y() < HEAD:
            return
        self.chosen, self._dragged = self._nearest(event.position().x()), True
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        if self._dragged:
            self.set_point(self.chosen, self._value_at(event.position().y()), f"{self.section}.{self.name}")

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        self._dragged = False
        self.session.end_undo_group()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        self._dragged = False
        self.set_point(self._nearest(event.position().x()), 0.0)

    def keyPressEvent(self, event: QKeyEvent) -> None:  # noqa: N802
        key, last = event.key(), len(self.elevations_deg) - 1
        step, undo_key = self.limit / STEPS_TO_LIMIT, f"{self.section}.{self.name}"
        if key == Qt.Key.Key_Left:
            self.chosen = max(0, self.chosen - 1)
        elif key == Qt.Key.Key_Right:
            self.chosen = min(last, self.chosen + 1)
        elif key == Qt.Key.Key_Up:
            self.set_point(self.chosen, self._values[self.chosen] + step, undo_key)
        elif key == Qt.Key.Key_Down:
            self.set_point(self.chosen, self._values[self.chosen] - step, undo_key)
        else:
            super().keyPressEvent(event)
        self.update()

    def focusInEvent(self, event: QFocusEvent) -> None:  # noqa: N802
        self.update()

    def focusOutEvent(self, event: QFocusEvent) -> None:  # noqa: N802
        self.session.end_undo_group()
        self.update()
