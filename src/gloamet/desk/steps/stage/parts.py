# SPDX-License-Identifier: Apache-2.0
"""Parts: the tree of parts, muting, locking, materials, plaster."""

from __future__ import annotations

import time
from collections.abc import Iterator

from PySide6.QtCore import Qt, QTimer
from PySide6.QtWidgets import QAbstractItemView, QLineEdit, QTreeWidget, QTreeWidgetItem

from gloamet.desk.actions import stage_actions
from gloamet.desk.state.session import Session
from gloamet.desk.steps.stage.material import MaterialBlock
from gloamet.desk.steps.step_panel import StepPanel
from gloamet.desk.widgets.form import ActionRow, label
from gloamet.desk.widgets.number import NumberRow
from gloamet.desk.widgets.switch import Switch
from gloamet.document.model import Document
from gloamet.stage.scene import Part, Scene

TREE_HEIGHT = 214
FILL_S = 0.012  # of filling at one go


class PartsTree(QTreeWidget):
    """Parts under the nodes that hold them; the mark before a name says whether it is rendered."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setHeaderHidden(True)
        self.setIndentation(12)
        self.setFixedHeight(TREE_HEIGHT)
        self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.setAccessibleName("Parts")
        self.setToolTip("Click to select, click the mark to mute, double-click to frame.")
        self._rows: dict[str, QTreeWidgetItem] = {}
        self._groups: dict[tuple[str, ...], QTreeWidgetItem] = {}
        self._decided = _decisions(session.document)
        self._coming: Iterator[Part] = iter(())
        self._more = QTimer(self, interval=0, singleShot=True)
        self._more.timeout.connect(self._fill_some)
        self._marks = QTimer(self, interval=0, singleShot=True)
        self._marks.timeout.connect(self._take_marks)
        self._quiet = False
        self.itemChanged.connect(self._marked)
        self.itemSelectionChanged.connect(self._chosen)
        self.itemDoubleClicked.connect(lambda item, _: stage_actions.frame_parts(session, self._names(item)))
        session.loaded.scene_loaded.connect(self.fill)
        session.stage_changed.connect(self._on_document_changed)
        session.state.selected.connect(self._show_selected)
        if session.loaded.scene is not None:
            self.fill(session.loaded.scene)
            self._show_selected(session.state.selection)

    def fill(self, scene: Scene) -> None:
        """Show the parts of a scene; thousands come a few at a time, so that the window never waits."""
        self._quiet = True
        self.clear()
        self._quiet = False
        self._rows, self._groups = {}, {}
        self._decided = _decisions(self.session.document)
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
            trail = part.group[: depth + 1]
            if trail not in self._groups:
                self._groups[trail] = self._item(above, part.group[depth], Qt.ItemFlag.ItemIsAutoTristate)
            above = self._groups[trail]
        item = self._item(above, part.name, Qt.ItemFlag.NoItemFlags)
        item.setData(0, Qt.ItemDataRole.UserRole, part.name)
        self._rows[part.name] = item
        muted, locked = self._decided
        if part.name in muted or part.name in locked:
            self._mark(part.name)

    @staticmethod
    def _item(above: QTreeWidgetItem | QTreeWidget, text: str, extra: Qt.ItemFlag) -> QTreeWidgetItem:
        item = QTreeWidgetItem(above, [text])
        item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable | extra)
        item.setCheckState(0, Qt.CheckState.Checked)
        return item

    def _names(self, item: QTreeWidgetItem) -> set[str]:
        own = item.data(0, Qt.ItemDataRole.UserRole)
        if own is not None:
            return {str(own)}
        return set().union(*(self._names(item.child(k)) for k in range(item.childCount())))

    def chosen(self) -> set[str]:
        """Names of all selected parts."""
        return set().union(*(self._names(item) for item in self.selectedItems()))

    def search(self, text: str) -> None:
        """Show only parts whose name holds the text."""
        wanted = text.strip().casefold()
        for name, item in self._rows.items():
            item.setHidden(wanted not in name.casefold())
        self._hide_empty(self.invisibleRootItem())

    def _hide_empty(self, item: QTreeWidgetItem) -> bool:
        if item.data(0, Qt.ItemDataRole.UserRole) is not None:
            return not item.isHidden()
        shown = [self._hide_empty(item.child(k)) for k in range(item.childCount())]
        item.setHidden(bool(shown) and not any(shown))
        return any(shown)

    def _marked(self, _item: QTreeWidgetItem) -> None:
        if not self._quiet:
            self._marks.start()

    def _take_marks(self) -> None:
        """Mute and bring back what was marked since, as one step."""
        off = {name for name, item in self._rows.items() if item.checkState(0) == Qt.CheckState.Unchecked}
        now = set(self.session.document.stage.muted)
        if off != now & self._rows.keys():
            stage_actions.mute(self.session, off - now, (now & self._rows.keys()) - off)

    def _chosen(self) -> None:
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

    def _on_document_changed(self, document: Document) -> None:
        """Show what has been muted or locked since."""
        (muted, locked), now = self._decided, _decisions(document)
        self._decided = now
        self._quiet = True
        for name in (muted ^ now[0]) | (locked ^ now[1]):
            if name in self._rows:
                self._mark(name)
        self._quiet = False

    def _mark(self, name: str) -> None:
        muted, locked = self._decided
        item = self._rows[name]
        item.setCheckState(0, Qt.CheckState.Unchecked if name in muted else Qt.CheckState.Checked)
        item.setText(0, f"{name}   locked" if name in locked else name)


def _decisions(document: Document) -> tuple[frozenset[str], frozenset[str]]:
    """Names of muted and of locked parts."""
    return frozenset(document.stage.muted), frozenset(document.stage.locked)


class PartsPage(StepPanel):
    """Parts, the material of the selected one, plaster."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.tree = PartsTree(session)
        self.finder = QLineEdit()
        self.finder.setAccessibleName("Filter parts")
        self.finder.setPlaceholderText("Find a part")
        self.finder.setToolTip("Show only parts whose name contains this text.")
        self.finder.textChanged.connect(self.tree.search)
        self.add(self.finder)
        self.add(self.tree)
        self.add(
            ActionRow(
                [
                    (
                        "Mute",
                        "Mute or unmute the selected parts.",
                        self._mute,
                    ),
                    (
                        "Lock",
                        "Lock or unlock the selected parts: clicks in the picture ignore locked parts.",
                        self._lock,
                    ),
                    ("Frame", "Frame the selected parts.", self._frame),
                ]
            )
        )
        self.add(
            ActionRow(
                [
                    ("Show only these", "Mute everything that is not selected.", self._solo),
                    ("Unmute all", "Unmute all parts.", self._all),
                ]
            )
        )
        self.muted = label("", "note", wrap=True)
        self.add(self.muted)
        self.group("Plaster")
        self.add(Switch(session, "stage.plaster", "on", "Plaster on everything"))
        self.add(NumberRow(session, "stage.plaster", "reflectance", "Reflectance"))
        self.add(Switch(session, "stage.plaster", "keep_glass", "Keep glass clear"))
        self.add(Switch(session, "stage.plaster", "contours", "Contour lines"))
        self.ink = NumberRow(session, "stage.plaster", "contour_px", "Line width")
        self.add(self.ink)
        self.add(MaterialBlock(session))
        self.finish()
        session.stage_changed.connect(self._on_document_changed)
        self._on_document_changed(session.document)

    def _mute(self) -> None:
        names = self.tree.chosen()
        muted = names <= set(self.session.document.stage.muted)
        stage_actions.mute(self.session, set() if muted else names, names if muted else set())

    def _lock(self) -> None:
        names = self.tree.chosen()
        stage_actions.lock(self.session, names, not names <= set(self.session.document.stage.locked))

    def _frame(self) -> None:
        stage_actions.frame_parts(self.session, self.tree.chosen())

    def _solo(self) -> None:
        if self.tree.chosen():
            stage_actions.light_only_with(self.session, self.tree.chosen())

    def _all(self) -> None:
        self.session.change("stage", muted=())

    def _on_document_changed(self, document: Document) -> None:
        count = len(document.stage.muted)
        self.muted.setText(f"{count} parts are muted and will be missing in saved pictures." if count else "")
        self.muted.setVisible(bool(count))
        self.ink.setVisible(document.stage.plaster.contours)
