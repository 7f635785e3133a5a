# SPDX-License-Identifier: Apache-2.0
"""A number: label, value with unit, slider; dragged, typed, stepped or reset.

It shows one field of the document and asks the session for changes. Drag the track or the value, click the
value to type, arrows to step (Shift coarse, Ctrl fine), double-click the label to reset. The wheel does
nothing: scrolling past never changes a value.
"""

from __future__ import annotations

import math
from collections.abc import Callable

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QFocusEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QLineEdit, QSizePolicy, QWidget

from gloamet.desk.widgets import theme
from gloamet.desk.widgets.document_fields import NumberField, number_field
from gloamet.desk.widgets.ports import DocumentPort
from gloamet.document.metadata import Section
from gloamet.document.model import Document
from gloamet.errors import GloametError

HANDLE = 6.0
TRACK_Y = 31
HEIGHT = 42
DRAG_STARTS = 3


class NumberRow(QWidget):
    """One numeric field; `field` and `write` replace a value that is stored differently than shown."""

    def __init__(
        self,
        session: DocumentPort,
        section: Section,
        name: str,
        label: str,
        colour: str = theme.DIM,
        logarithmic: bool = False,
        from_zero: bool = False,
        field: NumberField | None = None,
        write: Callable[[float, str | None], None] | None = None,
    ) -> None:
        super().__init__()
        self.session = session
        self.field: NumberField = field or number_field(section, name)
        self._write = write
        self.label, self.colour = label, QColor(colour)
        self.logarithmic, self.from_zero = logarithmic, from_zero
        self._drag: str | None = None
        self._start = (0.0, 0.0)
        self._edit: QLineEdit | None = None
        self.setToolTip(self.field.description)
        self.setAccessibleName(label)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setMouseTracking(True)
        session.document_changed.connect(self._on_document_changed)
        self._value = self.field.value(session.document)

    def sizeHint(self) -> QSize:  # noqa: N802
        return QSize(200, HEIGHT)

    def minimumSizeHint(self) -> QSize:  # noqa: N802
        return QSize(120, HEIGHT)

    @property
    def value(self) -> float:
        """The value shown."""
        return self._value

    def _on_document_changed(self, document: Document) -> None:
        value = self.field.value(document)
        if value != self._value:
            self._value = value
            self.update()

    def _key(self) -> str:
        return f"{self.field.section}.{self.field.name}"

    def set_value(self, value: float, key: str | None = None) -> None:
        """Ask for a value, held inside the range."""
        value = min(max(value, self.field.low), self.field.high)
        if self._write is not None:
            self._write(value, key)
            return
        self.session.change(self.field.section, key, **{self.field.name: value})

    # -- geometry

    def _fraction(self, value: float) -> float:
        low, high = self.field.low, self.field.high
        if self.logarithmic:
            return math.log(max(value, low) / low) / math.log(high / low)
        return (value - low) / (high - low)

    def _at(self, fraction: float) -> float:
        low, high = self.field.low, self.field.high
        fraction = min(max(fraction, 0.0), 1.0)
        value = low * (high / low) ** fraction if self.logarithmic else low + fraction * (high - low)
        quantum = 10.0**-self.field.digits
        return round(value / quantum) * quantum

    def _x(self, fraction: float) -> float:
        return HANDLE + fraction * (self.width() - 2 * HANDLE)

    def paintEvent(self, event: QPaintEvent) -> None:  # noqa: N802
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        on = self.isEnabled()
        p.setFont(theme.font())
        p.setPen(QColor(theme.INK if on else theme.QUIET))
        row = QRectF(0, 0, self.width(), 24)
        p.drawText(row, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, self.label)
        text = self.field.text(self._value)
        p.setFont(theme.font(bold=True))
        p.drawText(row, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, text)
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(QColor(theme.LINE))
        p.drawRoundedRect(QRectF(0, TRACK_Y - 1.5, self.width(), 3), 1.5, 1.5)
        x = self._x(self._fraction(self._value))
        start = self._x(self._fraction(0.0)) if self.from_zero else 0.0
        p.setBrush(self.colour if on else QColor(theme.QUIET))
        p.drawRoundedRect(QRectF(min(start, x), TRACK_Y - 1.5, abs(x - start), 3), 1.5, 1.5)
        rest = self._x(self._fraction(self.field.default))
        p.setBrush(QColor(theme.QUIET))
        p.drawRect(QRectF(rest - 0.5, TRACK_Y + 5, 1, 4))
        p.setBrush(QColor(theme.INK if on else theme.QUIET))
        p.drawEllipse(
            QPointF(x, TRACK_Y), HANDLE - (0 if self._drag else 0.8), HANDLE - (0 if self._drag else 0.8)
        )
        if self.hasFocus():
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.setPen(QColor(theme.DIM))
            p.drawEllipse(QPointF(x, TRACK_Y), HANDLE + 2, HANDLE + 2)

    # -- hand

    def mousePressEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        if event.button() != Qt.MouseButton.LeftButton:
            return
        self.setFocus(Qt.FocusReason.MouseFocusReason)
        p = event.position()
        self._start = (p.x(), self._value)
        if p.y() > TRACK_Y - 9:
            self._drag = "track"
            self.set_value(self._at((p.x() - HANDLE) / (self.width() - 2 * HANDLE)), self._key())
        elif p.x() > self.width() * 0.55:
            self._drag = "value?"

    def mouseMoveEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        p = event.position()
        if self._drag is None:
            self.setCursor(
                Qt.CursorShape.SizeHorCursor if p.y() > TRACK_Y - 9 else Qt.CursorShape.ArrowCursor
            )
            return
        if self._drag == "track":
            self.set_value(self._at((p.x() - HANDLE) / (self.width() - 2 * HANDLE)), self._key())
            return
        moved = p.x() - self._start[0]
        if self._drag == "value?" and abs(moved) >= DRAG_STARTS:
            self._drag = "value"
        if self._drag == "value":
            self.set_value(self._start[1] + self._fineness(event.modifiers()) * moved * 0.25, self._key())

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        drag, self._drag = self._drag, None
        if drag == "value?":
            self.begin_typing()
        self.session.end_undo_group()
        self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        p = event.position()
        if p.y() > TRACK_Y - 9 or p.x() < self.width() * 0.55:
            self._drag = None
            self.set_value(self.field.default)

    def _fineness(self, modifiers: Qt.KeyboardModifier) -> float:
        factor = 1.0
        if modifiers & Qt.KeyboardModifier.ShiftModifier:
            factor = 10.0
        elif modifiers & Qt.KeyboardModifier.ControlModifier:
            factor = 0.1
        return self.field.step * factor

    def keyPressEvent(self, event: QKeyEvent) -> None:  # noqa: N802
        step = self._fineness(event.modifiers())
        if event.key() in (Qt.Key.Key_Right, Qt.Key.Key_Up):
            self.set_value(self._value + step, self._key())
        elif event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Down):
            self.set_value(self._value - step, self._key())
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_F2):
            self.begin_typing()
        elif event.text() and event.text() in "0123456789-−.,":
            self.begin_typing(event.text())
        else:
            super().keyPressEvent(event)

    def focusInEvent(self, event: QFocusEvent) -> None:  # noqa: N802
        self.update()

    def focusOutEvent(self, event: QFocusEvent) -> None:  # noqa: N802
        self.session.end_undo_group()
        self.update()

    # -- typing

    def begin_typing(self, first: str = "") -> QLineEdit:
        """Open a field over the value."""
        edit = QLineEdit(self)
        edit.setAlignment(Qt.AlignmentFlag.AlignRight)
        width = max(96, self.width() // 2)
        edit.setGeometry(self.width() - width, 0, width, 25)
        edit.setText(first or self.field.text(self._value, unit=False))
        if not first:
            edit.selectAll()
        edit.editingFinished.connect(self._end_typing)
        self._edit = edit
        edit.show()
        edit.setFocus()
        return edit

    def _end_typing(self) -> None:
        edit, self._edit = self._edit, None
        if edit is None:
            return
        text = edit.text()
        edit.deleteLater()
        try:
            self.set_value(self.field.read(text))
        except GloametError as error:
            self.session.noticed.emit(f"{self.label}: {error}", "warning")
