"""Fill: sun against sky, after rendering."""

from __future__ import annotations

import math

from gloamet.desk import theme
from gloamet.desk.session import Session
from gloamet.desk.widgets.number import NumberRow
from gloamet.desk.widgets.small import Column, label, link, pair


class FillStep(Column):
    """A gain each, and the ratio that follows."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.group("Balance")
        self.add(NumberRow(session, "fill", "sun_stops", "Sun", theme.SUN, from_zero=True))
        self.add(NumberRow(session, "fill", "sky_stops", "Sky fill", theme.SKY, from_zero=True))
        self.lamps = NumberRow(session, "fill", "lamps_stops", "Lamps", theme.LAMPS, from_zero=True)
        self.lamps.hide()
        self.add(self.lamps)
        self.add(pair(label(""), link("as nature gives", "All gains back to 0 stops.", self._reset)))
        self.group("Key to fill")
        self.ratio = label("–", "big")
        self.nature = label("", "note", wrap=True)
        self.add(self.ratio)
        self.add(self.nature)
        self.finish()
        session.light_solved.connect(self._take_light)
        session.scene_loaded.connect(lambda _: self._show_lamps())
        session.document_changed.connect(lambda _: self._show_lamps())

    def _show_lamps(self) -> None:
        compiled = self.session.compiled
        self.lamps.setVisible(compiled is not None and len(compiled.lamps) > 0)

    def _reset(self) -> None:
        self.session.change("fill", sun_stops=0.0, sky_stops=0.0, lamps_stops=0.0)

    def _take_light(self, light) -> None:  # type: ignore[no-untyped-def]
        stops, natural = light.reading.sun_sky_stops, light.natural.sun_sky_stops
        if not math.isfinite(stops):
            self.ratio.setText("no sun")
            self.nature.setText("The sun is below the horizon: the sky alone lights the scene.")
            return
        self.ratio.setText(f"{stops:+.1f} stops".replace("-", "−"))
        text = (
            f"Sun over sky on level ground, 1 : {2.0**-stops:.2g}."
            if stops >= 0
            else "The sky outweighs the sun."
        )
        self.nature.setText(f"{text}\nIn this air nature gives {natural:+.1f} stops.".replace("-", "−"))
