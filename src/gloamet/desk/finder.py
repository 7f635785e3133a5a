# SPDX-License-Identifier: Apache-2.0
"""The finder (Ctrl+K): type a word; every field, action, moment and place of the desk that fits it is listed.

The entries are made from the panels' own controls, the menu and the gazetteer, so nothing is listed by hand. Enter
shows a control with the focus on it, does a command of the menu, goes to a moment or moves the site.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import partial
from typing import NamedTuple

from PySide6.QtCore import QEvent, QModelIndex, QObject, QPersistentModelIndex, QSize, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QPainter
from PySide6.QtWidgets import (
    QFrame,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from gloamet.desk.actions.sun_actions import site_fields
from gloamet.desk.menus import Command
from gloamet.desk.state.session import Session
from gloamet.desk.step_stack import StepStack
from gloamet.desk.steps import STEP_TITLES
from gloamet.desk.steps.sun.moments_of_day import MomentRow
from gloamet.desk.widgets import theme
from gloamet.desk.widgets.form import ActionButton, GroupHead, SegmentedControl
from gloamet.desk.widgets.number import NumberRow
from gloamet.desk.widgets.pages import Pages
from gloamet.desk.widgets.switch import Toggle
from gloamet.errors import GloametError
from gloamet.sun.site import fold_text, search_cities, zone_name_at

WHERE = Qt.ItemDataRole.UserRole
ROW_HEIGHT = 24
ModelIndex = QModelIndex | QPersistentModelIndex
WIDTH, MOST, LEAST_FOR_PLACES, TOP = 440, 9, 3, 90
MOVES = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1, Qt.Key.Key_PageDown: 5, Qt.Key.Key_PageUp: -5}


class Entry(NamedTuple):
    """What can be found: its title, where it is, the text that is searched too, and what Enter does."""

    title: str
    where: str
    tip: str
    act: Callable[[], object]


def rank(query: str, entry: Entry) -> int:
    """How well an entry fits folded words, best first: 0 to 3 by title, 4 by its tooltip, -1 not at all."""
    title, words = fold_text(entry.title), query.split()
    if title.startswith(query):
        return 0
    if all(any(part.startswith(word) for part in title.split()) for word in words):
        return 1
    if all(word in title for word in words):
        return 2
    beside = f"{title} {fold_text(entry.where)}"
    if all(word in beside for word in words):
        return 3
    text = f"{beside} {fold_text(entry.tip)}"
    return 4 if all(word in text for word in words) else -1


def choice_title(group: str, field: str) -> str:
    """Title of a choice: its group and what the field is called, once where both say the same.

    >>> choice_title("Ground", "kind"), choice_title("Units of the file", "unit"), choice_title("", "file_type")
    ('Ground: kind', 'Units of the file', 'File type')
    """
    name = field.replace("_", " ")
    if not group:
        return name.capitalize()
    return group if name in group.lower() else f"{group}: {name}"


def found(query: str, entries: list[Entry]) -> list[Entry]:
    """The entries that fit a query, best first, at most `MOST`."""
    folded = fold_text(query).strip()
    ranked = [(rank(folded, entry), k) for k, entry in enumerate(entries)] if folded else []
    return [entries[k] for r, k in sorted(ranked) if r >= 0][:MOST]


class EntryDelegate(QStyledItemDelegate):
    """Paints the title of an entry at the left and where it is at the right."""

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: ModelIndex) -> None:
        """One row."""
        super().paint(painter, option, index)
        painter.setPen(QColor(theme.DIM if not option.state & QStyle.StateFlag.State_Selected else theme.INK))
        painter.setFont(theme.font(theme.NOTE))
        right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        painter.drawText(option.rect.adjusted(0, 0, -8, 0), right, index.data(WHERE) or "")

    def sizeHint(self, option: QStyleOptionViewItem, index: ModelIndex) -> QSize:  # noqa: N802
        """Rows of one height."""
        return QSize(0, ROW_HEIGHT)


class Finder(QFrame):
    """A field and a list over the window."""

    opened = Signal()

    def __init__(
        self,
        parent: QWidget,
        session: Session,
        stack: StepStack,
        commands: Callable[[], list[Command]],
        show: Callable[[int], None],
    ) -> None:
        """`commands` of the menus are listed too; `show` brings a step to the front."""
        super().__init__(parent)
        self.setObjectName("finder")
        self.session, self._over, self._stack, self._show = session, parent, stack, show
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 8, 8, 8)
        self.edit, self.list = QLineEdit(), QListWidget()
        self.edit.setPlaceholderText("Find a field, an action, a moment or a place")
        self.edit.setAccessibleName("Find")
        self.list.setAccessibleName("Found")
        self.list.setItemDelegate(EntryDelegate(self.list))
        self.list.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        for widget in (self.edit, self.list):
            column.addWidget(widget)
        self.edit.textChanged.connect(self._fill)
        self.edit.installEventFilter(self)
        self.list.itemClicked.connect(lambda item: self._take(self.list.row(item)))
        self._commands = commands
        self._entries: list[Entry] = []
        self.shown: list[Entry] = []
        self._before: QWidget | None = None
        self.setFixedWidth(WIDTH)
        self.hide()

    def open(self) -> None:
        """Collect the entries of now and wait for a word."""
        if self.isVisible():
            self.close_finder()
            return
        self._before = self.window().focusWidget()
        self._entries = list(self._collect())
        self.edit.clear()
        self._fill("")
        self.move((self._over.width() - WIDTH) // 2, TOP)
        self.show()
        self.raise_()
        self.edit.setFocus(Qt.FocusReason.ShortcutFocusReason)
        self.opened.emit()

    def close_finder(self) -> None:
        """Hide, and return the focus."""
        self.hide()
        if self._before is not None:
            self._before.setFocus(Qt.FocusReason.OtherFocusReason)

    # -- entries

    def _collect(self) -> Iterator[Entry]:
        for k, step in enumerate(STEP_TITLES):
            yield Entry(step, "Step", f"Show the controls of the step {step}.", partial(self._show, k))
        for command in self._commands():
            if command.enabled() and command.text not in STEP_TITLES:
                yield Entry(command.text, command.keys or "Menu", command.text, command.act)
        for k, step in enumerate(STEP_TITLES):
            panel = self._stack.panel(k)
            for widget in panel.findChildren(QWidget):
                title = self._title(panel, widget)
                if title:
                    where = " ▸ ".join((step, *self._page_of(panel, widget)))
                    yield Entry(title, where, widget.toolTip(), partial(self._go, k, panel, widget))

    @staticmethod
    def _title(panel: QWidget, widget: QWidget) -> str:
        """What a control is called, "" for what is no control of its own."""
        if isinstance(widget, NumberRow):
            return widget.label
        if isinstance(widget, SegmentedControl):
            heads = (head.text() for head in panel.findChildren(GroupHead) if head.holds(widget))
            return choice_title(next(heads, ""), widget.name)
        if isinstance(widget, Toggle):
            return widget.text()
        is_action = isinstance(widget, ActionButton) or widget.property("role") in (
            "moment",
            "segment",
            "piece",
        )
        return widget.text() if is_action and isinstance(widget, QPushButton) else ""

    @staticmethod
    def _page_of(panel: QWidget, widget: QWidget) -> tuple[str, ...]:
        if not isinstance(panel, Pages):
            return ()
        pages = ((name, panel.stack.widget(k)) for k, name in enumerate(panel.names))
        return tuple(name for name, page in pages if page is not None and page.isAncestorOf(widget))

    def _go(self, step: int, panel: QWidget, widget: QWidget) -> None:
        """Show a control with the focus on it; a moment of the day is set at once.

        Other actions wait for a key: some cannot be undone.
        """
        self._show(step)
        for page in self._page_of(panel, widget):
            panel.show_page(page)  # type: ignore[attr-defined]
        for head in panel.findChildren(GroupHead):
            if head.holds(widget) and head.folded:
                head.fold(False)
        widget.setFocus(Qt.FocusReason.ShortcutFocusReason)
        self._before = None
        if isinstance(widget, MomentRow):
            widget.click()

    def _places(self, query: str) -> list[Entry]:
        if len(query.strip()) < LEAST_FOR_PLACES:
            return []
        return [
            Entry(
                f"{city.name}, {city.country}",
                "Site",
                "Move the site here.",
                partial(self._move_site, city.name, city.latitude_deg, city.longitude_deg),
            )
            for city in search_cities(query, 3)
        ]

    def _move_site(self, name: str, latitude_deg: float, longitude_deg: float) -> None:
        try:
            zone = zone_name_at(latitude_deg, longitude_deg)
        except GloametError as error:
            self.session.noticed.emit(str(error), "warning")
            return
        self.session.change("site", **site_fields(latitude_deg, longitude_deg, zone, name))

    # -- list

    def _fill(self, query: str) -> None:
        own = found(query, self._entries)
        places = self._places(query)
        self.shown = (own[: MOST - len(places)] + places) if places else own
        self.list.clear()
        for entry in self.shown:
            item = QListWidgetItem(entry.title)
            item.setData(WHERE, entry.where)
            item.setToolTip(entry.tip)
            self.list.addItem(item)
        if not self.shown and query.strip():
            self.list.addItem(QListWidgetItem("Nothing found. Try a word such as turbidity or sunset."))
        self.list.setCurrentRow(0)
        self.list.setVisible(bool(query.strip()))
        self.list.setFixedHeight(max(1, self.list.count()) * ROW_HEIGHT + 2)
        self.adjustSize()

    def _take(self, row: int) -> None:
        if 0 <= row < len(self.shown):
            entry = self.shown[row]
            self.close_finder()
            entry.act()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:  # noqa: N802
        """Arrows move in the list, Enter takes, Esc closes."""
        if watched is self.edit and isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            key = Qt.Key(event.key())
            if key == Qt.Key.Key_Escape:
                self.close_finder()
                return True
            if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                self._take(self.list.currentRow())
                return True
            if key in MOVES:
                last = self.list.count() - 1
                self.list.setCurrentRow(min(max(self.list.currentRow() + MOVES[key], 0), last))
                return True
        return super().eventFilter(watched, event)
