# SPDX-License-Identifier: Apache-2.0
"""Interface of widgets that replace the picture and take its mouse events."""

from __future__ import annotations

from PySide6.QtCore import QObject, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QPainter


class PictureOverlay(QObject):
    """Nothing by itself: what it is for says what the hand does."""

    changed = Signal()

    @property
    def on(self) -> bool:
        """Whether it is looked at."""
        return False

    def end(self) -> None:
        """Back to the picture."""

    def paint(self, p: QPainter, box: QRectF) -> None:
        """Everything, over the whole box of the picture."""

    def press(self, box: QRectF, at: QPointF, modifiers: Qt.KeyboardModifier) -> bool:
        """Whether a press belongs to it."""
        return self.on and box.contains(at)

    def move(self, box: QRectF, at: QPointF) -> bool:
        """Follow the hand; whether it holds something."""
        return False

    def release(self) -> bool:
        """Let go; whether it held something."""
        return False

    def zoom_by(self, turns: float) -> None:
        """Turns of the wheel."""
