# SPDX-License-Identifier: Apache-2.0
"""The finder: what it lists, and what Enter does."""

from __future__ import annotations

import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtTest import QTest
from pytestqt.qtbot import QtBot

from gloamet.desk.actions.picture_actions import copy_picture
from gloamet.desk.finder import Entry, found
from gloamet.desk.widgets.form import ActionButton
from gloamet.desk.widgets.number import NumberRow
from gloamet.desk.window import DeskWindow


def ask(window: DeskWindow, text: str) -> list[str]:
    """Open the finder with its shortcut and type."""
    window.show()
    window.activateWindow()
    QTest.keyClick(window, Qt.Key.Key_K, Qt.KeyboardModifier.ControlModifier)
    assert window.finder.isVisible()
    QTest.keyClicks(window.finder.edit, text)
    return [f"{entry.title} | {entry.where}" for entry in window.finder.shown]


def enter(window: DeskWindow) -> None:
    QTest.keyClick(window.finder.edit, Qt.Key.Key_Return)


def test_entries_are_ordered_by_how_well_their_title_fits() -> None:
    entries = [
        Entry("Visibility in haze", "Air", "turbidity of the haze", lambda: None),
        Entry("Typical turbidity", "Air", "", lambda: None),
        Entry("Turbidity", "Air", "", lambda: None),
    ]
    assert [e.title for e in found("turb", entries)] == [
        "Turbidity",
        "Typical turbidity",
        "Visibility in haze",
    ]
    assert found("", entries) == [] and found("zzz", entries) == []


def test_a_field_is_found_and_takes_the_focus(window: DeskWindow) -> None:
    assert ask(window, "turbidity")[0] == "Turbidity | Air ▸ Air"
    enter(window)
    assert not window.finder.isVisible()
    row = window.focusWidget()
    assert isinstance(row, NumberRow) and row.label == "Turbidity" and row.isVisible()


def test_a_folded_group_opens_for_its_field(window: DeskWindow) -> None:
    panel = window.stack.panel(2)
    air = panel.stack.widget(0).widget()  # type: ignore[attr-defined]
    head = air.heads["Atmosphere"]
    head.fold(True)
    ask(window, "turbidity")
    enter(window)
    assert not head.folded


def test_a_moment_is_done_at_once(window: DeskWindow) -> None:
    assert any(line.startswith("Sunset | Sun ▸ Almanac") for line in ask(window, "sunset"))
    enter(window)
    assert window.session.moment().elevation_deg == pytest.approx(-0.3, abs=0.6)


def test_a_place_moves_the_site_with_its_time_zone(window: DeskWindow) -> None:
    lines = ask(window, "lisbon")
    assert lines and lines[0].endswith("| Site")
    enter(window)
    site = window.session.document.site
    assert site.latitude_deg == pytest.approx(38.7, abs=0.1) and site.timezone == "Europe/Lisbon"


def test_arrows_choose_and_escape_returns_the_focus(window: DeskWindow) -> None:
    window.picture.setFocus()
    ask(window, "sun")
    edit, chosen = window.finder.edit, window.finder.list
    QTest.keyClick(edit, Qt.Key.Key_Down)
    assert chosen.currentRow() == 1
    QTest.keyClick(edit, Qt.Key.Key_Up)
    QTest.keyClick(edit, Qt.Key.Key_Up)
    assert chosen.currentRow() == 0
    QTest.keyClick(edit, Qt.Key.Key_Escape)
    assert not window.finder.isVisible() and window.focusWidget() is window.picture


def test_every_number_of_every_panel_is_found_by_its_name(window: DeskWindow) -> None:
    for k in range(window.stack.count()):
        for row in window.stack.panel(k).findChildren(NumberRow):
            assert row.label and any(
                e.title == row.label for e in found(row.label, list(window.finder._collect()))
            ), row.label


def test_tab_over_the_picture_hides_the_columns_and_in_a_panel_moves_the_focus(
    window: DeskWindow, qtbot: QtBot
) -> None:
    window.show()
    wide = window.picture.width()
    window.picture.setFocus()
    QTest.keyClick(window.picture, Qt.Key.Key_Tab)
    qtbot.waitUntil(lambda: window.picture.width() > wide + 400, timeout=2000)
    QTest.keyClick(window.picture, Qt.Key.Key_Tab)
    qtbot.waitUntil(lambda: window.picture.width() == wide, timeout=2000)
    window.choose_step(2)
    row = next(row for row in window.stack.panel(2).findChildren(NumberRow) if row.isVisible())
    row.setFocus()
    QTest.keyClick(row, Qt.Key.Key_Tab)
    assert window.left.isVisible() and window.focusWidget() not in (None, row, window.picture)


def test_the_shown_picture_is_copied_as_it_is(window: DeskWindow) -> None:
    copy_picture(window.session)
    frame = window.session.results.frame
    assert frame is not None
    image = QGuiApplication.clipboard().image()
    height, width = frame.pixels.shape[:2]
    assert (image.width(), image.height()) == (width, height)
    colour = image.pixelColor(width // 2, height // 3)
    assert (colour.red(), colour.green(), colour.blue()) == tuple(frame.pixels[height // 3, width // 2, :3])
    assert f"{width} × {height}" in window.notice.text.text()


def test_a_word_never_does_what_cannot_be_undone(window: DeskWindow) -> None:
    clicked: list[str] = []
    for k in range(window.stack.count()):
        for button in window.stack.panel(k).findChildren(ActionButton):
            button.clicked.connect(lambda _=False, b=button: clicked.append(b.text()))
    for entry in list(window.finder._collect()):
        if entry.title in ("Remove", "Restore settings", "Refine"):
            entry.act()
    assert clicked == []


def test_commands_of_the_menu_are_found(window: DeskWindow) -> None:
    assert ask(window, "save")[0] == "Save | Ctrl+S"
    assert "Open … | Ctrl+O" in [
        f"{e.title} | {e.where}" for e in found("open", list(window.finder._collect()))
    ]
