# SPDX-License-Identifier: Apache-2.0
"""A number in one row: name, slider, value with unit in a well; dragged, typed, stepped or reset.

It shows one field of the document and asks the session for changes. Drag the slider or the value, click the
value to type, arrows to step (Shift coarse, Ctrl fine), double-click the name to reset. The wheel does
nothing: scrolling past never changes a value.
"""

from __future__ import annotations

import math
from collections.abc import Callable

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import (
    QColor,
    QFocusEvent,
    QFontMetricsF,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
)
from PySide6.QtWidgets import QLineEdit, QSizePolicy, QWidget

from gloamet.desk.widgets import theme
from gloamet.desk.widgets.document_fields import NumberField, number_field
from gloamet.desk.widgets.follow import follow
from gloamet.desk.widgets.palettes import DARK
from gloamet.desk.widgets.ports import DocumentPort
from gloamet.document.metadata import Section
from gloamet.document.model import Document
from gloamet.errors import GloametError

KNOB_RADIUS = 5.0
HEIGHT = 27
NAME_WIDTH, NAME_GAP = 98, 10  # sliders begin in one line unless a name is longer
WELL_WIDTH, WELL_HEIGHT, WELL_PAD = 60, 21, 7
LEAST_SLIDER = 44
DRAG_STARTS = 3


class NumberRow(QWidget):
    """One numeric field; `field` and `write` replace a value that is stored differently than shown."""

    def __init__(
        self,
        session: DocumentPort,
        section: Section,
        name: str,
        label: str,
        colour: str = DARK.filled,
        logarithmic: bool = False,
        from_zero: bool = False,
        field: NumberField | None = None,
        write: Callable[[float, str | None], None] | None = None,
    ) -> None:
        super().__init__()
        self.session = session
        self.field: NumberField = field or number_field(section, name)
        self._write = write
        self.label, self.colour = label, colour
        self.logarithmic, self.from_zero = logarithmic, from_zero
        self._drag: str | None = None
        self._start = (0.0, 0.0)
        self._edit: QLineEdit | None = None
        self._widest = 0.0  # of the values, measured when first drawn
        self.setToolTip(self.field.description)
        self.setAccessibleName(label)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setMouseTracking(True)
        follow(self, session.document_changed, self._on_document_changed)
        self._value = self.field.value(session.document)

    def sizeHint(self) -> QSize:  # noqa: N802
        return QSize(260, HEIGHT)

    def minimumSizeHint(self) -> QSize:  # noqa: N802
        return QSize(200, HEIGHT)

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

    def well(self) -> QRectF:
        """The well that holds the value: as wide as the widest value of the range."""
        if self._widest == 0.0:
            measure = QFontMetricsF(theme.font(bold=True))
            ends = (self.field.low, self.field.high, self.field.default)
            shown = [*map(self.field.text, ends), *(word for word, _ in self.field.labels)]
            self._widest = max(map(measure.horizontalAdvance, shown)) + 2 * WELL_PAD
        width = max(WELL_WIDTH, self._widest)
        return QRectF(self.width() - width, (HEIGHT - WELL_HEIGHT) / 2, width, WELL_HEIGHT)

    def slider(self) -> QRectF:
        """The track of the slider, between name and value."""
        name = QFontMetricsF(theme.font()).horizontalAdvance(self.label) + NAME_GAP
        right = self.well().left() - NAME_GAP
        left = min(max(NAME_WIDTH, name), right - LEAST_SLIDER)
        return QRectF(left, HEIGHT / 2 - 1.5, right - left, 3)

    def _x(self, fraction: float) -> float:
        track = self.slider()
        return track.left() + KNOB_RADIUS + fraction * (track.width() - 2 * KNOB_RADIUS)

    def _under(self, x: float) -> str:
        """What is at a position: "name", "track" or "value"."""
        track = self.slider()
        if x >= self.well().left() - 2:
            return "value"
        return "track" if x >= track.left() - KNOB_RADIUS else "name"

    def _fraction_at(self, x: float) -> float:
        track = self.slider()
        return (x - track.left() - KNOB_RADIUS) / (track.width() - 2 * KNOB_RADIUS)

    def paintEvent(self, event: QPaintEvent) -> None:  # noqa: N802
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        on, track, well = self.isEnabled(), self.slider(), self.well()
        p.setFont(theme.font())
        p.setPen(QColor(theme.INK if on else theme.OFF))
        name = QRectF(0, 0, track.left() - 4, HEIGHT)
        shown = QFontMetricsF(theme.font()).elidedText(self.label, Qt.TextElideMode.ElideRight, name.width())
        p.drawText(name, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, shown)
        p.setPen(QPen(QColor(theme.FOCUS), 1) if self.hasFocus() else Qt.PenStyle.NoPen)
        p.setBrush(QColor(theme.WELL))
        p.drawRoundedRect(well.adjusted(0.5, 0.5, -0.5, -0.5), 3, 3)
        p.setPen(QColor(theme.INK if on else theme.OFF))
        p.setFont(theme.font(bold=True))
        text = well.adjusted(0, 0, -WELL_PAD, 0)
        p.drawText(
            text, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, self.field.text(self._value)
        )
        self._paint_slider(p, track, on)

    def _paint_slider(self, p: QPainter, track: QRectF, on: bool) -> None:
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(QColor(theme.TRACK))
        p.drawRoundedRect(track, 1.5, 1.5)
        x = self._x(self._fraction(self._value))
        start = self._x(self._fraction(0.0)) if self.from_zero else track.left()
        p.setBrush(QColor(theme.shown(self.colour) if on else theme.OFF))
        p.drawRoundedRect(QRectF(min(start, x), track.top(), abs(x - start), 3), 1.5, 1.5)
        rest = self._x(self._fraction(self.field.default))
        p.setBrush(QColor(theme.QUIET))
        p.drawRect(QRectF(rest - 0.5, track.bottom() + 4, 1, 4))
        p.setBrush(QColor(theme.KNOB if on else theme.OFF))
        radius = KNOB_RADIUS + (1.0 if self._drag == "track" else 0.0)
        p.drawEllipse(QPointF(x, track.center().y()), radius, radius)

    # -- hand

    def mousePressEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        if event.button() != Qt.MouseButton.LeftButton:
            return
        self.setFocus(Qt.FocusReason.MouseFocusReason)
        x = event.position().x()
        self._start = (x, self._value)
        where = self._under(x)
        if where == "track":
            self._drag = "track"
            self.set_value(self._at(self._fraction_at(x)), self._key())
        elif where == "value":
            self._drag = "value?"

    def mouseMoveEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        x = event.position().x()
        if self._drag is None:
            cursors = {"track": Qt.CursorShape.SizeHorCursor, "value": Qt.CursorShape.IBeamCursor}
            self.setCursor(cursors.get(self._under(x), Qt.CursorShape.ArrowCursor))
            return
        if self._drag == "track":
            self.set_value(self._at(self._fraction_at(x)), self._key())
            return
        moved = x - self._start[0]
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
        if self._under(event.position().x()) != "value":
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
        well = self.well().toRect()
        width = max(96, well.width())
        edit.setGeometry(self.width() - width, well.top() - 1, width, WELL_HEIGHT + 3)
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
