"""The line under the picture: which view it shows, and how it is developed."""

from __future__ import annotations

from functools import partial

import numpy as np
from PySide6.QtWidgets import QHBoxLayout, QMenu, QWidget

from gloamet.desk.session import Session, camera_of, set_camera
from gloamet.desk.widgets.small import label, link
from gloamet.stage.camera import Camera
from gloamet.stage.scene import Scene


class Strip(QWidget):
    """Views of the model to choose from, the view transform and the size."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setFixedHeight(34)
        row = QHBoxLayout(self)
        row.setContentsMargins(14, 0, 14, 4)
        self.menu = QMenu(self)
        self.view = link("", "Choose a view of the model.", self._open)
        self.state = label("", "note")
        row.addWidget(self.view)
        row.addStretch(1)
        row.addWidget(self.state)
        session.scene_loaded.connect(self._take_scene)
        session.document_changed.connect(lambda _: self._follow())
        session.frame_ready.connect(lambda _: self._follow())

    def _open(self) -> None:
        self.menu.popup(self.view.mapToGlobal(self.view.rect().topLeft()))

    def _take_scene(self, scene: Scene) -> None:
        self.menu.clear()
        for name, camera in scene.views.items():
            self.menu.addAction(name, partial(set_camera, self.session, camera))
        self._follow()

    def _follow(self) -> None:
        scene, document = self.session.scene, self.session.document
        here = camera_of(document)
        names = [name for name, camera in scene.views.items() if same_view(camera, here)] if scene else []
        self.view.setText(f"{names[0] if names else 'own view'}  ▾")
        self.view.setVisible(bool(scene and scene.views))
        out = document.output
        self.state.setText(f"{document.expose.view}   {out.width} × {out.height}" if scene else "")


def same_view(a: Camera, b: Camera) -> bool:
    """Whether two cameras show the same picture: targets may lie at different distances."""
    apart = float(np.linalg.norm(np.subtract(a.eye, b.eye)))
    turned = float(a.frame()[0] @ b.frame()[0])
    return apart < 1e-3 and turned > 1.0 - 1e-8 and abs(a.fov_deg - b.fov_deg) < 0.01
