# SPDX-License-Identifier: Apache-2.0
"""One lamp of the model as a number in lumens."""

from __future__ import annotations

from gloamet.desk.state.session import Session
from gloamet.desk.widgets import theme
from gloamet.desk.widgets.document_fields import number_field
from gloamet.desk.widgets.number import NumberRow
from gloamet.document.stage import LampEdit
from gloamet.stage.assembly import lumens
from gloamet.stage.scene import Lamp


def lamp_row(session: Session, lamp: Lamp) -> NumberRow:
    """The row; until it is touched it shows the file's own light."""
    path = ("stage", "lamps", lamp.name)
    field = number_field(path, "lumens", lambda: lumens(lamp))

    def write(value: float, key: str | None) -> None:
        edits = {**session.document.stage.lamps, lamp.name: LampEdit(lumens=value)}
        session.change("stage", key, lamps=edits)

    return NumberRow(session, path, "lumens", lamp.name, theme.LAMPS, field=field, write=write)
