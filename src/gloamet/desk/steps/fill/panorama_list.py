# SPDX-License-Identifier: Apache-2.0
"""The panoramas of a folder as a row of thumbnails, made in a thread."""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QIcon, QImage, QPixmap
from PySide6.QtWidgets import QHBoxLayout, QListWidget, QListWidgetItem, QPushButton, QVBoxLayout, QWidget

from gloamet.desk.state.session import Session
from gloamet.desk.widgets.follow import follow
from gloamet.desk.widgets.form import label
from gloamet.document.model import Document
from gloamet.preview.latest import LatestWorker

SMALL = QSize(96, 48)
MOST = 60  # files of a folder that are shown


def panoramas_beside(file: str) -> list[Path]:
    """Panoramas in a file's folder, by name; none where the folder cannot be read."""
    from gloamet.sky.environment_map import ENDINGS

    folder = Path(file).parent
    try:
        found = [path for path in folder.iterdir() if path.suffix.lower() in ENDINGS and path.is_file()]
    except OSError:
        return []
    return sorted(found, key=lambda path: path.name.lower())[:MOST]


class PanoramaList(QWidget):
    """A row to choose from; `take` gets a file's name."""

    _made = Signal(str, object)

    def __init__(self, session: Session, take: Callable[[str], None]) -> None:
        super().__init__()
        self.session, self._take = session, take
        self._files: list[Path] = []
        self._shown = ""
        self._worker: LatestWorker[list[Path]] = LatestWorker("panoramas", self._make)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 2, 0, 2)
        row = QHBoxLayout()
        self.before, self.after = QPushButton("‹"), QPushButton("›")
        self.before.setToolTip("Previous panorama in the folder; rotation, illuminance and exposure stay.")
        self.after.setToolTip("Next panorama in the folder; rotation, illuminance and exposure stay.")
        self.before.clicked.connect(lambda: self.step(-1))
        self.after.clicked.connect(lambda: self.step(1))
        self.count = label("", "note")
        row.addWidget(self.before)
        row.addWidget(self.count, 1, Qt.AlignmentFlag.AlignCenter)
        row.addWidget(self.after)
        column.addLayout(row)
        self.list = QListWidget()
        self.list.setFlow(QListWidget.Flow.LeftToRight)
        self.list.setIconSize(SMALL)
        self.list.setFixedHeight(SMALL.height() + 8)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setHorizontalScrollMode(QListWidget.ScrollMode.ScrollPerPixel)
        self.list.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setAccessibleName("Panoramas in the folder")
        self.list.itemClicked.connect(lambda item: self._take(item.toolTip()))
        column.addWidget(self.list)
        self._made.connect(self._on_made)
        follow(self, session.document_changed, self._on_document_changed)
        self._on_document_changed(session.document)

    def step(self, by: int) -> None:
        """The file so many places on in the folder, round its ends."""
        names = [str(path) for path in self._files]
        here = self.session.document.panorama.file
        if here in names and len(names) > 1:
            self._take(names[(names.index(here) + by) % len(names)])

    def _on_document_changed(self, document: Document) -> None:
        file = document.panorama.file
        if not file or file == self._shown:
            return
        self._shown = file
        files = panoramas_beside(file)
        names = [str(path) for path in files]
        if files != self._files:
            self._files = files
            self.list.clear()
            blank = QPixmap(SMALL)
            blank.fill(Qt.GlobalColor.black)
            for name in names:
                item = QListWidgetItem(QIcon(blank), "")
                item.setToolTip(name)
                self.list.addItem(item)
            self._worker.request(files)
        at = names.index(file) if file in names else -1
        self.count.setText(f"{at + 1} of {len(names)}" if names else "The folder cannot be read")
        self.list.setCurrentRow(at)
        for button in (self.before, self.after):
            button.setEnabled(len(names) > 1)

    def _make(self, files: list[Path]) -> None:
        """On the worker's thread: one small picture after the other."""
        from gloamet.preview.panorama_thumbnail import thumbnail

        for path in files:
            if self._worker.superseded():
                return
            pixels = thumbnail(path, SMALL.width(), SMALL.height())
            if pixels is not None:
                with contextlib.suppress(RuntimeError):  # the panel is gone meanwhile
                    self._made.emit(str(path), pixels)

    def _on_made(self, name: str, pixels: NDArray[np.uint8]) -> None:
        h, w = pixels.shape[:2]
        image = QImage(pixels.data, w, h, 4 * w, QImage.Format.Format_RGBX8888).copy()
        for k in range(self.list.count()):
            item = self.list.item(k)
            if item.toolTip() == name:
                item.setIcon(QIcon(QPixmap.fromImage(image)))
