# SPDX-License-Identifier: Apache-2.0
"""Sky model, turbidity, particles, haze, and ground reflectance."""

from __future__ import annotations

from gloamet.desk.actions import sun_actions
from gloamet.desk.instruments.meter import visibility_text
from gloamet.desk.picture.wipe import CompareButton
from gloamet.desk.state.session import Session
from gloamet.desk.steps.air.air_presets import AirPresetTiles
from gloamet.desk.steps.step_panel import StepPanel
from gloamet.desk.widgets import theme
from gloamet.desk.widgets.follow import follow
from gloamet.desk.widgets.form import SegmentedControl, action_button, label, pair
from gloamet.desk.widgets.number import NumberRow
from gloamet.desk.widgets.switch import Switch
from gloamet.desk.widgets.term_card import TermButton
from gloamet.document.model import Document
from gloamet.sky.particles import PARTICLES

NATURAL_TURBIDITY = 10.0
MODELS = (("physical", "Atmosphere"), ("preetham", "Preetham"), ("cie", "CIE"), ("uniform", "Uniform"))


def turbidity_word(turbidity: float) -> str:
    """What a turbidity looks like (common practice).

    >>> turbidity_word(2.0), turbidity_word(6.0)
    ('Very clear', 'Hazy')
    """
    for limit, word in (
        (1.6, "Mountain air"),
        (2.2, "Very clear"),
        (3.2, "Clear"),
        (5.0, "Light haze"),
        (8.0, "Hazy"),
        (NATURAL_TURBIDITY, "Thick haze"),
    ):
        if turbidity < limit:
            return word
    return "beyond any natural clear sky"


class AtmospherePage(StepPanel):
    """The sky’s model, turbidity and particles, haze, ground."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.group("Sky model")
        self.add(SegmentedControl(session, "air", "sky_model", MODELS))
        self.caveat = label("", "note", wrap=True)
        self.compare = CompareButton(session)
        self.add(pair(self.caveat, self.compare))
        self.general = NumberRow(session, "air", "cie_sky", "CIE sky type", theme.SKY)
        self.level = NumberRow(session, "air", "sky_lx", "Illuminance", theme.SKY)
        self.kelvin = NumberRow(
            session, "air", "sky_kelvin", "Colour temperature", theme.SKY, logarithmic=True
        )
        self.natural = label("0 = automatic: typical at this sun elevation", "note")
        for row in (self.general, self.level, self.natural, self.kelvin):
            self.add(row)
        self.looks = AirPresetTiles(session)
        self.add(self.looks)
        self.group("Atmosphere", TermButton("turbidity"))
        self.add(NumberRow(session, "air", "turbidity", "Turbidity", theme.SKY, logarithmic=True))
        self.reading = label("", "note", wrap=True)
        self.add(self.reading)
        tip = "Set the typical turbidity of this place and month."
        self.usual = action_button("", tip, lambda: sun_actions.use_usual_turbidity(session))
        self.add(pair(self.usual, label("")))
        self.add_space(8)
        self.particles = label("", "note")
        self.add(pair(label("Particles"), self.particles))
        self.add(SegmentedControl(session, "air", "particles", [(name, name) for name in PARTICLES]))
        self.add_space(8)
        self.add(NumberRow(session, "air", "ozone_du", "Ozone", theme.SKY))
        self._add_haze_and_ground()
        self.finish()
        follow(self, session.document_changed, self._on_document_changed)
        follow(self, session.results.light_solved, lambda _: self._on_document_changed(session.document))
        self._on_document_changed(session.document)

    def _add_haze_and_ground(self) -> None:
        session = self.session
        self.group("Ground haze", TermButton("visibility"))
        self.add(Switch(session, "air", "haze_on", "Haze layer"))
        self.haze = NumberRow(
            session, "air", "haze_visibility_km", "Visibility in haze", theme.SKY, logarithmic=True
        )
        self.haze_height = NumberRow(
            session, "air", "haze_height_m", "Haze scale height", theme.SKY, logarithmic=True
        )
        self.add(self.haze)
        self.add(self.haze_height)
        self.group("Ground", TermButton("ground_reflectance"))
        self.add(NumberRow(session, "air", "ground_reflectance", "Ground reflectance", theme.SKY))
        self.add(
            label("Forest and wet soil 0.1, grass 0.2, sand 0.3, salt 0.5, fresh snow 0.8", "note", wrap=True)
        )

    def _on_document_changed(self, document: Document) -> None:
        air, light = document.air, self.session.results.light
        self.haze.setEnabled(air.haze_on)
        self.haze_height.setEnabled(air.haze_on)
        self.looks.setVisible(air.sky_model == "physical")
        self.general.setVisible(air.sky_model == "cie")
        for shown in (self.level, self.natural, self.kelvin):
            shown.setVisible(air.sky_model in ("cie", "uniform"))
        usual = sun_actions.usual_turbidity(document)
        self.usual.setText(usual.label)
        self.usual.setVisible(abs(usual.turbidity - air.turbidity) > 0.05)
        self.particles.setText(PARTICLES[air.particles].description)
        text = turbidity_word(air.turbidity)
        if light is not None:
            text += f", visibility {visibility_text(light.visibility_km)}"
            text += f"\nAerosol optical depth {light.aod550:.2f} at 550 nm"
            text += f", Linke turbidity {light.linke_turbidity:.1f}"
        self.reading.setText(text)
        self.caveat.setText(light.caveat if light is not None else "")
        self.caveat.setVisible(bool(self.caveat.text()))
        self.compare.setVisible(air.sky_model != "physical")
