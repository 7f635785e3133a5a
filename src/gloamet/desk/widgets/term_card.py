# SPDX-License-Identifier: Apache-2.0
"""What a term means, in two sentences with a small picture: beside the "?" of a group, or in a list of all.

Texts and drawings are in data/terms.json; a key of it enters, a card over the window appears.
"""

from __future__ import annotations

import json
from functools import lru_cache
from typing import NamedTuple

from PySide6.QtCore import QByteArray, QPoint, Qt
from PySide6.QtGui import QKeyEvent, QPainter, QPaintEvent
from PySide6.QtSvg import QSvgRenderer
from PySide6.QtWidgets import QDialog, QFrame, QHBoxLayout, QListWidget, QVBoxLayout, QWidget

from gloamet.desk.widgets import theme
from gloamet.desk.widgets.form import ToolButton, label
from gloamet.shipped_data import DATA

WIDTH, PICTURE = 320, (112, 72)


class Term(NamedTuple):
    """A term: its title, its meaning, and a drawing (the inside of an SVG of 112 x 72)."""

    title: str
    text: str
    drawing: str


@lru_cache(maxsize=1)
def terms() -> dict[str, Term]:
    """Every term by its key, in the order of the list."""
    stored = json.loads((DATA / "terms.json").read_text(encoding="utf-8"))
    return {key: Term(**value) for key, value in stored.items()}


class TermPicture(QWidget):
    """The drawing of a term, in the colours of the theme."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedSize(*PICTURE)
        self.drawing = ""

    def paintEvent(self, event: QPaintEvent) -> None:  # noqa: N802
        colours = (("ink", theme.INK), ("dim", theme.QUIET), ("sun", theme.SUN), ("sky", theme.SKY))
        drawn = self.drawing
        for name, colour in colours:
            drawn = drawn.replace(f"${name}", colour)
        svg = (
            f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 112 72" fill="none" stroke-width="1.6" '
            f'stroke="{theme.INK}">{drawn}</svg>'
        )
        QSvgRenderer(QByteArray(svg.encode())).render(QPainter(self))


class _Meaning(QWidget):
    """Picture and text of one term."""

    def __init__(self) -> None:
        super().__init__()
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(14)
        self.picture, self.text = TermPicture(), label("", "note", wrap=True)
        row.addWidget(self.picture, 0, Qt.AlignmentFlag.AlignTop)
        row.addWidget(self.text, 1, Qt.AlignmentFlag.AlignTop)

    def show_term(self, term: Term) -> None:
        """Explain a term."""
        self.picture.drawing = term.drawing
        self.picture.update()
        self.text.setText(term.text)


class TermCard(QFrame):
    """A card that explains one term; Esc or a click elsewhere closes it."""

    def __init__(self, window: QWidget, key: str) -> None:
        super().__init__(window, Qt.WindowType.Popup)
        self.setObjectName("finder")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 12, 14, 12)
        term, self.meaning = terms()[key], _Meaning()
        self.meaning.show_term(term)
        column.addWidget(label(term.title, "title"))
        column.addWidget(self.meaning)
        self.setFixedWidth(WIDTH)
        self.adjustSize()

    def keyPressEvent(self, event: QKeyEvent) -> None:  # noqa: N802
        if event.key() == Qt.Key.Key_Escape:
            self.close()


class TermButton(ToolButton):
    """A question mark beside a group that explains its term."""

    def __init__(self, key: str) -> None:
        super().__init__(
            f"About {terms()[key].title}", f"What “{terms()[key].title}” means.", "circle-help", self.open
        )
        self.key = key

    def open(self) -> None:
        """Explain the term below the button."""
        card = TermCard(self.window(), self.key)
        corner = self.mapToGlobal(self.rect().bottomRight())
        card.move(corner - QPoint(card.width(), -4))
        card.show()


class TermList(QDialog):
    """All terms; the chosen one is explained."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Terms")
        row = QHBoxLayout(self)
        self.list, self._meaning, self._title = QListWidget(), _Meaning(), label("", "title")
        self.list.setAccessibleName("Terms")
        self.list.addItems([term.title for term in terms().values()])
        self.list.currentRowChanged.connect(self._on_row_changed)
        column = QVBoxLayout()
        column.addWidget(self._title)
        column.addWidget(self._meaning)
        column.addStretch(1)
        row.addWidget(self.list)
        row.addLayout(column, 1)
        self.resize(560, 360)
        self.list.setCurrentRow(0)

    def _on_row_changed(self, row: int) -> None:
        term = list(terms().values())[row]
        self._title.setText(term.title)
        self._meaning.show_term(term)
