# SPDX-License-Identifier: Apache-2.0
"""The strip of kept pictures under the picture: a click selects one, Ctrl adds one, a double click opens one."""

from __future__ import annotations

from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QHBoxLayout, QScrollArea, QWidget

from gloamet.desk.compare.keeper import Keeper
from gloamet.desk.widgets import theme
from gloamet.desk.widgets.form import action_button, label
from gloamet.output.keeping import Kept

THUMB, HEIGHT = QSize(84, 56), 78


class KeptThumb(QWidget):
    """One kept picture."""

    def __init__(self, keeper: Keeper, kept: Kept) -> None:
        super().__init__()
        self.keeper, self.kept = keeper, kept
        self.setFixedSize(THUMB)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName(f"Kept picture {kept.name}")
        labels = [f"{kept.when:%d %b %H:%M}", f"EV {kept.ev:.1f}", kept.samples_label]
        labels += [kept.note] if kept.note else []
        labels += [f"missing: {', '.join(kept.missing)}"] if kept.missing else []
        self.setToolTip(
            "\n".join([*labels, "Click to select, Ctrl-click for several, double-click to restore."])
        )
        image = keeper.images.get(kept.name)
        self._image = None if image is None or image.isNull() else image

    def paintEvent(self, event: QPaintEvent) -> None:  # noqa: N802
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        box = QRectF(self.rect())
        p.fillRect(box, QColor(theme.WELL))
        if self._image is None:
            p.setPen(QColor(theme.WARNING))
            p.drawText(box, Qt.AlignmentFlag.AlignCenter, "missing")
        else:
            w, h = self._image.width(), self._image.height()
            fraction = min(w / box.width(), h / box.height())
            source = QRectF(0, 0, box.width() * fraction, box.height() * fraction)
            source.moveCenter(QRectF(0, 0, w, h).center())
            p.drawImage(box, self._image, source)
        p.setFont(theme.font(theme.SMALL, bold=True))
        if self.kept.star:
            p.setPen(QColor(theme.SUN))
            p.drawText(
                box.adjusted(4, 2, -4, -2), Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignTop, "★"
            )
        if self.kept.name in self.keeper.chosen:
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.setPen(QPen(QColor(theme.INK), 2.0))
            p.drawRect(box.adjusted(1, 1, -1, -1))
            if len(self.keeper.chosen) > 1:
                letter = "ABCDEF"[self.keeper.chosen.index(self.kept.name)]
                p.fillRect(QRectF(2, 2, 16, 16), QColor(theme.GROUND))
                p.drawText(QRectF(2, 2, 16, 16), Qt.AlignmentFlag.AlignCenter, letter)

    def mousePressEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        if event.button() == Qt.MouseButton.LeftButton:
            more = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
            self.keeper.choose(self.kept.name, more)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        self.keeper.open(self.kept)


class KeptStrip(QWidget):
    """All of them, oldest first; hidden while there is none."""

    def __init__(self, keeper: Keeper) -> None:
        super().__init__()
        self.keeper = keeper
        self.setFixedHeight(HEIGHT)
        self.thumbs: list[KeptThumb] = []
        self._shown: list[Kept] = []
        row = QHBoxLayout(self)
        row.setContentsMargins(14, 0, 14, 6)
        row.setSpacing(10)
        self.area, self.inner = QScrollArea(), QWidget()
        self.area.setWidgetResizable(True)
        self.area.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.area.setObjectName("kept")
        self.inner.setObjectName("kept")
        self.line = QHBoxLayout(self.inner)
        self.line.setContentsMargins(0, 0, 0, 0)
        self.line.setSpacing(6)
        self.line.addStretch(1)
        self.area.setWidget(self.inner)
        row.addWidget(self.area, 1)
        self.size_on_disk = label("", "note")
        row.addWidget(self.size_on_disk)
        self.order = action_button("Starred first", "Sort by star or by time.", self._reorder)
        row.addWidget(self.order)
        row.addWidget(
            action_button(
                "Keep picture", "Keep this picture with its settings and light layers (K).", keeper.keep_now
            )
        )
        keeper.changed.connect(self._on_changed)
        self._on_changed()

    def _reorder(self) -> None:
        self.keeper.sort(not self.keeper.stars_first)

    def _on_changed(self) -> None:
        pictures = self.keeper.in_order
        self.order.setText("By time" if self.keeper.stars_first else "Starred first")
        self.setVisible(bool(pictures))
        if pictures != self._shown:
            self._shown = list(pictures)
            for thumb in self.thumbs:
                thumb.hide()
                thumb.deleteLater()
            self.thumbs = [KeptThumb(self.keeper, kept) for kept in pictures]
            for index, thumb in enumerate(self.thumbs):
                self.line.insertWidget(index, thumb)
            total = sum(kept.size_bytes for kept in pictures)
            self.size_on_disk.setText(f"{total / 1e6:.0f} MB")
            self.size_on_disk.setToolTip(f"Disk space of kept pictures, in {self.keeper.folder}.")
        for thumb in self.thumbs:
            thumb.update()
