# SPDX-License-Identifier: Apache-2.0
"""The hand that aims: what it says where there is nothing to begin at."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtCore import QPointF
from pytestqt.qtbot import QtBot

from gloamet.desk.aim.aim_controller import AimController
from gloamet.desk.aim.aim_tool import AimTool, ViewAdapter
from gloamet.desk.state.session import Session


@pytest.mark.parametrize(
    ("compiled", "said"), [(None, "still loading"), (object(), "only sky at that point")]
)
def test_a_press_on_nothing_says_whether_it_is_sky_or_not_there_yet(
    compiled: object, said: str, qtbot: QtBot
) -> None:
    session = Session()
    session.loaded.compiled = compiled
    nowhere = ViewAdapter(*(lambda _: None,) * 4, lambda _: QPointF())
    aimer = AimController(session)
    tool = AimTool(session, aimer, nowhere)
    session.state.use_tool("shadow pin")
    with qtbot.waitSignal(session.noticed, timeout=5_000) as told:
        assert tool.press(QPointF(3.0, 4.0))
    assert said in told.args[0]
    assert tool.draft is None
    tool.look = ViewAdapter(
        *(lambda _: np.zeros(3),) * 2, lambda _: None, lambda _: None, lambda _: QPointF()
    )
    tool.press(QPointF(3.0, 4.0))
    assert tool.draft is not None
    aimer.close()
    session.close()
