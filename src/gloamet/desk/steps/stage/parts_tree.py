# SPDX-License-Identifier: Apache-2.0
"""The tree of parts: under the nodes that hold them, each row with an eye (rendered or muted) and a lock.

The parts of a loaded scene enter; clicks on eye and lock change the document, clicks on a name select.
"""

from __future__ import annotations

import time
from collections.abc import Iterator
from typing import NamedTuple

from PySide6.QtCore import QModelIndex, QPersistentModelIndex, QRect, Qt, QTimer
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHeaderView,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTreeWidget,
    QTreeWidgetItem,
)

from gloamet.desk.actions import stage_actions
from gloamet.desk.state.session import Session
from gloamet.desk.widgets import theme
from gloamet.desk.widgets.icons import ICON_PX, icon
from gloamet.document.model import Document
from gloamet.stage.scene import Part, Scene

TREE_HEIGHT, MARK_PX = 220, 22
FILL_S = 0.012  # of filling at one go
NAME, EYE, LOCK = range(3)  # columns
PART, GROUP = Qt.ItemDataRole.UserRole, Qt.ItemDataRole.UserRole + 1
TIP = (
    "Click a name to select, the eye to mute, the lock to exclude from clicks in the picture; double-click to "
    "frame. Space mutes, Shift+Space locks the selected parts."
)
ModelIndex = QModelIndex | QPersistentModelIndex
Path = tuple[str, ...]


class Decided(NamedTuple):
    """Names of muted and of locked parts."""

    muted: frozenset[str]
    locked: frozenset[str]


class Tally:
    """How many parts a group holds, and how many of them are muted and locked."""

    def __init__(self) -> None:
        self.parts = self.muted = self.locked = 0


class MarkDelegate(QStyledItemDelegate):
    """Paints the eye and the lock of a row: bright where something was decided, quiet where not."""

    def __init__(self, tree: PartsTree) -> None:
        super().__init__(tree)
        self._tree = tree

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: ModelIndex) -> None:
        """One mark."""
        super().paint(painter, option, index)
        box = QRect(0, 0, ICON_PX, ICON_PX)
        box.moveCenter(option.rect.center())
        muted, locked = self._tree.marks(self._tree.itemFromIndex(index))
        if index.column() == EYE:
            name, colour = ("eye-off", theme.QUIET) if muted == 1.0 else ("eye", theme.INK)
            faint = 0.0 < muted < 1.0
        else:
            name, colour = ("lock", theme.INK) if locked > 0.0 else ("lock-open", theme.OFF)
            faint = 0.0 < locked < 1.0
        painter.setOpacity(0.5 if faint else 1.0)
        icon(name, colour, colour).paint(painter, box)
        painter.setOpacity(1.0)


