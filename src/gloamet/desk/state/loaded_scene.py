# SPDX-License-Identifier: Apache-2.0
"""The scene of the open model: as its file has it, as the document arranges it, and as rays see it.

The session sets the values; widgets read them and connect to the signals.
"""

from __future__ import annotations

from pathlib import Path
from typing import Any

from PySide6.QtCore import QFileSystemWatcher, QObject, Signal

from gloamet.preview.events import SceneLoaded
from gloamet.stage.scene import Scene


class LoadedScene(QObject):
    """The scene, None before a model is loaded; its file is watched, removal is not reported, replacement is."""

    scene_loaded = Signal(object)
    model_opened = Signal(object)  # the scene of a model opened just now
    model_changed = Signal()  # the model's file is not what it was
    loading = Signal(float, str)  # fraction done, what is being done

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.scene: Scene | None = None
        self.file_scene: Scene | None = None
        self.compiled: Any = None  # the stage as rays see it, None before there is one
        self.ground_m = 0.0  # lower limit of cameras: the ground, or the model's lowest point
        self._files = QFileSystemWatcher(self)
        self._files.fileChanged.connect(self._on_file_changed)

    def take(self, event: SceneLoaded) -> Scene | None:
        """Keep the scene of a model and watch its file; returns the scene before."""
        before, self.scene, self.file_scene = self.scene, event.scene, event.file_scene
        self.ground_m = min(0.0, float(event.scene.bounds()[0][2]))
        for old in self._files.files():
            self._files.removePath(old)
        if Path(event.document_model).exists():
            self._files.addPath(event.document_model)
        return before

    def clear(self) -> None:
        """Release the scene."""
        self.scene = self.file_scene = self.compiled = None

    def _on_file_changed(self, name: str) -> None:
        if Path(name).exists():
            self.model_changed.emit()
