"""Stage, parts: the tree of parts, muting and locking, corrections to materials, plaster."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QAbstractItemView, QLineEdit, QTreeWidget, QTreeWidgetItem

from gloamet.desk import staging
from gloamet.desk.session import Session
from gloamet.desk.steps.stage.material import MaterialBlock
from gloamet.desk.widgets.number import NumberRow
from gloamet.desk.widgets.small import Column, Words, label
from gloamet.desk.widgets.switch import Switch
from gloamet.document.model import Document
from gloamet.stage.scene import Scene

TREE_HEIGHT = 214


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
        self.setToolTip("Click to select, the mark to mute, double-click to bring into view.")
        self._rows: dict[str, QTreeWidgetItem] = {}
        self._quiet = False
        self.itemChanged.connect(self._marked)
        self.itemSelectionChanged.connect(self._chosen)
        self.itemDoubleClicked.connect(lambda item, _: staging.frame_parts(session, self._names(item)))
        session.scene_loaded.connect(self.fill)
        session.stage_changed.connect(self._follow)
        session.selected.connect(self._show_selected)
        if session.scene is not None:
            self.fill(session.scene)

    def fill(self, scene: Scene) -> None:
        """Show the parts of a scene."""
        self._quiet = True
        self.clear()
        self._rows = {}
        groups: dict[tuple[str, ...], QTreeWidgetItem] = {}
        for part in scene.parts:
            above: QTreeWidgetItem | QTreeWidget = self
            for depth in range(len(part.group)):
                trail = part.group[: depth + 1]
                if trail not in groups:
                    groups[trail] = self._item(above, part.group[depth], Qt.ItemFlag.ItemIsAutoTristate)
                above = groups[trail]
            item = self._item(above, part.name, Qt.ItemFlag.NoItemFlags)
            item.setData(0, Qt.ItemDataRole.UserRole, part.name)
            self._rows[part.name] = item
        if len(groups) < 6:
            self.expandAll()
        self._quiet = False
        self._follow(self.session.document)

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

    def _marked(self, item: QTreeWidgetItem) -> None:
        if self._quiet or item.checkState(0) == Qt.CheckState.PartiallyChecked:
            return
        names = self._names(item)
        muted = item.checkState(0) == Qt.CheckState.Unchecked
        now = set(self.session.document.stage.muted)
        if (names & now == names) != muted or (names & now and not muted):
            staging.mute(self.session, names, muted)

    def _chosen(self) -> None:
        names = sorted(self.chosen())
        if not self._quiet:
            self.session.select(names[0] if names else "")

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

    def _follow(self, document: Document) -> None:
        muted, locked = set(document.stage.muted), set(document.stage.locked)
        self._quiet = True
        for name, item in self._rows.items():
            state = Qt.CheckState.Unchecked if name in muted else Qt.CheckState.Checked
            if item.checkState(0) != state:
                item.setCheckState(0, state)
            text = f"{name}   locked" if name in locked else name
            if item.text(0) != text:
                item.setText(0, text)
        self._quiet = False


class PartsPage(Column):
    """Parts, the material of the selected one, plaster."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.tree = PartsTree(session)
        self.finder = QLineEdit()
        self.finder.setPlaceholderText("find a part")
        self.finder.setToolTip("Shows only parts whose name holds this.")
        self.finder.textChanged.connect(self.tree.search)
        self.add(self.finder)
        self.add(self.tree)
        self.add(
            Words(
                [
                    (
                        "mute",
                        "Leaves the selected parts out of the picture, or brings them back.",
                        self._mute,
                    ),
                    ("lock", "Clicks in the picture pass over the selected parts, or no longer.", self._lock),
                    ("bring into view", "Moves the camera to the selected parts.", self._frame),
                ]
            )
        )
        self.add(
            Words(
                [
                    ("light only with these", "Mutes everything that is not selected.", self._solo),
                    ("bring all back", "Nothing is muted any more.", self._all),
                ]
            )
        )
        self.muted = label("", "note", wrap=True)
        self.add(self.muted)
        self.group("Plaster")
        self.add(Switch(session, "stage.plaster", "on", "Everything in plaster"))
        self.add(NumberRow(session, "stage.plaster", "reflectance", "Reflectance"))
        self.add(Switch(session, "stage.plaster", "keep_glass", "Glass stays clear"))
        self.add(Switch(session, "stage.plaster", "ink", "Ink contours"))
        self.ink = NumberRow(session, "stage.plaster", "ink_px", "Line width")
        self.add(self.ink)
        self.add(MaterialBlock(session))
        self.finish()
        session.stage_changed.connect(self._follow)
        self._follow(session.document)

    def _mute(self) -> None:
        names = self.tree.chosen()
        staging.mute(self.session, names, not names <= set(self.session.document.stage.muted))

    def _lock(self) -> None:
        names = self.tree.chosen()
        staging.lock(self.session, names, not names <= set(self.session.document.stage.locked))

    def _frame(self) -> None:
        staging.frame_parts(self.session, self.tree.chosen())

    def _solo(self) -> None:
        if self.tree.chosen():
            staging.light_only_with(self.session, self.tree.chosen())

    def _all(self) -> None:
        self.session.change("stage", muted=())

    def _follow(self, document: Document) -> None:
        count = len(document.stage.muted)
        self.muted.setText(f"{count} parts are muted and will not be in saved pictures." if count else "")
        self.muted.setVisible(bool(count))
        self.ink.setVisible(document.stage.plaster.ink)