class PartsTree(QTreeWidget):
    """Names, eyes and locks of all parts."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setColumnCount(3)
        self.setHeaderHidden(True)
        header = self.header()
        header.setMinimumSectionSize(MARK_PX)
        header.setStretchLastSection(False)
        header.setSectionResizeMode(NAME, QHeaderView.ResizeMode.Stretch)
        for column in (EYE, LOCK):
            header.setSectionResizeMode(column, QHeaderView.ResizeMode.Fixed)
            header.resizeSection(column, MARK_PX)
            self.setItemDelegateForColumn(column, MarkDelegate(self))
        self.setIndentation(12)
        self.setFixedHeight(TREE_HEIGHT)
        self.setAllColumnsShowFocus(True)
        self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.setAccessibleName("Parts")
        self.setToolTip(TIP)
        self._rows: dict[str, QTreeWidgetItem] = {}
        self._groups: dict[Path, QTreeWidgetItem] = {}
        self._tallies: dict[Path, Tally] = {}
        self._decided = _decided(session.document)
        self._coming: Iterator[Part] = iter(())
        self._more = QTimer(self, interval=0, singleShot=True)
        self._more.timeout.connect(self._fill_some)
        self._quiet = False
        self.itemSelectionChanged.connect(self._on_selection_changed)
        self.itemDoubleClicked.connect(
            lambda item, _column: stage_actions.frame_parts(session, self.names(item))
        )
        session.loaded.scene_loaded.connect(self.fill)
        session.stage_changed.connect(self._on_document_changed)
        session.state.selected.connect(self._show_selected)
        if session.loaded.scene is not None:
            self.fill(session.loaded.scene)
            self._show_selected(session.state.selection)

    # -- filling

    def fill(self, scene: Scene) -> None:
        """Show the parts of a scene; thousands come a few at a time, so that the window never waits."""
        self._quiet = True
        self.clear()
        self._quiet = False
        self._rows, self._groups, self._tallies = {}, {}, {}
        self._decided = _decided(self.session.document)
        self._coming = iter(scene.parts)
        self._fill_some()

    def _fill_some(self) -> None:
        begin = time.perf_counter()
        self._quiet = True
        for part in self._coming:
            self._add(part)
            if time.perf_counter() - begin > FILL_S:
                self._more.start()
                break
        else:
            if len(self._groups) < 6:
                self.expandAll()
        self._quiet = False

    def _add(self, part: Part) -> None:
        above: QTreeWidgetItem | QTreeWidget = self
        for depth in range(len(part.group)):
            path = part.group[: depth + 1]
            if path not in self._groups:
                self._groups[path] = QTreeWidgetItem(above, [part.group[depth]])
                self._tallies[path] = Tally()
            above = self._groups[path]
            self._tallies[path].parts += 1
        item = QTreeWidgetItem(above, [part.name])
        item.setData(NAME, PART, part.name)
        item.setData(NAME, GROUP, part.group)
        self._rows[part.name] = item
        if part.name in self._decided.muted:
            self._mark(part.name, muted=1)
        if part.name in self._decided.locked:
            self._mark(part.name, locked=1)

    # -- what was decided of them

    def marks(self, item: QTreeWidgetItem) -> tuple[float, float]:
        """Fractions of the parts of a row that are muted and that are locked."""
        name = item.data(NAME, PART)
        if name is not None:
            return float(name in self._decided.muted), float(name in self._decided.locked)
        tally = self._tallies.get(self._path(item))
        return (0.0, 0.0) if tally is None else (tally.muted / tally.parts, tally.locked / tally.parts)

    @staticmethod
    def _path(item: QTreeWidgetItem) -> Path:
        path: list[str] = []
        above: QTreeWidgetItem | None = item
        while above is not None:
            path.append(above.text(NAME))
            above = above.parent()
        return tuple(reversed(path))

    def _on_document_changed(self, document: Document) -> None:
        """Show what has been muted or locked since."""
        before, now = self._decided, _decided(document)
        self._decided = now
        for name in before.muted ^ now.muted:
            self._mark(name, muted=1 if name in now.muted else -1)
        for name in before.locked ^ now.locked:
            self._mark(name, locked=1 if name in now.locked else -1)
        self.viewport().update()

    def _mark(self, name: str, muted: int = 0, locked: int = 0) -> None:
        """Count a part that was muted or locked (1), or is no longer (-1), in the groups above it."""
        item = self._rows.get(name)
        if item is None:
            return
        group = tuple(item.data(NAME, GROUP))
        for depth in range(len(group)):
            tally = self._tallies[group[: depth + 1]]
            tally.muted += muted
            tally.locked += locked
        words = [word for word, names in self._decided._asdict().items() if name in names]
        item.setData(NAME, Qt.ItemDataRole.AccessibleDescriptionRole, ", ".join(words))
        if muted:
            font = item.font(NAME)
            font.setStrikeOut(name in self._decided.muted)
            item.setFont(NAME, font)

    def toggle(self, names: set[str], column: int) -> None:
        """Mute or lock parts, or undo that where all of them are."""
        if column == EYE:
            muted = names <= self._decided.muted
            stage_actions.mute(self.session, set() if muted else names, names if muted else set())
        else:
            stage_actions.lock(self.session, names, not names <= self._decided.locked)

    def mousePressEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        """A click on a mark decides; the selection stays. Qt sends the second of two quick clicks here too."""
        index = self.indexAt(event.position().toPoint())
        if index.isValid() and index.column() != NAME and event.button() == Qt.MouseButton.LeftButton:
            item = self.itemFromIndex(index)
            # a mark of the selection stands for all that is selected
            self.toggle(self.chosen() if item.isSelected() else self.names(item), index.column())
        else:
            super().mousePressEvent(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:  # noqa: N802
        """Space mutes the selected parts, with Shift it locks them."""
        if event.key() == Qt.Key.Key_Space and self.chosen():
            shift = event.modifiers() & Qt.KeyboardModifier.ShiftModifier
            self.toggle(self.chosen(), LOCK if shift else EYE)
            return
        super().keyPressEvent(event)

    # -- names and selection

    def names(self, item: QTreeWidgetItem) -> set[str]:
        """Names of the parts of a row."""
        own = item.data(NAME, PART)
        if own is not None:
            return {str(own)}
        return set().union(*(self.names(item.child(k)) for k in range(item.childCount())))

    def chosen(self) -> set[str]:
        """Names of all selected parts."""
        return set().union(*(self.names(item) for item in self.selectedItems()))

    def search(self, text: str) -> None:
        """Show only parts whose name contains the text."""
        wanted = text.strip().casefold()
        for name, item in self._rows.items():
            item.setHidden(wanted not in name.casefold())
        self._hide_empty(self.invisibleRootItem())

    def _hide_empty(self, item: QTreeWidgetItem) -> bool:
        if item.data(NAME, PART) is not None:
            return not item.isHidden()
        shown = [self._hide_empty(item.child(k)) for k in range(item.childCount())]
        item.setHidden(bool(shown) and not any(shown))
        return any(shown)

    def _on_selection_changed(self) -> None:
        names = sorted(self.chosen())
        if not self._quiet:
            self.session.state.select(names[0] if names else "")

    def _show_selected(self, name: str) -> None:
        if name in self.chosen() or (not name and not self.selectedItems()):
            return
        self._quiet = True
        self.clearSelection()
        item = self._rows.get(name)
        if item is not None:
            item.setSelected(True)
            self.scrollToItem(item)
        self._quiet = False


def _decided(document: Document) -> Decided:
    return Decided(frozenset(document.stage.muted), frozenset(document.stage.locked))
