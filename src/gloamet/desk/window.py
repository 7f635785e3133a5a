# SPDX-License-Identifier: Apache-2.0
"""The window: top bar, instruments, picture, step panel, day ribbon, and file actions."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import (
    QCloseEvent,
    QKeyEvent,
    QResizeEvent,
    QShowEvent,
)
from PySide6.QtWidgets import (
    QFileDialog,
    QHBoxLayout,
    QMainWindow,
    QVBoxLayout,
    QWidget,
)

from gloamet.desk.about import show_about
from gloamet.desk.aim.aim_controller import AimController
from gloamet.desk.compare.compare_tools import CompareTools
from gloamet.desk.compare.kept_strip import KeptStrip
from gloamet.desk.dialogs import ask
from gloamet.desk.dropped import show_file, take_file
from gloamet.desk.files.autosave import Autosave, Left, drop, left_behind, take_up
from gloamet.desk.files.import_notes import ImportNotesPanel
from gloamet.desk.files.moved_files import MovedFiles
from gloamet.desk.files.saving import SaveJob
from gloamet.desk.finder import Finder
from gloamet.desk.help_overlay import HelpOverlay
from gloamet.desk.import_panel import ImportPanel
from gloamet.desk.instrument_column import InstrumentColumn
from gloamet.desk.instruments.day_ribbon import DayRibbon
from gloamet.desk.menu_table import menu_table
from gloamet.desk.menus import Menus
from gloamet.desk.picture.plan_view import PlanView
from gloamet.desk.picture.view_tool_bar import ViewToolBar
from gloamet.desk.picture.viewport import INSET, Viewport
from gloamet.desk.state.exposure_lock import ExposureHold
from gloamet.desk.state.session import Session
from gloamet.desk.step_stack import StepStack
from gloamet.desk.steps import FIRST_STEP, STEP_TITLES, STEPS, StepContext
from gloamet.desk.top_bar import TopBar
from gloamet.desk.widgets.columns import Columns, ColumnWidth
from gloamet.desk.widgets.form import wake
from gloamet.desk.widgets.notice import Notice
from gloamet.desk.widgets.term_card import TermList
from gloamet.document.demo import TITLES, demo_document
from gloamet.document.file import ENDING
from gloamet.document.model import Document
from gloamet.errors import GloametError
from gloamet.stage.readers import ENDINGS

ASLEEP_TEXT = (
    "Preliminary light while the renderer is prepared (first start only). Compare and Output follow soon."
)
BEFORE_KEY = Qt.Key.Key_B
LEFT, RIGHT = ColumnWidth("instruments", 224, 208, 420), ColumnWidth("panels", 292, 292, 560)


class DeskWindow(QMainWindow):
    """Everything on one desk."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.job: SaveJob | None = None
        self._awake = True
        self.setWindowTitle("Gloamet")
        self.resize(1280, 800)
        self.setMinimumSize(960, 620)
        self.menus = Menus(self, menu_table(self))
        self.bar = TopBar(session, STEP_TITLES, self.choose_step, self.menus.root)
        self.aimer, self.hold = AimController(session), ExposureHold(session)
        self.tools, self.autosave = CompareTools(session), Autosave(session)
        self.stack = StepStack(StepContext(session, self.aimer, self.ask_open, self.ask_picture, self.tools))
        self.picture = Viewport(session, self.aimer)
        for overlay in (self.tools.compare, self.tools.sheet):
            self.picture.add_overlay(overlay)
        self.picture.dropped.connect(lambda name: take_file(session, Path(name), self.open_file))
        self.picture.open_asked.connect(self.ask_open)
        self.picture.demo_asked.connect(self.show_demo)
        self.plan = PlanView(session, self.aimer)
        self.plan.hide()
        self.tray = ImportNotesPanel(session, self.picture)
        self.sheet = ImportPanel(session, self.stack)
        self.notice = Notice()
        self.moved_files = MovedFiles(session, self.notice, self)
        session.loaded.model_changed.connect(self._offer_again)
        session.noticed.connect(self.notice.show_sentence)
        self.left, self.ribbon = InstrumentColumn(session), DayRibbon(session)
        self.disc, self.checks = self.left.disc, self.left.checks
        self._lay_out()
        self.help = HelpOverlay(self.picture)
        self.finder = Finder(self, session, self.stack, self.menus.commands, self.choose_step)
        self.choose_step(FIRST_STEP)
        session.file_changed.connect(self._show_title)
        session.render.preparing.connect(self._on_preparing)
        self.picture.setFocus()

    # -- layout

    def _lay_out(self) -> None:
        desk = QWidget()
        desk.setObjectName("desk")
        rows = QVBoxLayout(desk)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.setSpacing(0)
        rows.addWidget(self.bar)
        middle = QWidget()
        middle.setObjectName("middle")
        box = QVBoxLayout(middle)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        box.addWidget(self.notice)
        pictures = QHBoxLayout()
        pictures.setSpacing(0)
        pictures.addWidget(self.picture, 3)
        pictures.addWidget(self.plan, 2)
        box.addLayout(pictures, 1)
        self.strip = ViewToolBar(self.session, self.picture, self.plan, self.tray, self.hold)
        box.addWidget(self.strip)
        box.addWidget(KeptStrip(self.tools.keeper))
        self.right = QWidget()
        self.right.setObjectName("right")
        inner = QVBoxLayout(self.right)
        inner.setContentsMargins(1, 0, 0, 0)
        inner.addWidget(self.stack)
        self.columns = Columns(self.left, middle, self.right, (LEFT, RIGHT))
        rows.addWidget(self.columns, 1)
        rows.addWidget(self.ribbon)
        self.setCentralWidget(desk)

    def showEvent(self, event: QShowEvent) -> None:  # noqa: N802
        self.stack.build_others()

    def resizeEvent(self, event: QResizeEvent) -> None:  # noqa: N802
        QTimer.singleShot(0, self._place_cards)

    def _place_cards(self) -> None:
        """The tray in the lower corner of the picture, the sheet over the controls."""
        self.tray.move(INSET, self.picture.height() - self.tray.height() - INSET)
        self.sheet.setGeometry(self.stack.rect())

    def _offer_again(self) -> None:
        """The model's file has changed on disk."""
        name = Path(str(self.session.document.stage.scene_file)).name
        self.notice.offer(f"{name} has changed on disk.", "Reload", self.session.render.reload)

    def _on_preparing(self, fraction: float, _seconds_left: float) -> None:
        """Until the renderer is ready, only what works on preliminary light is awake."""
        awake = fraction >= 1.0
        if awake == self._awake:
            return
        self._awake = awake
        self.stack.wake(awake)
        wake(self.strip, awake)
        if awake:
            self.notice.hide()
        else:
            self.notice.show_sentence(ASLEEP_TEXT, "note")

    def _show_title(self) -> None:
        self.setWindowTitle(f"{self.session.title} – Gloamet")

    def choose_step(self, index: int) -> None:
        """Show the controls of a step."""
        self.sheet.hide()
        self.stack.show_step(index)
        self.bar.buttons[index].setChecked(True)
        self.picture.show_sun_tools(STEPS[index].sun_tools)
        exposing = STEPS[index].module == "expose"
        self.hold.use_step(exposing)
        if not exposing:
            self.session.render.inspect_as("")

    def fill_screen(self) -> None:
        """Fill the screen, or return to a window."""
        self.setWindowState(self.windowState() ^ Qt.WindowState.WindowFullScreen)

    def toggle_columns(self) -> None:
        """Show the columns beside the picture, or hide them."""
        self.show_columns(self.left.isHidden())

    def show_about(self) -> None:
        """Version, licence, and where files are kept."""
        show_about(self)

    def show_terms(self) -> None:
        """All terms with their meanings."""
        TermList(self).exec()

    def show_columns(self, on: bool) -> None:
        """Show or hide the columns beside the picture, which takes their room."""
        self.left.setVisible(on)
        self.right.setVisible(on)

    def focusNextPrevChild(self, forward: bool) -> bool:  # noqa: N802
        """Tab over the picture hides or shows the columns; in a panel it moves the focus."""
        if forward and self.focusWidget() in (None, self.picture):
            self.toggle_columns()
            return True
        return super().focusNextPrevChild(forward)

    def keyPressEvent(self, event: QKeyEvent) -> None:  # noqa: N802
        if self.menus.take_key(event):
            return
        if event.key() == Qt.Key.Key_Escape and self.help.isVisible():
            self.help.hide()
            return
        if event.key() == BEFORE_KEY and not event.isAutoRepeat():
            before = self.tools.document_before()
            if before is not None:
                self.session.preview_document(before)
        super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent) -> None:  # noqa: N802
        if self.menus.take_key(event):
            return
        if event.key() == BEFORE_KEY and not event.isAutoRepeat() and self.session.showing_only:
            self.session.preview_document(None)
        super().keyReleaseEvent(event)

    # -- files

    def ask_open(self) -> None:
        """Choose a project or a model."""
        endings = " ".join(f"*{e}" for e in (ENDING, *ENDINGS))
        name, _ = QFileDialog.getOpenFileName(self, "Open", "", f"Projects and models ({endings})")
        if name:
            self.open_file(Path(name))

    def open_file(self, path: Path) -> None:
        """Open a project, or a model into this project."""
        if path.suffix.lower() == ENDING:
            if self._may_leave():
                self.moved_files.open_project(path)
        elif path.suffix.lower() in ENDINGS:
            self.autosave.write()  # before anything that could end the program
            self.session.open_model(path)
        else:
            self.notice.show_sentence(
                f"{path.name} is neither a project nor a model: open {ENDING}, {', '.join(ENDINGS)}."
            )

    def begin_new(self) -> None:
        """An empty project."""
        if self._may_leave():
            self.session.start_with(Document())

    def offer_left(self) -> None:
        """Offer to restore what was open when the program crashed."""
        left = left_behind()
        if left:
            newest = left[0]
            message = f"“{newest.title}” was not saved when the program ended ({newest.when:%d %b %H:%M})."
            self.notice.offer(message, "Restore", partial(self._take_up, newest))

    def _take_up(self, left: Left) -> None:
        if not self._may_leave():
            return
        try:
            self.session.take_up(take_up(left))
        except GloametError as error:
            self.notice.show_sentence(str(error))
            return
        drop(left)

    def show_demo(self, name: str = "house") -> None:
        """Replace everything by a shipped demo."""
        if self._may_leave():
            self.session.start_with(demo_document(name), TITLES[name])

    def save(self) -> bool:
        """Save under the present name, or ask for one; asks before overwriting a file changed by others."""
        path = self.session.path
        if path is None:
            return self.save_as()
        if self.session.store.changed_outside():
            message = f"{path.name} was changed on disk since it was opened."
            answer = ask(self, message, ("Overwrite", "Save as …"))
            if answer != "Overwrite":
                return self.save_as() if answer else False
        return self.session.save(path)

    def save_as(self) -> bool:
        """Ask for a name and save."""
        start = str(self.session.path or Path.home() / f"project{ENDING}")
        name, _ = QFileDialog.getSaveFileName(self, "Save project", start, f"Gloamet project (*{ENDING})")
        if not name:
            return False
        path = Path(name)
        return self.session.save(path if path.suffix == ENDING else path.with_name(path.name + ENDING))

    def _may_leave(self) -> bool:
        """Ask before edits would be lost; True when it is safe to go on."""
        if not self.session.dirty:
            return True
        answer = ask(self, "The project has unsaved changes.", ("Save", "Discard"))
        return self.save() if answer == "Save" else answer == "Discard"

    # -- pictures

    def ask_picture(self, layers: bool) -> None:
        """Ask for a name and render the final picture to it."""
        kinds = "Linear light (*.exr)" if layers else "Picture (*.png *.jpg)"
        ending = ".exr" if layers else ".png"
        stem = self.session.title
        name, _ = QFileDialog.getSaveFileName(self, "Save", str(Path.home() / f"{stem}{ending}"), kinds)
        if name:
            path = Path(name)
            self.save_picture(path if path.suffix else path.with_suffix(ending))

    def save_picture(self, path: Path) -> None:
        """Render at the output size and save; progress and stop are on the bar."""
        from gloamet.output.images import check_ending

        if self.job is not None:
            self.notice.show_sentence("A picture is being saved: wait, or stop it first.")
            return
        if self.session.loaded.scene is None:
            self.notice.show_sentence("There is nothing to save yet: open a model first.")
            return
        try:
            check_ending(path, self.session.document.sky.backdrop == "none")
        except GloametError as error:
            self.notice.show_sentence(str(error))
            return
        self.session.render.stop(True)
        self.job = SaveJob(self.session.document, self.session.loaded.scene, path)
        self.job.progressed.connect(self._save_progress)
        self.job.ended.connect(self._save_ended)
        self.bar.show_saving(f"saving {path.name} …", 0.001, self.job.stop)
        self.job.start()

    def _save_progress(self, progress) -> None:  # type: ignore[no-untyped-def]
        text = f"saving {100 * progress.fraction:.0f} %   {progress.seconds_left:.0f} s left"
        if self.job is not None:
            self.bar.show_saving(text, progress.fraction, self.job.stop)

    def _save_ended(self, sentence: str, written: bool) -> None:
        self.bar.show_saving("", 0.0, None)
        saved = self.job.path if self.job is not None else None
        self.job = None
        if written and saved is not None:
            self.notice.offer_some(
                sentence,
                {"Open": partial(show_file, saved), "Show in folder": partial(show_file, saved.parent)},
                "note",
            )
        else:
            self.notice.show_sentence(sentence)
        self.session.render.stop(False)
        self.bar.refresh()

    def closeEvent(self, event: QCloseEvent) -> None:  # noqa: N802
        if not self._may_leave():
            event.ignore()
            return
        if self.job is not None:
            self.job.stop()
            self.job.wait()
        self.stack.stop_building()
        self.picture.camera_hand.stop()
        self.strip.handle.close_folder()
        self.aimer.close()
        self.autosave.close()
        self.tools.close()
        self.session.close()
        event.accept()
        QTimer.singleShot(0, self.deleteLater)
