# SPDX-License-Identifier: Apache-2.0
"""Panels of the steps: built when needed, asleep while no ray can be traced, and never behind what happened."""

from __future__ import annotations

from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QPushButton
from pytestqt.qtbot import QtBot

from gloamet.desk.state.session import Session
from gloamet.desk.steps import FIRST_STEP, STEP_TITLES, STEPS
from gloamet.desk.window import DeskWindow
from gloamet.preview.events import Preparing


def test_only_the_first_panel_is_built_with_the_window_and_the_others_when_idle(
    session: Session, qtbot: QtBot
) -> None:
    window = DeskWindow(session)
    assert set(window.stack._panels) == {FIRST_STEP}
    window.show()
    qtbot.waitUntil(lambda: len(window.stack._panels) == len(STEPS), timeout=20_000)
    assert window.stack.currentIndex() == FIRST_STEP
    session.store.mark_saved()
    window.close()


def test_a_panel_built_late_knows_what_happened_before(session: Session) -> None:
    session.state.select("box")
    window = DeskWindow(session)
    stage = window.stack.panel(STEP_TITLES.index("Stage"))
    assert stage.model.name.text() == "house.obj"  # type: ignore[attr-defined]
    assert stage.parts.tree.chosen() == {"box"}  # type: ignore[attr-defined]
    assert stage.names[stage.stack.currentIndex()] == "Parts"  # type: ignore[attr-defined]
    fill = window.stack.panel(STEP_TITLES.index("Fill"))
    assert fill.balance.ratio.nature.text().startswith("Sunlit 1")  # type: ignore[attr-defined]
    session.store.mark_saved()
    window.close()


def test_while_kernels_are_compiled_all_but_compare_and_output_act(window: DeskWindow) -> None:
    session = window.session
    session.render.reported.emit(Preparing(0.25, 60.0))
    assert "60 s left" in window.bar.status.text() and window.notice.isVisible()
    for k, step in enumerate(STEPS):
        window.choose_step(k)
        QApplication.processEvents()
        assert window.stack.panel(k).isEnabled() == (step.title not in ("Compare", "Output"))
    box = window.picture.target().center().toPoint()
    positions = (
        (window.picture, box),
        (window.disc, window.disc.rect().center() + QPoint(9, 30)),
        (window.ribbon, window.ribbon.rect().center()),
    )
    for widget, at in positions:
        before = session.document
        QTest.mousePress(widget, Qt.MouseButton.LeftButton, pos=at)
        QTest.mouseMove(widget, at + QPoint(40, 5))
        QTest.mouseRelease(widget, Qt.MouseButton.LeftButton, pos=at + QPoint(40, 5))
        assert session.document is not before, widget
    assert not window.strip.isEnabled()
    session.render.reported.emit(Preparing(1.0, 0.0))
    assert all(window.stack.panel(k).isEnabled() for k in range(len(STEPS)))
    assert not window.notice.isVisible() and window.disc.isEnabled()
    QTest.mouseClick(window.picture, Qt.MouseButton.LeftButton, pos=box)
    assert [b for b in window.findChildren(QPushButton) if b.isEnabled()]
