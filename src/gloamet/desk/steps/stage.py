"""Stage: the model, its units, and the camera on it."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtWidgets import QPushButton, QWidget

from gloamet.desk.session import Session, camera_of, set_camera
from gloamet.desk.widgets.number import NumberRow
from gloamet.desk.widgets.small import Choice, Column, label, link, pair
from gloamet.document.model import Document
from gloamet.stage.camera import EYE_HEIGHT_M, Camera, look_over
from gloamet.stage.scene import Scene


class StageStep(Column):
    """Model, units, camera."""

    def __init__(self, session: Session, open_model: Callable[[], None]) -> None:
        super().__init__(session)
        self.group("Model")
        self.name = label("No model yet", "title", wrap=True)
        self.facts = label("", "note", wrap=True)
        button = QPushButton("Open model …")
        button.setToolTip("Open a .glb, .gltf or .obj model; it can also be dropped on the picture.")
        button.clicked.connect(open_model)
        self.add(self.name)
        self.add(self.facts)
        self.add(button)
        self.group("Units of the file")
        self.add(Choice(session, "stage", "units", [(u, u) for u in ("m", "cm", "mm", "in", "ft")]))
        self.group("Up in the file")
        self.add(Choice(session, "stage", "up", [("y", "Y up"), ("z", "Z up")]))
        self.group("Camera")
        self.fov = NumberRow(session, "stage.view", "fov_deg", "Field of view")
        self.add(self.fov)
        self.lift = label("", "note")
        row = pair(
            self.lift, link("stand at eye height", "Puts the camera 1.6 m above the ground.", self._stand)
        )
        self.add(row)
        self.add(pair(label(""), link("show everything", "A view over the whole model.", self._over)))
        self.group("Views in the model")
        self.views_at = self.box.count()
        self.views: list[QWidget] = []
        self.finish()
        session.scene_loaded.connect(self._take_scene)
        session.document_changed.connect(self._follow)
        self._follow(session.document)

    def _follow(self, document: Document) -> None:
        self.lift.setText(f"{document.stage.view.eye[2]:.2f} m above the ground")
        if not document.stage.model:
            self.name.setText("No model yet")
            self.facts.setText("")
        self.facts.setVisible(bool(self.facts.text()))

    def _take_scene(self, scene: Scene) -> None:
        low, high = scene.subject_bounds()
        size = high - low
        self.name.setText(scene.path.name if scene.path else "")
        self.facts.setText(
            f"{scene.triangle_count:,} triangles, {len(scene.parts)} parts\n"
            f"{size[0]:.4g} × {size[1]:.4g} × {size[2]:.3g} m, width × depth × height without flat ground".replace(
                ",", " ", 1
            )
        )
        self.facts.show()
        for old in self.views:
            old.deleteLater()
        self.views = []
        rows = list(scene.views.items())
        for k, (name, camera) in enumerate(rows):
            item = link(name, f"Look through “{name}”.", partial(set_camera, self.session, camera))
            item.setStyleSheet("text-align: left; font-size: 13px;")
            self.box.insertWidget(self.views_at + k, item)
            self.views.append(item)
        if not rows:
            none = label("none", "note")
            self.box.insertWidget(self.views_at, none)
            self.views.append(none)

    def _stand(self) -> None:
        camera = camera_of(self.session.document)
        lift = EYE_HEIGHT_M - camera.eye[2]
        eye = (camera.eye[0], camera.eye[1], EYE_HEIGHT_M)
        target = (camera.target[0], camera.target[1], camera.target[2] + lift)
        set_camera(self.session, Camera(eye, target, camera.fov_deg))

    def _over(self) -> None:
        if self.session.scene is not None:
            set_camera(self.session, look_over(*self.session.scene.subject_bounds()))
