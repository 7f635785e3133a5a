# SPDX-License-Identifier: Apache-2.0
"""The start panel: open a model or a demo."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QIcon
from PySide6.QtWidgets import QHBoxLayout, QToolButton, QVBoxLayout, QWidget

from gloamet.desk.widgets.form import action_button, label
from gloamet.document.demo import FOLDER, TITLES
from gloamet.stage.readers import ENDINGS


class StartPanel(QWidget):
    """Words, a button, and the demos."""

    open_asked = Signal()
    demo_asked = Signal(str)

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        column = QVBoxLayout(self)
        column.setSpacing(14)
        words = label("Open a model, or drop one here", "title")
        words.setAlignment(Qt.AlignmentFlag.AlignCenter)
        tip = f"Open a project or a model: {', '.join(ENDINGS)}."
        button = action_button("Open …", tip, self.open_asked.emit, main=True)
        column.addWidget(words)
        column.addWidget(button, 0, Qt.AlignmentFlag.AlignCenter)
        note = label("or start with a demo", "note")
        note.setAlignment(Qt.AlignmentFlag.AlignCenter)
        column.addWidget(note)
        row = QHBoxLayout()
        row.setSpacing(12)
        for name, title in TITLES.items():
            item = QToolButton()
            item.setText(title)
            item.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextUnderIcon)
            item.setIcon(QIcon(str(FOLDER / f"{name}.jpg")))
            item.setIconSize(QSize(192, 128))
            item.setToolTip("A scene that ships with the program.")
            item.clicked.connect(partial(self.demo_asked.emit, name))
            row.addWidget(item)
        column.addLayout(row)
