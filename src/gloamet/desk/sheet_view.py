"""A contact sheet in place of the picture: many small pictures with their words, to choose from.

A click chooses one, with Ctrl several; a double click goes on with it.
"""

from __future__ import annotations

import math
import time
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QImage, QPainter, QPen

from gloamet.desk import theme
from gloamet.desk.picture_overlay import PictureOverlay
from gloamet.document.model import Document

GAP, WORDS_PX, TWICE_S = 6.0, 18.0, 0.4
MOST_ROWS_WORDS = 2


class SheetItem(NamedTuple):
    """A document, its words, and more of them for the panel."""

    document: Document
    words: str
    more: str = ""


class SheetView(PictureOverlay):
    """The sheet that was made last."""

    opened = Signal(int)

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self.items: list[SheetItem] = []
        self.columns = 4
        self.chosen: list[int] = []
        self.pixels: dict[int, NDArray[np.uint8]] = {}
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
        self.chosen, self.pixels, self._images, self._shown = [], {}, {}, True
        self.changed.emit()

    def put(self, index: int, pixels: NDArray[np.uint8]) -> None:
        """A picture that is there now."""
        if index < len(self.items):
            h, w = pixels.shape[:2]
            self.pixels[index] = pixels
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
        """Where a picture stands, its words below it included."""
        columns = min(self.columns, len(self.items))
        rows = math.ceil(len(self.items) / columns)
        w, h = box.width() / columns, box.height() / rows
        row, column = divmod(index, columns)
        return QRectF(box.x() + column * w, box.y() + row * h, w, h).adjusted(
            GAP / 2, GAP / 2, -GAP / 2, -GAP / 2
        )

    def press(self, box: QRectF, at: QPointF, modifiers: Qt.KeyboardModifier) -> bool:
        """Choose what lies there; twice in a row goes on with it."""
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
        """Pictures with their words."""
        p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        p.fillRect(box, QColor(theme.SURROUND))
        p.setFont(theme.font(theme.SMALL))
        for index, item in enumerate(self.items):
            cell = self.cell(box, index)
            room = QRectF(cell.x(), cell.y(), cell.width(), cell.height() - WORDS_PX)
            image = self._images.get(index)
            if image is None:
                p.fillRect(room, QColor(theme.WELL))
            else:
                size = image.size().scaled(room.size().toSize(), Qt.AspectRatioMode.KeepAspectRatio)
                place = QRectF(
                    room.x() + (room.width() - size.width()) / 2, room.y(), size.width(), room.height()
                )
                place.setHeight(size.height())
                p.drawImage(place, image)
                if index in self.chosen:
                    p.setPen(QPen(QColor(theme.INK), 2.0))
                    p.setBrush(Qt.BrushStyle.NoBrush)
                    p.drawRect(place)
            p.setPen(QColor(theme.DIM))
            words = p.fontMetrics().elidedText(item.words, Qt.TextElideMode.ElideRight, int(cell.width()))
            below = QRectF(cell.x(), cell.bottom() - WORDS_PX, cell.width(), WORDS_PX)
            p.drawText(below, Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignVCenter, words)
