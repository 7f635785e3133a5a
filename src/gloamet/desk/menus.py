# SPDX-License-Identifier: Apache-2.0
"""The menus of the window: one table of commands gives menus, shortcuts and the finder's entries.

A table of `Command` rows enters; the menu of the title, a menu bar that Alt shows, and the window's shortcuts leave.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import NamedTuple

from PySide6.QtCore import QEvent, QObject, Qt, QTimer
from PySide6.QtGui import QKeyEvent, QKeySequence, QShortcut
from PySide6.QtWidgets import QMenu, QMenuBar, QWidget

FIXED_KEYS = ("Tab",)  # which the window handles itself


class Command(NamedTuple):
    """A row of a menu: its text, what it does and its keys as `QKeySequence` writes them. `enabled` and `checked` are
    asked when the menu opens; `rows` makes it a submenu; `opens` a dialog. A text of "" is a line between groups."""

    text: str
    act: Callable[[], object] = lambda: None
    keys: str = ""
    enabled: Callable[[], bool] = lambda: True
    checked: Callable[[], bool] | None = None
    rows: Callable[[], list[Command]] | None = None


LINE = Command("")
Table = dict[str, Callable[[], list[Command]]]


def _fill(menu: QMenu, rows: list[Command]) -> None:
    menu.clear()
    for row in rows:
        if not row.text:
            menu.addSeparator()
        elif row.rows is not None:
            below = menu.addMenu(row.text)
            _fill(below, row.rows())
            below.setEnabled(bool(below.actions()))
        else:
            action = menu.addAction(f"{row.text}\t{row.keys}" if row.keys else row.text)
            action.triggered.connect(partial(_call, row.act))
            action.setEnabled(row.enabled())
            if row.checked is not None:
                action.setCheckable(True)
                action.setChecked(row.checked())


def _call(act: Callable[[], object], _checked: bool = False) -> None:
    act()


class Menus(QObject):
    """The menus of a window; `root` is the one of the title."""

    def __init__(self, window: QWidget, table: Table) -> None:
        super().__init__(window)
        self._table, self._window = table, window
        self.root = QMenu(window)
        self.bar = QMenuBar(window)
        self.bar.setNativeMenuBar(False)
        self.bar.setAccessibleName("Menus")
        self._menus: list[QMenu] = []
        for title in table:
            for parent in (self.root, self.bar):
                menu = parent.addMenu(f"&{title}")
                menu.aboutToShow.connect(partial(self._refill, menu, title))
                menu.aboutToHide.connect(lambda: QTimer.singleShot(0, self._hide_idle_bar))
                self._menus.append(menu)
        self.bar.hide()
        self._alt = False  # whether Alt is held, and nothing else was pressed meanwhile
        for rows in table.values():
            for row in rows():
                if row.keys and row.keys not in FIXED_KEYS:
                    shortcut = QShortcut(QKeySequence(row.keys), window)
                    shortcut.activated.connect(partial(_call, row.act))

    def _refill(self, menu: QMenu, title: str) -> None:
        _fill(menu, self._table[title]())

    def commands(self) -> list[Command]:
        """Every command of the menus as it stands now, those of submenus included."""
        found: list[Command] = []
        waiting = [row for rows in self._table.values() for row in rows()]
        while waiting:
            row = waiting.pop(0)
            if row.rows is not None:
                waiting += row.rows()
            elif row.text:
                found.append(row)
        return found

    def show_bar(self) -> None:
        """Show the menu bar over the top of the window, its first menu marked."""
        self.bar.setGeometry(0, 0, self._window.width(), self.bar.sizeHint().height())
        self.bar.show()
        self.bar.raise_()
        self.bar.setActiveAction(self.bar.actions()[0])
        self.bar.setFocus(Qt.FocusReason.MenuBarFocusReason)

    def _hide_idle_bar(self) -> None:
        if self.bar.activeAction() is None:
            self.bar.hide()

    def take_key(self, event: QKeyEvent) -> bool:
        """Alt alone shows the bar, and hides it; the window passes its keys on. Whether the key was taken.

        A filter of the application would see every event: that cost a drag a quarter of its pictures.
        """
        if event.type() == QEvent.Type.KeyPress:
            self._alt = event.key() == Qt.Key.Key_Alt
            return self._alt
        if event.key() != Qt.Key.Key_Alt or not self._alt:
            return False
        self._alt = False
        if self.bar.isVisible():
            self.bar.hide()
        else:
            self.show_bar()
        return True
