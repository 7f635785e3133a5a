# SPDX-License-Identifier: Apache-2.0
"""Pictures of the worker on the screen: scaled once on arrival, not at every repaint."""

from __future__ import annotations

from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QImage, QPixmap


def fitted(image: QImage, box: QRectF, ratio: float, before: QPixmap | None) -> QPixmap:
    """The image at the size of a box on a screen of that pixel ratio; `before` itself while it still fits."""
    size = QSize(max(1, round(box.width() * ratio)), max(1, round(box.height() * ratio)))
    if before is not None and before.size() == size:
        return before
    if image.size() != size:
        smooth = Qt.TransformationMode.SmoothTransformation
        image = image.scaled(size, Qt.AspectRatioMode.IgnoreAspectRatio, smooth)
    made = QPixmap.fromImage(image)
    made.setDevicePixelRatio(ratio)
    return made
