# SPDX-License-Identifier: Apache-2.0
"""Gestures and shortcuts of the present step, over the picture.

The index of a step enters; a card in two columns appears. F1 shows it, F1, Esc or a click hides it.
"""

from __future__ import annotations

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtGui import QMouseEvent
from PySide6.QtWidgets import QGridLayout, QWidget

from gloamet.desk.steps import STEPS
from gloamet.desk.widgets.form import label

Rows = tuple[tuple[str, str], ...]
CAMERA: Rows = (
    ("Drag", "Orbit"),
    ("Shift + drag, middle button", "Pan"),
    ("Wheel", "Move nearer or farther"),
    ("W A S D, arrows", "Walk and turn"),
    ("Page up, page down", "Raise or lower the eye"),
    ("Double-click", "Frame what was clicked"),
    ("Click", "Select a part"),
    ("Home", "Show everything"),
)
DESK: Rows = (
    ("Ctrl + K", "Find a field, action, moment or place"),
    ("Hold B", "Compare with before"),
    ("K", "Keep this picture"),
    ("Tab over the picture", "Hide or show the columns"),
    ("F11", "Full screen"),
    ("Alt", "Menus"),
    ("Esc", "Leave a tool"),
)
NUMBERS: Rows = (
    ("Drag a slider or value", "Change it"),
    ("Click a value", "Type it"),
    ("Arrows, Shift + arrows", "Small and large steps"),
    ("Double-click a name", "Reset it"),
)
OF_STEP: dict[str, Rows] = {
    "sun": (
        ("Drag the day ribbon", "Move the clock through the day"),
        ("Left, right on the ribbon", "A minute; with Shift ten, with Ctrl an hour"),
        ("Drag on the sky disc", "Place the sun by hand"),
        ("Drag on the year cloth", "Choose a day and an hour"),
        ("Ctrl + comma, Ctrl + full stop", "An hour earlier or later"),
    ),
    "stage": (("Click a part in the picture", "Show its material"),),
    "fill": (("Measure, then click", "Add a spot reading"),),
    "expose": (("Pick, then click", "Use what is clicked"), ("Ctrl + L", "Lock the exposure")),
    "compare": (("Drag the handle of the wipe", "Move the border between two pictures"),),
}


def rows_of(step: int) -> list[tuple[str, Rows]]:
    """Titled groups of gestures for a step."""
    own = OF_STEP.get(STEPS[step].module, ())
    groups = [("Camera", CAMERA), ("Numbers", NUMBERS), ("Desk", DESK)]
    return [(f"{STEPS[step].title} step", own), *groups] if own else groups


class HelpOverlay(QWidget):
    """A card in the middle of the picture."""

    def __init__(self, picture: QWidget) -> None:
        super().__init__(picture)
        self.setObjectName("sheet")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setAccessibleName("Gestures and shortcuts")
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(24, 18, 24, 18)
        self._grid.setHorizontalSpacing(24)
        self._grid.setVerticalSpacing(3)
        self._picture = picture
        picture.installEventFilter(self)
        self.hide()

    def show_for(self, step: int) -> None:
        """Show the gestures of a step, or hide them when they are shown."""
        if self.isVisible():
            self.hide()
            return
        while (item := self._grid.takeAt(0)) is not None:
            widget = item.widget()
            if widget is not None:
                widget.deleteLater()
        groups = rows_of(step)
        half = (sum(len(rows) + 2 for _title, rows in groups) + 1) // 2
        row, column = 0, 0
        for title, rows in groups:
            if row and column == 0 and row + len(rows) > half + 2:
                row, column = 0, 2
            self._grid.addWidget(label(title, "head"), row, column, 1, 2)
            for keys, text in rows:
                row += 1
                self._grid.addWidget(label(keys, "note"), row, column)
                self._grid.addWidget(label(text), row, column + 1)
            row += 2
        self.adjustSize()
        self._place()
        self.show()
        self.raise_()

    def _place(self) -> None:
        self.move(self._picture.rect().center() - self.rect().center())

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:  # noqa: N802
        """Stay in the middle of the picture."""
        if event.type() == QEvent.Type.Resize and self.isVisible():
            self._place()
        return False

    def mousePressEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        self.hide()
