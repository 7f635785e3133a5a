# SPDX-License-Identifier: Apache-2.0
"""The light meter: horizontal illuminance of sun, sky and panorama, their ratio, and the exposure."""

from __future__ import annotations

import math

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QColor, QFontMetricsF, QPainter, QPaintEvent
from PySide6.QtWidgets import QWidget

from gloamet.desk.widgets import theme
from gloamet.desk.widgets.ports import LightPort
from gloamet.desk.widgets.throttle import Throttle
from gloamet.meter.ratio import NaturalRange
from gloamet.preview.events import LightSolved

TOP_LX = 120_000.0
HEIGHT, BAR_ROW = 196, 36
PACE_MS = 90
RATIO_LOW, RATIO_HIGH = -4.0, 4.0


def lux_text(lx: float) -> str:
    """Illuminance as a photographer reads it: klx above a thousand.

    >>> lux_text(53900.0), lux_text(3.4), lux_text(0.00063)
    ('53.9 klx', '3.4 lx', '0.0006 lx')
    """
    if lx >= 1000.0:
        return f"{lx / 1000.0:.1f} klx"
    if lx >= 1.0:
        return f"{lx:.0f} lx" if lx >= 10.0 else f"{lx:.1f} lx"
    return f"{lx:.1g} lx" if lx > 0.0 else "none"


def visibility_text(km: float) -> str:
    """How far one sees.

    >>> visibility_text(0.78), visibility_text(33.97)
    ('0.8 km', '34 km')
    """
    return f"{km:.1f} km" if km < 9.95 else f"{km:.0f} km"


def kelvin_text(kelvin: float) -> str:
    """A colour temperature, or a dash when there is no light."""
    return f"{kelvin:.0f} K" if math.isfinite(kelvin) else "–"


class LightMeter(QWidget):
    """Painted readings; nothing can be set here."""

    def __init__(self, session: LightPort) -> None:
        super().__init__()
        self.session = session
        self.setFixedHeight(HEIGHT)
        self.setAccessibleName("Light meter")
        self.setToolTip(
            "Horizontal illuminance without shade from sun, sky and panorama; key to fill in stops "
            "against the natural range; colour temperatures; exposure."
        )
        self._band: NaturalRange | None = None
        # figures that change faster than this cannot be read
        self._pace = Throttle(self, PACE_MS, self.update)
        session.results.light_solved.connect(self._on_light_solved)
        session.results.frame_ready.connect(lambda _: self._pace.ask())  # which follows the light at once

    def _on_light_solved(self, light: LightSolved) -> None:
        more = BAR_ROW if light.reading.panorama_horizontal_lx > 0.0 else 0
        if self.height() != HEIGHT + more:
            self.setFixedHeight(HEIGHT + more)
        if not self.session.results.frame:
            self._pace.ask()

    def paintEvent(self, event: QPaintEvent) -> None:  # noqa: N802
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._text(p, 0, "Horizontal illuminance", "", head=True)
        light = self.session.results.light
        if light is None:
            self._text(p, 26, "Measuring …", "", quiet=True)
            return
        r = light.reading
        key = "Moon" if light.moonlit else "Sun"
        self._bar_row(p, 22, key, r.sun_horizontal_lx, theme.SUN, kelvin_text(r.sun_cct_k))
        y = 22 + BAR_ROW
        self._bar_row(p, y, "Sky", r.sky_horizontal_lx, theme.SKY, kelvin_text(r.sky_cct_k))
        if r.panorama_horizontal_lx > 0.0:
            y += BAR_ROW
            kelvin = kelvin_text(r.panorama_cct_k)
            self._bar_row(p, y, "Panorama", r.panorama_horizontal_lx, theme.PANORAMA, kelvin)
        self._ratio(p, y + 38, r.sun_sky_stops, light)
        frame = self.session.results.frame
        y += 76
        self._text(p, y, "Exposure", f"EV {frame.ev:.1f}" if frame else "–")
        level = f"{r.incident_ev:.1f}" if math.isfinite(r.incident_ev) else "–"
        scene = f"{frame.meter_ev:.1f}" if frame is not None else "–"
        self._text(p, y + 20, f"Meter {scene}   horizontal card {level}", "", note=True)
        self._text(p, y + 40, "Visibility", visibility_text(light.visibility_km), note=True)

    def _text(
        self,
        p: QPainter,
        y: float,
        left: str,
        right: str,
        head: bool = False,
        note: bool = False,
        quiet: bool = False,
    ) -> None:
        row = QRectF(0, y, self.width(), 22)
        p.setPen(QColor(theme.QUIET if head or quiet else theme.DIM if note else theme.INK))
        small = theme.font(theme.NOTE if head or note else theme.BODY, head)
        if left:
            p.setFont(small)
            p.drawText(row, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, left)
        if not right:
            return
        p.setFont(small if note else theme.font(theme.BODY, True))
        p.drawText(row, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, right)

    def _bar_row(self, p: QPainter, y: float, name: str, lx: float, colour: str, kelvin: str) -> None:
        self._text(p, y, name, lux_text(lx))
        after = max(40.0, QFontMetricsF(theme.font(theme.BODY)).horizontalAdvance(name) + 10.0)
        p.setFont(theme.font(theme.NOTE))
        p.setPen(QColor(theme.DIM))
        p.drawText(
            QRectF(after, y, 70, 22), Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, kelvin
        )
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(QColor(theme.LINE))
        p.drawRoundedRect(QRectF(0, y + 25, self.width(), 3), 1.5, 1.5)
        p.setBrush(QColor(colour))
        # a square root keeps dim light visible beside full sun
        fraction = math.sqrt(min(lx / TOP_LX, 1.0))
        p.drawRoundedRect(QRectF(0, y + 25, self.width() * fraction, 3), 1.5, 1.5)

    def _ratio(self, p: QPainter, y: float, stops: float, light: LightSolved) -> None:
        text = f"{stops:+.1f} stops".replace("-", "−") if math.isfinite(stops) else "no sun"
        self._text(p, y, "Key to fill", text)
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(QColor(theme.LINE))
        p.drawRoundedRect(QRectF(0, y + 25, self.width(), 3), 1.5, 1.5)

        def x(value: float) -> float:
            fraction = (value - RATIO_LOW) / (RATIO_HIGH - RATIO_LOW)
            return min(max(fraction, 0.0), 1.0) * self.width()

        self._band = light.band or self._band
        if self._band is not None and math.isfinite(stops):
            left, right = x(self._band.low), x(self._band.high)
            p.setBrush(QColor(theme.QUIET))
            p.drawRoundedRect(QRectF(left, y + 24, max(6.0, right - left), 5), 2.5, 2.5)
        if math.isfinite(stops):
            p.setBrush(QColor(theme.INK))
            p.drawEllipse(QRectF(x(stops) - 5, y + 21.5, 10, 10))
