"""Fill: sun against sky, lamps and a panorama, after rendering."""

from __future__ import annotations

import math
from dataclasses import replace
from pathlib import Path

from PySide6.QtWidgets import QFileDialog

from gloamet.desk import theme
from gloamet.desk.session import Session
from gloamet.desk.steps import StepContext
from gloamet.desk.widgets.basic import FormPanel, LinkRow, label, link, pair
from gloamet.desk.widgets.fields import number_field
from gloamet.desk.widgets.number import NumberRow
from gloamet.document.lights import LIGHTS
from gloamet.document.metadata import description
from gloamet.document.model import Document


class FillStep(FormPanel):
    """A gain each, the ratio that follows, and the panorama."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.group("Balance")
        self.rows = {
            light.name: NumberRow(session, "fill", light.gain_field, light.title, light.hue, from_zero=True)
            for light in LIGHTS
        }
        for row in self.rows.values():
            self.add(row)
        self.add(pair(label(""), link("as nature gives", "All gains back to 0 stops.", self._reset)))
        self.group("Key to fill")
        self.ratio = label("–", "big")
        self.nature = label("", "note", wrap=True)
        self.add(self.ratio)
        self.add(self.nature)
        self._add_panorama()
        self.finish()
        session.light_solved.connect(self._on_light_solved)
        session.scene_loaded.connect(lambda _: self._on_document_changed(session.document))
        session.document_changed.connect(self._on_document_changed)
        self._on_document_changed(session.document)
        if session.light is not None:
            self._on_light_solved(session.light)

    def _add_panorama(self) -> None:
        self.group("Light from a panorama")
        self.named = label("", wrap=True)
        self.named.setToolTip(description("panorama", "file"))
        self.turn = NumberRow(self.session, "panorama", "turn_deg", "Turn", theme.PANORAMA, from_zero=True)
        self.level = NumberRow(
            self.session,
            "panorama",
            "level_lx",
            "Illuminance level",
            theme.PANORAMA,
            field=replace(number_field("panorama", "level_lx"), words=(("as in the file", 0.0),)),
        )
        self.words = LinkRow(
            (
                ("choose …", description("panorama", "file"), self.ask_panorama),
                (
                    "take away",
                    "The scene is lit by sun, sky and lamps again.",
                    lambda: self.take_panorama(""),
                ),
            )
        )
        for item in (self.named, self.turn, self.level, self.words):
            self.add(item)

    def ask_panorama(self) -> None:
        """Choose the file."""
        from gloamet.sky.environment_map import ENDINGS

        kinds = " ".join(f"*{ending}" for ending in ENDINGS)
        start = str(Path(self.session.document.panorama.file).parent)
        name, _ = QFileDialog.getOpenFileName(
            self, "Panorama", start, f"Lat-long pictures of light ({kinds})"
        )
        if name:
            self.take_panorama(name)

    def take_panorama(self, name: str) -> None:
        """Light the scene by a file too, or by none."""
        self.session.change("panorama", file=name)

    def _on_document_changed(self, document: Document) -> None:
        compiled, file = self.session.compiled, document.panorama.file
        self.rows["lamps"].setVisible(compiled is not None and len(compiled.lamps) > 0)
        for widget in (self.rows["panorama"], self.turn, self.level, self.words.links[1]):
            widget.setVisible(bool(file))
        self.named.setText(Path(file).name if file else "None; it adds its light to sun and sky.")
        self.named.setProperty("role", "" if file else "note")
        self.named.style().polish(self.named)

    def _reset(self) -> None:
        self.session.change("fill", None, **{light.gain_field: 0.0 for light in LIGHTS})

    def _on_light_solved(self, light) -> None:  # type: ignore[no-untyped-def]
        stops, natural = light.reading.sun_sky_stops, light.natural.sun_sky_stops
        if not math.isfinite(stops):
            self.ratio.setText("no sun")
            self.nature.setText("The sun is below the horizon.")
            return
        self.ratio.setText(f"{stops:+.1f} stops".replace("-", "−"))
        fill = "sky and panorama" if light.reading.panorama_horizontal_lx > 0.0 else "sky"
        text = f"Sun over {fill} on level ground, 1\u00a0:\u00a0{2.0**-stops:.2g}."
        if stops < 0:
            text = f"{fill.capitalize()} outweigh{'s' if fill == 'sky' else ''} the sun."
        self.nature.setText(f"{text}\nIn this air nature gives {natural:+.1f} stops.".replace("-", "−"))


def build(context: StepContext) -> FillStep:
    """The panel, for the window."""
    return FillStep(context.session)
