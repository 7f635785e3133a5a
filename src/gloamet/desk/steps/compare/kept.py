# SPDX-License-Identifier: Apache-2.0
"""Kept: the selected pictures, their comparison, restoring of settings, and the differences."""

from __future__ import annotations

import random
from functools import partial

from PySide6.QtWidgets import (
    QButtonGroup,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QProgressBar,
    QPushButton,
    QWidget,
)

from gloamet.desk.compare.compare_tools import CompareTools
from gloamet.desk.compare.kept_compare import MODES, NOW
from gloamet.desk.state.session import Session
from gloamet.desk.steps.step_panel import StepPanel
from gloamet.desk.widgets.follow import follow
from gloamet.desk.widgets.form import ActionRow, label, sentence
from gloamet.document.differences import difference_label
from gloamet.document.parts import PARTS
from gloamet.output.keeping import Kept

MOST_LINES = 14
BEFORE = (
    ("opened", "As opened", "The project as it was opened."),
    ("kept", "Last kept", "The last kept picture."),
    ("nature", "Physical", "The same moment with physical sky, fill and exposure."),
)


class KeptPage(StepPanel):
    """One picture or several."""

    def __init__(self, session: Session, tools: CompareTools) -> None:
        super().__init__(session)
        self.tools, self.keeper = tools, tools.keeper
        self._blind: list[str] = []
        self.group("Kept pictures")
        self.action_row = ActionRow(
            main=True,
            actions=(
                (
                    "Keep picture",
                    "Keep this picture with its settings and light layers (K).",
                    self.keeper.keep_now,
                ),
                ("Select all", "Select the six newest kept pictures.", self._choose_all),
                (
                    "Compare with yesterday",
                    "Compare the last kept picture of an earlier day with the present one.",
                    self._yesterday,
                ),
            ),
        )
        self.add(self.action_row)
        self.details = label("", "note", wrap=True)
        self.add(self.details)
        self._add_together()
        self._add_one()
        self.group("Before and after")
        self.add(label("Hold B to see the picture before:", "note"))
        self.add(self._before_row())
        self.finish()
        self.keeper.changed.connect(self._on_changed)
        tools.compare.changed.connect(self._mark_modes)
        tools.refiner.changed.connect(self._show_refining)
        self._show_refining()
        follow(self, session.document_changed, lambda _: self._show_table())
        self._on_changed()

    def _add_together(self) -> None:
        self.group("Compare")
        grid_widget = QFrame()
        grid_widget.setProperty("role", "segments")
        grid, self.modes = QGridLayout(grid_widget), QButtonGroup(self)
        self.modes.setExclusive(False)
        grid.setContentsMargins(2, 2, 2, 2)
        grid.setSpacing(0)
        self.mode_buttons: dict[str, QPushButton] = {}
        for index, mode in enumerate(MODES):
            button = QPushButton(sentence(mode))
            button.setProperty("role", "segment")
            button.setCheckable(True)
            button.setToolTip(
                "Compare the selected pictures, or the selected one and the present one. Click again to return."
            )
            button.clicked.connect(partial(self.look, mode))
            self.modes.addButton(button)
            self.mode_buttons[mode] = button
            grid.addWidget(button, *divmod(index, 3))
        self.add(grid_widget)
        self.blind = ActionRow(
            [
                (
                    "Blind",
                    "Blind comparison: shuffled and unnamed. Choose one, then the names are shown.",
                    self.begin_blind,
                )
            ]
        )
        self.add(self.blind)
        self.votes = QWidget()
        votes = QHBoxLayout(self.votes)
        votes.setContentsMargins(0, 0, 0, 0)
        votes.addWidget(label("Which is best?"))
        self.vote_buttons = []
        for letter in "ABCDEF":
            button = QPushButton(letter)
            button.setToolTip("Choose this one and show the names.")
            button.clicked.connect(partial(self._vote, letter))
            votes.addWidget(button)
            self.vote_buttons.append(button)
        self.add(self.votes)
        self.votes.hide()

    def _add_one(self) -> None:
        self.group("Selected picture")
        self.nothing = label("Click a picture in the strip below the viewport.", "note", wrap=True)
        self.add(self.nothing)
        self.name = label("", wrap=True)
        self.note = QLineEdit()
        self.note.setAccessibleName("Note")
        self.note.setPlaceholderText("note")
        self.note.setToolTip("A note that is kept with the picture.")
        self.note.editingFinished.connect(self._write_note)
        self.one = ActionRow(
            (
                (
                    "Restore settings",
                    "Restore all settings of the selected picture. Can be undone.",
                    lambda: self._open(False),
                ),
                ("Star", "Star on or off.", self._star),
                (
                    "Refine",
                    "Render the selected pictures to final quality in the background.",
                    self._refine,
                ),
                ("Remove", "Delete the selected pictures from disk.", self._discard),
            )
        )
        self.parts: dict[str, QPushButton] = {}
        parts_widget = QWidget()
        grid = QGridLayout(parts_widget)
        grid.setContentsMargins(0, 0, 0, 0)
        for index, part in enumerate(PARTS):
            box = QPushButton(sentence(part))
            box.setProperty("role", "piece")
            box.setCheckable(True)
            box.setToolTip(f"Restore only its {part}, together with the other parts that are on.")
            self.parts[part] = box
            grid.addWidget(box, *divmod(index, 3))
        self.apply = ActionRow(
            [("Restore these", "Restore the parts that are on.", lambda: self._open(True))]
        )
        self.table = label("", "note", wrap=True)
        self.progress = QProgressBar()
        self.progress.setTextVisible(False)
        self.progress.setFixedHeight(4)
        self.progress.setToolTip("Progress of the picture being refined.")
        self.stop = ActionRow(
            [("Stop refining", "Stop; the pictures stay as they were.", self.tools.refiner.stop)]
        )
        self.single = [self.name, self.note, self.one, parts_widget, self.apply, self.table]
        for item in (*self.single, self.progress, self.stop):
            self.add(item)

    def _before_row(self) -> QWidget:
        row_widget = QFrame()
        row_widget.setProperty("role", "segments")
        row, group = QHBoxLayout(row_widget), QButtonGroup(self)
        row.setContentsMargins(2, 2, 2, 2)
        row.setSpacing(0)
        self.before: dict[str, QPushButton] = {}
        for key, text, tip in BEFORE:
            button = QPushButton(sentence(text))
            button.setProperty("role", "segment")
            button.setCheckable(True)
            button.setToolTip(tip)
            button.setChecked(key == self.tools.before)
            button.clicked.connect(partial(setattr, self.tools, "before", key))
            group.addButton(button)
            row.addWidget(button, 1)
            self.before[key] = button
        return row_widget

    # -- together

    def _names(self) -> list[str]:
        chosen = list(self.keeper.chosen)
        return chosen if len(chosen) > 1 else [*chosen, NOW]

    def look(self, mode: str) -> None:
        """Compare the selected pictures in a mode; a second click ends it."""
        compare = self.tools.compare
        self.tools.sheet.end()
        compare.show("" if compare.mode == mode else mode, self._names())
        self._mark_modes()

    def _mark_modes(self) -> None:
        for mode, button in self.mode_buttons.items():
            button.setChecked(mode == self.tools.compare.mode)

    def _choose_all(self) -> None:
        self.keeper.chosen = [kept.name for kept in self.keeper.pictures][-6:]
        self.keeper.changed.emit()

    def _yesterday(self) -> None:
        today = max((kept.when.date() for kept in self.keeper.pictures), default=None)
        from datetime import date

        earlier = [kept for kept in self.keeper.pictures if kept.when.date() < date.today()]
        if not earlier:
            messages = "Nothing was kept before today" + (
                f", the oldest is of {today:%d %b}." if today else "."
            )
            self.session.noticed.emit(messages, "note")
            return
        self.keeper.choose(earlier[-1].name)
        self.tools.compare.show("side by side", [earlier[-1].name, NOW])

    def begin_blind(self) -> None:
        """Show the selected pictures shuffled and unnamed, and ask which is best."""
        names = self._names()
        random.shuffle(names)
        if self.tools.compare.show("side by side", names, hidden=True):
            self._blind = names
            for index, button in enumerate(self.vote_buttons):
                button.setVisible(index < len(names))
            self.votes.show()

    def _vote(self, letter: str) -> None:
        name = self._blind["ABCDEF".index(letter)]
        self.votes.hide()
        self.tools.compare.show("side by side", self._blind)
        kept = self.keeper.named(name)
        what = (
            "the present picture"
            if kept is None
            else f"the one of {kept.when:%d %b %H:%M} {kept.note}".strip()
        )
        self.session.noticed.emit(f"You chose {what}.", "note")
        if kept is not None:
            self.keeper.choose(name)

    # -- one

    def _open(self, by_parts: bool) -> None:
        kept = self.keeper.current
        if kept is None:
            return
        parts = tuple(name for name, box in self.parts.items() if box.isChecked())
        if by_parts and not parts:
            self.session.noticed.emit("Tick the parts to restore first: sun, air, fill or others.", "note")
            return
        self.tools.compare.show("")
        self.keeper.open(kept, parts if by_parts else ())

    def _star(self) -> None:
        kept = self.keeper.current
        if kept is not None:
            self.keeper.mark(kept, star=not kept.star)

    def _write_note(self) -> None:
        kept = self.keeper.current
        if kept is not None and self.note.text().strip() != kept.note:
            self.keeper.mark(kept, note=self.note.text().strip())

    def _chosen(self) -> list[Kept]:
        return [kept for name in self.keeper.chosen if (kept := self.keeper.named(name)) is not None]

    def _discard(self) -> None:
        chosen = self._chosen()
        self.tools.compare.show("")
        self.keeper.discard(chosen)

    def _refine(self) -> None:
        self.tools.refiner.refine(self._chosen())

    def _show_refining(self) -> None:
        refiner = self.tools.refiner
        for item in (self.progress, self.stop):
            item.setVisible(bool(refiner.waiting))
        self.progress.setValue(round(100 * refiner.fraction))

    def _on_changed(self) -> None:
        pictures = self.keeper.pictures
        self.details.setText("" if pictures else "No kept pictures yet. Press K in any step to keep one.")
        self.details.setVisible(not pictures)
        kept = self.keeper.current
        for item in self.single:
            item.setVisible(kept is not None)
        self.nothing.setVisible(kept is None)
        if kept is not None:
            self.name.setText(_words(kept))
            if not self.note.hasFocus():
                self.note.setText(kept.note)
        self._show_table()

    def _show_table(self) -> None:
        """What differs between the chosen picture and now."""
        kept = self.keeper.current
        if kept is None or not self.isVisible():
            return
        chosen = self._chosen()
        other = chosen[0] if len(chosen) == 2 else None
        found = self.keeper.differences(other, kept) if other is not None else self.keeper.differences(kept)
        lines = [difference_label(difference) for difference in found[:MOST_LINES]]
        lines += [f"and {len(found) - MOST_LINES} more"] if len(found) > MOST_LINES else []
        head = "From A to B:" if other is not None else "Changed since:"
        same = (
            "A and B have the same settings." if other is not None else "Its settings equal the present ones."
        )
        self.table.setText("\n".join([head, *lines]) if lines else same)

    def showEvent(self, event: object) -> None:  # noqa: N802
        self._show_table()


def _words(kept: Kept) -> str:
    """When, how far and how large."""
    star = "★ " if kept.star else ""
    messages = (
        f"{star}{kept.when:%d %b %Y %H:%M}, EV {kept.ev:.1f}, {kept.samples_label}, {kept.size_bytes / 1e6:.1f} "
        "MB"
    )
    return messages + (f"\nmissing: {', '.join(kept.missing)}" if kept.missing else "")
