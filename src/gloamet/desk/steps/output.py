# SPDX-License-Identifier: Apache-2.0
"""Output: the final picture and its layers."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtGui import QShowEvent

from gloamet.desk.state.session import Session
from gloamet.desk.steps import StepContext
from gloamet.desk.steps.step_panel import StepPanel
from gloamet.desk.widgets.follow import follow
from gloamet.desk.widgets.form import ActionRow, label
from gloamet.desk.widgets.number import NumberRow
from gloamet.desk.widgets.switch import Switch
from gloamet.desk.widgets.term_card import TermButton

SIZES = ((1920, 1280), (1920, 1080), (3840, 2160))


class OutputStep(StepPanel):
    """Size, quality, and the two ways to save."""

    def __init__(
        self, session: Session, save_picture: Callable[[], None], save_layers: Callable[[], None]
    ) -> None:
        super().__init__(session)
        self.group("Size")
        self.add(NumberRow(session, "output", "width", "Width", logarithmic=True))
        self.add(NumberRow(session, "output", "height", "Height", logarithmic=True))
        sizes = [(f"{w} × {h}", "Set width and height.", partial(self._size, w, h)) for w, h in SIZES]
        self.add(ActionRow(sizes))
        self.group("Quality", TermButton("noise"))
        self.add(NumberRow(session, "output", "samples", "Samples per pixel", logarithmic=True))
        self.add(NumberRow(session, "output", "noise", "Noise limit"))
        self.add(Switch(session, "output", "denoise", "Denoise"))
        self.add(Switch(session, "output", "denoise_viewport", "Denoise the viewport"))
        self.memory = label("", "note", wrap=True)
        self.add(self.memory)
        self.group("Save")
        picture = "Render at this size and save the developed picture as .png or .jpg."
        layers = "Render and save linear light as .exr with a layer per light and albedo, normal, depth."
        self.add(
            ActionRow(
                [("Save picture …", picture, save_picture), ("Save layers …", layers, save_layers)], main=True
            )
        )
        self.add(label("The view pauses while saving; stopping keeps the picture so far.", "note", wrap=True))
        self.finish()
        follow(self, session.document_changed, lambda _: self._show_memory())

    def showEvent(self, event: QShowEvent) -> None:  # noqa: N802
        self._show_memory()

    def _show_memory(self) -> None:
        """What saving will take, as far as it is known before the stage is there."""
        compiled, out = self.session.loaded.compiled, self.session.document.output
        if compiled is None:
            self.memory.setText("")
            return
        from gloamet.translation.memory import memory_needed

        need = memory_needed(compiled, out.width, out.height, out.denoise)
        self.memory.setText(f"Memory needed for saving: about {need / 1e9:.1f} GB.")

    def _size(self, width: int, height: int) -> None:
        self.session.change("output", width=width, height=height)


def build(context: StepContext) -> OutputStep:
    """The panel, for the window."""
    return OutputStep(context.session, lambda: context.ask_picture(False), lambda: context.ask_picture(True))
