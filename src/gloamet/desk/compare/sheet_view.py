# SPDX-License-Identifier: Apache-2.0
"""A contact sheet in place of the picture: thumbnails with captions, to select from.

A click chooses one, with Ctrl several; a double click continues with it.
"""

from __future__ import annotations

import math
import time
from typing import TYPE_CHECKING, NamedTuple

from PySide6.QtCore import QObject, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QImage, QPainter, QPen

from gloamet.desk.picture.picture_overlay import PictureOverlay
from gloamet.desk.widgets import theme
from gloamet.document.model import Document

if TYPE_CHECKING:
    from gloamet.preview.thumbnail_renderer import LitThumbnail

GAP, WORDS_PX, WORDS_GAP, TWICE_S = 6.0, 18.0, 1.0, 0.4
WRAPPED = Qt.AlignmentFlag.AlignHCenter | Qt.TextFlag.TextWordWrap


class SheetItem(NamedTuple):
    """A document, its caption, a shorter caption, and more text for the panel."""

    document: Document
    label: str
    short: str
    more: str = ""


class SheetView(PictureOverlay):
    """The sheet that was made last."""

    opened = Signal(int)

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self.items: list[SheetItem] = []
        self.columns = 4
        self.chosen: list[int] = []
        self.pictures: dict[int, LitThumbnail] = {}
        self._images: dict[int, QImage] = {}
        self._shown = False
        self._pressed: tuple[int, float] = (-1, 0.0)

    @property
    def on(self) -> bool:
        """Whether the sheet is looked at."""
        return self._shown and bool(self.items)

    def begin(self, items: list[SheetItem], columns: int) -> None:
        """An empty sheet."""
        self.items, self.columns = items, max(1, columns)
        self.chosen, self.pictures, self._images, self._shown = [], {}, {}, True
        self.changed.emit()

    def put(self, index: int, picture: LitThumbnail) -> None:
        """A picture that is there now."""
        if index < len(self.items):
            pixels = picture.pixels
            h, w = pixels.shape[:2]
            self.pictures[index] = picture
            self._images[index] = QImage(pixels.data, w, h, 4 * w, QImage.Format.Format_RGBX8888).copy()
            self.changed.emit()

    def show(self) -> None:
        """Look at it again."""
        self._shown = True
        self.changed.emit()

    def end(self) -> None:
        """Back to the picture; the sheet stays as it is."""
        self._shown = False
        self.changed.emit()

    def cell(self, box: QRectF, index: int) -> QRectF:
        """Rectangle of a picture with its caption."""
        columns = min(self.columns, len(self.items))
        rows = math.ceil(len(self.items) / columns)
        w, h = box.width() / columns, box.height() / rows
        row, column = divmod(index, columns)
        return QRectF(box.x() + column * w, box.y() + row * h, w, h).adjusted(
            GAP / 2, GAP / 2, -GAP / 2, -GAP / 2
        )

    def press(self, box: QRectF, at: QPointF, modifiers: Qt.KeyboardModifier) -> bool:
        """Select the picture there; a double click uses its light."""
        if not self.on or not box.contains(at):
            return False
        found = next((k for k in range(len(self.items)) if self.cell(box, k).contains(at)), -1)
        if found < 0:
            return True
        if modifiers & Qt.KeyboardModifier.ControlModifier:
            self.chosen = (
                [k for k in self.chosen if k != found] if found in self.chosen else [*self.chosen, found]
            )
        else:
            self.chosen = [found]
        before, when = self._pressed
        self._pressed = (found, time.monotonic())
        self.changed.emit()
        if before == found and time.monotonic() - when < TWICE_S:
            self.opened.emit(found)
        return True

    def paint(self, p: QPainter, box: QRectF) -> None:
        """Paint pictures and captions."""
        p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        p.fillRect(box, QColor(theme.SURROUND))
        p.setFont(theme.font(theme.SMALL))
        for index, item in enumerate(self.items):
            cell = self.cell(box, index)
            room = QRectF(cell.x(), cell.y(), cell.width(), cell.height() - WORDS_PX)
            image, bottom = self._images.get(index), room.bottom()
            if image is None:
                p.fillRect(room, QColor(theme.WELL))
            else:
                size = image.size().scaled(room.size().toSize(), Qt.AspectRatioMode.KeepAspectRatio)
                area = QRectF(
                    room.x() + (room.width() - size.width()) / 2, room.y(), size.width(), room.height()
                )
                area.setHeight(size.height())
                p.drawImage(area, image)
                bottom = area.bottom()
                if index in self.chosen:
                    p.setPen(QPen(QColor(theme.INK), 2.0))
                    p.setBrush(Qt.BrushStyle.NoBrush)
                    p.drawRect(area)
            p.setPen(QColor(theme.DIM))
            line_px = p.fontMetrics().lineSpacing()
            lines = max(1, int((cell.bottom() - bottom) / line_px))  # whole ones alone
            below = QRectF(cell.x(), bottom + WORDS_GAP, cell.width(), lines * line_px)
            fits = p.boundingRect(below, int(WRAPPED), item.label).height() <= below.height()
            p.drawText(below, int(WRAPPED), item.label if fits else item.short)
