# SPDX-License-Identifier: Apache-2.0
"""The column of instruments: sky disc, the sun in numbers, probes, light meter and warnings."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from gloamet.desk.dialogs import azimuth_label
from gloamet.desk.instruments.checks import Checks
from gloamet.desk.instruments.meter import LightMeter
from gloamet.desk.instruments.probes import Probes
from gloamet.desk.instruments.sky_disc import SkyDisc
from gloamet.desk.state.session import Session
from gloamet.desk.widgets import theme
from gloamet.desk.widgets.form import label

MODE_WORDS = {"almanac": "", "manual": "manual", "driver": "driver"}


class InstrumentColumn(QWidget):
    """Instruments one under another."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.disc, self.meter = SkyDisc(session), LightMeter(session)
        self.probes, self.checks = Probes(session), Checks(session)
        self.setObjectName("left")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedWidth(theme.LEFT_WIDTH)
        box = QVBoxLayout(self)
        box.setContentsMargins(16, 4, 16, 8)
        box.setSpacing(0)
        box.addWidget(self.disc)
        self.elevation_value, self.azimuth_value = label("", "big"), label("", "big")
        self.elevation_note, self.azimuth_note = label("", "note"), label("", "note")
        for left, right in (
            (self.elevation_value, self.azimuth_value),
            (self.elevation_note, self.azimuth_note),
        ):
            row = QHBoxLayout()
            right.setAlignment(Qt.AlignmentFlag.AlignRight)
            row.addWidget(left)
            row.addWidget(right)
            box.addLayout(row)
        for gap, widget in ((10, self.probes), (8, self.meter)):
            box.addSpacing(gap)
            box.addWidget(widget)
        box.addSpacing(10)
        box.addWidget(self.checks, 1)
        session.document_changed.connect(lambda _: self._show_sun())
        self._show_sun()

    def _show_sun(self) -> None:
        azimuth, elevation = self.disc.sun()
        self.elevation_value.setText(f"{elevation:.1f}°".replace("-", "−"))
        self.azimuth_value.setText(f"{azimuth:.1f}°")
        below = "Below the horizon" if elevation < -0.3 else "Elevation"
        how = MODE_WORDS[self.session.document.sun.mode]
        self.elevation_note.setText(f"{below}, {how}" if how else below)
        self.azimuth_note.setText(azimuth_label(azimuth))
