"""Vary: a sheet of many lights, from one or two ranges or as suggestions; one is gone on with, several are kept."""

from __future__ import annotations

import math
from functools import partial
from pathlib import Path

from PySide6.QtWidgets import QCheckBox, QComboBox, QFileDialog, QHBoxLayout, QLineEdit, QProgressBar, QWidget

from gloamet.desk.compare_tools import CompareTools
from gloamet.desk.session import Session
from gloamet.desk.sheet_view import SheetItem
from gloamet.desk.widgets.basic import FormPanel, LinkRow, label
from gloamet.document.sweep import DATE, TIME, Vary, checked_vary, sweep, variant_words
from gloamet.document.typed import read_number
from gloamet.errors import GloametError
from gloamet.output.contact_sheet import contact_sheet, save_sheet
from gloamet.preview.light_table import SmallPicture
from gloamet.preview.suggest import Suggestion

# what is swept most: words, path, from, to, steps
FIELDS = (
    ("sun’s height, °", "sun.elevation_deg", 5.0, 60.0, 8),
    ("sun’s bearing, °", "sun.azimuth_deg", 0.0, 330.0, 12),
    ("time, h", TIME, 5.0, 21.0, 8),
    ("day of the year", DATE, 15.0, 350.0, 12),
    ("turbidity", "air.turbidity", 2.0, 8.0, 4),
    ("haze, km", "air.haze_km", 2.0, 30.0, 4),
    ("sun’s width, °", "sun.diameter_deg", 0.533, 8.0, 4),
    ("sun, stops", "fill.sun_stops", -2.0, 2.0, 5),
    ("sky fill, stops", "fill.sky_stops", -2.0, 2.0, 5),
    ("panorama’s turn, °", "panorama.turn_deg", -150.0, 180.0, 12),
    ("exposure, EV", "expose.ev", 10.0, 16.0, 7),
    ("white balance, K", "expose.kelvin", 4000.0, 8000.0, 5),
)
NUMBERS = (6, 12, 24)


class RangeRow(QWidget):
    """One range: a field, from, to, how many, and whether by equal factors."""

    def __init__(self, optional: bool) -> None:
        super().__init__()
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(4)
        self.field = QComboBox()
        self.field.setToolTip("What is varied.")
        self.field.setMinimumContentsLength(10)
        self.field.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        if optional:
            self.field.addItem("nothing else", "")
        for words, path, *_ in FIELDS:
            self.field.addItem(words, path)
        self.low, self.high, self.number = QLineEdit(), QLineEdit(), QLineEdit()
        for edit, wide, tip in (
            (self.low, 38, "From this value."),
            (self.high, 38, "To this value."),
            (self.number, 26, "In so many steps, both ends included."),
        ):
            edit.setFixedWidth(wide)
            edit.setStyleSheet("padding: 3px 4px;")
            edit.setToolTip(tip)
        row.addWidget(self.field, 1)
        for widget in (self.low, self.high, self.number):
            row.addWidget(widget)
        self.field.currentIndexChanged.connect(self._fill)
        self._fill()

    def _fill(self) -> None:
        found = next((row for row in FIELDS if row[1] == self.field.currentData()), None)
        for edit in (self.low, self.high, self.number):
            edit.setVisible(found is not None)
        if found is not None:
            self.low.setText(f"{found[2]:g}")
            self.high.setText(f"{found[3]:g}")
            self.number.setText(str(found[4]))

    def vary(self, factors: bool) -> Vary | None:
        """The range; None for no field. Raises GloametError."""
        path = self.field.currentData()
        if not path:
            return None
        low, high, number = (read_number(edit.text(), "") for edit in (self.low, self.high, self.number))
        return checked_vary(Vary(path, low, high, round(number), factors and low > 0.0))


