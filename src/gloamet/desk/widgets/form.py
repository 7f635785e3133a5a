# SPDX-License-Identifier: Apache-2.0
"""Building blocks of panels: headings, notes, actions (raised buttons), choices (segments), tools (icons)."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import cast

from PySide6.QtCore import QSettings, QSize, Qt
from PySide6.QtGui import QIcon
from PySide6.QtWidgets import (
    QBoxLayout,
    QButtonGroup,
    QFrame,
    QGraphicsOpacityEffect,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from gloamet.desk.widgets import theme
from gloamet.desk.widgets.document_fields import reach
from gloamet.desk.widgets.flow import FlowLayout
from gloamet.desk.widgets.follow import follow
from gloamet.desk.widgets.icons import ICON_PX, icon, icon_of_action
from gloamet.desk.widgets.ports import DocumentPort
from gloamet.document.metadata import Section, description
from gloamet.document.model import Document

ASLEEP_OPACITY = 0.35
TOOL_PX = 16


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


def action_button(text: str, tip: str, act: Callable[[], object], main: bool = False) -> QPushButton:
    """A raised button with the icon of its verb; `main` is the one light button of a panel."""
    button = ActionButton(sentence(text), main)
    button.setToolTip(tip)
    button.clicked.connect(lambda: act())
    return button


class ActionButton(QPushButton):
    """An action: a raised button whose icon follows its text."""

    def __init__(self, text: str, main: bool = False) -> None:
        super().__init__()
        self.setProperty("role", "main" if main else "action")
        self._main, self._icon_name = main, ""
        self.setIconSize(QSize(ICON_PX, ICON_PX))
        self.setText(text)

    def setText(self, text: str) -> None:  # noqa: N802
        """Show a text and the icon of its verb."""
        if text == self.text():
            return
        super().setText(text)
        name = icon_of_action(text)
        if name != self._icon_name:
            self._icon_name = name
            colour = theme.MAIN_INK if self._main else theme.INK
            self.setIcon(icon(name, colour, colour) if name else QIcon())


class ToolButton(QPushButton):
    """A tool: an icon alone, with a visible on-state; its name is told by the tooltip and to assistive technology."""

    def __init__(self, name: str, tip: str, icon_name: str, act: Callable[[], object] | None = None) -> None:
        super().__init__()
        self.setProperty("role", "tool")
        self.setAccessibleName(name)
        self.setToolTip(tip)
        self.setIconSize(QSize(TOOL_PX, TOOL_PX))
        self._icon_name = ""
        self.show_icon(icon_name)
        if act is not None:
            self.clicked.connect(lambda: act())

    def show_icon(self, name: str) -> None:
        """Show another icon."""
        if name != self._icon_name:
            self._icon_name = name
            self.setIcon(icon(name, theme.INK, theme.DIM))


def empty(layout: QVBoxLayout) -> None:
    """Take everything out of a column."""
    while layout.count():
        item = layout.takeAt(0)
        if item is not None and (old := item.widget()) is not None:
            old.hide()
            old.deleteLater()


class ActionRow(QWidget):
    """Actions one after another, in several rows where one is too narrow: (text, tooltip, action)."""

    def __init__(self, actions: Sequence[tuple[str, str, Callable[[], object]]], main: bool = False) -> None:
        """With `main` the first action is the light one of its panel."""
        super().__init__()
        flow = FlowLayout(self)
        policy = QSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Minimum)
        policy.setHeightForWidth(True)
        self.setSizePolicy(policy)
        self.buttons = [action_button(*item, main and k == 0) for k, item in enumerate(actions)]
        for button in self.buttons:
            flow.addWidget(button)


class Segments(QFrame):
    """Choices in one well, one of them on; `columns` breaks them into several rows."""

    def __init__(self, options: Sequence[tuple[str, str]], columns: int = 0) -> None:
        """`options` are texts and tooltips."""
        super().__init__()
        self.setProperty("role", "segments")
        grid = QGridLayout(self)
        grid.setContentsMargins(2, 2, 2, 2)
        grid.setSpacing(0)
        self.group = QButtonGroup(self)
        for index, (text, tip) in enumerate(options):
            button = QPushButton(sentence(text))
            button.setProperty("role", "segment")
            button.setCheckable(True)
            button.setToolTip(tip)
            self.group.addButton(button, index)
            grid.addWidget(button, *divmod(index, columns or len(options)))

    @property
    def pieces(self) -> list[QPushButton]:
        """The buttons, in order."""
        return cast(list[QPushButton], self.group.buttons())


class GroupHead(QPushButton):
    """The head of a group: its title, and whether its controls are folded; folded ones stay so at the next start."""

    def __init__(self, title: str, key: str, body: QWidget) -> None:
        super().__init__(title)
        self.setProperty("role", "head")
        self.setToolTip(f"Fold or unfold “{title}”.")
        self.setLayoutDirection(Qt.LayoutDirection.RightToLeft)
        self.setIconSize(QSize(ICON_PX, ICON_PX))
        self._key, self._body = f"folded/{key}", body
        self.clicked.connect(lambda: self.fold(not self.folded))
        self.fold(QSettings().value(self._key, "no") == "yes", keep=False)

    @property
    def folded(self) -> bool:
        """Whether the controls are hidden."""
        return self._body.isHidden()

    def holds(self, widget: QWidget) -> bool:
        """Whether a control belongs to the group."""
        return self._body.isAncestorOf(widget)

    def fold(self, on: bool, keep: bool = True) -> None:
        """Hide or show the controls."""
        self._body.setHidden(on)
        self.setIcon(icon("chevron-right" if on else "chevron-down", theme.INK, theme.QUIET))
        if keep:
            QSettings().setValue(self._key, "yes" if on else "no")


class FormPanel(QWidget):
    """The controls of one step, top to bottom; `group` starts a titled group that folds."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("column")
        self.box = QVBoxLayout(self)
        self.box.setContentsMargins(16, 14, 16, 16)
        self.box.setSpacing(4)
        self._first = True
        self._rows = self.box
        self.heads: dict[str, GroupHead] = {}

    def group(self, title: str, aside: QWidget | None = None) -> None:
        """A quiet head with space above it, something at its right end; what is added from now on belongs to it."""
        if not self._first:
            self.box.addSpacing(12)
        self._first = False
        body = QWidget()
        self._rows = QVBoxLayout(body)
        self._rows.setContentsMargins(0, 0, 0, 0)
        self._rows.setSpacing(4)
        self.heads[title] = GroupHead(title, f"{type(self).__name__}/{title}", body)
        if aside is None:
            self.box.addWidget(self.heads[title])
        else:
            self.box.addLayout(pair(self.heads[title], aside))
        self.box.addWidget(body)

    def add(self, item: QWidget | QBoxLayout) -> None:
        """Append a widget or a row."""
        self._first = False
        if isinstance(item, QWidget):
            self._rows.addWidget(item)
        else:
            self._rows.addLayout(item)

    def add_space(self, pixels: int) -> None:
        """Append a gap."""
        self._rows.addSpacing(pixels)

    def finish(self) -> None:
        """Push everything to the top."""
        self.box.addStretch(1)


class SegmentedControl(Segments):
    """One field chosen from a few values."""

    def __init__(
        self,
        session: DocumentPort,
        section: Section,
        name: str,
        options: Sequence[tuple[str, str]],
        columns: int = 0,
    ) -> None:
        """`options` are values and texts; with `columns` there are several rows of so many pieces."""
        super().__init__([(text, description(section, name)) for _, text in options], columns)
        self.session, self.section, self.name = session, section, name
        self.buttons = {value: piece for (value, _), piece in zip(options, self.pieces, strict=True)}
        for value, piece in self.buttons.items():
            piece.clicked.connect(lambda _=False, v=value: self.choose(v))
        follow(self, session.document_changed, self._on_document_changed)
        self._on_document_changed(session.document)

    def choose(self, value: str) -> None:
        """Ask for a value."""
        self.session.change(self.section, **{self.name: value})

    def _on_document_changed(self, document: Document) -> None:
        value = getattr(reach(document, self.section), self.name, None)
        if value in self.buttons:
            self.buttons[value].setChecked(True)
