# SPDX-License-Identifier: Apache-2.0
"""Options of the camera, and the camera they describe."""

from __future__ import annotations

import argparse
from dataclasses import replace

from gloamet.commands.argument_types import number, triple
from gloamet.document.file import ENDING
from gloamet.document.model import Document
from gloamet.errors import GloametError
from gloamet.stage.assembly import camera_from_view
from gloamet.stage.camera import Camera, look_over
from gloamet.stage.scene import Scene

DEFAULT_FOV_DEG = 40.0


def add_camera(parser: argparse.ArgumentParser) -> None:
    """Options for a named view, or for position and target."""
    parser.add_argument("--view", help="name of a view of the project or the model")
    parser.add_argument("--eye", type=triple("Eye"), help="x,y,z in world metres, Z up")
    parser.add_argument("--target", type=triple("Target"), help="x,y,z in world metres, Z up")
    parser.add_argument("--fov", type=number(0.1, 170, "Field of view"), help="vertical, degrees")


def find_camera(options: argparse.Namespace, document: Document, scene: Scene) -> Camera:
    """The requested camera; else the project's, the model's first, or one over the whole model."""
    project = options.source.suffix.lower() == ENDING
    if options.view is not None:
        if options.eye or options.target:
            raise GloametError("Give either --view or --eye and --target.")
        kept = {named.name: camera_from_view(named.view) for named in document.stage.views}
        views = {**scene.views, **kept}
        if options.view not in views:
            names = ", ".join(views) or "none"
            raise GloametError(f"There is no view “{options.view}”: there are {names}.")
        camera = views[options.view]
    elif options.eye or options.target:
        if not (options.eye and options.target):
            raise GloametError("--eye and --target go together.")
        camera = Camera(options.eye, options.target, DEFAULT_FOV_DEG)
    elif project:
        camera = camera_from_view(document.stage.view)
    elif scene.views:
        camera = next(iter(scene.views.values()))
    else:
        camera = look_over(*scene.subject_bounds())
    return camera if options.fov is None else replace(camera, fov_deg=options.fov)