class VaryPage(FormPanel):
    """Ranges, suggestions, and what is done with the sheet."""

    def __init__(self, session: Session, tools: CompareTools) -> None:
        super().__init__(session)
        self.tools, self.sheet, self.job = tools, tools.sheet, tools.job
        self._making = False
        self.group("A range, or two")
        self.first, self.second = RangeRow(False), RangeRow(True)
        self.factors = QCheckBox("by equal factors")
        self.factors.setToolTip("Steps by equal factors instead of equal differences.")
        for widget in (self.first, self.second, self.factors):
            self.add(widget)
        self.start = LinkRow(
            [("make the sheet", "Small pictures of every step, in place of the picture.", self._sweep)]
        )
        self.add(self.start)
        self.group("Suggestions")
        words = [
            (
                f"{n} lights",
                "Plausible lights for this view, far apart, with reasons.",
                partial(self.ask_for, n),
            )
            for n in NUMBERS
        ]
        self.suggest = LinkRow(words)
        self.add(self.suggest)
        self.progress = QProgressBar()
        self.progress.setTextVisible(False)
        self.progress.setFixedHeight(4)
        self.add(self.progress)
        self.stop = LinkRow([("stop", "Stop; what is there stays.", self._stop)])
        self.add(self.stop)
        self.group("The sheet")
        self.said = label("None yet.", "note", wrap=True)
        self.add(self.said)
        self.use = LinkRow(
            (
                (
                    "go on with it",
                    "The chosen light becomes the light of now; undo takes that back.",
                    self._use,
                ),
                ("show", "The sheet in place of the picture, or the picture again.", self._toggle),
                ("save …", "The sheet as .png or .pdf, with its words.", self._save),
            )
        )
        self.add(self.use)
        self.finish()
        self.job.made.connect(self._on_made)
        self.job.suggested.connect(self._on_suggested)
        self.job.progressed.connect(lambda share: self.progress.setValue(round(100 * share)))
        self.job.ended.connect(self._on_ended)
        self.sheet.changed.connect(self._show_chosen)
        self.sheet.opened.connect(lambda _: self._use())
        self._show_busy(False)
        self._show_chosen()

    def _show_busy(self, on: bool) -> None:
        self._making = on
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
        items = [SheetItem(variant.document, variant_words(variant)) for variant in variants]
        across = varies[0].number if varies[0] is not None and varies[1] is not None else _columns(len(items))
        self.tools.compare.show("")
        self.sheet.begin(items, across)
        self._show_busy(True)
        self.job.pictures([item.document for item in items])

    def ask_for(self, number: int) -> None:
        """Ask for so many suggestions."""
        self.tools.compare.show("")
        self._show_busy(True)
        self.job.suggest(number, 240)

    def _stop(self) -> None:
        self.job.stop()

    def _on_made(self, index: int, picture: SmallPicture) -> None:
        if self._making:
            self.sheet.put(index, picture.pixels)

    def _on_suggested(self, found: list[Suggestion]) -> None:
        items = []
        for s in found:
            when = f"really so on {s.real:%d %b %H:%M}" if s.real is not None else "never so at this place"
            look = s.look
            said = [
                f"sun on {100 * look.sun_share:.0f} % of what is near, on {100 * look.rim:.0f} % of its outlines"
            ]
            said += [f"middle {look.middle_stops:+.1f} stops"] if math.isfinite(look.middle_stops) else []
            said += [f"sky {look.sky_stops:+.1f} stops over white"] if math.isfinite(look.sky_stops) else []
            more = f"{when}\n{'; '.join(said)}"
            items.append(SheetItem(s.document, s.reason, more.replace("-", "−")))
        self.sheet.begin(items, _columns(len(items)))
        for index, s in enumerate(found):
            self.sheet.put(index, s.pixels)

    def _on_ended(self, said: str) -> None:
        if self._making:
            self._show_busy(False)
            if said:
                self.session.noticed.emit(said, "warning")

    def _show_chosen(self) -> None:
        sheet = self.sheet
        self.use.setVisible(bool(sheet.items))
        if not sheet.items:
            return
        if sheet.chosen:
            item = sheet.items[sheet.chosen[-1]]
            self.said.setText(f"{item.words}\n{item.more}".strip())
        else:
            self.said.setText(
                f"{len(sheet.items)} lights: click one; twice, or the word below, goes on with it."
            )

    def _use(self) -> None:
        if not self.sheet.chosen:
            self.session.noticed.emit("Click one of the lights first.", "note")
            return
        document = self.sheet.items[self.sheet.chosen[-1]].document
        self.sheet.end()
        self.session.commit(document)

    def _toggle(self) -> None:
        self.sheet.end() if self.sheet.on else self.sheet.show()

    def _save(self) -> None:
        start = str(Path.home() / f"{self.session.title} lights.png")
        name, _ = QFileDialog.getSaveFileName(self, "Save the sheet", start, "Sheets (*.png *.pdf)")
        if not name:
            return
        path = Path(name) if Path(name).suffix else Path(name + ".png")
        made = [
            (self.sheet.pixels[k], item.words)
            for k, item in enumerate(self.sheet.items)
            if k in self.sheet.pixels
        ]
        try:
            if not made:
                raise GloametError("There is no picture on the sheet yet: wait for the first.")
            save_sheet(contact_sheet(made, self.sheet.columns, self.session.title), path)
        except GloametError as error:
            self.session.noticed.emit(str(error), "warning")
            return
        self.session.noticed.emit(f"Saved {path.name}.", "note")


def _columns(number: int) -> int:
    """Columns that make a sheet about as wide as a picture."""
    return max(1, round(number**0.5 + 0.49))
