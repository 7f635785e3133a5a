# SPDX-License-Identifier: Apache-2.0
"""Parts: the tree of parts, muting, locking, materials, plaster."""

from __future__ import annotations

from PySide6.QtWidgets import QLineEdit

from gloamet.desk.actions import stage_actions
from gloamet.desk.state.session import Session
from gloamet.desk.steps.stage.material import MaterialBlock
from gloamet.desk.steps.stage.parts_tree import EYE, LOCK, PartsTree
from gloamet.desk.steps.step_panel import StepPanel
from gloamet.desk.widgets.form import ActionRow, label
from gloamet.desk.widgets.number import NumberRow
from gloamet.desk.widgets.switch import Switch
from gloamet.document.model import Document


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
        self.tree.toggle(self.tree.chosen(), EYE)

    def _lock(self) -> None:
        self.tree.toggle(self.tree.chosen(), LOCK)

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
