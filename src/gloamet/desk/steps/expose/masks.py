# SPDX-License-Identifier: Apache-2.0
"""Masks: their list, and shape and corrections of the selected one."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QMenu, QPushButton, QVBoxLayout, QWidget

from gloamet.desk.actions import expose_actions
from gloamet.desk.picture.mask_tool import PAINT
from gloamet.desk.state.session import Session
from gloamet.desk.steps.step_panel import StepPanel
from gloamet.desk.widgets.follow import follow
from gloamet.desk.widgets.form import ActionRow, action_button, empty, label
from gloamet.desk.widgets.number import NumberRow
from gloamet.desk.widgets.switch import Switch
from gloamet.document.expose import MaskState
from gloamet.document.model import Document

KINDS = (
    ("round", "an ellipse in the picture"),
    ("gradient", "one side of a line with a soft edge"),
    ("painted", "painted with a brush"),
    ("part", "one part of the model"),
    ("material", "everything of one material"),
    ("distance", "a range of distances"),
    ("sunlit", "sunlit surfaces"),
    ("shaded", "shaded surfaces"),
)
# fields of a kind's place and shape: name, label, from zero
SHAPES: dict[str, tuple[tuple[str, str, bool], ...]] = {
    "round": (
        ("width", "Width", False),
        ("height", "Height", False),
        ("rotation_deg", "Rotation", True),
        ("softness", "Softness", False),
    ),
    "gradient": (("height", "Fade width", False), ("rotation_deg", "Rotation", True)),
    "painted": (("softness", "Softness", False),),
    "part": (("softness", "Softness", False),),
    "material": (("softness", "Softness", False),),
    "distance": (("near_m", "From", False), ("far_m", "To", False), ("softness", "Softness", False)),
    "sunlit": (("softness", "Softness", False),),
    "shaded": (("softness", "Softness", False),),
}
EFFECTS = (
    ("exposure", "Exposure", True),
    ("mired", "Warmth", True),
    ("saturation", "Saturation", False),
    ("contrast", "Contrast", True),
    ("strength", "Strength", False),
)
BRUSHES = (("fine", 0.04), ("middle", 0.1), ("wide", 0.25))


class MaskControls(QWidget):
    """The controls of one mask."""

    def __init__(self, session: Session, index: int, mask: MaskState) -> None:
        super().__init__()
        self.session, self.kind = session, mask.kind
        section = ("expose", "masks", index)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 8, 0, 0)
        column.setSpacing(2)
        column.addWidget(label(f"{mask.kind.capitalize()} mask", "head"))
        self.target = label("", "note", wrap=True)
        self.tools = self._tools()
        if self.tools is not None:
            column.addWidget(self.tools)
        column.addWidget(self.target)
        self.rows: dict[str, NumberRow] = {}
        for name, title, from_zero in SHAPES[mask.kind]:
            self.rows[name] = NumberRow(session, section, name, title, from_zero=from_zero)
            column.addWidget(self.rows[name])
        column.addWidget(Switch(session, section, "inverted", "Invert"))
        column.addSpacing(8)
        column.addWidget(label("Correction", "head"))
        for name, title, from_zero in EFFECTS:
            self.rows[name] = NumberRow(session, section, name, title, from_zero=from_zero)
            column.addWidget(self.rows[name])
        follow(self, session.document_changed, self._on_document_changed)
        self._on_document_changed(session.document)

    def _tools(self) -> QWidget | None:
        session = self.session
        if self.kind == "painted":
            brushes = [
                (f"{name} brush", "Paint with this brush: drag in the picture.", partial(self._paint, width))
                for name, width in BRUSHES
            ]
            clear = ("Clear", "Clear all paint.", lambda: expose_actions.change_mask(session, strokes=()))
            return ActionRow([*brushes, clear])
        if self.kind in ("part", "material"):
            tip = f"Click in the picture on the {self.kind}."
            return ActionRow(
                [("Pick in the picture", tip, lambda: session.state.use_tool(expose_actions.TARGET))]
            )
        return None

    def _paint(self, width: float) -> None:
        self.session.state.brush = width
        self.session.state.use_tool(PAINT)

    def _on_document_changed(self, document: Document) -> None:
        mask = expose_actions.current_mask(self.session)
        if mask is None or mask.kind != self.kind:
            return
        words = {
            "round": "Drag its centre in the picture.",
            "gradient": "Drag its centre in the picture: full effect above the lines, none below.",
            "painted": f"{len(mask.strokes)} dabs." if mask.strokes else "Nothing painted yet.",
            "part": mask.target or "No part chosen yet.",
            "material": mask.target or "No material chosen yet.",
            "sunlit": "By the sun’s share of the light, known once the picture is traced.",
            "shaded": "By the sun’s share of the light, known once the picture is traced.",
        }
        self.target.setText(words.get(self.kind, ""))
        self.target.setVisible(self.kind in words)


class MaskRow(QWidget):
    """A mask in the list: its name, its switch, and a link to remove it."""

    def __init__(self, page: MasksPage, index: int) -> None:
        super().__init__()
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(8)
        section = ("expose", "masks", index)
        self.on = Switch(page.session, section, "on", "")
        self.name = QPushButton()
        self.name.setProperty("role", "piece")
        self.name.setCheckable(True)
        self.name.setToolTip("Edit this mask.")
        self.name.clicked.connect(lambda: page.choose(index))
        remove = partial(expose_actions.remove_mask, page.session, index)
        row.addWidget(self.on)
        row.addWidget(self.name, 1)
        row.addWidget(action_button("Remove", "Remove this mask.", remove))


class MasksPage(StepPanel):
    """The list and the chosen mask."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.group("Masks")
        self.empty_note = label("No masks yet. Add one to correct a part of the picture.", "note", wrap=True)
        self.add(self.empty_note)
        self.rows: list[MaskRow] = []
        self.list = QVBoxLayout()
        self.list.setSpacing(3)
        self.add(self.list)
        self.add_link = action_button("Add …", "Add a mask.", self._open_menu)
        self.show_link = action_button(
            "Show mask", "Show the area of the mask as a colour overlay.", self._show_mask
        )
        self.show_link.setCheckable(True)
        row = QHBoxLayout()
        row.setSpacing(14)
        row.addWidget(self.add_link)
        row.addWidget(self.show_link)
        row.addStretch(1)
        self.add(row)
        self.below = QVBoxLayout()
        self.add(self.below)
        self.controls: MaskControls | None = None
        self._built: tuple[object, ...] = ()
        self.finish()
        follow(self, session.document_changed, self._on_document_changed)
        self._on_document_changed(session.document)

    def menu(self) -> QMenu:
        """The kinds of masks."""
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        for kind, words in KINDS:
            menu.addAction(
                f"{kind.capitalize()}\t{words}", partial(expose_actions.add_mask, self.session, kind)
            )
        return menu

    def _open_menu(self) -> None:
        self.menu().popup(self.add_link.mapToGlobal(self.add_link.rect().bottomLeft()))

    def choose(self, index: int) -> None:
        """Work on a mask of the list."""
        self.session.state.mask = index
        if self.session.render.inspect.startswith("mask"):
            self.session.render.inspect_as(f"mask {index}")
        self._on_document_changed(self.session.document)
        self.session.state.tool_changed.emit(self.session.state.tool)  # its outline is drawn

    def _show_mask(self) -> None:
        shown = self.session.render.inspect.startswith("mask")
        self.session.render.inspect_as("" if shown else f"mask {self.session.state.mask}")
        self.show_link.setChecked(not shown)

    def showEvent(self, event: object) -> None:  # noqa: N802
        masks = self.session.document.expose.masks
        if masks and self.session.state.mask < 0:
            self.choose(len(masks) - 1)

    def hideEvent(self, event: object) -> None:  # noqa: N802
        """The outline belongs to this page."""
        self.session.state.mask = -1
        if self.session.state.tool in (PAINT, expose_actions.TARGET):
            self.session.state.use_tool("")

    def _on_document_changed(self, document: Document) -> None:
        masks, chosen = document.expose.masks, self.session.state.mask
        built = (tuple(mask.kind for mask in masks), chosen)
        if built != self._built:
            self._built = built
            self._build(masks, chosen)
        for index, (row, mask) in enumerate(zip(self.rows, masks, strict=True)):
            row.name.setText(mask.name or mask.kind)
            row.name.setChecked(index == chosen)
        self.empty_note.setVisible(not masks)
        self.show_link.setVisible(0 <= chosen < len(masks))
        self.show_link.setChecked(self.session.render.inspect.startswith("mask"))

    def _build(self, masks: tuple[MaskState, ...], chosen: int) -> None:
        empty(self.list)
        empty(self.below)
        self.rows = [MaskRow(self, index) for index in range(len(masks))]
        for row in self.rows:
            self.list.addWidget(row)
        self.controls = None
        if 0 <= chosen < len(masks):
            self.controls = MaskControls(self.session, chosen, masks[chosen])
            self.below.addWidget(self.controls)
