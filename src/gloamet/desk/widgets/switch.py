# SPDX-License-Identifier: Apache-2.0
"""On and off: a boolean field of the document as a switch with the field's description."""

from __future__ import annotations

from PySide6.QtCore import QPoint, QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QFontMetrics, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QCheckBox, QSizePolicy

from gloamet.desk.widgets import theme
from gloamet.desk.widgets.document_fields import reach
from gloamet.desk.widgets.follow import follow
from gloamet.desk.widgets.ports import DocumentPort
from gloamet.document.metadata import Section, description
from gloamet.document.model import Document

WIDTH, HEIGHT, ROW_HEIGHT, GAP = 30, 16, 24, 8


class Toggle(QCheckBox):
    """A check box drawn as a switch: at the right end of its row, or before its text."""

    def __init__(self, text: str = "", leading: bool = False) -> None:
        super().__init__(text)
        self._leading = leading
        self.setMinimumHeight(ROW_HEIGHT)
        if not leading:
            self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def sizeHint(self) -> QSize:  # noqa: N802
        """Text, gap and switch."""
        text = QFontMetrics(theme.font()).horizontalAdvance(self.text())
        return QSize(text + (GAP if text else 0) + WIDTH, ROW_HEIGHT)

    def minimumSizeHint(self) -> QSize:  # noqa: N802
        """The same: a text is never cut."""
        return self.sizeHint()

    def hitButton(self, pos: QPoint) -> bool:  # noqa: N802
        """The whole row acts."""
        return self.rect().contains(pos)

    def paintEvent(self, event: QPaintEvent) -> None:  # noqa: N802
        """The text, and the switch with its knob."""
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        enabled, on = self.isEnabled(), self.isChecked()
        left = 0.5 if self._leading else self.width() - WIDTH - 0.5
        track = QRectF(left, (self.height() - HEIGHT) / 2, WIDTH, HEIGHT)
        p.setPen(QPen(QColor(theme.SWITCH_ON if on else theme.OUTLINE), 1))
        p.setBrush(QColor((theme.SWITCH_ON if enabled else theme.RAISED) if on else theme.WELL))
        p.drawRoundedRect(track, HEIGHT / 2, HEIGHT / 2)
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(QColor(theme.KNOB if on and enabled else theme.QUIET if enabled else theme.OFF))
        x = track.right() - HEIGHT / 2 if on else track.left() + HEIGHT / 2
        p.drawEllipse(QPointF(x, track.center().y()), HEIGHT / 2 - 3, HEIGHT / 2 - 3)
        if self.hasFocus():
            p.setPen(QPen(QColor(theme.FOCUS), 1))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawRoundedRect(track.adjusted(-2, -2, 2, 2), HEIGHT / 2 + 2, HEIGHT / 2 + 2)
        p.setFont(theme.font())
        p.setPen(QColor(theme.INK if enabled else theme.OFF))
        start = WIDTH + GAP if self._leading else 0
        box = QRectF(start, 0, self.width() - WIDTH - GAP, self.height())
        p.drawText(box, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, self.text())
        p.end()


class Switch(Toggle):
    """One boolean field."""

    def __init__(
        self, session: DocumentPort, section: Section, name: str, text: str, leading: bool = False
    ) -> None:
        super().__init__(text, leading)
        self.session, self.section, self.name = session, section, name
        self.setToolTip(description(section, name))
        self.toggled.connect(lambda on: session.change(section, **{name: on}))
        follow(self, session.document_changed, self._on_document_changed)
        self._on_document_changed(session.document)

    def _on_document_changed(self, document: Document) -> None:
        self.blockSignals(True)
        self.setChecked(bool(getattr(reach(document, self.section), self.name, False)))
        self.blockSignals(False)
