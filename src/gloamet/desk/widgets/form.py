# SPDX-License-Identifier: Apache-2.0
"""Building blocks of panels: headings, notes, segmented controls, rows of links."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QBoxLayout,
    QButtonGroup,
    QGraphicsOpacityEffect,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from gloamet.desk.widgets.document_fields import reach
from gloamet.desk.widgets.ports import DocumentPort
from gloamet.document.metadata import Section, description
from gloamet.document.model import Document

ASLEEP_OPACITY = 0.35


def sentence(text: str) -> str:
    """A text with a capital first letter; units and keys of one or two letters stay as they are."""
    return text[:1].upper() + text[1:] if len(text) > 2 else text


def label(text: str, role: str = "", wrap: bool = False) -> QLabel:
    """A label; role is one of the style sheet's: head, note, big, title."""
    widget = QLabel(text)
    widget.setProperty("role", role)
    widget.setWordWrap(wrap)
    widget.setTextFormat(Qt.TextFormat.PlainText)
    return widget


def wake(widget: QWidget, awake: bool) -> None:
    """Let a widget act and look so, or neither."""
    widget.setEnabled(awake)
    effect = None
    if not awake:
        effect = QGraphicsOpacityEffect(widget)
        effect.setOpacity(ASLEEP_OPACITY)
    widget.setGraphicsEffect(effect)  # type: ignore[arg-type]


def pair(left: QWidget, right: QWidget) -> QHBoxLayout:
    """Two widgets at the ends of one row."""
    row = QHBoxLayout()
    row.setContentsMargins(0, 0, 0, 0)
    row.addWidget(left)
    row.addStretch(1)
    row.addWidget(right)
    return row


def link(text: str, tip: str, action: Callable[[], object]) -> QPushButton:
    """A text button."""
    button = QPushButton(sentence(text))
    button.setProperty("role", "link")
    button.setCursor(Qt.CursorShape.PointingHandCursor)
    button.setToolTip(tip)
    button.clicked.connect(lambda: action())
    return button


def empty(layout: QVBoxLayout) -> None:
    """Take everything out of a column."""
    while layout.count():
        item = layout.takeAt(0)
        if item is not None and (old := item.widget()) is not None:
            old.hide()
            old.deleteLater()


class LinkRow(QWidget):
    """Text buttons in one row: (text, tooltip, action)."""

    def __init__(self, actions: Sequence[tuple[str, str, Callable[[], object]]]) -> None:
        super().__init__()
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(10)
        self.links = [link(*word) for word in actions]
        for item in self.links:
            row.addWidget(item)
        row.addStretch(1)


class FormPanel(QWidget):
    """The controls of one step, top to bottom; `group` starts a titled group."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("column")
        self.box = QVBoxLayout(self)
        self.box.setContentsMargins(16, 16, 16, 16)
        self.box.setSpacing(4)
        self._first = True

    def group(self, title: str) -> None:
        """A quiet head with space above it."""
        if not self._first:
            self.box.addSpacing(16)
        self._first = False
        self.box.addWidget(label(title, "head"))
        self.box.addSpacing(2)

    def add(self, item: QWidget | QBoxLayout) -> None:
        """Append a widget or a row."""
        self._first = False
        if isinstance(item, QWidget):
            self.box.addWidget(item)
        else:
            self.box.addLayout(item)

    def finish(self) -> None:
        """Push everything to the top."""
        self.box.addStretch(1)


class SegmentedControl(QWidget):
    """One field chosen from a few values, as pieces side by side."""

    def __init__(
        self,
        session: DocumentPort,
        section: Section,
        name: str,
        options: Sequence[tuple[str, str]],
        columns: int = 0,
    ) -> None:
        """With `columns` there are several rows of so many pieces."""
        super().__init__()
        self.session, self.section, self.name = session, section, name
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setSpacing(2)
        self.group = QButtonGroup(self)
        self.buttons: dict[str, QPushButton] = {}
        for index, (value, text) in enumerate(options):
            button = QPushButton(sentence(text))
            button.setProperty("role", "piece")
            button.setCheckable(True)
            button.setToolTip(description(section, name))
            button.clicked.connect(lambda _=False, v=value: self.choose(v))
            self.group.addButton(button)
            grid.addWidget(button, *divmod(index, columns or len(options)))
            self.buttons[value] = button
        session.document_changed.connect(self._on_document_changed)
        self._on_document_changed(session.document)

    def choose(self, value: str) -> None:
        """Ask for a value."""
        self.session.change(self.section, **{self.name: value})

    def _on_document_changed(self, document: Document) -> None:
        value = getattr(reach(document, self.section), self.name, None)
        if value in self.buttons:
            self.buttons[value].setChecked(True)
