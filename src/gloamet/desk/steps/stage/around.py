# SPDX-License-Identifier: Apache-2.0
"""Surroundings: ground, horizon, props, lamps."""

from __future__ import annotations

from dataclasses import replace
from functools import partial

from PySide6.QtCore import QSize
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from gloamet.desk.actions import stage_actions
from gloamet.desk.state.session import Session
from gloamet.desk.steps.step_panel import StepPanel
from gloamet.desk.widgets import theme
from gloamet.desk.widgets.colour import ColourField
from gloamet.desk.widgets.document_fields import number_field
from gloamet.desk.widgets.form import ActionRow, SegmentedControl, ToolButton, empty, label
from gloamet.desk.widgets.icons import ICON_PX, icon
from gloamet.desk.widgets.number import NumberRow
from gloamet.desk.widgets.switch import Switch
from gloamet.document.metadata import description
from gloamet.document.model import Document
from gloamet.document.stage import FLAGS, Prop

GROWS, FAR = ("tree", "screen"), ("ridge", "poles")
MOST_M = {"height_m": 60.0, "extent_m": 40.0}  # of what grows


class PropRow(QWidget):
    """One prop: its name unfolds its numbers, the eye shows or hides it in the picture."""

    def __init__(self, session: Session, index: int, prop: Prop, unfolded: bool) -> None:
        super().__init__()
        self._session, self._index = session, index
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        self.name = QPushButton(prop.name)
        self.name.setProperty("role", "row")
        self.name.setToolTip(f"Show or hide the numbers of “{prop.name}”.")
        chevron = "chevron-down" if unfolded else "chevron-right"
        self.name.setIcon(icon(chevron, theme.INK, theme.QUIET))
        self.name.setIconSize(QSize(ICON_PX, ICON_PX))
        tip = description(("stage", "props", index), "visible")
        self.eye = ToolButton(f"Visible: {prop.name}", tip, "eye", self._toggle_visible)
        row.addWidget(self.name, 1)
        row.addWidget(self.eye)
        self.follow(prop)

    def follow(self, prop: Prop) -> None:
        """Show whether it is visible now."""
        self.eye.show_icon("eye" if prop.visible else "eye-off")

    def _toggle_visible(self) -> None:
        props = self._session.document.stage.props
        self._session.change(("stage", "props", self._index), visible=not props[self._index].visible)


class PropBlock(QWidget):
    """The numbers of one prop."""

    def __init__(self, session: Session, index: int, prop: Prop) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 0, 0, 8)
        column.setSpacing(4)
        path = ("stage", "props", index)
        begin_placing = partial(session.state.use_tool, f"place {index}")
        column.addWidget(
            ActionRow(
                [
                    ("Place", "Place it with the next click in the picture or plan.", begin_placing),
                    ("Remove", "Remove it.", partial(stage_actions.remove_prop, session, index)),
                ]
            )
        )
        rows = [("rotation_deg", "Rotation", False)]
        if prop.kind in GROWS:
            rows = [
                ("height_m", "Height", True),
                ("extent_m", "Crown" if prop.kind == "tree" else "Width", True),
                ("density", "Density", False),
                ("leaf_m", "Leaf", True),
                ("seed", "Variation", False),
                *rows,
            ]
        if prop.kind in FLAGS:
            rows = [("height_m", "Height", True), ("extent_m", "Width", True), *rows]
        if prop.kind in FAR:
            rows = [
                ("height_m", "Height", True),
                ("extent_m", "Length", True),
                ("seed", "Variation", False),
                *rows,
            ]
        for name, text, logarithmic in rows:
            field = number_field(path, name)
            if prop.kind not in FAR and name in MOST_M:  # a slider that reaches to hills is none for a tree
                field = replace(field, high=MOST_M[name])
            column.addWidget(NumberRow(session, path, name, text, logarithmic=logarithmic, field=field))
        if prop.kind in GROWS:
            column.addWidget(Switch(session, path, "leafed", "Leaves"))
        column.addWidget(Switch(session, path, "casts_shadow", "Casts shadow"))


