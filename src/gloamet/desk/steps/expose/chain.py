# SPDX-License-Identifier: Apache-2.0
"""Chain: the links of developing in their fixed order, one row each."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtWidgets import QHBoxLayout, QWidget

from gloamet.colour.curves import STRAIGHT
from gloamet.colour.views import VIEWS
from gloamet.desk.state.session import Session
from gloamet.desk.steps.expose.chain_link import ChainLink, SliderSpec
from gloamet.desk.steps.expose.colour_controls import ColourLink
from gloamet.desk.steps.expose.tone_curve import SECTION as TONE
from gloamet.desk.steps.expose.tone_curve import ToneCurve
from gloamet.desk.steps.step_panel import StepPanel
from gloamet.desk.widgets import theme
from gloamet.desk.widgets.follow import follow
from gloamet.desk.widgets.form import SegmentedControl, Segments, ToolButton, label
from gloamet.develop.chain import CHAIN_TITLES
from gloamet.document.expose import ToneState
from gloamet.document.model import Document
from gloamet.meter.depth_of_field import sharp_range

GLARE = (
    SliderSpec("veiling_glare", "Veiling glare"),
    SliderSpec("glow", "Glow"),
    SliderSpec("glow_threshold", "Threshold", True),
    SliderSpec("glow_size", "Glow radius"),
    SliderSpec("starburst", "Starburst"),
    SliderSpec("blades", "Aperture blades"),
    SliderSpec("starburst_rotation_deg", "Starburst rotation"),
    SliderSpec("flare", "Flare"),
)
TONES = (
    SliderSpec("contrast", "Contrast", True),
    SliderSpec("s_curve", "S-curve", True),
    SliderSpec("blacks", "Blacks", True),
    SliderSpec("shadows", "Shadows", True),
    SliderSpec("highlights", "Highlights", True),
    SliderSpec("whites", "Whites", True),
    SliderSpec("roll_off", "Roll-off"),
    SliderSpec("local_contrast", "Local contrast", True),
    SliderSpec("local_radius", "Radius"),
)
LENS = (
    SliderSpec("vignette", "Vignette", True),
    SliderSpec("distortion", "Distortion", True),
    SliderSpec("fringe", "Chromatic fringe", True),
    SliderSpec("sharpness", "Sharpness"),
    SliderSpec("grain", "Grain"),
    SliderSpec("grain_size", "Grain size"),
)
CURVES = (
    ("curve", "brightness", theme.INK),
    ("curve_red", "red", "#d0675e"),
    ("curve_green", "green", "#6fae6b"),
    ("curve_blue", "blue", "#6f8fd6"),
)


class CurveChoice(QWidget):
    """Which of the curves the editor shows, and a way back for it."""

    def __init__(self, session: Session, curve: ToneCurve) -> None:
        super().__init__()
        self.session, self.curve = session, curve
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 6, 0, 2)
        self.choice = Segments([(word, f"Edit the {word} curve.") for _, word, _ in CURVES])
        self.buttons = {curve[0]: piece for curve, piece in zip(CURVES, self.choice.pieces, strict=True)}
        self.choice.group.idClicked.connect(lambda k: curve.show_curve(CURVES[k][0], CURVES[k][2]))
        row.addWidget(self.choice, 1)
        self.reset = ToolButton("Reset", "Reset this curve.", "rotate-ccw", self._straighten)
        row.addWidget(self.reset)
        self.buttons["curve"].setChecked(True)

    def _straighten(self) -> None:
        self.session.change(TONE, None, **{self.curve.name: STRAIGHT})


class ToneLink(ChainLink):
    """The link of tone says which of its curves are bent."""

    def summary(self) -> str:
        """Sliders, then curves."""
        tone: ToneState = self.session.document.expose.tone
        bent = [word for name, word, _ in CURVES if getattr(tone, name) != STRAIGHT]
        curves = [f"curve {', '.join(bent)}"] if bent else []
        return ", ".join([text for text in (super().summary(), *curves) if text])


class ViewLink(QWidget):
    """The view: always there, one of a few."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        panel = StepPanel(session)
        panel.box.setContentsMargins(0, 3, 0, 3)
        panel.add(label("View transform"))
        self.choice = SegmentedControl(session, "expose", "view", [(name, name) for name in VIEWS])
        for name, button in self.choice.buttons.items():
            button.setToolTip(VIEWS[name].description)
        panel.add(self.choice)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(panel)


class ChainPage(StepPanel):
    """Every link, in order."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.curve = ToneCurve(session)
        self.curves = CurveChoice(session, self.curve)
        self.focus = label("", "note", wrap=True)
        self.order = label("", "note", wrap=True)
        self.glare = ChainLink(session, "expose.glare", "Lens glare", GLARE)
        self.tone = ToneLink(session, TONE, "Tone", TONES, first=(self.curves, self.curve))
        self.view = ViewLink(session)
        self.colour = ColourLink(session)
        self.lens = ChainLink(session, "expose.lens", "Lens and film", LENS, (self.focus,))
        self.add(self.order)
        for item in (self.glare, self.tone, self.view, self.colour, self.lens):
            self.add(item)
        self.tone.toggle()  # the link that is used most
        self.finish()
        follow(self, session.document_changed, self._on_document_changed)
        self._on_document_changed(session.document)

    @property
    def links(self) -> Sequence[ChainLink]:
        """The rows that can be switched."""
        return self.glare, self.tone, self.colour, self.lens

    def _on_document_changed(self, document: Document) -> None:
        e, view = document.expose, document.stage.view
        balance = f"{e.kelvin:.0f} K" if e.balance else "off"
        masks = sum(mask.on for mask in e.masks)
        states = {"white balance": f" {balance}", "masks": f" {masks or 'none'}"}
        self.order.setText(
            " ▸ ".join(["Light", *(f"{title}{states.get(title, '')}" for title in CHAIN_TITLES)])
        )
        near, far, blur_mm = sharp_range(view.f_number, view.focus_m, view.fov_deg)
        reach = f"{near:.2f} m to {far:.2f} m" if far < 1e4 else f"{near:.2f} m on"
        state = "" if view.depth_of_field else "Depth of field is off (Stage ▸ Views). If on: "
        self.focus.setText(
            f"{state}f/{view.f_number:g} at {view.focus_m:.2f} m is sharp from {reach}; circle of confusion "
            f"{blur_mm:.3f} mm on a frame 24 mm high."
        )
