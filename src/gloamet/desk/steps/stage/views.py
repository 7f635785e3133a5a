# SPDX-License-Identifier: Apache-2.0
"""Views: lens, picture format, and named views."""

from __future__ import annotations

from dataclasses import dataclass
from functools import partial

from PySide6.QtCore import QSize
from PySide6.QtGui import QIcon, QImage, QPixmap
from PySide6.QtWidgets import QLineEdit, QListView, QListWidget, QListWidgetItem

from gloamet.desk.actions import stage_actions
from gloamet.desk.state.session import Session
from gloamet.desk.steps.step_panel import StepPanel
from gloamet.desk.widgets.document_fields import NumberField, reach
from gloamet.desk.widgets.form import ActionRow, action_button, label, pair
from gloamet.desk.widgets.number import NumberRow
from gloamet.desk.widgets.switch import Switch
from gloamet.document.model import Document
from gloamet.stage.assembly import focal_mm, fov_of_focal

SHAPES = (("3:2", 3, 2), ("4:3", 4, 3), ("16:9", 16, 9), ("1:1", 1, 1), ("4:5", 4, 5), ("2:1", 2, 1))
PRINTS = (("A4", 3508, 2480), ("A3", 4961, 3508), ("A4 upright", 2480, 3508))
LIST_HEIGHT = 210


@dataclass(frozen=True)
class FocalField(NumberField):
    """The field of view shown as a focal length on 36 x 24 mm."""

    def value(self, document: Document) -> float:
        return focal_mm(float(reach(document, self.section).fov_deg))


FOCAL = FocalField(
    "stage.view", "fov_deg", 5.0, 600.0, 33.0, "mm", 1.0, 0, "Focal length on a film of 36 × 24 mm."
)


class ViewList(QListWidget):
    """Kept views with a small picture each; a click looks through one."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setIconSize(QSize(72, 48))
        self.setFixedHeight(LIST_HEIGHT)
        self.setResizeMode(QListView.ResizeMode.Adjust)
        self.setAccessibleName("Views")
        self.setToolTip("Click to show a view.")
        self.itemClicked.connect(lambda item: stage_actions.look_through(session, self.row(item)))
        session.stage_changed.connect(self.follow)
        session.results.thumbnail_ready.connect(lambda _: self.follow(session.document))
        self.follow(session.document)

    def follow(self, document: Document) -> None:
        """Show the document's views."""
        views = document.stage.views
        while self.count() > len(views):
            self.takeItem(self.count() - 1)
        while self.count() < len(views):
            self.addItem(QListWidgetItem())
        now = stage_actions.current_view(self.session)
        for row, named in enumerate(views):
            item = self.item(row)
            extra = "   locked" if named.locked else ""
            extra += f"   EV {named.ev:.1f}" if named.ev is not None else ""
            item.setText(named.name + extra)
            pixels = self.session.results.thumbnails.get(named.view)
            if pixels is not None:
                h, w = pixels.shape[:2]
                image = QImage(pixels.data, w, h, 4 * w, QImage.Format.Format_RGBX8888)
                item.setIcon(QIcon(QPixmap.fromImage(image)))
            if row == now and self.currentRow() != row:
                self.setCurrentRow(row)


