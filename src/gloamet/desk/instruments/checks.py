# SPDX-License-Identifier: Apache-2.0
"""The list of plausibility warnings, each with its measure and a remedy."""

from __future__ import annotations

import math
from functools import partial

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QScrollArea, QVBoxLayout, QWidget

from gloamet.desk.widgets.form import action_button, label
from gloamet.desk.widgets.ports import LightPort
from gloamet.desk.widgets.throttle import Throttle
from gloamet.meter.plausibility import RULES, Finding
from gloamet.preview.events import Frame
from gloamet.translation.document_to_facts import Measures, all_on, facts_of, findings_of

PACE_MS = 250
WHITE, BLACK = 253, 2  # codes from and to which a pixel is clipped or crushed
EVERY = 8  # pixels that are looked at, each way
MEASURES = {rule.name: rule.measure for rule in RULES}


def clipped_and_crushed(frame: Frame) -> tuple[float, float]:
    """Shares of a frame's pixels at white and at black."""
    codes = np.ascontiguousarray(frame.pixels[::EVERY, ::EVERY])
    red, green, blue = codes[..., 0], codes[..., 1], codes[..., 2]
    darkest, brightest = np.minimum(np.minimum(red, green), blue), np.maximum(np.maximum(red, green), blue)
    return float((darkest >= WHITE).mean()), float((brightest <= BLACK).mean())


class Checks(QWidget):
    """The list."""

    def __init__(self, session: LightPort) -> None:
        super().__init__()
        self.session = session
        self.found: list[Finding] = []
        self.setAccessibleName("Plausibility")
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        self.head = label("", "head")
        self.head.setToolTip("Plausibility checks: light that nature or a camera would not give.")
        column.addWidget(self.head)
        self.area, self.inner = QScrollArea(), QWidget()
        self.area.setWidgetResizable(True)
        self.area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.rows = QVBoxLayout(self.inner)
        self.rows.setContentsMargins(0, 0, 6, 0)
        self.rows.setSpacing(6)
        self.rows.addStretch(1)
        self.area.setWidget(self.inner)
        self.area.setMinimumHeight(1)  # else it asks for three rows, also in a low window
        column.addWidget(self.area, 1)
        self._pace = Throttle(self, PACE_MS, self.refresh)
        for signal in (
            session.results.light_solved,
            session.results.frame_ready,
            session.results.meter_read,
            session.document_changed,
        ):
            signal.connect(lambda _: self._pace.ask())

    def measure(self) -> Measures:
        """Measures that are known beside the light on open ground."""
        session = self.session
        light, frame, read = session.results.light, session.results.frame, session.results.read
        clipped, crushed = clipped_and_crushed(frame) if frame is not None else (0.0, 0.0)
        height = math.nan
        if session.loaded.scene is not None:
            low, high = session.loaded.scene.subject_bounds()
            height = float(high[2] - low[2])
        solved = light.panorama if light is not None else None
        return Measures(
            None if light is None or not all_on(session.document) else light.band,
            math.nan if frame is None else frame.ev,
            clipped,
            crushed,
            None if read is None else read.cards,
            0.0 if read is None else read.in_flight,
            height,
            session.loaded.compiled is not None and len(session.loaded.compiled.lamps) > 0,
            None if solved is None else solved.sun_deg,
            0.0 if solved is None else solved.sun_lx,
        )

    def refresh(self) -> None:
        """Look at the light again."""
        light = self.session.results.light
        if light is None:
            return
        document = self.session.document
        sun = light.sun_azimuth_deg, light.sun_elevation_deg
        facts = facts_of(document, sun, light.reading, self.measure(), self.session.gains())
        found = findings_of(document, facts)
        wanted = len(document.fill.dismissed)
        text = "No warnings" if not found else f"{len(found)} warning{'' if len(found) == 1 else 's'}"
        self.head.setText(text + (f", {wanted} ignored" if wanted else ""))
        self.head.setProperty("role", "warning" if found else "head")
        self.head.style().polish(self.head)
        if found != self.found:
            self.found = found
            self._fill()

    def _fill(self) -> None:
        while self.rows.count() > 1:
            item = self.rows.takeAt(0)
            if item is not None and (row := item.widget()) is not None:
                row.deleteLater()
        for finding in self.found:
            self.rows.insertWidget(self.rows.count() - 1, self._row(finding))

    def _row(self, finding: Finding) -> QWidget:
        row = QWidget()
        column = QVBoxLayout(row)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        message = label(finding.sentence, "note", wrap=True)
        message.setToolTip(f"Measured: {MEASURES[finding.rule]}. Limit {finding.limit:.3g}.")
        column.addWidget(message)
        label_row = QHBoxLayout()
        label_row.setSpacing(12)
        if finding.remedy is not None:
            out = finding.remedy
            tip = "Apply this remedy."
            label_row.addWidget(action_button(out.word, tip, partial(self._take, finding)))
        label_row.addWidget(
            action_button("Ignore", "Ignore this warning in this project.", partial(self._want, finding))
        )
        label_row.addStretch(1)
        column.addLayout(label_row)
        return row

    def _take(self, finding: Finding) -> None:
        out = finding.remedy
        assert out is not None
        self.session.change(out.section, None, **out.fields)

    def _want(self, finding: Finding) -> None:
        wanted = self.session.document.fill.dismissed
        self.session.change("fill", None, dismissed=(*wanted, finding.rule))