class AroundPage(StepPanel):
    """Ground and props."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.group("Ground")
        self.add(
            SegmentedControl(session, "stage.ground", "kind", [(k, k) for k in ("endless", "disc", "none")])
        )
        self.add(Switch(session, "stage.ground", "water", "Water"))
        self.ripple = NumberRow(session, "stage.ground", "ripple", "Ripple")
        self.add(self.ripple)
        self.colour = ColourField(session, "stage.ground", "colour", "Hue")
        self.add(self.colour)
        self.add(NumberRow(session, "air", "ground_reflectance", "Reflectance", theme.SKY))
        self.add(Switch(session, "stage.ground", "automatic", "Automatic height"))
        self.level = NumberRow(session, "stage.ground", "height_m", "Height", from_zero=True)
        self.radius = NumberRow(session, "stage.ground", "radius_m", "Radius", logarithmic=True)
        self.add(self.level)
        self.add(self.radius)
        self.group("Horizon")
        self.add(NumberRow(session, "stage.ground", "horizon_deg", "Elevation", from_zero=True))
        self.add(NumberRow(session, "stage.ground", "softness_deg", "Horizon softness"))
        self.group("Props")
        for kinds in (
            ("tree", "screen", "figure"),
            ("mirror ball", "grey ball", "grey card"),
            ("ridge", "poles"),
        ):
            self.add(
                ActionRow([(k, f"Add a {k} where the camera looks.", partial(self._add, k)) for k in kinds])
            )
        self.list = QVBoxLayout()
        self.list.setSpacing(2)
        self.add(self.list)
        self.none = label("None yet. They cast shadows from behind the camera too.", "note", wrap=True)
        self.add(self.none)
        self.group("Lamps of the model")
        self.lamps = label("", "note", wrap=True)
        self.add(self.lamps)
        self.lamp_rows = QVBoxLayout()
        self.add(self.lamp_rows)
        self.finish()
        self.open = -1
        self.prop_rows: list[PropRow] = []
        self._shown: object = None
        session.stage_changed.connect(self._on_document_changed)
        session.loaded.scene_loaded.connect(lambda _: self._show_lamps())
        self._on_document_changed(session.document)
        self._show_lamps()

    def _add(self, kind: str) -> None:
        self.open = stage_actions.add_prop(self.session, kind)  # type: ignore[arg-type]
        self._on_document_changed(self.session.document)

    def _toggle(self, index: int, _checked: bool = False) -> None:
        self.open = -1 if self.open == index else index
        self._on_document_changed(self.session.document)

    def _on_document_changed(self, document: Document) -> None:
        ground = document.stage.ground
        self.ripple.setVisible(ground.water)
        self.colour.setVisible(not ground.water)
        self.colour.follow()
        self.level.setVisible(not ground.automatic)
        self.radius.setVisible(ground.kind == "disc")
        props = document.stage.props
        shown = ([(p.name, p.kind) for p in props], self.open)
        if shown == self._shown:
            for row, prop in zip(self.prop_rows, props, strict=True):
                row.follow(prop)
            return
        self._shown = shown
        empty(self.list)
        self.prop_rows.clear()
        for index, prop in enumerate(props):
            item = PropRow(self.session, index, prop, index == self.open)
            item.name.clicked.connect(partial(self._toggle, index))
            self.prop_rows.append(item)
            self.list.addWidget(item)
            if index == self.open:
                self.list.addWidget(PropBlock(self.session, index, prop))
        self.none.setVisible(not props)

    def _show_lamps(self) -> None:
        from gloamet.desk.steps.stage.lamps import lamp_row

        scene = self.session.loaded.scene
        empty(self.lamp_rows)
        lamps = [lamp for lamp in scene.lamps if lamp.intensity_cd > 0.0] if scene is not None else []
        glowing = sorted({m.name for m in scene.materials if m.glows}) if scene is not None else []
        for lamp in lamps:
            self.lamp_rows.addWidget(lamp_row(self.session, lamp))
        text = f"Emissive: {', '.join(glowing)}. Select the part to change its emission." if glowing else ""
        self.lamps.setText(text or ("" if lamps else "None"))
        self.lamps.setVisible(bool(self.lamps.text()))