class ViewsPage(StepPanel):
    """Lens, shape and kept views."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.list = ViewList(session)
        self.name = QLineEdit()
        self.name.setAccessibleName("View name")
        self.name.setPlaceholderText("name of the view")
        self.name.setToolTip("Rename the selected view.")
        self.name.editingFinished.connect(self._rename)
        self.list.currentRowChanged.connect(lambda _: self._show_name())
        keep = action_button("Save view", "Save the present camera as a view.", self._keep)
        self.add(pair(label("Views", "head"), keep))
        self.add(self.list)
        self.add(self.name)
        self.add(
            ActionRow(
                [
                    (
                        "Update",
                        "Replace the selected view by the present camera.",
                        partial(self._do, stage_actions.retake_view),
                    ),
                    (
                        "Duplicate",
                        "Duplicate the selected view.",
                        partial(self._do, stage_actions.copy_view),
                    ),
                    (
                        "Lock",
                        "Lock or unlock the view: a locked view cannot be updated or removed.",
                        self._lock,
                    ),
                    (
                        "Up",
                        "Move up in the list.",
                        partial(self._do, partial(stage_actions.move_view, by=-1)),
                    ),
                    (
                        "Down",
                        "Move down in the list.",
                        partial(self._do, partial(stage_actions.move_view, by=1)),
                    ),
                    ("Remove", "Remove the selected view.", partial(self._do, stage_actions.drop_view)),
                ]
            )
        )
        self.add(
            ActionRow([("Store exposure", "Store the exposure with the view, or clear it.", self._exposure)])
        )
        self._lens()
        self._standing()
        self._shapes()
        self.finish()
        session.stage_changed.connect(self._on_document_changed)
        session.loaded.scene_loaded.connect(lambda _: self._on_document_changed(session.document))
        self._on_document_changed(session.document)

    def _lens(self) -> None:
        session = self.session
        self.group("Lens")
        view = "stage.view"
        self.add(
            NumberRow(
                session, view, "fov_deg", "Focal length", logarithmic=True, field=FOCAL, write=self._focal
            )
        )
        self.add(NumberRow(session, view, "fov_deg", "Vertical field of view"))
        self.add(Switch(session, view, "keep_verticals", "Keep verticals vertical"))
        self.add(NumberRow(session, view, "shift_y", "Vertical shift", from_zero=True))
        self.add(NumberRow(session, view, "shift_x", "Horizontal shift", from_zero=True))
        self.add(Switch(session, view, "depth_of_field", "Depth of field"))
        self.stop = NumberRow(session, view, "f_number", "Aperture f/", logarithmic=True)
        self.focus = NumberRow(session, view, "focus_m", "Focus distance", logarithmic=True)
        self.add(self.stop)
        self.add(self.focus)
        pick = partial(session.state.use_tool, "focus")
        self.pick = action_button("Focus on a point", "Focus on the next click in the picture.", pick)
        self.add(pair(label(""), self.pick))

    def _standing(self) -> None:
        session = self.session
        self.group("Camera height")
        self.lift = label("", "note")
        stand = partial(stage_actions.stand_here, session)
        eye = action_button("Eye height", "Move the camera to 1.6 m above the surface below it.", stand)
        self.add(pair(self.lift, eye))
        self.add(
            ActionRow(
                [
                    (
                        "Level camera",
                        "Level the camera: look horizontally.",
                        partial(stage_actions.level_horizon, session),
                    ),
                    (
                        "Frame all",
                        "Frame the whole model.",
                        partial(stage_actions.show_everything, session),
                    ),
                ]
            )
        )
        self.add(
            label(
                "Arrow keys move and turn, Page up and Page down change the height; Shift for larger steps.",
                "note",
                wrap=True,
            )
        )

    def _shapes(self) -> None:
        self.group("Aspect ratio")
        self.add(ActionRow([(n, f"Aspect ratio {n}.", partial(self._shape, w, h)) for n, w, h in SHAPES]))
        self.add(ActionRow([(n, f"{n} at 300 dpi.", partial(self._size, w, h)) for n, w, h in PRINTS]))

    def _focal(self, value: float, key: str | None) -> None:
        self.session.change("stage.view", key, fov_deg=min(max(fov_of_focal(value), 1.0), 150.0))

    def _shape(self, wide: int, high: int) -> None:
        """The same number of pixels in another shape."""
        out = self.session.document.output
        side = (out.width * out.height / (wide * high)) ** 0.5
        self._size(round(side * wide / 8) * 8, round(side * high / 8) * 8)

    def _size(self, width: int, height: int) -> None:
        self.session.change("output", width=min(width, 16384), height=min(height, 16384))

    def _keep(self) -> None:
        stage_actions.keep_view(self.session)
        self.list.setCurrentRow(self.list.count() - 1)

    def _do(self, action) -> None:  # type: ignore[no-untyped-def]
        row = self.list.currentRow()
        if 0 <= row < len(self.session.document.stage.views):
            action(self.session, row)

    def _lock(self) -> None:
        self._do(
            lambda s, row: stage_actions.change_view(s, row, locked=not s.document.stage.views[row].locked)
        )

    def _exposure(self) -> None:
        frame = self.session.results.frame

        def change(session: Session, row: int) -> None:
            old = session.document.stage.views[row].ev
            ev = round(frame.ev, 2) if old is None and frame is not None else None
            stage_actions.change_view(session, row, ev=ev)

        self._do(change)

    def _rename(self) -> None:
        text = self.name.text().strip()[:80]
        row = self.list.currentRow()
        views = self.session.document.stage.views
        if text and 0 <= row < len(views) and views[row].name != text:
            taken = {named.name for named in views}
            stage_actions.change_view(self.session, row, name=stage_actions.free_name(text, taken))

    def _show_name(self) -> None:
        row = self.list.currentRow()
        views = self.session.document.stage.views
        self.name.setText(views[row].name if 0 <= row < len(views) else "")

    def _on_document_changed(self, document: Document) -> None:
        view = document.stage.view
        self.lift.setText(f"{view.eye[2] - self.session.loaded.ground_m:.2f} m above the ground")
        for widget in (self.stop, self.focus, self.pick):
            widget.setVisible(view.depth_of_field)
        self.list.follow(document)
