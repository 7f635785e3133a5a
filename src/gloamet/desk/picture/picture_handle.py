# SPDX-License-Identifier: Apache-2.0
"""A handle of the picture: dragged out of the window it is a PNG file, for a folder, a letter or another program.

The frame that is shown enters; a file in a folder of this process leaves, which goes when the window closes.
"""

from __future__ import annotations

import re
import tempfile
from functools import partial
from pathlib import Path

from PySide6.QtCore import QMimeData, QPoint, Qt, QUrl
from PySide6.QtGui import QDrag, QImage, QMouseEvent, QPixmap
from PySide6.QtWidgets import QApplication

from gloamet.desk.actions.picture_actions import copy_picture, shown_image
from gloamet.desk.state.session import Session
from gloamet.desk.widgets.form import ToolButton

SMALL_PX = 120
TIP = "Picture as PNG: drag it out of the window, or click to copy it (Ctrl+C)."


class PictureHandle(ToolButton):
    """An icon to drag; a click copies the picture."""

    def __init__(self, session: Session) -> None:
        super().__init__("Picture as PNG", TIP, "image", partial(copy_picture, session))
        self.session = session
        self.setCursor(Qt.CursorShape.OpenHandCursor)
        self._folder = tempfile.TemporaryDirectory(prefix="gloamet-", ignore_cleanup_errors=True)
        self._pressed: QPoint | None = None

    def mime_data(self, image: QImage) -> QMimeData:
        """The picture as a file and as pixels."""
        clock = self.session.document.sun.wall_time
        stem = re.sub(r"[^\w -]", "", self.session.title).strip() or "picture"
        path = Path(self._folder.name) / f"{stem} {clock:%Y-%m-%d %H.%M}.png"
        data = QMimeData()
        data.setImageData(image)
        if image.save(str(path), "PNG"):  # type: ignore[call-overload]
            data.setUrls([QUrl.fromLocalFile(str(path))])
        else:
            self.session.noticed.emit(
                f"{path.parent} cannot be written: the picture is dragged without a file.", "warning"
            )
        return data

    def close_folder(self) -> None:
        """Remove the files that were dragged."""
        self._folder.cleanup()

    def mousePressEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        self._pressed = event.position().toPoint()
        super().mousePressEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        """Begin the drag once the pointer has left its place."""
        if self._pressed is None or not event.buttons() & Qt.MouseButton.LeftButton:
            return
        far = (event.position().toPoint() - self._pressed).manhattanLength()
        image = shown_image(self.session)
        if far < QApplication.startDragDistance() or image is None:
            return
        self._pressed = None
        self.setDown(False)
        drag = QDrag(self)
        drag.setMimeData(self.mime_data(image))
        drag.setPixmap(
            QPixmap.fromImage(image.scaledToWidth(SMALL_PX, Qt.TransformationMode.SmoothTransformation))
        )
        drag.exec(Qt.DropAction.CopyAction)
