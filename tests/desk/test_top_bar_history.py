# SPDX-License-Identifier: Apache-2.0
"""The list of steps in the top bar."""

from __future__ import annotations

from gloamet.desk.window import DeskWindow


def test_the_history_says_what_each_step_changed_and_a_click_goes_there(window: DeskWindow) -> None:
    session, bar = window.session, window.bar
    session.change("air", turbidity=3.0)
    session.change("air", turbidity=5.0)
    session.change("fill", sky_stops=1.0)
    session.undo()
    bar.fill_history()
    labels = [action.text() for action in bar.history_menu.actions()]
    assert "1.00" in labels[0] and "5" in labels[1] and "3" in labels[2]
    assert labels[1].startswith("Turbidity") and "→" in labels[1]
    assert [action.isChecked() for action in bar.history_menu.actions()].index(True) == 1
    bar.history_menu.actions()[2].trigger()
    assert session.document.air.turbidity == 3.0
    bar.fill_history()
    bar.history_menu.actions()[0].trigger()
    assert session.document.air.turbidity == 5.0 and session.document.fill.sky_stops == 1.0
