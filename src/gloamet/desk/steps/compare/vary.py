# SPDX-License-Identifier: Apache-2.0
"""Vary: contact sheets from one or two ranges or from suggestions; one is applied, several are kept."""

from __future__ import annotations

import math
from functools import cache, partial
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QComboBox,
    QCompleter,
    QFileDialog,
    QHBoxLayout,
    QLineEdit,
    QProgressBar,
    QWidget,
)

from gloamet.desk.compare.compare_tools import CompareTools
from gloamet.desk.compare.sheet_view import SheetItem
from gloamet.desk.state.session import Session
from gloamet.desk.steps.step_panel import StepPanel
from gloamet.desk.widgets.form import ActionRow, label, sentence
from gloamet.desk.widgets.switch import Toggle
from gloamet.document.differences import field_label
from gloamet.document.metadata import field_range, numeric_fields
from gloamet.document.parsing import read_number
from gloamet.document.sweep import DATE, TIME, ParameterRange, checked_range, sweep, variant_label
from gloamet.errors import GloametError
from gloamet.output.contact_sheet import contact_sheet, save_sheet
from gloamet.output.keeping import Snapshot
from gloamet.preview.suggest import Suggestion
from gloamet.preview.thumbnail_renderer import LitThumbnail

# what is swept most: words, path, from, to, steps
FIELDS = (
    ("sun elevation, °", "sun.elevation_deg", 5.0, 60.0, 8),
    ("sun azimuth, °", "sun.azimuth_deg", 0.0, 330.0, 12),
    ("time, h", TIME, 5.0, 21.0, 8),
    ("day of the year", DATE, 15.0, 350.0, 12),
    ("turbidity", "air.turbidity", 2.0, 8.0, 4),
    ("haze visibility, km", "air.haze_visibility_km", 2.0, 30.0, 4),
    ("sun diameter, °", "sun.diameter_deg", 0.533, 8.0, 4),
    ("sun, stops", "fill.sun_stops", -2.0, 2.0, 5),
    ("sky fill, stops", "fill.sky_stops", -2.0, 2.0, 5),
    ("panorama rotation, °", "panorama.rotation_deg", -150.0, 180.0, 12),
    ("exposure, EV", "expose.ev", 10.0, 16.0, 7),
    ("white balance, K", "expose.kelvin", 4000.0, 8000.0, 5),
)
NOT_VARIED = ("site", "output", "aim", "sequence")  # sections with nothing of a view's light
OTHER_STEPS = 5
NUMBERS = (6, 12, 24)


@cache
def _other_fields() -> tuple[tuple[str, str, float, float, int], ...]:
    """All other numeric fields of a document with their labels and ranges."""
    common, found = {row[1] for row in FIELDS}, []
    for section, name in numeric_fields():
        path = f"{section}.{name}"
        if section not in NOT_VARIED and path not in common:
            r = field_range(section, name)
            words = field_label((*section.split("."), name))
            found.append((f"{words}, {r.unit}" if r.unit else words, path, r.low, r.high, OTHER_STEPS))
    return tuple(sorted(found))


