# SPDX-License-Identifier: Apache-2.0
"""Conversion between the document's view and the camera: reading, setting, and views of a model."""

from __future__ import annotations

import numpy as np

from gloamet.document.model import Document
from gloamet.document.stage import CameraView, NamedView
from gloamet.stage.assembly import camera_from_view, view_from_camera
from gloamet.stage.camera import Camera
from gloamet.stage.scene import Scene


def views_from_scene(scene: Scene, now: CameraView | None = None) -> tuple[NamedView, ...]:
    """The cameras of a model as views; one that equals the present view is that view."""
    named = []
    for name, camera in scene.views.items():
        same = now is not None and _same_view(camera, camera_from_view(now))
        named.append(
            NamedView(name=name[:80], view=now if same and now is not None else view_from_camera(camera))
        )
    return tuple(named)


def _same_view(a: Camera, b: Camera) -> bool:
    """Whether two cameras have the same position and direction, whatever their targets."""
    ahead, other = np.subtract(a.target, a.eye), np.subtract(b.target, b.eye)
    along = float(ahead @ other) / max(float(np.linalg.norm(ahead) * np.linalg.norm(other)), 1e-12)
    apart = float(np.linalg.norm(np.subtract(a.eye, b.eye)))
    return apart < 0.01 and along > 1.0 - 1e-5 and abs(a.fov_deg - b.fov_deg) < 0.5


def camera_from_document(document: Document) -> Camera:
    """The document's camera."""
    return camera_from_view(document.stage.view)
