"""Expose: exposure value, white balance and the view transform."""

from __future__ import annotations

from gloamet.colour.views import VIEWS
from gloamet.desk import theme
from gloamet.desk.session import Session
from gloamet.desk.steps import StepContext
from gloamet.desk.widgets.basic import FormPanel, SegmentedControl, label, link, pair
from gloamet.desk.widgets.number import NumberRow
from gloamet.desk.widgets.switch import Switch
from gloamet.document.model import Document


class ExposeStep(FormPanel):
    """Developing the picture."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.group("Exposure")
        self.add(Switch(session, "expose", "automatic", "Automatic, by the light on the scene"))
        self.compensation = NumberRow(
            session, "expose", "compensation", "Exposure compensation", from_zero=True
        )
        self.ev = NumberRow(session, "expose", "ev", "Exposure value")
        self.add(self.compensation)
        self.add(self.ev)
        self.reading = label("", "note")
        self.add(pair(self.reading, link("hold this", "Keeps the exposure shown now.", self._hold)))
        self.group("White balance")
        self.add(NumberRow(session, "expose", "kelvin", "Colour temperature", theme.DIM, logarithmic=True))
        self.add(NumberRow(session, "expose", "tint", "Tint", from_zero=True))
        self.whites = pair(
            link("sunlight", "White balance on the sun’s own colour.", lambda: self._white("sun_cct_k")),
            link("open shade", "White balance on the sky’s colour.", lambda: self._white("sky_cct_k")),
        )
        self.add(self.whites)
        self.group("View")
        self.add(SegmentedControl(session, "expose", "view", [(name, name) for name in VIEWS]))
        self.finish()
        session.document_changed.connect(self._on_document_changed)
        session.frame_ready.connect(lambda _: self._on_document_changed(session.document))
        self._on_document_changed(session.document)

    def _on_document_changed(self, document: Document) -> None:
        self.compensation.setVisible(document.expose.automatic)
        self.ev.setVisible(not document.expose.automatic)
        frame = self.session.frame
        self.reading.setText(f"EV {frame.ev:.2f}" if frame else "")

    def _hold(self) -> None:
        frame = self.session.frame
        if frame is not None:
            self.session.change("expose", automatic=False, ev=round(frame.ev, 2))

    def _white(self, name: str) -> None:
        light = self.session.light
        kelvin = getattr(light.reading, name) if light is not None else float("nan")
        if kelvin == kelvin:
            self.session.change("expose", kelvin=min(max(kelvin, 2000.0), 15000.0))
        else:
            self.session.noticed.emit("There is no sunlight to balance on: the sun is down.", "note")


def build(context: StepContext) -> ExposeStep:
    """The panel, for the window."""
    return ExposeStep(context.session)