class RangeRow(QWidget):
    """One range: a field, from, to, how many, and whether by equal factors."""

    def __init__(self, optional: bool) -> None:
        super().__init__()
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(4)
        self.field = QComboBox()
        self.field.setToolTip("The parameter to vary: choose, or type part of its name.")
        self.field.setEditable(True)
        self.field.setInsertPolicy(QComboBox.InsertPolicy.NoInsert)
        completer = QCompleter(self.field.model(), self.field)
        completer.setFilterMode(Qt.MatchFlag.MatchContains)
        self.field.setCompleter(completer)
        self.rows = [*FIELDS, *_other_fields()]
        self.field.setMinimumContentsLength(10)
        self.field.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        if optional:
            self.field.addItem("No second parameter", "")
        for words, path, *_ in self.rows:
            self.field.addItem(sentence(words), path)
        self.field.insertSeparator(self.field.count() - len(self.rows) + len(FIELDS))
        self.low, self.high, self.number = QLineEdit(), QLineEdit(), QLineEdit()
        for edit, wide, tip in (
            (self.low, 38, "First value."),
            (self.high, 38, "Last value."),
            (self.number, 26, "Number of steps, both ends included."),
        ):
            edit.setFixedWidth(wide)
            edit.setProperty("role", "short")
            edit.setToolTip(tip)
            edit.setAccessibleName(tip.rstrip("."))
        self.field.setAccessibleName("Parameter")
        field = self.field.lineEdit()
        if field is not None:
            field.setAccessibleName("Parameter")
        row.addWidget(self.field, 1)
        for widget in (self.low, self.high, self.number):
            row.addWidget(widget)
        self.field.currentIndexChanged.connect(self._fill)
        self._fill()

    def _fill(self) -> None:
        found = next((row for row in self.rows if row[1] == self.field.currentData()), None)
        for edit in (self.low, self.high, self.number):
            edit.setVisible(found is not None)
        if found is not None:
            self.low.setText(f"{found[2]:g}")
            self.high.setText(f"{found[3]:g}")
            self.number.setText(str(found[4]))

    def vary(self, factors: bool) -> ParameterRange | None:
        """The range; None for no field. Raises GloametError."""
        path, typed = self.field.currentData(), self.field.currentText()
        if typed != self.field.itemText(self.field.currentIndex()):
            raise GloametError(f"There is no “{typed}” to vary: choose one from the list.")
        if not path:
            return None
        low, high, number = (read_number(edit.text(), "") for edit in (self.low, self.high, self.number))
        return checked_range(ParameterRange(path, low, high, round(number), factors and low > 0.0))


