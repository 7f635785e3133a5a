# SPDX-License-Identifier: Apache-2.0
"""The tool bar under the picture: views, plan, plaster, rectangle, quality, import notes."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import Qt
from PySide6.QtGui import QFontMetrics, QResizeEvent
from PySide6.QtWidgets import QHBoxLayout, QMenu, QPushButton, QWidget

from gloamet.desk.actions import expose_actions, stage_actions
from gloamet.desk.files.import_notes import ImportNotesPanel
from gloamet.desk.picture.picture_handle import PictureHandle
from gloamet.desk.picture.plan_view import PlanView
from gloamet.desk.picture.viewport import Viewport
from gloamet.desk.state.exposure_lock import ExposureHold
from gloamet.desk.state.session import Session
from gloamet.desk.widgets import theme
from gloamet.desk.widgets.form import SegmentedControl, ToolButton, action_button, label
from gloamet.document.metadata import description
from gloamet.document.model import Document

PIECE_PAD_PX = 10
# width of the bar from which on it is not narrow, of the saved picture's size, and of the view's name in either case
WIDE_PX, STATE_PX, NAME_PX, NARROW_NAME_PX = 560, 120, 130, 58
HELD_TIP = (
    "The exposure is held while the light changes by less than 1.5 stops. Click to use the meter reading."
)
LOCK_TIP = "Lock the exposure at this value. Unlocked, it follows the light when you pause."
LOCKED_TIP = "The exposure is locked. Click to return to the automatic exposure."


class ViewToolBar(QWidget):
    """Words to switch, the quality, and the size of the saved picture."""

    def __init__(
        self,
        session: Session,
        picture: Viewport,
        plan: PlanView,
        tray: ImportNotesPanel,
        hold: ExposureHold,
    ) -> None:
        super().__init__()
        self.hold = hold
        self.session, self.picture, self.plan, self.tray = session, picture, plan, tray
        self.setFixedHeight(34)
        row = QHBoxLayout(self)
        row.setContentsMargins(14, 0, 14, 4)
        row.setSpacing(4)
        self.menu = QMenu(self)
        self.menu.aboutToShow.connect(self._fill_menu)
        self.view = action_button("", "Choose a view.", self._open)
        self._view_name = self._meter_ev = ""
        self.buttons: dict[str, QPushButton] = {}
        row.addWidget(self.view)
        for name, icon_name, tip, action in self._tools():
            button = ToolButton(name, f"{name}: {tip[:1].lower()}{tip[1:]}", icon_name, action)
            button.setCheckable(True)
            self.buttons[name] = button
            row.addWidget(button)
        self.handle = PictureHandle(session)
        row.addWidget(self.handle)
        row.addStretch(1)
        self.notes = action_button("", "Notes of the import: what was not read from the model.", tray.toggle)
        self.quality = SegmentedControl(
            session, "stage", "quality", [(q, q) for q in ("draft", "standard", "final")]
        )
        for piece in self.quality.pieces:  # else a narrow bar cuts their texts off
            bold = QFontMetrics(theme.font(theme.NOTE, True))
            piece.setMinimumWidth(bold.horizontalAdvance(piece.text()) + PIECE_PAD_PX)
        self.state = label("", "note")
        self.held = action_button("Use meter", HELD_TIP, hold.release)
        self.held.hide()
        self.ev = label("", "note")
        self.ev.setToolTip("Exposure value at ISO 100 of the picture.")
        self.lock = ToolButton("Lock exposure", LOCK_TIP, "lock-open", self._lock)
        self.lock.setCheckable(True)
        hold.changed.connect(self._on_hold_changed)
        for widget in (self.held, self.ev, self.lock, self.notes, self.quality, self.state):
            row.addWidget(widget)
        session.loaded.scene_loaded.connect(lambda _: self._on_document_changed(session.document))
        session.document_changed.connect(self._on_document_changed)
        session.state.tool_changed.connect(lambda _: self._on_document_changed(session.document))
        self._on_document_changed(session.document)

    def resizeEvent(self, event: QResizeEvent) -> None:  # noqa: N802
        """Another width, another choice of what is shown."""
        self._fit_room()

    def _fit_room(self) -> None:
        """A narrow bar shortens the view's name and drops the saved picture's size.

        While it offers the meter's EV it drops the picture icon and both EVs too, which the instruments show.
        """
        narrow, has_scene = self.width() < WIDE_PX, self.session.loaded.scene is not None
        self.state.setMaximumWidth(0 if narrow else STATE_PX)
        beside = has_scene and not (narrow and not self.held.isHidden())
        self.held.setText("Use meter" if narrow else f"Use meter{self._meter_ev}")
        self.ev.setVisible(beside)
        self.handle.setVisible(beside)
        room = NARROW_NAME_PX if narrow else NAME_PX
        name = self.view.fontMetrics().elidedText(self._view_name, Qt.TextElideMode.ElideRight, room)
        self.view.setText(f"{name}  ▾")

    def _on_hold_changed(self) -> None:
        off, frame = self.hold.off_by, self.session.results.frame
        self.held.setVisible(off != 0.0 and frame is not None and not self.hold.easing)
        if frame is not None:
            self._meter_ev = f" {frame.meter_ev:.1f}".replace("-", "−")
            self.ev.setText(f"EV {frame.ev:.1f}".replace("-", "−"))
        self._fit_room()

    def _lock(self) -> None:
        expose_actions.lock_exposure(self.session, not self.hold.locked)
        self._on_document_changed(self.session.document)

    def _tools(self) -> tuple[tuple[str, str, str, Callable[[], None]], ...]:
        return (
            ("Plan", "map", "Show the plan beside the picture.", self._plan),
            ("Plan alone", "maximize", "Show the plan alone or beside the picture.", self._alone),
            ("Section cut", "scissors", "Cut the plan just above eye height, without roofs.", self._cut),
            ("Plaster", "box", description("stage.plaster", "on"), self._plaster),
            (
                "Rectangle",
                "square-dashed",
                "Drag a rectangle to refine only there. Click again or press Esc for the whole picture.",
                self._rectangle,
            ),
            ("Guides", "grid-3x3", "Show thirds and safe frames.", self._lines),
        )

    def _open(self) -> None:
        self.menu.popup(self.view.mapToGlobal(self.view.rect().topLeft()))

    def _fill_menu(self) -> None:
        self.menu.clear()
        for index, named in enumerate(self.session.document.stage.views):
            self.menu.addAction(named.name, partial(stage_actions.look_through, self.session, index))
        self.menu.addSeparator()
        self.menu.addAction("Keep this view", partial(stage_actions.keep_view, self.session))

    def _plan(self) -> None:
        self.plan.setVisible(not self.plan.isVisible())
        self.picture.show()
        self._on_document_changed(self.session.document)

    def _alone(self) -> None:
        self.picture.setVisible(self.picture.isHidden())
        self._on_document_changed(self.session.document)

    def _cut(self) -> None:
        self.plan.set_cut(not self.plan.cut)
        self._on_document_changed(self.session.document)

    def _plaster(self) -> None:
        self.session.change("stage.plaster", on=not self.session.document.stage.plaster.on)

    def _rectangle(self) -> None:
        stage = self.session.document.stage
        if stage.rectangle is not None or self.session.state.tool == "rectangle":
            self.picture.hand.leave()
        else:
            self.session.state.use_tool("rectangle")
        self._on_document_changed(self.session.document)

    def _lines(self) -> None:
        self.picture.show_safe_lines(not self.picture.safe_lines)
        self._on_document_changed(self.session.document)

    def _on_document_changed(self, document: Document) -> None:
        scene, out = self.session.loaded.scene, document.output
        now = stage_actions.current_view(self.session)
        name = document.stage.views[now].name if now >= 0 else "Unsaved view"
        self._view_name = name
        self.view.setToolTip(f"{name}: choose a view.")
        self.view.setVisible(scene is not None)
        for word in self.buttons.values():
            word.setVisible(scene is not None)
        self.quality.setVisible(scene is not None)
        for tool in ("Plan alone", "Section cut"):
            self.buttons[tool].setVisible(scene is not None and self.plan.isVisible())
        states = {
            "Plan": self.plan.isVisible(),
            "Plan alone": self.picture.isHidden(),
            "Section cut": self.plan.cut,
            "Plaster": document.stage.plaster.on,
            "Rectangle": document.stage.rectangle is not None or self.session.state.tool == "rectangle",
            "Guides": self.picture.safe_lines,
        }
        for tool, on in states.items():
            self.buttons[tool].setChecked(on)
        locked = self.hold.locked
        self.lock.setChecked(locked)
        self.lock.show_icon("lock" if locked else "lock-open")
        self.lock.setToolTip(LOCKED_TIP if locked else LOCK_TIP)
        self.lock.setVisible(scene is not None)
        self._fit_room()
        count = len(self.tray.notes)
        self.notes.setText(f"{count} note" + ("s" if count != 1 else ""))
        self.notes.setVisible(bool(count))
        self.state.setText(f"{out.width} × {out.height}" if scene else "")
