# SPDX-License-Identifier: Apache-2.0
"""Aim: pins and their results, real moments, and the times of sunlight on a surface."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, timedelta
from functools import partial
from typing import Any

from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from gloamet.aim.moments import NEVER_DEG
from gloamet.desk.actions import sun_actions
from gloamet.desk.aim.aim_controller import AimController
from gloamet.desk.aim.aim_tool import TOOL_HINTS
from gloamet.desk.instruments.year_cloth import YearCloth
from gloamet.desk.state.session import Session
from gloamet.desk.steps.step_panel import StepPanel
from gloamet.desk.steps.sun.moment_list import MomentList
from gloamet.desk.widgets.document_fields import NumberField, number_field
from gloamet.desk.widgets.follow import follow
from gloamet.desk.widgets.form import ActionRow, action_button, label, sentence
from gloamet.desk.widgets.number import NumberRow
from gloamet.desk.widgets.switch import Toggle
from gloamet.desk.widgets.term_card import TermButton
from gloamet.document.model import Document
from gloamet.document.parsing import read_day_of_year, read_hours
from gloamet.document.targets import AimPin

MOST_SPANS = 5
TOOLS = (("shadow", "shadow pin"), ("frame", "frame pin"), ("glint", "glint pin"))


@dataclass(frozen=True)
class DayField(NumberField):
    """A day of the year, written as a date."""

    def text(self, value: float, unit: bool = True) -> str:
        day = date(2025, 1, 1) + timedelta(days=round(value) - 1)
        return f"{day.day} {day:%b}"

    def parse(self, text: str) -> float:
        return read_day_of_year(text)


@dataclass(frozen=True)
class ClockField(NumberField):
    """An hour of the day, written as a clock shows it."""

    def text(self, value: float, unit: bool = True) -> str:
        minutes = round(value * 60.0)
        return f"{minutes // 60}:{minutes % 60:02d}"

    def parse(self, text: str) -> float:
        return read_hours(text)


def _field(kind: type[NumberField], name: str) -> NumberField:
    return kind(**number_field("aim", name).__dict__)


class PinRow(QWidget):
    """One pin: what it is, a switch and a way to forget it."""

    def __init__(self, session: Session, index: int, pin: AimPin) -> None:
        super().__init__()
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        line = sum((a - b) ** 2 for a, b in zip(pin.caster, pin.receiver, strict=True)) ** 0.5
        texts = {
            "shadow": f"shadow over {line:.1f} m",
            "frame": "sun in the frame",
            "glint": "glint on a surface",
        }
        tip = "Pin on or off. Drag its ends in the picture."
        name = action_button(texts[pin.kind], tip, partial(self._switch, session, index))
        name.setCheckable(True)
        name.setChecked(pin.on)
        row.addWidget(name)
        row.addStretch(1)
        row.addWidget(
            action_button("Remove", "Remove this pin.", partial(sun_actions.remove_pin, session, index))
        )

    @staticmethod
    def _switch(session: Session, index: int) -> None:
        sun_actions.change_pin(session, index, on=not session.document.aim.pins[index].on)


class AimPage(StepPanel):
    """Pins, answers, sun windows."""

    def __init__(self, session: Session, aimer: AimController) -> None:
        super().__init__(session)
        self.aimer = aimer
        self._pins(session, aimer)
        self._window(session)
        self._surface(session, aimer)
        self.finish()
        self._shown: Any = None
        follow(self, session.document_changed, self._on_document_changed)
        session.state.tool_changed.connect(self._on_tool_changed)
        aimer.answered.connect(self._answer)
        aimer.scanned.connect(self._scanned)
        self._on_document_changed(session.document)
        self._on_tool_changed("")
        self._answer()
        self._scanned()

    def _pins(self, session: Session, aimer: AimController) -> None:
        self.group("Pin", TermButton("pins"))
        row = QHBoxLayout()
        row.setSpacing(2)
        self.buttons: dict[str, QPushButton] = {}
        for word, tool in TOOLS:
            button = QPushButton(sentence(word))
            button.setProperty("role", "piece")
            button.setCheckable(True)
            button.setToolTip(TOOL_HINTS[tool])
            button.clicked.connect(
                lambda _=False, t=tool: session.state.use_tool("" if session.state.tool == t else t)
            )
            row.addWidget(button, 1)
            self.buttons[tool] = button
        self.add(row)
        self.say = label("", "note", wrap=True)
        self.add(self.say)
        self.pins = QVBoxLayout()
        self.pins.setSpacing(2)
        self.add(self.pins)
        self.direction = label("", "", wrap=True)
        self.remarks = label("", "warning", wrap=True)
        self.commit = action_button(
            "Move the sun here", "Place the sun manually where the pins require it.", self._put
        )
        self.moments = MomentList(session, aimer)
        self.outlined = Toggle("Outlines instead of the relit picture")
        self.outlined.setToolTip("Show a preview as outlines of sun and shade over the present picture.")
        self.outlined.toggled.connect(aimer.use_outlines)
        for widget in (self.direction, self.remarks, self.commit, self.outlined, self.moments):
            self.add(widget)

    def _window(self, session: Session) -> None:
        self.group("Search within")
        for kind, name, text in (
            (ClockField, "from_hour", "From"),
            (ClockField, "to_hour", "To"),
            (DayField, "first_day", "Season from"),
            (DayField, "last_day", "Season to"),
        ):
            write = partial(self._set_hour, name) if kind is ClockField else None
            self.add(NumberRow(session, "aim", name, text, field=_field(kind, name), write=write))

    def _set_hour(self, name: str, value: float, key: str | None) -> None:
        """One end of the hours; it takes the other one along rather than pass it."""
        aim = self.session.document.aim
        low, high = (
            (value, max(value, aim.to_hour)) if name == "from_hour" else (min(value, aim.from_hour), value)
        )
        self.session.change("aim", key, from_hour=low, to_hour=high)

    def _surface(self, session: Session, aimer: AimController) -> None:
        self.group("Sunlight on a surface")
        surface = partial(session.state.use_tool, "surface")
        self.add(
            ActionRow(
                [
                    ("Pick a surface", TOOL_HINTS["surface"], surface),
                    (
                        "Use selected part",
                        "Use all sides of the part selected in the picture.",
                        self._measure_part,
                    ),
                    (
                        "Stop measuring",
                        "Stop measuring.",
                        partial(
                            session.change, "aim", measured_part="", face_direction=None, face_point=None
                        ),
                    ),
                ]
            )
        )
        self.cloth = YearCloth(session, aimer)
        self.cloth.show_measure("sunlit")
        self.add(self.cloth)
        self.spans = label("", "note", wrap=True)
        self.best = action_button("", "Go to the moment with the largest sunlit fraction.", self._go_best)
        self.add(self.spans)
        self.add(self.best)

    def showEvent(self, event: object) -> None:  # noqa: N802
        self.aimer.previews = True

    def hideEvent(self, event: object) -> None:  # noqa: N802
        self.aimer.previews = False
        self.aimer.show(None)

    def _on_tool_changed(self, tool: str) -> None:
        for name, button in self.buttons.items():
            button.setChecked(name == tool)
        self.say.setText(TOOL_HINTS.get(tool, ""))
        self.say.setVisible(tool in TOOL_HINTS)

    def _on_document_changed(self, document: Document) -> None:
        if document.aim.pins == self._shown:
            return
        self._shown = document.aim.pins
        while self.pins.count():
            item = self.pins.takeAt(0)
            if item is not None and (old := item.widget()) is not None:
                old.hide()
                old.deleteLater()
        for index, pin in enumerate(document.aim.pins):
            self.pins.addWidget(PinRow(self.session, index, pin))

    # -- answers

    def _answer(self) -> None:
        answer = self.aimer.answer
        aimed = None if answer is None else answer.aimed
        for widget in (self.direction, self.commit):
            widget.setVisible(aimed is not None)
        problem = "" if answer is None else answer.problem
        remarks = problem if aimed is None else "\n".join(aimed.remarks)
        if answer is not None and aimed is not None:
            azimuth = (aimed.azimuth_deg - self.session.document.sun.north_deg) % 360.0
            off = max(aimed.misses_deg, default=0.0)
            misses = f", pins off by up to {off:.1f}°" if off > 0.05 else ""
            self.direction.setText(
                f"Sun elevation {aimed.elevation_deg:.1f}°, azimuth {azimuth:.1f}°{misses}".replace("-", "−")
            )
            best = min((m.error_deg for m in answer.moments), default=None)
            if best is None:
                more = "No moment within the search: widen the hours or the season."
            elif best > NEVER_DEG and aimed.elevation_deg > 0.0:
                more = f"Does not occur here: the nearest real sun is {best:.0f}° away."
            else:
                more = ""
            remarks = "\n".join(filter(None, (remarks, more)))
        self.remarks.setText(remarks)
        self.remarks.setVisible(bool(remarks))
        self.moments.show_moments(() if answer is None else answer.moments)
        if aimed is None and self.aimer.preview is not None:
            self.aimer.show(None)

    def _put(self) -> None:
        answer = self.aimer.answer
        if answer is not None and answer.aimed is not None:
            self.aimer.show(None)
            sun_actions.set_sun_direction(self.session, answer.aimed.towards)

    # -- sun windows

    def _measure_part(self) -> None:
        if not self.session.state.selection:
            self.session.noticed.emit("No part is selected: click one in the picture first.", "note")
            return
        self.session.change(
            "aim", measured_part=self.session.state.selection, face_direction=None, face_point=None
        )

    def _scanned(self) -> None:
        reach, measured = self.aimer.reach, self.session.document.aim.measured_part
        self.best.setVisible(reach is not None and reach.best is not None)
        self.cloth.setVisible(reach is not None)
        if self.aimer.scanning and measured:
            self.spans.setText(f"Scanning the year for {measured} …")
        elif reach is None:
            self.spans.setText("Pick a surface to see on the year cloth when it is sunlit.")
        elif reach.best is None:
            self.spans.setText(f"“{measured}” is never sunlit within this search.")
        else:
            lines = [span.sentence("it") for span in reach.spans[:MOST_SPANS]]
            more = len(reach.spans) - MOST_SPANS
            lines += [f"{more} shorter spans."] if more > 0 else []
            self.spans.setText(f"Sunlight on “{measured}”\n" + "\n".join(lines))
            self.best.setText(f"Largest on {reach.best.day} {reach.best:%b %H:%M}, {reach.gap}")

    def _go_best(self) -> None:
        if self.aimer.reach is not None and self.aimer.reach.best is not None:
            self.session.go_to(self.aimer.reach.best)