class VaryPage(StepPanel):
    """Ranges, suggestions, and actions on the sheet."""

    def __init__(self, session: Session, tools: CompareTools) -> None:
        super().__init__(session)
        self.tools, self.sheet, self.job = tools, tools.sheet, tools.job
        self.group("Parameter sweep")
        self.first, self.second = RangeRow(False), RangeRow(True)
        self.factors = Toggle("Logarithmic steps")
        self.factors.setToolTip("Steps by equal factors instead of equal differences.")
        for widget in (self.first, self.second, self.factors):
            self.add(widget)
        self.start = ActionRow(
            [("Make sheet", "Show a contact sheet with a thumbnail of every step.", self._sweep)], main=True
        )
        self.add(self.start)
        self.group("Suggestions")
        words = [
            (
                f"{n} lights",
                "Suggest plausible, clearly different lights for this view, each with its reason.",
                partial(self.ask_for, n),
            )
            for n in NUMBERS
        ]
        self.suggest = ActionRow(words)
        self.add(self.suggest)
        self.progress = QProgressBar()
        self.progress.setTextVisible(False)
        self.progress.setFixedHeight(4)
        self.add(self.progress)
        self.stop = ActionRow([("Stop", "Stop; finished thumbnails stay.", self._stop)])
        self.add(self.stop)
        self.group("Contact sheet")
        self.details = label("No sheet yet.", "note", wrap=True)
        self.add(self.details)
        self.use = ActionRow(
            (
                (
                    "Use this light",
                    "Apply the selected light to the project. Can be undone.",
                    self._use,
                ),
                (
                    "Keep",
                    "Keep the selected thumbnails (Ctrl-click for several); refine them under Kept.",
                    self._keep,
                ),
                ("Show sheet", "Show the sheet or the picture.", self._toggle),
                ("Save sheet …", "Save the sheet with captions as .png or .pdf.", self._save),
            )
        )
        self.add(self.use)
        self.finish()
        self.job.made.connect(self._on_made)
        self.job.suggested.connect(self._on_suggested)
        self.job.progressed.connect(self._on_progressed)
        self.job.ended.connect(self._on_ended)
        self.sheet.changed.connect(self._show_chosen)
        self.sheet.opened.connect(lambda _: self._use())
        self._show_busy(False)
        self._show_chosen()

    def _show_busy(self, on: bool) -> None:
        self.progress.setVisible(on)
        self.stop.setVisible(on)
        self.progress.setValue(0)

    def _sweep(self) -> None:
        try:
            varies = [self.first.vary(self.factors.isChecked()), self.second.vary(self.factors.isChecked())]
            variants = sweep(self.session.document, [vary for vary in varies if vary is not None])
        except GloametError as error:
            self.session.noticed.emit(str(error), "warning")
            return
        items = [SheetItem(v.document, variant_label(v), variant_label(v, named=False)) for v in variants]
        across = varies[0].number if varies[0] is not None and varies[1] is not None else _columns(len(items))
        self.tools.compare.show("")
        self.sheet.begin(items, across)
        self._show_busy(True)
        self.job.pictures(self, [item.document for item in items])

    def ask_for(self, number: int) -> None:
        """Ask for so many suggestions."""
        self.tools.compare.show("")
        self._show_busy(True)
        self.job.suggest(self, number, 240)

    def _stop(self) -> None:
        self.job.stop()

    def _on_made(self, owner: object, index: int, picture: LitThumbnail) -> None:
        if owner is self:
            self.sheet.put(index, picture)

    def _on_progressed(self, owner: object, fraction: float) -> None:
        if owner is self:
            self.progress.setValue(round(100 * fraction))

    def _on_suggested(self, _owner: object, found: list[Suggestion]) -> None:
        items = []
        for s in found:
            when = f"Occurs on {s.real:%d %b %H:%M}" if s.real is not None else "Does not occur here"
            look = s.look
            message = [
                f"Sunlit: {100 * look.sun_fraction:.0f} % of near surfaces, {100 * look.rim:.0f} % of outlines"
            ]
            message += [f"median {look.middle_stops:+.1f} stops"] if math.isfinite(look.middle_stops) else []
            message += (
                [f"sky {look.sky_stops:+.1f} stops over white"] if math.isfinite(look.sky_stops) else []
            )
            message += [f"ΔE {s.delta_e:.0f} to the most similar one"] if math.isfinite(s.delta_e) else []
            more = f"{when}\n{'; '.join(message)}"
            short = s.reason.partition(":")[0] + (f", {s.real:%d %b %H:%M}" if s.real is not None else "")
            items.append(SheetItem(s.document, s.reason, short, more.replace("-", "−")))
        self.sheet.begin(items, _columns(len(items)))
        for index, s in enumerate(found):
            self.sheet.put(index, s.picture)

    def _on_ended(self, owner: object, message: str) -> None:
        self._show_busy(False)
        if owner is self and message:
            self.session.noticed.emit(message, "warning")

    def _show_chosen(self) -> None:
        sheet = self.sheet
        self.use.setVisible(bool(sheet.items))
        if not sheet.items:
            return
        if sheet.chosen:
            item = sheet.items[sheet.chosen[-1]]
            self.details.setText(f"{item.label}\n{item.more}".strip())
        else:
            self.details.setText(f"{len(sheet.items)} lights: click to select, double-click to use.")

    def _use(self) -> None:
        if not self.sheet.chosen:
            self.session.noticed.emit("Select a light first.", "note")
            return
        index = self.sheet.chosen[-1]
        document = self.sheet.items[index].document
        self.sheet.end()
        self.session.commit(document)
        if document.expose.automatic and index in self.sheet.pictures:
            self.session.render.hold_ev(self.sheet.pictures[index].ev)  # as it was chosen

    def _keep(self) -> None:
        found = [(k, self.sheet.pictures[k]) for k in self.sheet.chosen if k in self.sheet.pictures]
        if not found:
            self.session.noticed.emit("Select the lights to keep first.", "note")
        for index, picture in found:
            light = picture.pixels, picture.light, 0, 0.0, picture.ev
            self.tools.keeper.keep(Snapshot(self.sheet.items[index].document, *light))

    def _toggle(self) -> None:
        self.sheet.end() if self.sheet.on else self.sheet.show()

    def _save(self) -> None:
        start = str(Path.home() / f"{self.session.title} lights.png")
        name, _ = QFileDialog.getSaveFileName(self, "Save the sheet", start, "Sheets (*.png *.pdf)")
        if not name:
            return
        path = Path(name) if Path(name).suffix else Path(name + ".png")
        made = [
            (self.sheet.pictures[k].pixels, item.label)
            for k, item in enumerate(self.sheet.items)
            if k in self.sheet.pictures
        ]
        try:
            if not made:
                raise GloametError("The sheet has no picture yet: wait for the first one.")
            save_sheet(contact_sheet(made, self.sheet.columns, self.session.title), path)
        except GloametError as error:
            self.session.noticed.emit(str(error), "warning")
            return
        self.session.noticed.emit(f"Saved {path.name}.", "note")


def _columns(number: int) -> int:
    """Columns that make a sheet about as wide as a picture."""
    return max(1, round(number**0.5 + 0.49))
