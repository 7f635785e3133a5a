# SPDX-License-Identifier: Apache-2.0
"""Five short hints on the picture, one at a time; each is gone for ever once it is done or dismissed.

A window enters; a small card at the foot of the picture shows the first hint that is left.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, NamedTuple

from PySide6.QtCore import QEvent, QObject, QSettings, Qt
from PySide6.QtWidgets import QFrame, QHBoxLayout

from gloamet.desk.widgets.form import ToolButton, label
from gloamet.document.model import Document

if TYPE_CHECKING:
    from gloamet.desk.window import DeskWindow

FOOT = 14  # pixels between the card and the foot of the picture


class Hint(NamedTuple):
    """A key in the settings, the text, and whether a change of the document does what it says; None where another
    event tells."""

    key: str
    text: str
    done_by: Callable[[Document, Document], bool] | None = None


HINTS = (
    Hint("sun", "Drag the day ribbon below, or the sun on the sky disc.", lambda a, b: a.sun != b.sun),
    Hint(
        "camera",
        "Drag in the picture to orbit, turn the wheel to move nearer.",
        lambda a, b: a.stage.view != b.stage.view,
    ),
    Hint("air", "Open Air and drag Turbidity: the sky and the shadows follow.", lambda a, b: a.air != b.air),
    Hint("finder", "Ctrl + K finds every field, action, moment and place."),
    Hint("keep", "K keeps this picture, to compare it later."),
)


class Hints(QFrame):
    """The card."""

    def __init__(self, window: DeskWindow) -> None:
        picture = window.picture
        super().__init__(picture)
        self.setObjectName("tray")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setAccessibleName("Hint")
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 6, 6, 6)
        self.text = label("")
        row.addWidget(self.text)
        row.addWidget(ToolButton("Dismiss hint", "Do not show this hint again.", "x", self.dismiss))
        self.hint: Hint | None = None
        self._picture, self._session = picture, window.session
        self._before = window.session.document
        picture.installEventFilter(self)
        window.finder.opened.connect(lambda: self.finish("finder"))
        self._keeper = window.tools.keeper
        self._keeper.changed.connect(self._on_kept_changed)
        window.session.document_changed.connect(self._on_document_changed)
        window.session.results.frame_ready.connect(lambda _: self._show_next())
        self.hide()

    def _show_next(self) -> None:
        """The first hint that is left, once there is a picture."""
        if self.hint is not None:
            return
        left = [hint for hint in HINTS if QSettings().value(f"hints/{hint.key}") != "done"]
        self.hint = left[0] if left else None
        self.setVisible(self.hint is not None)
        if self.hint is not None:
            self.text.setText(self.hint.text)
            self.adjustSize()
            self._place()
            self.raise_()

    def finish(self, key: str) -> None:
        """A hint was followed, shown or not: it does not come again."""
        QSettings().setValue(f"hints/{key}", "done")
        if self.hint is not None and self.hint.key == key:
            self.hint = None
            self._show_next()

    def dismiss(self) -> None:
        """Show the present hint no more."""
        if self.hint is not None:
            self.finish(self.hint.key)

    def _on_document_changed(self, document: Document) -> None:
        before, self._before = self._before, document
        if before.stage.scene_file != document.stage.scene_file:
            return  # another project, not a step of the artist's
        for hint in HINTS:
            if hint.done_by is not None and hint.done_by(before, document):
                self.finish(hint.key)

    def _on_kept_changed(self) -> None:
        if self._keeper.pictures:
            self.finish("keep")

    def _place(self) -> None:
        self.move((self._picture.width() - self.width()) // 2, self._picture.height() - self.height() - FOOT)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:  # noqa: N802
        """Stay at the foot of the picture."""
        if event.type() == QEvent.Type.Resize and self.isVisible():
            self._place()
        return False
