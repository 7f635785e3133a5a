# SPDX-License-Identifier: Apache-2.0
"""Actions on the picture that is shown: as an image, to the clipboard."""

from __future__ import annotations

from PySide6.QtGui import QGuiApplication, QImage

from gloamet.desk.state.session import Session


def shown_image(session: Session) -> QImage | None:
    """The picture as it is shown, None before there is one."""
    frame = session.results.frame
    if frame is None:
        return None
    height, width = frame.pixels.shape[:2]
    return QImage(frame.pixels.data, width, height, 4 * width, QImage.Format.Format_RGBX8888).copy()


def copy_picture(session: Session) -> None:
    """Copy the picture as it is shown."""
    image = shown_image(session)
    if image is None:
        session.noticed.emit("There is no picture to copy yet: open a model first.", "note")
        return
    QGuiApplication.clipboard().setImage(image)
    session.noticed.emit(f"Copied the picture, {image.width()} × {image.height()}.", "note")
