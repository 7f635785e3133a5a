# SPDX-License-Identifier: Apache-2.0
"""Pages of a step: tabs in a row, each page with its own scroll area."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QHBoxLayout,
    QScrollArea,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from gloamet.desk.widgets.form import Segments


class Pages(QWidget):
    """(name, tip, page) side by side; `stack` holds the pages."""

    scrolls_itself = True

    def __init__(self, pages: Sequence[tuple[str, str, QWidget]]) -> None:
        super().__init__()
        self.setObjectName("column")
        self.names = [name for name, _, _ in pages]
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 12, 0, 0)
        column.setSpacing(0)
        row = QHBoxLayout()
        row.setContentsMargins(16, 0, 16, 0)
        tabs = Segments([(name, tip) for name, tip, _ in pages])
        row.addWidget(tabs)
        self.stack, self.group = QStackedWidget(), tabs.group
        for _, _, page in pages:
            area = QScrollArea()
            area.setWidgetResizable(True)
            area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
            area.setWidget(page)
            self.stack.addWidget(area)
        self.group.idClicked.connect(self.stack.setCurrentIndex)
        column.addLayout(row)
        column.addWidget(self.stack, 1)
        self.show_page(self.names[0])

    def show_page(self, name: str) -> None:
        """Bring a page to the front."""
        index = self.names.index(name)
        self.stack.setCurrentIndex(index)
        self.group.button(index).setChecked(True)
