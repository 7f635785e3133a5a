# SPDX-License-Identifier: Apache-2.0
"""Three columns of a window, the outer ones as wide as they are pulled: widths are kept for the next start.

The middle one takes what is free; a double click on a border restores the first width.
"""

from __future__ import annotations

from typing import NamedTuple

from PySide6.QtCore import QRectF, QSettings, Qt
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QSplitter, QSplitterHandle, QWidget

from gloamet.desk.widgets import theme

BORDER_PX, GRIP_PX = 6, 28
TIP = "Drag to change the width of the column, double-click to reset it."


class ColumnWidth(NamedTuple):
    """Widths of an outer column, pixels: at the first start, least and most; `key` names it in the settings."""

    key: str
    first: int
    least: int
    most: int


class Border(QSplitterHandle):
    """What is pulled: a line that is clear under the pointer."""

    def __init__(self, columns: Columns) -> None:
        super().__init__(Qt.Orientation.Horizontal, columns)
        self._columns = columns
        self.setToolTip(TIP)
        self.setAttribute(Qt.WidgetAttribute.WA_Hover)

    def paintEvent(self, event: QPaintEvent) -> None:  # noqa: N802
        """A short grip, and the whole border under the pointer."""
        p = QPainter(self)
        p.fillRect(self.rect(), QColor(theme.RAISED if self.underMouse() else theme.GROUND))
        grip = QRectF(0.0, 0.0, 2.0, GRIP_PX)
        grip.moveCenter(QRectF(self.rect()).center())
        p.fillRect(grip, QColor(theme.INK if self.underMouse() else theme.OUTLINE))

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        """Restore the first width."""
        self._columns.reset(self)


class Columns(QSplitter):
    """Left, middle and right."""

    def __init__(
        self, left: QWidget, middle: QWidget, right: QWidget, widths: tuple[ColumnWidth, ColumnWidth]
    ) -> None:
        super().__init__(Qt.Orientation.Horizontal)
        self.setHandleWidth(BORDER_PX)
        self.setChildrenCollapsible(False)
        self._outer = ((0, left, widths[0]), (2, right, widths[1]))
        for widget in (left, middle, right):
            self.addWidget(widget)
        self.setStretchFactor(1, 1)
        for _index, widget, width in self._outer:
            widget.setMinimumWidth(width.least)
            widget.setMaximumWidth(width.most)
        self._wanted = [self._kept(width) for _index, _widget, width in self._outer]
        self.splitterMoved.connect(self._on_moved)

    def createHandle(self) -> QSplitterHandle:  # noqa: N802
        """A border of our own."""
        return Border(self)

    @staticmethod
    def _kept(width: ColumnWidth) -> int:
        value = str(QSettings().value(f"column/{width.key}", width.first))
        return min(max(int(value), width.least), width.most) if value.isdigit() else width.first

    def resizeEvent(self, event: object) -> None:  # noqa: N802
        """Give the outer columns their widths, the middle the rest."""
        super().resizeEvent(event)  # type: ignore[arg-type]
        self._spread()

    def _spread(self) -> None:
        left, right = self._wanted
        self.setSizes([left, max(1, self.width() - left - right - 2 * BORDER_PX), right])

    def _on_moved(self) -> None:
        for side, (index, widget, width) in enumerate(self._outer):
            if widget.isVisible():
                self._wanted[side] = self.sizes()[index]
                QSettings().setValue(f"column/{width.key}", self._wanted[side])

    def reset(self, border: Border) -> None:
        """The column beside a border gets its first width again."""
        side = 0 if border is self.handle(1) else 1
        width = self._outer[side][2]
        self._wanted[side] = width.first
        QSettings().setValue(f"column/{width.key}", width.first)
        self._spread()
