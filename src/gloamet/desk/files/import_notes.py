# SPDX-License-Identifier: Apache-2.0
"""Notes of an import: what was left out of the model, each item once."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QScrollArea, QVBoxLayout, QWidget

from gloamet.desk.state.session import Session
from gloamet.desk.widgets.form import action_button, label, pair
from gloamet.stage.scene import Scene

WIDTH, HEIGHT, MARGIN, INSET = 360, 220, 64, 10


class ImportNotesPanel(QWidget):
    """A list over the lower corner of the picture."""

    def __init__(self, session: Session, parent: QWidget) -> None:
        super().__init__(parent)
        self.setObjectName("tray")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedWidth(WIDTH)
        self.notes: tuple[str, ...] = ()
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 10, 14, 10)
        self.head = label("", "head")
        column.addLayout(
            pair(
                self.head,
                action_button("Close", "The bar below the picture opens this list again.", self.hide),
            )
        )
        area = QScrollArea()
        area.setWidgetResizable(True)
        self.text = label("", "note", wrap=True)
        self.text.setAlignment(Qt.AlignmentFlag.AlignTop)
        area.setWidget(self.text)
        column.addWidget(area, 1)
        session.loaded.scene_loaded.connect(self._on_scene_loaded)
        self.hide()

    def _on_scene_loaded(self, scene: Scene) -> None:
        fresh = scene.notes != self.notes
        self.notes = scene.notes
        self.head.setText(f"Notes on {scene.path.name if scene.path else 'the model'}")
        self.text.setText("\n".join(f"·  {note}" for note in self.notes))
        high = self.text.heightForWidth(WIDTH - 48) + MARGIN
        self.setFixedHeight(min(HEIGHT, high))
        parent = self.parentWidget()
        if parent is not None:
            self.move(INSET, parent.height() - self.height() - INSET)
        self.setVisible(bool(self.notes) and (fresh or self.isVisible()))
        self.raise_()

    def toggle(self) -> None:
        """Open or close."""
        self.setVisible(bool(self.notes) and not self.isVisible())
        self.raise_()
