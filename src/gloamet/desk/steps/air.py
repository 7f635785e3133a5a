"""Air: turbidity, haze and what the ground sends back."""

from __future__ import annotations

from gloamet.desk import theme
from gloamet.desk.session import Session
from gloamet.desk.steps import StepContext
from gloamet.desk.widgets.basic import FormPanel, label
from gloamet.desk.widgets.number import NumberRow
from gloamet.desk.widgets.switch import Switch
from gloamet.document.model import Document


def turbidity_word(turbidity: float) -> str:
    """What a turbidity looks like (common practice).

    >>> turbidity_word(2.0), turbidity_word(6.0)
    ('very clear', 'hazy')
    """
    for limit, word in (
        (1.6, "mountain air"),
        (2.2, "very clear"),
        (3.2, "clear"),
        (5.0, "light haze"),
        (8.0, "hazy"),
    ):
        if turbidity < limit:
            return word
    return "thick haze"


class AirStep(FormPanel):
    """Turbidity, haze, ground."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.group("Atmosphere")
        self.add(NumberRow(session, "air", "turbidity", "Turbidity", theme.SKY, logarithmic=True))
        self.reading = label("", "note", wrap=True)
        self.add(self.reading)
        self.add(NumberRow(session, "air", "ozone_du", "Ozone", theme.SKY))
        self.group("Haze near the ground")
        self.add(Switch(session, "air", "haze_on", "Haze layer"))
        self.haze = NumberRow(
            session, "air", "haze_km", "Visibility in the haze", theme.SKY, logarithmic=True
        )
        self.add(self.haze)
        self.group("Ground around")
        self.add(NumberRow(session, "air", "ground_reflectance", "Ground reflectance", theme.SKY))
        self.add(
            label("0.1 forest and wet soil, 0.2 grass, 0.3 sand, 0.5 salt, 0.8 fresh snow", "note", wrap=True)
        )
        self.finish()
        session.document_changed.connect(self._on_document_changed)
        session.light_solved.connect(lambda _: self._on_document_changed(session.document))
        self._on_document_changed(session.document)

    def _on_document_changed(self, document: Document) -> None:
        self.haze.setEnabled(document.air.haze_on)
        light = self.session.light
        text = turbidity_word(document.air.turbidity)
        if light is not None:
            text += f", one sees {light.visibility_km:.0f} km\nLinke turbidity {light.linke_turbidity:.1f}"
        self.reading.setText(text)


def build(context: StepContext) -> AirStep:
    """The panel, for the window."""
    return AirStep(context.session)
