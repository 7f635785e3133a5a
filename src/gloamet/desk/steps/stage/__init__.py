# SPDX-License-Identifier: Apache-2.0
"""Stage: four pages: model, parts, surroundings, views."""

from __future__ import annotations

from collections.abc import Callable

from gloamet.desk.state.session import Session
from gloamet.desk.steps import StepContext
from gloamet.desk.steps.stage.around import AroundPage
from gloamet.desk.steps.stage.model import ModelPage
from gloamet.desk.steps.stage.parts import PartsPage
from gloamet.desk.steps.stage.views import ViewsPage
from gloamet.desk.widgets.pages import Pages


class StageStep(Pages):
    """The pages; a part selected in the picture brings its page."""

    def __init__(self, session: Session, open_model: Callable[[], None]) -> None:
        self.session = session
        self.model = ModelPage(session, open_model)
        self.parts, self.around, self.views = PartsPage(session), AroundPage(session), ViewsPage(session)
        super().__init__(
            (
                ("Model", "The scene file, its units, axis and placement.", self.model),
                ("Parts", "Parts and materials of the model.", self.parts),
                ("Surroundings", "Ground, horizon, props and lamps.", self.around),
                ("Views", "Lens and saved views.", self.views),
            )
        )
        session.state.selected.connect(self._on_part_selected)
        self._on_part_selected(session.state.selection)

    def _on_part_selected(self, selected: str) -> None:
        if selected:
            self.show_page("Parts")


def build(context: StepContext) -> StageStep:
    """The panel, for the window."""
    return StageStep(context.session, context.ask_open)
