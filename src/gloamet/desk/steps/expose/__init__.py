# SPDX-License-Identifier: Apache-2.0
"""Expose: pages of exposure, chain, masks and proofs, with scopes below."""

from __future__ import annotations

from PySide6.QtWidgets import QVBoxLayout, QWidget

from gloamet.desk.state.session import Session
from gloamet.desk.steps import StepContext
from gloamet.desk.steps.expose.chain import ChainPage
from gloamet.desk.steps.expose.exposure import ExposurePage
from gloamet.desk.steps.expose.masks import MasksPage
from gloamet.desk.steps.expose.proofs import ProofsPage
from gloamet.desk.steps.expose.scopes import ScopePanel
from gloamet.desk.widgets.pages import Pages


class ExposeStep(QWidget):
    """Pages and scopes."""

    scrolls_itself = True

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("column")
        self.scopes = ScopePanel(session)
        self.exposure, self.masks = ExposurePage(session), MasksPage(session)
        self.proofs = ProofsPage(session)
        self.chain = ChainPage(session)
        self.pages = Pages(
            (
                ("Light", "Exposure and white balance.", self.exposure),
                ("Chain", "The developing chain from scene light to screen, link by link.", self.chain),
                ("Masks", "Soft masks for local corrections.", self.masks),
                ("Proofs", "The picture on other screens and on paper.", self.proofs),
            )
        )
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.pages, 1)
        column.addWidget(self.scopes)

    def show_page(self, name: str) -> None:
        """Bring a page to the front."""
        self.pages.show_page(name)


def build(context: StepContext) -> ExposeStep:
    """The panel, for the window."""
    return ExposeStep(context.session)
