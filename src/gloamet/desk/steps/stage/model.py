# SPDX-License-Identifier: Apache-2.0
"""Model: file, unit, up axis, placement, and import notes."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial

from gloamet.desk.state.session import Session
from gloamet.desk.steps.step_panel import StepPanel
from gloamet.desk.widgets.document_fields import NumberField, reach
from gloamet.desk.widgets.form import ActionRow, SegmentedControl, action_button, label, pair
from gloamet.desk.widgets.number import NumberRow
from gloamet.desk.widgets.switch import Switch
from gloamet.document.model import Document
from gloamet.stage.assembly import placement_from_stage
from gloamet.stage.placing import PERSON_M, size_warning
from gloamet.stage.scene import Scene

FACING = (("N", 180.0), ("E", -90.0), ("S", 0.0), ("W", 90.0))


def facing_label(session: Session) -> ActionRow:
    """Words that turn the model's front."""
    rows = []
    for name, turn in FACING:
        turned = partial(session.change, "stage", rotation_deg=turn)
        rows.append((name, f"Rotate the model so that its front (−Y) faces {name}.", turned))
    return ActionRow(rows)


@dataclass(frozen=True)
class _Axis(NumberField):
    """One number of a triple."""

    axis: int = 0

    def value(self, document: Document) -> float:
        return float(getattr(reach(document, self.section), self.name)[self.axis])


class ModelPage(StepPanel):
    """Model and placement."""

    def __init__(self, session: Session, open_model: Callable[[], None]) -> None:
        super().__init__(session)
        self.name = label("No model yet", "title", wrap=True)
        self.facts = label("", "note", wrap=True)
        self.warning = label("", "warning", wrap=True)
        tip = "Open a model. You can also drop a file on the picture."
        row = ActionRow([("Open model …", tip, open_model)], main=True)
        self.again = action_button(
            "Reload", "Reload the file; your settings are kept by part name.", session.render.reload
        )
        for widget in (self.name, self.facts, self.warning, row):
            self.add(widget)
        self.add(
            pair(Switch(session, "stage", "outside_files", "Allow files outside its folder"), self.again)
        )
        self.group("Units of the file")
        self.add(
            SegmentedControl(
                session, "stage", "units", [(u, u) for u in ("file", "m", "cm", "mm", "in", "ft")]
            )
        )
        self.units_why = label("", "note", wrap=True)
        self.add(self.units_why)
        self.group("Up axis of the file")
        self.add(SegmentedControl(session, "stage", "up", [("file", "file"), ("y", "Y up"), ("z", "Z up")]))
        self.up_why = label("", "note", wrap=True)
        self.add(self.up_why)
        self.group("Front faces")
        self.add(facing_label(session))
        self.add(NumberRow(session, "stage", "rotation_deg", "Rotation", from_zero=True))
        self.group("Placement")
        self.add(Switch(session, "stage", "drop_to_ground", "Drop to height 0"))
        for axis, text in enumerate(("East", "North", "Up")):
            self.add(self._offset(axis, text))
        self.add(pair(label(""), action_button("Reset offset", "Reset the offset.", self._no_offset)))
        self.finish()
        session.loaded.scene_loaded.connect(self._on_scene_loaded)
        session.stage_changed.connect(self._on_document_changed)
        self._on_document_changed(session.document)
        if session.loaded.scene is not None:
            self._on_scene_loaded(session.loaded.scene)

    def _offset(self, axis: int, text: str) -> NumberRow:
        session = self.session
        field = _Axis(
            ("stage",), "offset", -1000.0, 1000.0, 0.0, "m", 0.1, 2, "Offset of the model.", axis=axis
        )

        def write(value: float, key: str | None) -> None:
            offset = list(session.document.stage.offset)
            offset[axis] = value
            session.change("stage", key, offset=tuple(offset))

        return NumberRow(session, "stage", "offset", text, from_zero=True, field=field, write=write)

    def _no_offset(self) -> None:
        self.session.change("stage", offset=(0.0, 0.0, 0.0))

    def _on_document_changed(self, document: Document) -> None:
        self.again.setVisible(bool(document.stage.scene_file))
        if not document.stage.scene_file:
            self.name.setText("No model yet")
            self.facts.setText("")
            self.warning.setText("")
        scene = self.session.loaded.file_scene
        if scene is not None:
            placement = placement_from_stage(document.stage, scene.origin)
            silent = "" if scene.origin.declared else "Guess: "
            own = document.stage.units == "file"
            self.units_why.setText(f"{silent}{placement.units}, {scene.origin.units_why}." if own else "")
            own = document.stage.up == "file"
            self.up_why.setText(f"{silent}{placement.up.upper()} up, {scene.origin.up_why}." if own else "")
        for note in (self.facts, self.warning, self.units_why, self.up_why):
            note.setVisible(bool(note.text()))

    def _on_scene_loaded(self, scene: Scene) -> None:
        low, high = scene.subject_bounds()
        size = high - low
        self.name.setText(scene.path.name if scene.path else "")
        triangles = f"{scene.triangle_count:,}".replace(",", " ")
        same = len(scene.parts) - scene.shape_count
        self.facts.setText(
            f"{triangles} triangles, {len(scene.parts)} parts"
            + (f", {same} of them copies" if same else "")
            + f"\n{size[0]:.4g} × {size[1]:.4g} × {size[2]:.3g} m"
            + f", {size[2] / PERSON_M:.2g} times the height of a person"
        )
        self.warning.setText(size_warning(size) or "")
        self._on_document_changed(self.session.document)
