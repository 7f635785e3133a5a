# SPDX-License-Identifier: Apache-2.0
"""The picture dragged out of the window as a PNG file."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import OpenImageIO as oiio
import pytest
from PySide6.QtCore import QPoint
from PySide6.QtGui import QDrag
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from gloamet.desk.actions.picture_actions import shown_image
from gloamet.desk.window import DeskWindow
from tests.desk.test_window import LEFT, NONE


def test_the_dragged_file_is_a_png_of_what_is_shown_and_goes_with_the_window(window: DeskWindow) -> None:
    handle, frame = window.strip.handle, window.session.results.frame
    image = shown_image(window.session)
    assert image is not None and frame is not None
    data = handle.mime_data(image)
    assert data.hasImage()
    path = Path(data.urls()[0].toLocalFile())
    assert path.suffix == ".png" and f"{window.session.document.sun.wall_time:%Y-%m-%d}" in path.name
    read = oiio.ImageBuf(str(path)).get_pixels(oiio.UINT8)  # by another library
    assert np.array_equal(read[..., :3], frame.pixels[..., :3])
    handle.close_folder()
    assert not path.exists()


def test_a_drag_begins_when_the_pointer_leaves_and_a_click_copies(
    window: DeskWindow, monkeypatch: pytest.MonkeyPatch
) -> None:
    handle, begun = window.strip.handle, []
    monkeypatch.setattr(QDrag, "exec", lambda drag, _action: begun.append(drag.mimeData().urls()))
    middle = handle.rect().center()
    QTest.mousePress(handle, LEFT, NONE, middle)
    QTest.mouseMove(handle, middle + QPoint(2, 0))
    assert not begun
    QTest.mouseMove(handle, middle + QPoint(40, -30))
    assert len(begun) == 1 and begun[0][0].isLocalFile()
    QTest.mouseRelease(handle, LEFT, NONE, middle + QPoint(40, -30))
    QApplication.clipboard().clear()
    QTest.mouseClick(handle, LEFT, NONE, middle)
    image = shown_image(window.session)
    assert image is not None
    assert QApplication.clipboard().image().size() == image.size()
