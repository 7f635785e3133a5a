"""Small pictures of named airs under the present sun; a click takes one. They are solved beside the interface."""

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
from gloamet.document.model import Document
from gloamet.preview.air_presets import AIR_PRESETS, HEIGHT, WIDTH, AirPreset
from gloamet.preview.latest import LatestWorker

if TYPE_CHECKING:
    from gloamet.sky.dome import SkySolver

COLUMNS, GAP, CAPTION = 3, 8, 18


class _Asked(NamedTuple):
    """What the pictures depend on besides their own airs."""

    document: Document

    def key(self) -> tuple[object, ...]:
        """Equal keys give equal pictures."""
        d = self.document
        air = d.air
        return (
            d.sun,
            d.site,
            air.ground_reflectance,
            air.ozone_du,
            d.stage.ground.colour,
            d.stage.ground.water,
            d.expose.view,
            d.expose.kelvin,
            d.expose.tint,
        )


class AirPresetTiles(QWidget):
    """Pictures of AIR_PRESETS in rows of three."""

    _painted = Signal(object, int, object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.images: dict[int, QImage] = {}
        self._asked: _Asked | None = None
        self._hovered: int | None = None
        self._worker: LatestWorker[_Asked] = LatestWorker("air looks", self._paint_looks)
        self._solver: SkySolver | None = None
        self.setMouseTracking(True)
        self.setAccessibleName("Air presets")
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self._painted.connect(self._on_painted)
        session.document_changed.connect(self._on_document_changed)
        session.light_solved.connect(lambda _: self._on_document_changed(self.session.document))

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
        """Where a look's picture is, its caption below it."""
        w = self._tile_width(self.width())
        h = w * HEIGHT / WIDTH
        row, column = divmod(index, COLUMNS)
        return QRectF(column * (w + GAP), row * (h + CAPTION + GAP), w, h)

    def look_at(self, p: QPointF) -> int | None:
        """The look under a point."""
        for index in range(len(AIR_PRESETS)):
            if self.tile(index).adjusted(0, 0, 0, CAPTION).contains(p):
                return index
        return None

    # -- pictures

    def showEvent(self, event: object) -> None:  # noqa: N802
        self._on_document_changed(self.session.document)

    def _on_document_changed(self, document: Document) -> None:
        self.update()
        asked = _Asked(document)
        if not self.isVisible() or self.session.light is None:
            return
        if self._asked is None or asked.key() != self._asked.key():
            self._asked = asked
            self._worker.request(asked)

    def _paint_looks(self, asked: _Asked) -> None:
        """On the worker's thread: one picture after the other, until something else is asked for."""
        from gloamet.preview.air_presets import preset_picture
        from gloamet.sky.dome import SkySolver

        solver = self._solver = self._solver or SkySolver()
        for index, look in enumerate(AIR_PRESETS):
            if self._worker.superseded():
                return
            document = asked.document.change("air", **look.fields())
            pixels = preset_picture(document, solver)
            with contextlib.suppress(RuntimeError):  # the panel is gone meanwhile
                self._painted.emit(asked, index, pixels)

    def _on_painted(self, asked: _Asked, index: int, pixels: NDArray[np.uint8]) -> None:
        if asked is self._asked:
            h, w = pixels.shape[:2]
            self.images[index] = QImage(pixels.data, w, h, 4 * w, QImage.Format.Format_RGBX8888).copy()
            self.update()

    def paintEvent(self, event: QPaintEvent) -> None:  # noqa: N802
        p = QPainter(self)
        p.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
        p.setFont(theme.font())
        for index, look in enumerate(AIR_PRESETS):
            self._paint_tile(p, index, look)

    def _paint_tile(self, p: QPainter, index: int, look: AirPreset) -> None:
        box = self.tile(index)
        taken = look.fits(self.session.document.air)
        if index in self.images:
            p.drawImage(box, self.images[index])
        else:
            p.fillRect(box, QColor(theme.WELL))
        if taken or index == self._hovered:
            p.setPen(QPen(QColor(theme.INK if taken else theme.DIM), 1.5))
            p.drawRect(box.adjusted(0.75, 0.75, -0.75, -0.75))
        p.setPen(QColor(theme.INK if taken else theme.DIM))
        place = QRectF(box.x(), box.bottom(), box.width(), CAPTION)
        p.drawText(place, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, look.word)

    # -- hand

    def mouseMoveEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        hovered = self.look_at(event.position())
        if hovered != self._hovered:
            self._hovered = hovered
            self.update()

    def leaveEvent(self, event: object) -> None:  # noqa: N802
        self._hovered = None
        self.update()

    def event(self, event: QEvent) -> bool:
        if isinstance(event, QHelpEvent):
            index = self.look_at(QPointF(event.pos()))
            if index is not None:
                QToolTip.showText(event.globalPos(), AIR_PRESETS[index].tip, self)
                return True
        return super().event(event)

    def mousePressEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        index = self.look_at(event.position())
        if event.button() == Qt.MouseButton.LeftButton and index is not None:
            self.session.change("air", **AIR_PRESETS[index].fields())
