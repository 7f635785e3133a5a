# SPDX-License-Identifier: Apache-2.0
"""A layout that fills rows from left to right and begins another row where the width ends."""

from __future__ import annotations

from PySide6.QtCore import QPoint, QRect, QSize, Qt
from PySide6.QtWidgets import QLayout, QLayoutItem, QWidget


class FlowLayout(QLayout):
    """Rows of widgets with one gap between them, horizontally and vertically."""

    def __init__(self, parent: QWidget | None = None, gap: int = 6) -> None:
        super().__init__(parent)
        self._items: list[QLayoutItem] = []
        self._gap = gap
        self.setContentsMargins(0, 0, 0, 0)

    def addItem(self, item: QLayoutItem) -> None:  # noqa: N802
        """Append an item."""
        self._items.append(item)

    def count(self) -> int:
        """Number of items."""
        return len(self._items)

    def itemAt(self, index: int) -> QLayoutItem | None:  # noqa: N802
        """An item, None past the end."""
        return self._items[index] if 0 <= index < len(self._items) else None

    def takeAt(self, index: int) -> QLayoutItem | None:  # noqa: N802
        """Remove an item."""
        return self._items.pop(index) if 0 <= index < len(self._items) else None

    def expandingDirections(self) -> Qt.Orientation:  # noqa: N802
        """It takes no more than it needs."""
        return Qt.Orientation(0)

    def hasHeightForWidth(self) -> bool:  # noqa: N802
        """The height follows from the width."""
        return True

    def heightForWidth(self, width: int) -> int:  # noqa: N802
        """Height of all rows at a width."""
        return self._arrange(QRect(0, 0, width, 0), move=False)

    def setGeometry(self, rect: QRect) -> None:  # noqa: N802
        """Move the items into a rectangle."""
        super().setGeometry(rect)
        self._arrange(rect, move=True)

    def sizeHint(self) -> QSize:  # noqa: N802
        """All items in one row."""
        hints = [item.sizeHint() for item in self._items if not item.isEmpty()]
        width = sum(hint.width() for hint in hints) + self._gap * max(0, len(hints) - 1)
        return QSize(width, max((hint.height() for hint in hints), default=0))

    def minimumSize(self) -> QSize:  # noqa: N802
        """The widest item."""
        hints = [item.minimumSize() for item in self._items if not item.isEmpty()]
        return QSize(
            max((hint.width() for hint in hints), default=0),
            max((hint.height() for hint in hints), default=0),
        )

    def _arrange(self, rect: QRect, move: bool) -> int:
        x, y, row_height = rect.x(), rect.y(), 0
        for item in self._items:
            if item.isEmpty():
                continue
            hint = item.sizeHint()
            width = min(hint.width(), rect.width())
            if x > rect.x() and x + width > rect.x() + rect.width():
                x, y, row_height = rect.x(), y + row_height + self._gap, 0
            if move:
                item.setGeometry(QRect(QPoint(x, y), QSize(width, hint.height())))
            x, row_height = x + width + self._gap, max(row_height, hint.height())
        return y + row_height - rect.y()
