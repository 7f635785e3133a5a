# SPDX-License-Identifier: Apache-2.0
"""Key to fill as a control: the ratio on horizontal ground, dragged or typed, over the natural range."""

from __future__ import annotations

import math
from functools import partial

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent
from PySide6.QtWidgets import QVBoxLayout, QWidget

from gloamet.desk.state.session import Session
from gloamet.desk.widgets import theme
from gloamet.desk.widgets.document_fields import NumberField
from gloamet.desk.widgets.follow import follow
from gloamet.desk.widgets.form import ActionRow, Segments, label
from gloamet.desk.widgets.number import HEIGHT, KNOB_RADIUS, NumberRow
from gloamet.document.metadata import field_range
from gloamet.meter.ratio import STARTING_POINTS, NaturalRange, change_of_fill, change_of_lit_side
from gloamet.preview.events import LightSolved

LOW, HIGH = -4.0, 8.0
TIP = (
    "Key-to-fill ratio in stops on horizontal ground. Drag or type: fill or key changes, the exposure of the "
    "lit side stays."
)
KEY, FILL = ("sun",), ("sky", "panorama")


class RatioRow(NumberRow):
    """The ratio, before the natural range."""

    def __init__(self, session: Session, control: RatioControl) -> None:
        self.control = control
        self.band: NaturalRange | None = None
        field = NumberField("fill", "key_to_fill", LOW, HIGH, 2.0, "stops", 0.1, 2, TIP, fallback=control.now)
        super().__init__(
            session, "fill", "", "Key to fill", theme.INK, field=field, write=control.ask, from_zero=True
        )

    def follow(self, band: NaturalRange | None) -> None:
        """Show the ratio of now, and the band where one is known."""
        self.band = band if band is not None else self.band
        self._value = self.field.value(self.session.document)
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:  # noqa: N802
        if self.band is not None:
            p = QPainter(self)
            p.setRenderHint(QPainter.RenderHint.Antialiasing)
            left, right = (self._x(self._fraction(min(max(v, LOW), HIGH))) for v in self.band)
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(QColor(theme.RAISED))
            p.drawRoundedRect(
                QRectF(left, HEIGHT / 2 - KNOB_RADIUS - 2, max(2.0, right - left), 2 * KNOB_RADIUS + 4), 2, 2
            )
            p.end()
        super().paintEvent(event)


class RatioControl(QWidget):
    """The ratio, what it changes, starting points, and the natural range."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._light: LightSolved | None = session.results.light
        self._asked: float | None = None  # of a drag that moves, until the meter follows
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        self.row = RatioRow(session, self)
        self.moves = Segments(
            (
                ("Change fill", "Reach the ratio by changing sky and panorama."),
                ("Change key", "Reach the ratio by changing the sun."),
            )
        )
        self.moves.group.idClicked.connect(lambda k: self._move(k == 1))
        self.points = ActionRow([(p.word, p.reason, partial(self.ask, p.stops)) for p in STARTING_POINTS])
        self.nature = label("", "note", wrap=True)
        for item in (self.row, self.moves, self.points, self.nature):
            column.addWidget(item)
        self._move(False)
        follow(self, session.results.light_solved, self._on_light_solved)
        if session.results.light is not None:
            self._on_light_solved(session.results.light)

    def now(self) -> float:
        """The last measured ratio, or the one being dragged."""
        if self._asked is not None:
            return self._asked
        light = self._light
        stops = light.reading.sun_sky_stops if light is not None else math.nan
        return min(max(stops, LOW), HIGH) if math.isfinite(stops) else 0.0

    def _move(self, key: bool) -> None:
        self._moves_key = key
        self.moves.pieces[0].setChecked(not key)
        self.moves.pieces[1].setChecked(key)

    def ask(self, wanted: float, drag_key: str | None = None) -> None:
        """Move the fill, or the key, to a ratio; a fixed exposure follows the lit side."""
        light, fill = self._light, self.session.document.fill
        if light is None or not math.isfinite(light.reading.sun_sky_stops):
            self.session.noticed.emit("The sun is below the horizon: there is no key to balance.", "note")
            return
        measured = light.reading.sun_sky_stops if self._asked is None else self._asked
        change = change_of_fill(measured, wanted)
        names, sign = (KEY, -1.0) if self._moves_key else (FILL, 1.0)
        fields, beyond = {}, False
        for name in names:
            field = f"{name}_stops"
            reach = field_range("fill", field)
            value = getattr(fill, field) + sign * change
            beyond |= not reach.low <= value <= reach.high
            fields[field] = value
        if beyond:
            self.session.noticed.emit(
                f"Key to fill {wanted:+.1f} stops is beyond the range of the gains: change key and fill both.",
                "warning",
            )
            return
        document = self.session.document.change("fill", **fields)
        if not document.expose.automatic:
            lit = change_of_lit_side(measured, wanted, self._moves_key)
            ev = min(22.0, max(-8.0, document.expose.ev + lit))
            document = document.change("expose", ev=ev)
        self._asked = wanted
        self.session.commit(document, drag_key)

    def _on_light_solved(self, light: LightSolved) -> None:
        self._light, self._asked = light, None
        self.row.follow(light.band)
        stops = light.reading.sun_sky_stops
        self.row.setEnabled(math.isfinite(stops))
        if not math.isfinite(stops):
            self.nature.setText("No sun: all light is fill.")
            return
        fill = "sky and panorama" if light.reading.panorama_horizontal_lx > 0.0 else "sky"
        text = f"Sunlit 1, shade {1.0 / (1.0 + 2.0**stops):.2g}: sun over {fill}."
        if self.row.band is not None:
            low, high = self.row.band
            text += f"\nNatural range {low:+.1f} to {high:+.1f} stops at this sun elevation."
        self.nature.setText(text.replace("-", "−"))
