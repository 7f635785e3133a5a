# SPDX-License-Identifier: Apache-2.0
"""Comparison of kept pictures in place of the picture: side by side, wipe, blink, or difference.

All share one zoom and one place: the wheel comes nearer, a drag moves; the line of a wipe is dragged. "now" is the
picture of now.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, Qt, QTimer, Signal
from PySide6.QtGui import QColor, QImage, QPainter, QPen

from gloamet.desk.compare.keeper import Keeper
from gloamet.desk.picture.picture_overlay import PictureOverlay
from gloamet.desk.widgets import theme
from gloamet.develop.picture_difference import code_difference, stops_difference
from gloamet.errors import GloametError
from gloamet.output.light_file import read_light_file
from gloamet.thread_pool import new_pool

NOW = "now"
MODES = ("side by side", "wipe", "blink", "difference", "stops")
BLINK_MS = 700
MOST_ZOOM = 16.0
DIFFERENCE_WIDTH = 480  # pixels of a difference that is computed
DELTA_E_ENDS, STOPS_ENDS = (3.0, 6.0, 12.0, 25.0, 50.0), (0.5, 1.0, 2.0, 4.0, 8.0)  # of the scales
GRIP_PX, KEY_PX, WORDS_PX = 7.0, 26.0, 22.0
SCALE = np.array([[38, 38, 38], [92, 92, 92], [240, 164, 92], [201, 70, 52]], float)
TWO_ENDS = np.array([[70, 120, 200], [58, 58, 58], [240, 164, 92]], float)


class PictureDifference(NamedTuple):
    """The picture of a difference, its mean and 95th percentile, and the label of its scale."""

    image: QImage
    mean: float
    most: float
    label: str


def _scale_end(most: float, ends: tuple[float, ...]) -> float:
    """The end of a scale that shows differences of which nearly all stay below a value.

    >>> _scale_end(7.0, DELTA_E_ENDS), _scale_end(99.0, DELTA_E_ENDS)
    (12.0, 50.0)
    """
    return next((end for end in ends if end >= most), ends[-1])


def _coloured(values: NDArray[np.float64], stops: NDArray[np.float64]) -> QImage:
    """Values 0..1 as colours interpolated between stops; not-a-number is black."""
    at = np.clip(np.nan_to_num(values), 0.0, 1.0) * (len(stops) - 1)
    low = np.minimum(at.astype(int), len(stops) - 2)
    fraction = (at - low)[..., None]
    codes = np.full((*values.shape, 4), 255, np.uint8)
    codes[..., :3] = np.round(stops[low] + fraction * (stops[low + 1] - stops[low]))
    codes[np.isnan(values), :3] = 0
    return QImage(
        codes.data, codes.shape[1], codes.shape[0], 4 * codes.shape[1], QImage.Format.Format_RGBX8888
    ).copy()


def _codes(image: QImage) -> NDArray[np.float32]:
    """Codes 0..1 (H, W, 3) of an image, at most DIFFERENCE_WIDTH wide."""
    smooth = Qt.TransformationMode.SmoothTransformation
    small = image.scaledToWidth(min(image.width(), DIFFERENCE_WIDTH), smooth)
    small = small.convertToFormat(QImage.Format.Format_RGBX8888)
    pixels = np.frombuffer(small.constBits(), np.uint8).reshape(small.height(), small.bytesPerLine() // 4, 4)
    return pixels[:, : small.width(), :3].astype(np.float32) / np.float32(255.0)


def _same_size(a: NDArray[np.float32], b: NDArray[np.float32]) -> NDArray[np.float32]:
    """b at the size of a, the nearest pixels."""
    rows = np.arange(a.shape[0]) * b.shape[0] // a.shape[0]
    columns = np.arange(a.shape[1]) * b.shape[1] // a.shape[1]
    return b[rows[:, None], columns[None]]


class KeptCompare(PictureOverlay):
    """What is compared, how, and where one looks."""

    _made = Signal(object)

    def __init__(self, keeper: Keeper) -> None:
        super().__init__(keeper)
        self.keeper = keeper
        self.mode, self.names, self.hidden = "", list[str](), False
        self.fraction, self.zoom, self.centre = 0.5, 1.0, QPointF(0.5, 0.5)
        self.difference: PictureDifference | None = None
        self._images: dict[str, QImage] = {}
        self._shown, self._held = 0, ""
        self._last = QPointF()
        self._pool = new_pool("compare", 1)
        self._blink = QTimer(self, interval=BLINK_MS)
        self._blink.timeout.connect(self._next)
        self._made.connect(self._on_made)
        keeper.session.document_changed.connect(lambda _: self.show(""))

    @property
    def on(self) -> bool:
        """Whether pictures are looked at."""
        return bool(self.mode) and bool(self._images)

    def show(self, mode: str, names: list[str] | None = None, hidden: bool = False) -> bool:
        """Look at pictures by name in a mode, "" for the picture itself; whether that could be."""
        if not mode:
            if self.mode:
                self._end()
            return True
        names = list(self.names if names is None else names)
        images = {name: image for name in names if (image := self._image(name)) is not None}
        if len(images) < 2:
            self.keeper.session.noticed.emit(
                "Select two pictures in the strip, or one to compare with the present picture.", "note"
            )
            return False
        self.mode, self.names, self.hidden = mode, list(images), hidden
        self._images, self._shown, self.difference = images, 0, None
        self._blink.start() if mode == "blink" else self._blink.stop()
        if mode in ("difference", "stops"):
            self._work_out(mode)
        self.changed.emit()
        return True

    def _end(self) -> None:
        self.mode, self.hidden, self.difference = "", False, None
        self._images = {}
        self._blink.stop()
        self.changed.emit()

    def close(self) -> None:
        """Nothing more is computed."""
        self._blink.stop()
        self._pool.shutdown()

    def _image(self, name: str) -> QImage | None:
        if name == NOW:
            frame = self.keeper.session.results.frame
            if frame is None:
                return None
            h, w = frame.pixels.shape[:2]
            return QImage(frame.pixels.data, w, h, 4 * w, QImage.Format.Format_RGBX8888).copy()
        kept = self.keeper.named(name)
        image = QImage(str(kept.picture)) if kept is not None else QImage()
        return None if image.isNull() else image

    def _next(self) -> None:
        self._shown = (self._shown + 1) % max(len(self.names), 1)
        self.changed.emit()

    # -- differences

    def _light(self, name: str) -> NDArray[np.float32] | None:
        if name == NOW:
            frame = self.keeper.session.results.frame
            return frame.light if frame is not None else None
        kept = self.keeper.named(name)
        return read_light_file(kept.light).picture if kept is not None else None

    def _work_out(self, mode: str) -> None:
        first, second = self.names[:2]
        images = self._images[first], self._images[second]

        def job() -> None:
            try:
                self._made.emit(
                    (mode, self._colour(*images) if mode == "difference" else self._stops(first, second))
                )
            except GloametError as error:
                self._made.emit((mode, str(error)))

        self._pool.submit(job)

    @staticmethod
    def _colour(first: QImage, second: QImage) -> PictureDifference:
        a, b = _codes(first), _codes(second)
        apart = code_difference(a, _same_size(a, b))
        most = float(np.quantile(apart, 0.95))
        end = _scale_end(most, DELTA_E_ENDS)
        label = f"ΔE2000 from 0 to {end:g}"
        return PictureDifference(_coloured(apart / end, SCALE), float(apart.mean()), most, label)

    def _stops(self, first: str, second: str) -> PictureDifference | str:
        a, b = self._light(first), self._light(second)
        if a is None or b is None:
            return "One of the two pictures has no stored light: keep it again."
        apart = stops_difference(_same_size(a, b), a)
        known = apart[np.isfinite(apart)]
        mean, most = (
            (float(known.mean()), float(np.quantile(np.abs(known), 0.95))) if known.size else (0.0, 0.0)
        )
        end = _scale_end(most, STOPS_ENDS)
        image = _coloured(0.5 + 0.5 * apart / end, TWO_ENDS)
        return PictureDifference(image, mean, most, f"stops from −{end:g} to +{end:g}")

    def _on_made(self, made: tuple[str, PictureDifference | str]) -> None:
        mode, found = made
        if mode != self.mode:
            return
        if isinstance(found, str):
            self.keeper.session.noticed.emit(found, "warning")
            self._end()
            return
        self.difference = found
        self.changed.emit()

    # -- hand

    def end(self) -> None:
        """Back to the picture."""
        self.show("")

    def press(self, box: QRectF, at: QPointF, modifiers: Qt.KeyboardModifier) -> bool:
        """Whether a press belongs to the comparison."""
        if not self.on or not box.contains(at):
            return False
        near = self.mode == "wipe" and abs(at.x() - (box.x() + self.fraction * box.width())) <= GRIP_PX
        self._held, self._last = ("line" if near else "place"), at
        return True

    def move(self, box: QRectF, at: QPointF) -> bool:
        """Follow the hand."""
        if not self._held:
            return False
        if self._held == "line":
            self.fraction = min(max((at.x() - box.x()) / box.width(), 0.02), 0.98)
        else:
            cell = self._cells(box)[0] if self.mode == "side by side" else box
            moved = at - self._last
            x = self.centre.x() - moved.x() / (cell.width() * self.zoom)
            y = self.centre.y() - moved.y() / (cell.height() * self.zoom)
            self._set_centre(x, y)
            self._last = at
        self.changed.emit()
        return True

    def release(self) -> bool:
        """Let go."""
        held, self._held = bool(self._held), ""
        return held

    def zoom_by(self, turns: float) -> None:
        """Nearer or farther, about the middle."""
        self.zoom = min(max(self.zoom * math.pow(1.2, turns), 1.0), MOST_ZOOM)
        self._set_centre(self.centre.x(), self.centre.y())
        self.changed.emit()

    def _set_centre(self, x: float, y: float) -> None:
        half = 0.5 / self.zoom
        self.centre = QPointF(min(max(x, half), 1.0 - half), min(max(y, half), 1.0 - half))

    # -- painting

    def _cells(self, box: QRectF) -> list[QRectF]:
        """Places of pictures side by side, all of the box's shape."""
        count = len(self.names)
        columns = 1 if count == 1 else 2 if count <= 4 else 3
        rows = math.ceil(count / columns)
        fraction = 1.0 / max(columns, rows)
        w, h = box.width() * fraction, box.height() * fraction
        left, top = box.x() + (box.width() - columns * w) / 2, box.y() + (box.height() - rows * h) / 2
        return [QRectF(left + (k % columns) * w, top + (k // columns) * h, w, h) for k in range(count)]

    def _draw(self, p: QPainter, image: QImage, cell: QRectF, part: float = 1.0) -> None:
        """The part of an image one looks at, in a cell; of its width only the left share."""
        w, h = image.width() / self.zoom, image.height() / self.zoom
        x, y = self.centre.x() * image.width() - w / 2, self.centre.y() * image.height() - h / 2
        target = QRectF(cell.x(), cell.y(), cell.width() * part, cell.height())
        p.drawImage(target, image, QRectF(x, y, w * part, h))

    def title(self, name: str) -> str:
        """What a picture is called here: a letter while names are hidden."""
        letter = "ABCDEF"[self.names.index(name)]
        if self.hidden:
            return letter
        kept = self.keeper.named(name)
        return (
            f"{letter}  now"
            if kept is None
            else f"{letter}  {kept.note or kept.when.strftime('%d %b %H:%M')}"
        )

    def paint(self, p: QPainter, box: QRectF) -> None:
        """Everything, over the whole box."""
        p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        p.fillRect(box, QColor(theme.SURROUND))
        p.setFont(theme.font(theme.NOTE))
        images = [self._images[name] for name in self.names]
        paint: dict[str, Callable[[], None]] = {
            "side by side": lambda: self._paint_side(p, box, images),
            "wipe": lambda: self._paint_wipe(p, box, images),
            "blink": lambda: self._paint_one(
                p, box, images[self._shown % len(images)], self.names[self._shown]
            ),
        }
        paint.get(self.mode, lambda: self._paint_difference(p, box))()

    def _words(self, p: QPainter, at: QRectF, text: str, right: bool = False) -> None:
        wide = p.fontMetrics().horizontalAdvance(text) + 14
        x = at.right() - wide if right else at.x()
        area = QRectF(x, at.bottom() - WORDS_PX, wide, WORDS_PX)
        shade = QColor(theme.PICTURE_SHADE)
        shade.setAlphaF(0.8)
        p.fillRect(area, shade)
        p.setPen(QColor(theme.PICTURE_INK))
        p.drawText(area, Qt.AlignmentFlag.AlignCenter, text)

    def _paint_side(self, p: QPainter, box: QRectF, images: list[QImage]) -> None:
        for cell, image, name in zip(self._cells(box), images, self.names, strict=True):
            inner = cell.adjusted(2, 2, -2, -2)
            self._draw(p, image, inner)
            self._words(p, inner, self.title(name))

    def _paint_wipe(self, p: QPainter, box: QRectF, images: list[QImage]) -> None:
        self._draw(p, images[1], box)
        self._draw(p, images[0], box, self.fraction)
        x = box.x() + self.fraction * box.width()
        p.setPen(QPen(QColor(theme.PICTURE_INK), 1.0))
        p.drawLine(QPointF(x, box.y()), QPointF(x, box.bottom()))
        p.setBrush(QColor(theme.PICTURE_INK))
        p.drawEllipse(QPointF(x, box.center().y()), 5.0, 5.0)
        self._words(p, box, self.title(self.names[0]))
        self._words(p, box, self.title(self.names[1]), right=True)

    def _paint_one(self, p: QPainter, box: QRectF, image: QImage, name: str) -> None:
        self._draw(p, image, box)
        self._words(p, box, self.title(name))

    def _paint_difference(self, p: QPainter, box: QRectF) -> None:
        found = self.difference
        if found is None:
            self._words(p, box, "Computing the difference …")
            return
        self._draw(p, found.image, box)
        scale = SCALE if self.mode == "difference" else TWO_ENDS
        key = QRectF(box.x() + 12, box.bottom() - KEY_PX - WORDS_PX, 220, 10)
        for k in range(44):
            at = k / 43.0 * (len(scale) - 1)
            low = min(int(at), len(scale) - 2)
            r, g, b = scale[low] + (at - low) * (scale[low + 1] - scale[low])
            p.fillRect(QRectF(key.x() + 5 * k, key.y(), 5, 10), QColor(int(r), int(g), int(b)))
        mean = f"mean {found.mean:+.2f}" if self.mode == "stops" else f"mean {found.mean:.1f}"
        self._words(p, box, f"{found.label}   {mean}, 95 % under {found.most:.1f}".replace("-", "−"))
