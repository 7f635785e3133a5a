# SPDX-License-Identifier: Apache-2.0
"""The bar on top: the project's name, the steps, undo and redo, and the progress of the picture."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent
from PySide6.QtWidgets import QButtonGroup, QHBoxLayout, QMenu, QPushButton, QWidget

from gloamet.desk.state.session import Session
from gloamet.desk.widgets import theme
from gloamet.desk.widgets.form import ToolButton, action_button, label, sentence
from gloamet.document.differences import step_label
from gloamet.preview.events import Frame

MOST_LISTED, MOST_LETTERS = 14, 72  # of the history, before and after the present step


class TopBar(QWidget):
    """Name, steps, history, progress."""

    def __init__(
        self, session: Session, steps: Sequence[str], choose: Callable[[int], None], menu: QMenu
    ) -> None:
        super().__init__()
        self.setObjectName("bar")
        self.setFixedHeight(theme.BAR_HEIGHT)
        self.session = session
        self._fraction = 0.0
        self._saving = ""
        self._loading = False
        self._stop_saving: Callable[[], None] | None = None
        row = QHBoxLayout(self)
        row.setContentsMargins(16, 0, 16, 0)
        row.setSpacing(14)
        self.name = QPushButton()
        self.name.setProperty("role", "project")
        self.name.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.name.setToolTip("Open, save, recent files.")
        self.name.clicked.connect(lambda: menu.popup(self.name.mapToGlobal(self.name.rect().bottomLeft())))
        self.state = label("", "note")
        row.addWidget(self.name)
        row.addWidget(self.state)
        row.addSpacing(24)
        self.group = QButtonGroup(self)
        self.buttons = []
        for k, step in enumerate(steps):
            button = QPushButton(step)
            button.setProperty("role", "step")
            button.setCheckable(True)
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            button.setFixedHeight(theme.BAR_HEIGHT - 2)
            button.setToolTip(f"{step} (Ctrl+{k + 1})")
            button.clicked.connect(lambda _=False, i=k: choose(i))
            self.group.addButton(button, k)
            row.addWidget(button)
            self.buttons.append(button)
        row.addStretch(1)
        self.undo = ToolButton("Undo", "Undo (Ctrl+Z).", "undo-2", session.undo)
        self.redo = ToolButton("Redo", "Redo (Ctrl+Shift+Z).", "redo-2", session.redo)
        self.history_menu = QMenu(self)
        self.history = ToolButton(
            "History", "Steps of this session; click one to go there.", "history", self._open_history
        )
        self.stop = action_button("Stop", "Stop refining; the picture stays.", self._toggle)
        self.status = label("", "note")
        self.status.setToolTip(
            "Samples per pixel, and the relative noise before denoising that 80 % of the picture is below."
        )
        self.status.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.status.setMinimumWidth(210)  # as wide as its longest, so that nothing beside it moves
        for widget in (self.undo, self.redo, self.history, self.stop, self.status):
            row.addWidget(widget)
        session.document_changed.connect(lambda _: self.refresh())
        session.file_changed.connect(self.refresh)
        session.results.frame_ready.connect(self._on_frame_ready)
        session.render.busy.connect(self._on_busy)
        session.loaded.loading.connect(self._on_loading)
        session.render.preparing.connect(self._on_preparing)
        self.refresh()

    def fill_history(self) -> None:
        """List the steps, newest first, with what each changed; the present one is marked."""
        history = self.session.history
        before, after = history.earlier(MOST_LISTED), history.later(MOST_LISTED)
        line = [*before, history.current, *after]
        self.history_menu.clear()
        for k in range(len(line) - 1, -1, -1):
            first = "Start" if len(before) < MOST_LISTED else "Earlier steps"
            text = step_label(line[k - 1], line[k]) if k else first
            action = self.history_menu.addAction(
                sentence(text)[:MOST_LETTERS], partial(self.session.move_in_history, k - len(before))
            )
            action.setCheckable(True)
            action.setChecked(k == len(before))

    def _open_history(self) -> None:
        self.fill_history()
        self.history_menu.popup(self.history.mapToGlobal(self.history.rect().bottomLeft()))

    def _show_steps(self) -> None:
        """What undo and redo would change, in their tooltips."""
        history = self.session.history
        now, back, on = history.current, history.undone, history.redone
        undone = step_label(back, now) if back is not None else "nothing"
        redone = step_label(now, on) if on is not None else "nothing"
        self.undo.setToolTip(f"Undo: {undone} (Ctrl+Z).")
        self.redo.setToolTip(f"Redo: {redone} (Ctrl+Shift+Z).")

    def refresh(self) -> None:
        """Name, saved state, what can be undone."""
        self.name.setText(self.session.title + "  ▾")
        self.state.setText("edited" if self.session.dirty else "saved" if self.session.path else "")
        self.undo.setEnabled(self.session.history.can_undo)
        self._show_steps()
        self.redo.setEnabled(self.session.history.can_redo)
        self.stop.setText("Resume" if self.session.render.stopped and not self._saving else "Stop")
        self._wake_stop()

    def _wake_stop(self) -> None:
        """Stop acts while something is saved or opened, and on a picture."""
        has_picture = self.session.results.frame is not None
        self.stop.setEnabled(self._stop_saving is not None or self._loading or has_picture)

    def _toggle(self) -> None:
        if self._stop_saving is not None:
            self._stop_saving()
        elif self._loading:
            self.session.render.stop_loading()
        elif self.session.render.stopped:
            self.session.render.stop(False)
        else:
            self.session.render.stop(True)
        self.refresh()

    def _on_busy(self, text: str) -> None:
        if self._saving:
            return
        if text:
            self.status.setText(text + " …")
        elif self.session.results.frame is None:
            self.status.setText("")

    def _on_preparing(self, fraction: float, seconds_left: float) -> None:
        """Kernels are being compiled, once for this machine."""
        self._fraction = fraction
        if fraction < 1.0:
            self.status.setText(f"preparing the renderer, {max(1.0, seconds_left):.0f} s left")
        self.update()

    def _on_loading(self, fraction: float, word: str) -> None:
        """A model is being opened; stop gives it up."""
        self._loading, self._fraction = fraction < 1.0, fraction
        if self._loading:
            self.status.setText(f"{word[:36]} …")
            self.stop.setText("Stop")
        self._wake_stop()
        self.update()

    def show_saving(self, text: str, fraction: float, stop: Callable[[], None] | None) -> None:
        """A picture is being saved and `stop` ends it early; an empty text says that it is done."""
        self._saving, self._fraction, self._stop_saving = text, fraction, stop
        self.status.setText(text)
        self.refresh()
        self.update()

    def _on_frame_ready(self, frame: Frame) -> None:
        if self._saving or not self.session.render.prepared:
            return
        self._wake_stop()
        self._fraction = fraction_done(frame)
        blurred = self.session.document.stage.view.depth_of_field
        self.status.setText(status_text(frame, self.session.render.stopped, blurred))
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:  # noqa: N802
        p = QPainter(self)
        p.fillRect(self.rect(), QColor(theme.GROUND))
        p.fillRect(0, self.height() - 1, self.width(), 1, QColor(theme.LINE))
        if 0.0 < self._fraction < 1.0:
            right = self.width() - 16
            p.fillRect(QRectF(right - 150, self.height() - 7, 150, 2), QColor(theme.LINE))
            p.fillRect(QRectF(right - 150, self.height() - 7, 150 * self._fraction, 2), QColor(theme.INK))


def fraction_done(frame: Frame) -> float:
    """How far a frame is on its way, by samples or by noise, whichever is nearer its end."""
    if not frame.exact:
        return 0.0
    by_noise = (frame.goal / frame.noise) ** 2 if frame.goal < frame.noise < float("inf") else 0.0
    return 1.0 if frame.done else min(1.0, max(frame.samples / frame.target, by_noise))


def status_text(frame: Frame, stopped: bool, depth_of_field: bool = False) -> str:
    """Samples, noise, elapsed and remaining time; for a preview, that it ignores depth of field."""
    if not frame.exact:
        return "preview, all in focus" if depth_of_field else "preview"
    parts = [f"{frame.samples} samples" if frame.samples != 1 else "1 sample"]
    if frame.noise < float("inf"):
        parts.append(f"noise {100 * frame.noise:.1f} %" if frame.noise <= 1.0 else "noise over 100 %")
    parts.append(_duration(frame.seconds))
    if frame.done:
        parts.append("done")
    elif stopped:
        parts.append("stopped")
    elif frame.seconds_left > 0.0:
        parts.append(f"{_duration(frame.seconds_left)} left")
    return "   ".join(parts)


def _duration(seconds: float) -> str:
    return f"{seconds:.0f} s" if seconds < 90 else f"{seconds / 60:.0f} min"
