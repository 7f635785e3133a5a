# SPDX-License-Identifier: Apache-2.0
"""Compare: kept pictures, comparison, contact sheets, and looks."""

from __future__ import annotations

from gloamet.desk.compare.compare_tools import CompareTools
from gloamet.desk.state.session import Session
from gloamet.desk.steps import StepContext
from gloamet.desk.steps.compare.kept import KeptPage
from gloamet.desk.steps.compare.looks import LooksPage
from gloamet.desk.steps.compare.vary import VaryPage
from gloamet.desk.widgets.pages import Pages


class CompareStep(Pages):
    """The pages."""

    def __init__(self, session: Session, tools: CompareTools) -> None:
        self.kept, self.vary, self.looks = (
            KeptPage(session, tools),
            VaryPage(session, tools),
            LooksPage(session, tools),
        )
        super().__init__(
            (
                ("Kept", "Kept pictures: compare them, restore their settings.", self.kept),
                ("Vary", "Contact sheets: sweep a parameter, or suggested lights.", self.vary),
                ("Looks", "Named settings, shipped and your own.", self.looks),
            )
        )


def build(context: StepContext) -> CompareStep:
    """The panel, for the window."""
    return CompareStep(context.session, context.compare)
