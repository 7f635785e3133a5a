# SPDX-License-Identifier: Apache-2.0
"""The panel of a page of a step: a form that knows the session."""

from __future__ import annotations

from gloamet.desk.state.session import Session
from gloamet.desk.widgets.form import FormPanel


class StepPanel(FormPanel):
    """A form whose controls read and change the session's document."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
