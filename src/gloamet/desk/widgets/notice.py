# SPDX-License-Identifier: Apache-2.0
"""The notice bar: one sentence about an error or an omission, until it is closed."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt, QTimer
from PySide6.QtWidgets import QHBoxLayout, QWidget

from gloamet.desk.widgets.form import action_button, label

NOTE_MS = 12_000


class Notice(QWidget):
    """Shown over the top of the picture."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("notice")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        row = QHBoxLayout(self)
        row.setContentsMargins(14, 8, 12, 8)
        self.text = label("", wrap=True)
        row.addWidget(self.text, 1)
        self._do: list[Callable[[], object]] = []
        self._about = ""
        self.action = action_button("", "Apply.", lambda: self._act(0))
        self.second = action_button("", "Apply.", lambda: self._act(1))
        row.addWidget(self.action)
        row.addWidget(self.second)
        row.addWidget(action_button("Close", "Hide this message.", self.hide))
        self._timer = QTimer(self, interval=NOTE_MS, singleShot=True)
        self._timer.timeout.connect(self.hide)
        self.hide()

    def offer(self, sentence: str, word: str, action: Callable[[], object], about: str = "") -> None:
        """Show a sentence with an action; other sentences `about` something else do not replace it."""
        self.offer_some(sentence, {word: action})
        self._about = about

    def offer_some(
        self, sentence: str, actions: dict[str, Callable[[], object]], kind: str = "warning"
    ) -> None:
        """Show a sentence with one or two actions, by their texts."""
        self.show_sentence(sentence, kind)
        self._do = list(actions.values())
        for button, text in zip((self.action, self.second), actions, strict=False):
            button.setText(text)
            button.show()

    def _act(self, index: int) -> None:
        self.hide()
        self._do[index]()

    def show_sentence(self, sentence: str, kind: str = "warning") -> None:
        """Say it; notes go by themselves, warnings stay until closed."""
        if self._about and self._about in sentence and self.isVisible():
            return
        self._about = ""
        self.action.hide()
        self.second.hide()
        self.text.setText(sentence)
        self.setProperty("kind", kind)
        self.style().unpolish(self)
        self.style().polish(self)
        self.show()
        if kind == "note":
            self._timer.start()
        else:
            self._timer.stop()
