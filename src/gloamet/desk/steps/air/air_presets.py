# SPDX-License-Identifier: Apache-2.0
"""Thumbnails of air presets under the present sun; a click applies one. They are computed in a thread. They are
solved beside the interface."""

from __future__ import annotations

import contextlib
from typing import TYPE_CHECKING, NamedTuple

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QHelpEvent, QImage, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QToolTip, QWidget

from gloamet.desk.state.session import Session
from gloamet.desk.widgets import theme
from gloamet.desk.widgets.follow import follow
from gloamet.desk.widgets.form import sentence
from gloamet.document.model import Document
from gloamet.preview.air_presets import AIR_PRESETS, HEIGHT, WIDTH, AirPreset, PresetInputs, preset_picture
from gloamet.preview.latest import LatestWorker

if TYPE_CHECKING:
    from gloamet.sky.sky_solver import SkySolver

COLUMNS, GAP, CAPTION = 3, 8, 18


class _Request(NamedTuple):
    """A document whose presets are shown, and the inputs of its first one: equal inputs give equal pictures of all,
    for presets replace the same fields."""

    document: Document
    inputs: PresetInputs


class AirPresetTiles(QWidget):
    """Pictures of AIR_PRESETS in rows of three."""

    _painted = Signal(object, int, object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.images: dict[int, QImage] = {}
        self._told: Document | None = None
        self._request: _Request | None = None
        self._hovered: int | None = None
        self._worker: LatestWorker[_Request] = LatestWorker("air presets", self._paint_presets)
        self._solver: SkySolver | None = None
        self.setMouseTracking(True)
        self.setAccessibleName("Air presets")
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self._painted.connect(self._on_painted)
        follow(self, session.document_changed, self._on_document_changed)
        session.render.preparing.connect(lambda *_: self._on_document_changed(self.session.document))
        follow(self, session.results.light_solved, lambda _: self._on_document_changed(self.session.document))

    def sizeHint(self) -> QSize:  # noqa: N802
        return QSize(240, self._height(240))

    def hasHeightForWidth(self) -> bool:  # noqa: N802
        return True

    def heightForWidth(self, width: int) -> int:  # noqa: N802
        return self._height(width)

    def _height(self, width: int) -> int:
        rows = -(-len(AIR_PRESETS) // COLUMNS)
        return int(rows * (self._tile_width(width) * HEIGHT / WIDTH + CAPTION) + (rows - 1) * GAP)

    @staticmethod
    def _tile_width(width: int) -> float:
        return (width - (COLUMNS - 1) * GAP) / COLUMNS

    def tile(self, index: int) -> QRectF:
        """Where the picture of a preset is, its caption below it."""
        w = self._tile_width(self.width())
        h = w * HEIGHT / WIDTH
        row, column = divmod(index, COLUMNS)
        return QRectF(column * (w + GAP), row * (h + CAPTION + GAP), w, h)

    def preset_at(self, p: QPointF) -> int | None:
        """The preset under a point."""
        for index in range(len(AIR_PRESETS)):
            if self.tile(index).adjusted(0, 0, 0, CAPTION).contains(p):
                return index
        return None

    # -- pictures

    def showEvent(self, event: object) -> None:  # noqa: N802
        self._on_document_changed(self.session.document)

    def _on_document_changed(self, document: Document) -> None:
        self.update()
        if not self.isVisible() or not self.session.render.prepared or document is self._told:
            return
        if self.session.results.light is None:
            return
        self._told = document
        request = _Request(document, PresetInputs.of(document, AIR_PRESETS[0]))
        if self._request is None or request.inputs != self._request.inputs:
            self._request = request
            self._worker.request(request)

    def _paint_presets(self, request: _Request) -> None:
        """On the worker's thread: one picture after the other, until something else is request for."""
        from gloamet.sky.sky_solver import SkySolver

        solver = self._solver = self._solver or SkySolver()
        for index, preset in enumerate(AIR_PRESETS):
            if self._worker.superseded():
                return
            inputs = PresetInputs.of(request.document, preset)
            pixels = preset_picture(inputs, solver)
            with contextlib.suppress(RuntimeError):  # the panel is gone meanwhile
                self._painted.emit(request, index, pixels)

    def _on_painted(self, request: _Request, index: int, pixels: NDArray[np.uint8]) -> None:
        if request is self._request:
            h, w = pixels.shape[:2]
            self.images[index] = QImage(pixels.data, w, h, 4 * w, QImage.Format.Format_RGBX8888).copy()
            self.update()

    def paintEvent(self, event: QPaintEvent) -> None:  # noqa: N802
        p = QPainter(self)
        p.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
        p.setFont(theme.font())
        for index, preset in enumerate(AIR_PRESETS):
            self._paint_tile(p, index, preset)

    def _paint_tile(self, p: QPainter, index: int, preset: AirPreset) -> None:
        box = self.tile(index)
        taken = preset.fits(self.session.document.air)
        if index in self.images:
            p.drawImage(box, self.images[index])
        else:
            p.fillRect(box, QColor(theme.WELL))
        if taken or index == self._hovered:
            p.setPen(QPen(QColor(theme.INK if taken else theme.DIM), 1.5))
            p.drawRect(box.adjusted(0.75, 0.75, -0.75, -0.75))
        p.setPen(QColor(theme.INK if taken else theme.DIM))
        area = QRectF(box.x(), box.bottom(), box.width(), CAPTION)
        p.drawText(area, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, sentence(preset.word))

    # -- hand

    def mouseMoveEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        hovered = self.preset_at(event.position())
        if hovered != self._hovered:
            self._hovered = hovered
            self.update()

    def leaveEvent(self, event: object) -> None:  # noqa: N802
        self._hovered = None
        self.update()

    def event(self, event: QEvent) -> bool:
        if isinstance(event, QHelpEvent):
            index = self.preset_at(QPointF(event.pos()))
            if index is not None:
                QToolTip.showText(event.globalPos(), AIR_PRESETS[index].tip, self)
                return True
        return super().event(event)

    def mousePressEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        index = self.preset_at(event.position())
        if event.button() == Qt.MouseButton.LeftButton and index is not None:
            self.session.change("air", **AIR_PRESETS[index].fields())
