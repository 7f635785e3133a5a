# SPDX-License-Identifier: Apache-2.0
"""Watches the model's file for changes. A path enters; a Qt signal leaves. A path enters; a Qt signal leaves."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QFileSystemWatcher, QObject, Signal


class ModelWatcher(QObject):
    """Watches one file; removal is not reported, replacement is."""

    changed = Signal()

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._files = QFileSystemWatcher(self)
        self._files.fileChanged.connect(self._on_file_changed)

    def watch(self, model: str) -> None:
        """Watch this file instead of the one before."""
        for old in self._files.files():
            self._files.removePath(old)
        if Path(model).exists():
            self._files.addPath(model)

    def _on_file_changed(self, name: str) -> None:
        if Path(name).exists():
            self.changed.emit()
