# SPDX-License-Identifier: Apache-2.0
"""Opening a model as a transaction: it succeeds as a whole, or nothing changes.

`begin` and `begin_project` note what is being opened; the worker's answers enter `finish` and `fail`, which say what
the document becomes.
"""

from __future__ import annotations

from enum import Enum, auto
from pathlib import Path
from typing import NamedTuple

from gloamet.desk.state.document_store import DocumentStore
from gloamet.desk.state.view_conversion import views_from_scene
from gloamet.document.model import Document
from gloamet.document.stage import Stage
from gloamet.stage.assembly import view_from_camera
from gloamet.stage.camera import look_over
from gloamet.stage.placing import Placement, to_world_scene
from gloamet.stage.scene import Scene

FLOATING_M = 0.001  # height of a model's lowest point above which it does not stand on the ground
SAME_MODEL = 0.5  # a file with this fraction of the names before is a newer version of it


class Opening(Enum):
    """What is being opened: nothing, a model into this document, a project, or a complete document with its views."""

    NOTHING = auto()
    MODEL = auto()
    PROJECT = auto()
    READY = auto()


class Opened(NamedTuple):
    """What a model that has come changes: the document, whether it was opened just now, and a note."""

    document: Document
    fresh: bool
    note: str = ""


class ModelLoader:
    """The transaction under way, and the last stage that worked."""

    def __init__(self, stage: Stage) -> None:
        self._opening = Opening.NOTHING
        self._good_stage = stage
        self._before: DocumentStore | None = None

    def begin(self, document: Document, path: Path) -> Document:
        """The document to open a model with."""
        self._opening, self._before = Opening.MODEL, None
        update = {"scene_file": str(path.resolve()), "units": "file", "up": "file"}
        return document.model_copy(update={"stage": document.stage.model_copy(update=update)})

    def begin_project(self, before: DocumentStore | None) -> None:
        """A whole document is opened; `before` is what comes back should its model fail, None for a ready one."""
        self._opening = Opening.READY if before is None else Opening.PROJECT
        self._before = before

    @property
    def remembers(self) -> bool:
        """Whether the user asked for the model that is being read."""
        return self._opening is Opening.MODEL

    def finish(self, scene: Scene, before: Scene | None, document: Document) -> Opened:
        """A model has come: what the document becomes."""
        opening, self._opening, self._before = self._opening, Opening.NOTHING, None
        opened = Opened(document, opening is Opening.MODEL)
        if opening is Opening.MODEL:
            stage, note = _first_stage(document.stage, scene, before)
            opened = Opened(document.model_copy(update={"stage": stage}), True, note)
        elif opening is Opening.READY:
            views = (*document.stage.views, *views_from_scene(scene, document.stage.view))
            opened = Opened(document.change("stage", views=views), False)
        self._good_stage = opened.document.stage
        return opened

    def keep(self, stage: Stage) -> None:
        """This stage works too."""
        self._good_stage = stage

    def fail(self, document: Document) -> DocumentStore | Document | None:
        """The model could not be opened: the store or the document to go back to, None where there is none."""
        before, self._before, self._opening = self._before, None, Opening.NOTHING
        if before is not None:
            return before
        if self._good_stage.scene_file:
            return document.model_copy(update={"stage": self._good_stage})
        return None


def _first_stage(stage: Stage, scene: Scene, before: Scene | None) -> tuple[Stage, str]:
    """The stage of a model just opened: a newer version keeps what was decided, others begin afresh."""
    names = {part.name for part in before.parts} if before is not None else set()
    same = sum(part.name in names for part in scene.parts)
    if names and same >= SAME_MODEL * len(scene.parts):
        return stage, f"{same} of {len(scene.parts)} parts keep your settings."
    lowest = float(scene.bounds()[0][2]) if scene.parts else 0.0
    floats = lowest > FLOATING_M
    if floats:
        scene = to_world_scene(scene, Placement(up="z", drop=True))
    camera = next(iter(scene.views.values()), None) or look_over(*scene.subject_bounds())
    fresh = Stage(
        scene_file=stage.scene_file,
        outside_files=stage.outside_files,
        quality=stage.quality,
        drop_to_ground=floats,
        view=view_from_camera(camera),
        views=views_from_scene(scene),
    )
    return (
        fresh,
        f"Moved {lowest:.3g} m down, to stand on the ground: Drop to height 0, in Model." if floats else "",
    )
